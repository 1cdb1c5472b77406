"""The plan of a ready copy, from what is known of a delivery: it reads no file."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import SoundFormat
from deep_tally.model.findings import Finding
from deep_tally.model.ready import (
    AS_PLANNED,
    STEPS,
    Conflict,
    Copy,
    LeftOut,
    Piece,
    ReadyChoices,
    ReadyPlan,
    ReadySong,
    Step,
)
from deep_tally.names.pattern import storable
from deep_tally.ready.drafts import Draft, drafts_of
from deep_tally.ready.left_out import left_out_of
from deep_tally.ready.levels import Levels, is_changed, levels_of, peak_after_db
from deep_tally.ready.naming import conflicts_of, names_of
from deep_tally.ready.places import Laid, bounds_of, lay, spans_of

_CHANGED_BITS = 24
_FLOAT_BITS = 32
_NEVER_OVER_DB = 1e-6
"""What arithmetic may add to a peak that was turned down to full scale exactly."""


def plan_ready(
    delivery: Delivery,
    brief: Brief,
    corrections: Corrections = NO_CORRECTIONS,
    choices: ReadyChoices = AS_PLANNED,
) -> ReadyPlan:
    """What is written from a delivery.

    Parameters
    ----------
    delivery : Delivery
        Assessed.
    brief : Brief
        By which.
    corrections : Corrections
        The user's names and levels.
    choices : ReadyChoices

    Raises
    ------
    PatternRefused
        No names can be made of the user's pattern.
    """
    songs: list[ReadySong] = []
    copies: list[Copy] = []
    left_out: list[LeftOut] = []
    conflicts: list[Conflict] = []
    for song in delivery.sets:
        planner = _Song(song, delivery, brief, corrections, choices)
        songs.append(planner.of_song)
        copies += planner.copies
        left_out += planner.left_out
        conflicts += planner.conflicts
    left_out += [LeftOut(source=entry.path, reason="role") for entry in delivery.others]
    return ReadyPlan(songs=tuple(songs), copies=tuple(copies), left_out=tuple(left_out), conflicts=tuple(conflicts))


class _Song:
    """The plan of one song."""

    def __init__(
        self, song: SongSet, delivery: Delivery, brief: Brief, corrections: Corrections, choices: ReadyChoices
    ) -> None:
        self._song, self._brief, self._choices = song, brief, choices
        self._findings: Sequence[Finding] = [f for f in delivery.findings if f.song == song.name]
        self.left_out = tuple(left_out_of(song, delivery))
        gone = {left.source for left in self.left_out}
        paths = [t.path for t in song.tracks if t.path not in gone]
        drafts = drafts_of(song, paths, self._findings, choices)
        spans = spans_of(song, paths, choices)
        bounds = bounds_of(song, spans, brief, choices)
        levels = levels_of(song, paths, self._findings, brief, corrections, choices, holds_overs=choices.depth == "32f")
        names = names_of(song, drafts, brief, corrections, choices, choices.container)
        folder = f"{storable(song.name)}/" if len(delivery.sets) > 1 else ""
        made = [
            self._copy(draft, lay(song, draft, spans, bounds, choices), levels, f"{folder}{name}")
            for draft, name in zip(drafts, names, strict=True)
        ]
        self.of_song = ReadySong(
            name=song.name, folder=folder, start_s=float(bounds.start_s), end_s=float(bounds.end_s)
        )
        reference = self._time_reference(paths)
        self.copies = tuple(self._stamped(copy, reference, float(bounds.start_s)) for copy, _ in made)
        self.conflicts = (
            *conflicts_of(names, drafts, brief.names.longest),
            *(conflict for _, conflict in made if conflict is not None),
        )

    @property
    def _takes_float(self) -> bool:
        return "float" in self._brief.sample_formats

    def _copy(self, draft: Draft, laid: Laid, levels: Levels, name: str) -> tuple[Copy, Conflict | None]:
        tracks = [self._song.by_path[path] for path in draft.sources]
        sounds = [track.format for track in tracks if track.format is not None]
        down = levels.down_db if self._choices.takes("headroom", *draft.sources) else 0.0
        gains = {path: levels.balance.get(path, 1.0) * 10 ** (-down / 20) for path in draft.sources}
        offsets = {path: levels.offsets.get(path, ()) for path in draft.sources}
        pieces = tuple(replace(p, gain=gains[p.path], offsets=offsets[p.path]) for p in laid.pieces)
        is_exact = not (
            laid.overlaps
            or any(map(is_changed, gains.values()))
            or any(offsets.values())
            or any(sound.rate_hz != laid.rate_hz for sound in sounds)
        )
        bits, is_float = self._depth(draft, sounds, is_exact=is_exact)
        same_depth = all(
            s.bits is not None and _stored_bits(s.bits) == bits and (s.sample_format == "float") == is_float
            for s in sounds
        )
        steps = [*draft.steps, *laid.steps, *self._steps(draft, tracks, pieces, levels, down, laid.rate_hz)]
        if not same_depth:
            steps.append(Step("depth", _depth_figures(sounds, bits, is_float=is_float)))
        if name.rpartition("/")[2] != tracks[0].path.rpartition("/")[2]:
            steps.append(Step("name", {"old": tracks[0].path.rpartition("/")[2]}))
        copy = Copy(
            song=self._song.name,
            sources=draft.sources,
            name=name,
            pieces=pieces,
            steps=tuple(sorted(steps, key=lambda step: STEPS.index(step.name))),
            offset_frames=laid.offset_frames,
            gain_db=_decibels(gains[draft.sources[0]]),
            left_db=draft.left_db,
            right_db=draft.right_db,
            frames=laid.frames,
            channels=draft.channels,
            rate_hz=laid.rate_hz,
            bits=bits,
            is_float=is_float,
            is_exact=is_exact and (same_depth or _only_widens(sounds, bits, is_float=is_float)),
            container=self._choices.container,
        )
        return copy, self._conflict(copy, gains, levels, is_sum=laid.overlaps)

    def _depth(self, draft: Draft, sounds: Sequence[SoundFormat], *, is_exact: bool) -> tuple[int, bool]:
        """(bits, float): as it is where no sample changes, else 24 bits, or float where it is that already."""
        was_float = any(sound.sample_format == "float" for sound in sounds)
        bits = max((_stored_bits(sound.bits or _CHANGED_BITS) for sound in sounds), default=_CHANGED_BITS)
        is_flac = self._choices.container == "flac"
        if not self._choices.takes("depth", *draft.sources):
            return bits, was_float
        if self._choices.depth is not None:
            wanted = self._choices.depth
            return (_FLOAT_BITS, True) if wanted == "32f" else (int(wanted), False)
        if is_exact and not (is_flac and (was_float or bits > _CHANGED_BITS)):
            # In one file all sides have one depth: of 16 and 24 bits, or of both kinds, the one that holds the other.
            return (max(bits, _FLOAT_BITS), True) if was_float else (bits, False)
        if was_float and self._takes_float and not is_flac:
            return _FLOAT_BITS, True
        return _CHANGED_BITS, False

    def _steps(
        self,
        draft: Draft,
        tracks: Sequence[Track],
        pieces: Sequence[Piece],
        levels: Levels,
        down: float,
        rate_hz: int,
    ) -> Iterator[Step]:
        if is_changed(10 ** (-down / 20)):
            yield Step("headroom", {"db": -down})
        balanced = [levels.balance[path] for path in draft.sources if path in levels.balance]
        if balanced:
            yield Step("balance", {"db": _decibels(balanced[0]), "inverted": "yes" if balanced[0] < 0 else "no"})
        for offset in next((piece.offsets for piece in pieces if piece.offsets), ())[:1]:
            stepped = offset.before != offset.after
            more = {"share_before": offset.before, "from_frame": float(offset.frame)} if stepped else {}
            yield Step("dc", {"share": offset.after, **more})
        own = next((t.format.rate_hz for t in tracks if t.format is not None), rate_hz)
        if own != rate_hz:
            yield Step("rate", {"from_hz": float(own), "to_hz": float(rate_hz)})
        if any(t.format is not None and t.format.import_tags for t in tracks):
            yield Step("strip-tags")

    def _conflict(self, copy: Copy, gains: Mapping[str, float], levels: Levels, *, is_sum: bool) -> Conflict | None:
        name = copy.name.rpartition("/")[2]
        if copy.container == "flac" and (copy.is_float or copy.bits > _CHANGED_BITS):
            return Conflict(trouble="kind", name=name, sources=copy.sources)
        rounds = not copy.is_float and not copy.is_exact
        if rounds and peak_after_db(self._song, gains, levels, is_sum=is_sum) > _NEVER_OVER_DB:
            return Conflict(trouble="over", name=name, sources=copy.sources)
        return None

    def _time_reference(self, paths: Sequence[str]) -> float:
        """Seconds from midnight to the start of the files: the earliest stamp where all have one, else 0."""
        stamps = []
        for path in paths:
            sound = self._song.by_path[path].format
            if sound is None or sound.time_reference is None:
                return 0.0
            stamps.append(sound.time_reference / sound.rate_hz)
        return min(stamps, default=0.0)

    def _stamped(self, copy: Copy, reference_s: float, start_s: float) -> Copy:
        """With the time of its first sample: the common start, or later where nothing is padded before it."""
        first = 0 if self._choices.takes("pad", *copy.sources) else copy.offset_frames
        return replace(copy, time_reference=max(0, round((reference_s + start_s) * copy.rate_hz) + first))


def _stored_bits(bits: int) -> int:
    """Samples take whole bytes: 20 bits are stored as 24."""
    return -(-bits // 8) * 8


def _decibels(factor: float) -> float:
    return 20 * math.log10(abs(factor)) if factor else -math.inf


def _only_widens(sounds: Sequence[SoundFormat], bits: int, *, is_float: bool) -> bool:
    """Whether all samples fit as they are: more bits of fixed point, or float that has as many."""
    if any(sound.bits is None or sound.sample_format == "lossy" for sound in sounds):
        return False
    if is_float:
        return all((s.sample_format == "float" and (s.bits or 0) <= bits) or (s.bits or 0) <= 24 for s in sounds)
    return all(sound.sample_format == "int" and (sound.bits or 0) <= bits for sound in sounds)


def _depth_figures(sounds: Sequence[SoundFormat], bits: int, *, is_float: bool) -> dict[str, float | str | None]:
    before = max((s.bits for s in sounds if s.bits is not None), default=None)
    loses = not is_float and not _only_widens(sounds, bits, is_float=is_float)
    return {
        "from_bits": float(before) if before is not None else None,
        "to_bits": float(bits),
        "to_format": "float" if is_float else "int",
        "dither": "tpdf" if loses else "none",
    }
