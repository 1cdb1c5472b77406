"""The endings that names of sound files may have, by container: standards' and plain usage."""

from __future__ import annotations

ENDINGS = {
    "wav": ("wav", "wave", "bwf"),
    "rf64": ("wav", "wave", "bwf", "rf64"),
    "bw64": ("wav", "wave", "bwf", "bw64"),
    "w64": ("w64",),
    "aiff": ("aif", "aiff", "aifc"),
    "caf": ("caf",),
    "au": ("au", "snd"),
    "flac": ("flac",),
    "ogg": ("ogg", "oga", "opus"),
    "opus": ("opus", "ogg", "oga"),
    "mp3": ("mp3",),
    "m4a": ("m4a", "mp4", "aac"),
    "aac": ("aac",),
}
"""Container -> the endings a name may have for it."""
SOUND_ENDINGS = frozenset(ending for endings in ENDINGS.values() for ending in endings) - {"mp4"}
"""What a name ends in that speaks for sound; an MP4 is more often a video."""
