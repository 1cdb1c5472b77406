"""Where a fact about the song was taken from: the words for it, and a short word where there is little room."""

from __future__ import annotations

from types import MappingProxyType

SET_BY_USER = "set by you"
BRIEF, MIDI, METADATA, NOTES = "the brief", "the MIDI file", "the files' own notes", "the notes"
FOLDER, FILES_NAMES = "the folder's name", "the files' names"
CLICKS_NAME, CLICK = "the click's name", "the click itself"

SHORT = MappingProxyType(
    {
        SET_BY_USER: "set",
        BRIEF: "brief",
        MIDI: "MIDI",
        METADATA: "metadata",
        NOTES: "notes",
        FOLDER: "folder",
        FILES_NAMES: "names",
        CLICKS_NAME: "click",
        CLICK: "click",
    }
)
