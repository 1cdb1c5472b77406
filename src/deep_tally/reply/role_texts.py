"""What a file seems to be for, in a few words, and what says so."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from deep_tally.model.comparison import MixOf
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Role, RoleSource
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import count
from deep_tally.reply.role_words import role_phrase, role_words

_SOURCES: dict[RoleSource | None, str] = {
    None: "",
    "name": "by its name",
    "folder": "by where it lies",
    "sound": "by its sound",
    "user": "set by you",
}


def role_mark(track: Track) -> str:
    """Beside a title: nothing for a trackout, "group", "rough mix?" where it is only likely."""
    if track.role is Role.TRACKOUT or track.role is Role.MIX:
        return ""
    return f"{role_words(track.role)}{'?' if track.basis.is_likely else ''}"


def role_reason(track: Track, mixes: Sequence[MixOf] = ()) -> str:
    """What the role rests on: "likely, by its name", "by its sound: holds 24 of 27 files"."""
    words = _SOURCES[track.basis.source]
    held = next((m for m in mixes if m.path == track.path), None)
    if held is not None and track.basis.source == "sound":
        words += f": holds {len(held.members)} of {count(held.files, 'file')}"
    return f"likely, {words}" if track.basis.is_likely else words


def likely_tracks(delivery: Delivery | None) -> list[Track]:
    """The files whose role is likely only, mixes first: they are a question to the engineer."""
    likely = [t for t in delivery.tracks if t.basis.is_likely] if delivery is not None else []
    return sorted(likely, key=lambda t: t.role is not Role.ROUGH_MIX)


def likely_roles(delivery: Delivery | None, paths: Iterable[str]) -> dict[str, Role]:
    """What those of these files seem to be whose role is likely only."""
    wanted = set(paths)
    return {t.path: t.role for t in likely_tracks(delivery) if t.path in wanted}


def likely_words(tracks: Sequence[Track]) -> str:
    """One sentence: which file is probably what."""
    if len(tracks) == 1:
        name = readable(tracks[0].path.rpartition("/")[2])
        return f"“{name}” is probably {role_phrase(tracks[0].role)} ({_SOURCES[tracks[0].basis.source]})."
    return f"{count(len(tracks), 'file')} are probably no plain tracks, but nothing says so for sure."
