"""What the user said of files' roles and songs, laid over what was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from deep_tally.model.corrections import Corrections
from deep_tally.model.files import BY_USER, Entry, Intake, Role


def with_corrections(found: Intake, corrections: Corrections) -> Intake:
    """The delivery with the roles and songs the user gave its files; what is said of files that are gone is left out.

    A note that belongs to no song joins the first one when it is said to be sound.
    """
    roles, songs = corrections.roles, corrections.songs
    if not (roles or songs or corrections.rough_mixes):
        return found
    entries = [
        replace(
            e,
            role=roles.get(e.path, e.role),
            basis=BY_USER if e.path in roles else e.basis,
            song=songs.get(e.path, e.song),
        )
        if e.path in roles or e.path in songs
        else e
        for e in found.entries
    ]
    first = found.songs[0] if found.songs else ""
    entries = [replace(e, song=first) if e.role.is_audio and not e.song else e for e in entries]
    for path in corrections.rough_mixes:
        entries = with_rough_mix(entries, path)
    # Said of every sound that it is none, a delivery would be nothing: then what was found stands.
    return replace(found, entries=tuple(entries)) if any(e.role.is_audio for e in entries) else found


def with_rough_mix(entries: Sequence[Entry], path: str) -> list[Entry]:
    """One file is its song's rough mix. That settles it: what only looked like the mix is a reference then."""
    songs = {e.song for e in entries if e.path == path}
    return [
        replace(e, role=Role.ROUGH_MIX, basis=BY_USER)
        if e.path == path
        else replace(e, role=Role.REFERENCE, basis=BY_USER)
        if e.role is Role.ROUGH_MIX and e.song in songs
        else e
        for e in entries
    ]
