"""What was requested against what was received: how many files meet each line of the brief. Reads no audio."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from deep_tally.check.common import length_difference_s
from deep_tally.check.rules.parts import missing_in
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Finding

Unit = str
"""What is counted: "file", "song" or "part"."""


@dataclass(frozen=True, slots=True)
class Coverage:
    """How far one line is met.

    Attributes
    ----------
    met, total : int
        Of how many; files, songs or parts (`unit`).
    misses : tuple of str
        Paths of the files, or names of the songs or parts, that do not meet it.
    """

    met: int
    total: int
    unit: Unit = "file"
    misses: tuple[str, ...] = ()

    @property
    def is_met(self) -> bool:
        """Whether nothing is missing."""
        return self.met == self.total


# The codes whose files do not meet a line, where a check of its own decides that.
_BY_CODES: Mapping[str, tuple[str, ...]] = MappingProxyType(
    {
        "scope": ("content.scope",),
        "bits_min": ("depth.low",),
        "sample_formats": ("depth.off-brief",),
        "containers": ("content.container", "content.lossy"),
        "stereo": ("channels.to-split", "channels.split-pair"),
        "length.tail_seconds": ("length.tail-room",),
        "names.pattern": ("name.pattern",),
        "names.longest": ("name.long",),
        "names.generic_words": ("name.generic",),
    }
)
_COMPANIONS: Mapping[str, Callable[[SongSet], bool]] = MappingProxyType(
    {
        "needs.rough_mix": lambda s: bool(s.with_role(Role.ROUGH_MIX)),
        "needs.song": lambda s: s.facts.title is not None,
        "needs.tempo": lambda s: s.facts.tempo_bpm is not None,
        "needs.key": lambda s: s.facts.key is not None,
        "needs.artist": lambda s: s.facts.artist is not None,
        "needs.references": lambda s: bool(s.with_role(Role.REFERENCE)),
        "needs.click": lambda s: bool(s.with_role(Role.CLICK)),
        "needs.midi": lambda s: Role.MIDI in s.companions,
        "needs.documents": lambda s: Role.DOCUMENT in s.companions,
        "needs.stamps": lambda s: all(t.format.time_reference is not None for t in s.assessed if t.format is not None),
    }
)


def coverage_of(delivery: Delivery, brief: Brief) -> Mapping[str, Coverage]:
    """How far each line of a brief is met that files can show; the key is the line's in the brief.

    Companions are counted whether they are asked or not: what was received unasked is worth knowing too.
    """
    asked = [t for s in delivery.sets for t in s.assessed]
    found = {key: _by_codes(asked, delivery.findings, codes) for key, codes in _BY_CODES.items()}
    common = {t.path: s.common.rate_hz for s in delivery.sets for t in s.assessed}
    found["rates"] = _by(
        asked, lambda t: t.format is not None and t.format.rate_hz in (brief.rates or (common[t.path],))
    )
    found["peak_window_dbfs"] = _by(asked, lambda t: _is_within(t, brief.peak_window_dbfs, brief, rms=False))
    if brief.rms_window_dbfs is not None:
        window = brief.rms_window_dbfs
        found["rms_window_dbfs"] = _by(asked, lambda t: _is_within(t, window, brief, rms=True))
    equal = {t.path for s in delivery.sets for t in s.assessed if _is_common(t, s)}
    found["length.equal"] = _by(asked, lambda t: t.path in equal)
    found["length.whole_bars"] = _by_songs(delivery.sets, _has_no(delivery, "length.not-bars", "length.loop-not-bars"))
    for key, is_received in _COMPANIONS.items():
        found[key] = _by_songs(delivery.sets, is_received)
    if brief.parts:
        missing = [words for s in delivery.sets for part in s.parts if (words := missing_in(part, s)) is not None]
        total = len(brief.parts) * len(delivery.sets)
        found["parts"] = Coverage(total - len(missing), total, "part", tuple(missing))
    return found


def _by(tracks: Iterable[Track], is_met: Callable[[Track], bool]) -> Coverage:
    listed = list(tracks)
    misses = tuple(t.path for t in listed if not is_met(t))
    return Coverage(len(listed) - len(misses), len(listed), "file", misses)


def _by_codes(tracks: Iterable[Track], findings: Iterable[Finding], codes: tuple[str, ...]) -> Coverage:
    missed = {path for f in findings for g in (f, *f.consequences) if g.code in codes for path in g.files}
    return _by(tracks, lambda t: t.path not in missed)


def _by_songs(sets: Iterable[SongSet], is_met: Callable[[SongSet], bool]) -> Coverage:
    listed = list(sets)
    misses = tuple(s.name for s in listed if not is_met(s))
    return Coverage(len(listed) - len(misses), len(listed), "song", misses)


def _has_no(delivery: Delivery, *codes: str) -> Callable[[SongSet], bool]:
    songs = {f.song for f in delivery.findings if f.code in codes}
    return lambda song: song.facts.tempo_bpm is not None and song.name not in songs


def _is_within(track: Track, window: tuple[float, float], brief: Brief, *, rms: bool) -> bool:
    if track.measures is None or not track.is_heard:
        return False
    value = track.measures.rms_dbfs if rms else track.measures.sample_peak_dbfs
    return window[0] <= value <= window[1] + brief.threshold("headroom.tolerance_db")


def _is_common(track: Track, song: SongSet) -> bool:
    return track.format is not None and song.common.seconds is not None and not length_difference_s(track, song.common)
