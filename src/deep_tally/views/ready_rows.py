"""What the ready copy's view shows: a row for each copy, before and after on one axis; how often steps are taken."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from deep_tally.model.delivery import Delivery, SongSet
from deep_tally.model.ready import STEPS, Copy, ReadyChoices, ReadyPlan, StepName
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import clock, count
from deep_tally.reply.ready_words import conflict_words, copy_words, reason_words


@dataclass(frozen=True, slots=True)
class Bar:
    """A file on the time axis, in shares of it: all of it, where it sounds, and how many sides it has."""

    begin: float
    end: float
    sound_begin: float
    sound_end: float
    sides: int


@dataclass(frozen=True, slots=True)
class ReadyRow:
    """One copy: what it is called, what happens, from where, and as bars, sent and copied."""

    name: str
    says: str
    sources: tuple[str, ...]
    sent: tuple[Bar, ...]
    copied: tuple[Bar, ...]
    whole: Bar
    trouble: str

    @property
    def drawn_words(self) -> str:
        """What the bars show, for whoever does not see them."""
        sides = {1: "mono", 2: "stereo"}
        before = ", ".join(sides.get(bar.sides, f"{bar.sides} sides") for bar in self.sent)
        return f"sent as {before}; the copy is {sides.get(self.whole.sides, f'{self.whole.sides} sides')}"


def ready_rows(plan: ReadyPlan, delivery: Delivery) -> tuple[ReadyRow, ...]:
    """A row for each copy, in the order of the plan."""
    troubles: dict[tuple[str, ...], str] = {}
    for conflict in plan.conflicts:
        troubles.setdefault(conflict.sources, conflict_words(conflict))
    rows: list[ReadyRow] = []
    for song in delivery.sets:
        axis = _Axis.of(plan, song)
        mine = [copy for copy in plan.copies if copy.song == song.name]
        rows += [_row(copy, song, axis, troubles.get(copy.sources, "")) for copy in mine]
    return tuple(rows)


@dataclass(frozen=True, slots=True)
class _Axis:
    start_s: float
    end_s: float
    song_start_s: float

    @classmethod
    def of(cls, plan: ReadyPlan, song: SongSet) -> _Axis:
        placed = next((s for s in plan.songs if s.name == song.name), None)
        start, end = (placed.start_s, placed.end_s) if placed is not None else (0.0, song.end_s)
        longest = max((t.format.seconds for t in song.assessed if t.format is not None), default=0.0)
        return cls(min(start, 0.0), max(end, longest, 1e-3), start)

    def share(self, seconds: float) -> float:
        return min(1.0, max(0.0, (seconds - self.start_s) / (self.end_s - self.start_s)))

    def bar(self, begin_s: float, end_s: float, sound: tuple[float, float], sides: int) -> Bar:
        return Bar(self.share(begin_s), self.share(end_s), self.share(sound[0]), self.share(sound[1]), sides)


def _row(copy: Copy, song: SongSet, axis: _Axis, trouble: str) -> ReadyRow:
    sent, copied = [], []
    first_s = axis.song_start_s
    # Without padding a copy begins where its first source does.
    shift = copy.offset_frames - min(piece.at for piece in copy.pieces)
    for piece in copy.pieces:
        known = song.by_path[piece.path].measured
        if known is None:
            continue
        sound, measures = known
        own = sound.rate_hz
        begin, end = (measures.extent.first_sound_frame or 0) / own, (measures.extent.last_sound_frame or 0) / own
        sent.append(axis.bar(0.0, sound.seconds, (begin, end), sound.channels))
        at = first_s + (piece.at + shift - piece.skip) / copy.rate_hz
        copied.append(
            axis.bar(at + piece.skip / copy.rate_hz, at + sound.seconds, (at + begin, at + end), copy.channels)
        )
    begin_s = first_s + (shift / copy.rate_hz)
    whole = axis.bar(begin_s, begin_s + copy.frames / copy.rate_hz, (begin_s, begin_s), copy.channels)
    return ReadyRow(
        name=readable(copy.name),
        says=readable(copy_words(copy)),
        sources=copy.sources,
        sent=tuple(sent),
        copied=tuple(copied),
        whole=whole,
        trouble=readable(trouble),
    )


def step_counts(plan: ReadyPlan, choices: ReadyChoices) -> Mapping[StepName, int]:
    """How many copies each step is taken for, of those that are taken for any or that are switched off."""
    counted = Counter(step.name for copy in plan.copies for step in copy.steps)
    return {step: counted[step] for step in STEPS if counted[step] or step in choices.off}


def left_out_lines(plan: ReadyPlan) -> Iterator[tuple[str, str]]:
    """(file, why) for what stays behind."""
    for left in plan.left_out:
        yield readable(left.source.rpartition("/")[2]), reason_words(left.reason)


def summary_words(plan: ReadyPlan) -> str:
    """How many copies of what length, and how many files stay behind."""
    said = count(len(plan.copies), "copy", "copies")
    lengths = {round(song.end_s - song.start_s, 3) for song in plan.songs}
    if len(lengths) == 1 and plan.copies:
        said += f" of {clock(lengths.pop(), digits=3)}"
    if plan.left_out:
        said += f", {count(len(plan.left_out), 'file')} left out"
    return said
