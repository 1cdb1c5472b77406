"""The map of a mix match without widgets: what stands in each row, and the words for it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import median

from deep_tally.check.rules.in_mix import in_mix_instead
from deep_tally.model.delivery import Delivery, SongSet, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.mix_match import MatchedFile, MixMatch
from deep_tally.model.timeline import Timeline
from deep_tally.reply.action_words import ACTION_WORDS, readable
from deep_tally.reply.mix_words import remainder_words, verdict_words
from deep_tally.reply.numbers import clock, count, decibels, signed
from deep_tally.views.titles import bare_title, number_of

_CODES = (
    "start.at-sound",
    "start.offset",
    "start.unplaced",
    "rate.wrong-speed",
    "content.not-in-mix",
    "content.level-moved",
)
_DRIFT_MOST = 5e-4


@dataclass(frozen=True, slots=True, kw_only=True)
class MixRow:
    """One file of the map.

    Attributes
    ----------
    path, number, title, place, level : str
        `place` says where it belongs, `level` how loud it is in the mix; both are empty where nothing is known.
    action : Action or None
        What is to be done about its place or level.
    level_db : float or None
    start_s, stop_s : float
        From where to where it lies, on the mix's time axis, in seconds of the mix.
    sent_s : float or None
        Where it would begin as it was sent; None where it lies there.
    heard, matched : bytes
        As in `MatchedFile`.
    """

    path: str
    title: str
    place: str
    number: str = ""
    level: str = ""
    action: Action | None = None
    level_db: float | None = None
    start_s: float = 0.0
    stop_s: float = 0.0
    sent_s: float | None = None
    heard: bytes = b""
    matched: bytes = b""

    @property
    def words(self) -> str:
        """The row in words, for screen readers and for copying."""
        does = f", {ACTION_WORDS[self.action]}" if self.action is not None else ""
        level = f", {self.level} dB in the mix" if self.level else ""
        return f"{self.title}: {self.place}{level}{does}"


@dataclass(frozen=True, slots=True, kw_only=True)
class MixMap:
    """All rows, and what stands above them."""

    match: MixMatch
    mix: str
    rows: tuple[MixRow, ...]
    verdict: str
    remainder: str
    seconds: float
    usual_db: float | None

    def levels_text(self) -> str:
        """The levels as lines to be pasted: a file, a tab, its gain in dB."""
        return "".join(f"{row.path}\t{row.level_db:+.1f}\n" for row in self.rows if row.level_db is not None)


def mix_map(delivery: Delivery, song: SongSet) -> MixMap | None:
    """The map of a song; None where no mix was compared with its files."""
    match = song.mix_match
    if match is None:
        return None
    actions: dict[str, Action] = {}
    for finding in delivery.findings:
        if finding.code in _CODES:
            for path in finding.files:
                actions[path] = min(actions.get(path, finding.action), finding.action, key=lambda a: -a.gravity)
    rows = tuple(_row(song, match, track, actions.get(track.path)) for track in song.assessed if track.is_heard)
    levels = [row.level_db for row in rows if row.level_db is not None]
    return MixMap(
        match=match,
        mix=readable(match.mix),
        rows=rows,
        verdict=verdict_words(match),
        remainder=remainder_words(match),
        seconds=len(match.mix_levels) * match.cell_s,
        usual_db=median(levels) if levels else None,
    )


def _row(song: SongSet, match: MixMatch, track: Track, action: Action | None) -> MixRow:
    title, found = readable(bare_title(track.path)), song.in_mix.get(track.path)
    if found is None:
        return MixRow(path=track.path, number=number_of(track), title=title, place=_why_not(song, track), action=action)
    late_s = match.offset_frames / match.rate_hz
    start_s = late_s + found.start_frames / match.rate_hz
    length_s = track.format.seconds / found.speed if track.format is not None else 0.0
    is_in = found.presence == "in"
    return MixRow(
        path=track.path,
        number=number_of(track),
        title=title,
        place=_place(song, match, found),
        level=_level(found) if is_in and match.can_judge else "",
        action=action,
        level_db=found.level_db if is_in and match.can_judge and math.isfinite(found.level_db) else None,
        start_s=start_s,
        stop_s=start_s + length_s,
        sent_s=late_s if is_in and found.start_frames else None,
        heard=found.heard,
        matched=found.matched,
    )


def _why_not(song: SongSet, track: Track) -> str:
    """Why a file was not looked for."""
    if any(t.path == track.path for t in song.comparison.twins):
        return "the same sound as another file"
    if any(s.path == track.path for s in song.comparison.sums):
        return "the sum of other files"
    return "not looked for"


def _place(song: SongSet, match: MixMatch, found: MatchedFile) -> str:
    if found.presence == "absent":
        is_group = any(s.path == found.path for s in song.comparison.sums)
        if is_group:
            return "its parts are in the mix"
        other = in_mix_instead(song, found.path)
        return f"not in the mix; {readable(bare_title(other))} is" if other is not None else "not in the mix"
    if found.presence == "unsure":
        return "cannot tell"
    if found.speed != 1:
        return f"at {100 * found.speed:.2f} % of its speed" if abs(found.speed - 1) > _DRIFT_MOST else "drifts"
    where = (
        "where it was sent" if not found.start_frames else _at(song.facts.timeline, found.start_frames / match.rate_hz)
    )
    if found.other_starts:
        return f"{where}, or {count(len(found.other_starts), 'other place')}"
    return where


def _at(timeline: Timeline | None, seconds: float) -> str:
    sign = "+" if seconds > 0 else "\N{MINUS SIGN}"
    bar = f", bar {timeline.place_at(seconds).bar}" if timeline is not None and seconds >= 0 else ""
    return f"{sign}{abs(seconds):.3f} s{bar}"


def _level(found: MatchedFile) -> str:
    inverted = ", inverted" if found.is_inverted else ""
    return f"{signed(found.level_db)}{inverted}"


def cell_words(shown: MixMap, row: MixRow, cell: int) -> str:
    """What a cell of a row says."""
    at = clock(cell * shown.match.cell_s)
    if cell >= len(row.heard) or not row.heard[cell]:
        return f"{at}: rests"
    return f"{at}: {row.matched[cell] / 255 * 100:.0f} % of what it holds is in the mix"


def candidates(song: SongSet) -> tuple[str, ...]:
    """Files that could be the rough mix, where none is known yet."""
    mixes = [m.path for m in song.comparison.mixes]
    roles = (Role.REFERENCE, Role.MIX)
    return tuple(dict.fromkeys([*mixes, *(t.path for t in song.tracks if t.role in roles)]))


def span_words(shown: MixMap, number: int) -> str:
    """What a stretch that no file gives is."""
    span = shown.match.spans[number]
    where = f"{clock(span.start_s)} to {clock(span.stop_s)}"
    return f"{where}, {span.low_hz:.0f} to {span.high_hz:.0f} Hz, {decibels(span.under_mix_db)} under the mix"
