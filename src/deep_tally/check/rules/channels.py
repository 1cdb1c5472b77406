"""Is a stereo file stereo, and a mono file mono? Findings of the question "channels"."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from deep_tally.check.build import about
from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Pair
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import BandSides, Sides
from deep_tally.names.sides import SideMark, side_of

_STEREO = 2
_FLOAT_BITS = 24
_UNRELATED, _RELATED = 0.15, 0.3  # correlation of samples


_NOISE_CREST_DB, _FAR_UNDER_DB = 16.0, 40.0
"""A quiet side that is neither as even as noise nor far under the other one plays: a faint echo, a few strokes. White
noise has a crest of 12 to 14 dB over a minute."""


@dataclass(frozen=True, slots=True)
class _Levels:
    """RMS of both sides, and the crest of the quieter one."""

    left: float
    right: float
    crest_db: float

    @property
    def lower(self) -> float:
        return min(self.left, self.right)

    @property
    def higher(self) -> float:
        return max(self.left, self.right)


def _stereo(song: SongSet) -> Iterator[tuple[Track, Sides, float, _Levels]]:
    """Sounding stereo tracks with their sides, one step of their grid, and the level of each side."""
    for track in song.assessed:
        if (known := track.heard) is None or known[1].sides is None:
            continue
        measures = known[1]
        left, right = measures.rms_by_channel_dbfs
        bits = min(measures.bits_in_use or _FLOAT_BITS, _FLOAT_BITS)
        quieter = 0 if left <= right else 1
        crest_db = measures.sample_peak_by_channel_dbfs[quieter] - measures.rms_by_channel_dbfs[quieter]
        yield track, known[1].sides, 2.0 ** (1 - bits), _Levels(left, right, crest_db)


def _pan_action(brief: Brief) -> Action:
    """Where levels and pan were asked as in the mix, a pan is information."""
    return Action.FIX if brief.levels == "headroom" else Action.NOTE


def _is_same(sides: Sides, step: float, brief: Brief) -> bool:
    return sides.greatest_difference <= brief.threshold("channels.same_steps") * step


def _is_one_side(levels: _Levels, brief: Brief) -> bool:
    under = levels.higher - levels.lower
    if under > brief.threshold("channels.one_side_db"):
        return True
    plays = levels.crest_db > _NOISE_CREST_DB and under < _FAR_UNDER_DB
    return levels.lower < brief.threshold("channels.silent_dbfs") and not plays


def _is_opposed(sides: Sides, step: float, brief: Brief) -> bool:
    if sides.greatest_sum <= brief.threshold("channels.same_steps") * step:
        return True
    if sides.mono_loss_db is not None and sides.mono_loss_db <= -brief.threshold("channels.mono_loss_db"):
        return True
    inverted = sides.correlation is not None and sides.correlation < 0 and sides.residual_db is not None
    return inverted and (sides.residual_db or 0.0) < brief.threshold("channels.near_mono_residual_db")


def same(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The same signal on both sides."""
    for track, sides, step, _ in _stereo(song):
        if _is_same(sides, step, brief):
            yield about("channels.same", Action.FIX, track, correlation=sides.correlation)


def panned_mono(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """One side is the other at another level."""
    for track, sides, step, levels in _stereo(song):
        if _is_same(sides, step, brief) or _is_one_side(levels, brief) or sides.residual_db is None:
            continue
        scaled = sides.residual_db < brief.threshold("channels.scaled_residual_db")
        if scaled and (sides.correlation or 0.0) > 0:
            yield about("channels.panned-mono", _pan_action(brief), track, gain_db=levels.right - levels.left)


def one_side(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """One side is silent."""
    for track, _, _, levels in _stereo(song):
        if _is_one_side(levels, brief):
            sounding = "left" if levels.left > levels.right else "right"
            action = Action.ASK if _is_stereo_expected(track, song) else _pan_action(brief)
            yield about("channels.one-side", action, track, kind="question", side=sounding, dbfs=levels.higher)


def _is_stereo_expected(track: Track, song: SongSet) -> bool:
    """Whether the name says so, or the brief for that part."""
    name = song.names.get(track.path)
    said = name is not None and "stereo" in (word.casefold() for word in name.values("format"))
    return said or any(p.requested.channels == _STEREO and track.path in p.paths for p in song.parts)


def to_split(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Stereo files where the brief asks for two monos."""
    if brief.stereo != "two-monos":
        return
    for track in song.assessed:
        if track.format is not None and track.format.channels == _STEREO:
            yield about("channels.to-split", Action.FIX, track, channels=_STEREO)


def opposed(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The sides work against each other, as a whole or in one band that matters."""
    for track, sides, step, levels in _stereo(song):
        if _is_one_side(levels, brief):
            continue
        if _is_opposed(sides, step, brief):
            yield about(
                "channels.opposed",
                Action.ASK,
                track,
                kind="question",
                correlation=sides.correlation,
                db=sides.mono_loss_db,
            )
        elif band := _opposed_band(sides, brief):
            yield about(
                "channels.opposed",
                Action.ASK,
                track,
                kind="question",
                confidence=0.85,
                correlation=band.correlation,
                db=band.mono_loss_db,
                band_low_hz=band.low_hz,
                band_high_hz=band.high_hz,
            )


def _opposed_band(sides: Sides, brief: Brief) -> BandSides | None:
    """The strongest band in which the mono sum loses as much as would count for the whole file."""
    least, loss = brief.threshold("channels.band_share_db"), brief.threshold("channels.mono_loss_db")
    bands = [b for b in sides.bands if b.share_db > least and b.mono_loss_db <= -loss]
    return max(bands, key=lambda b: b.share_db, default=None)


def near_mono(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Almost mono, or only by a delay."""
    for track, sides, step, levels in _stereo(song):
        if _is_same(sides, step, brief) or _is_one_side(levels, brief) or sides.residual_db is None:
            continue
        lower = brief.threshold("channels.scaled_residual_db")
        upper = brief.threshold("channels.near_mono_residual_db")
        if lower <= sides.residual_db < upper and (sides.correlation or 0.0) > 0:
            yield about("channels.near-mono", Action.NOTE, track, db=sides.residual_db, correlation=sides.correlation)
        elif (lag := sides.lag) is not None and lag.frames and lag.residual_db < upper and lag.correlation > 0:
            rate = track.format.rate_hz if track.format is not None else 1
            yield about(
                "channels.near-mono",
                Action.NOTE,
                track,
                db=lag.residual_db,
                correlation=lag.correlation,
                frames=lag.frames,
                ms=lag.frames / rate * 1000,
            )


def unrelated(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two different sounds on the two sides: neither their samples nor their levels move together."""
    for track, sides, _, levels in _stereo(song):
        if _is_one_side(levels, brief) or sides.correlation is None or sides.level_correlation is None:
            continue
        apart = sides.level_correlation < brief.threshold("channels.apart")
        lagged = sides.lag.correlation if sides.lag is not None else 0.0
        if apart and all(
            abs(c) < _UNRELATED for c in (sides.correlation, lagged, *(b.correlation for b in sides.bands))
        ):
            yield about(
                "channels.unrelated",
                Action.NOTE,
                track,
                correlation=sides.correlation,
                level_correlation=sides.level_correlation,
            )


def _pairs(song: SongSet) -> Iterator[tuple[Pair, Track, Track]]:
    """The pairs by name whose sides are both assessed."""
    tracks = {t.path: t for t in song.assessed}
    for pair in song.comparison.pairs:
        if pair.left in tracks and pair.right in tracks:
            yield pair, tracks[pair.left], tracks[pair.right]


def _same_pairs(song: SongSet) -> set[frozenset[str]]:
    """Pairs whose sides hold the same samples."""
    exact = {frozenset((t.path, t.other)) for t in song.comparison.twins if t.kind == "exact"}
    return {frozenset((pair.left, pair.right)) for pair, _, _ in _pairs(song)} & exact


def pair_same(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A left and a right file with the same samples: one mono sound, sent twice."""
    same = _same_pairs(song)
    for pair, left, right in _pairs(song):
        if frozenset((pair.left, pair.right)) in same:
            yield about("channels.pair-same", Action.FIX, [left, right], partner=pair.right)


def split_pair(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """Two mono files that are the sides of one stereo sound: join them; a note where they do not move together."""
    if brief.stereo == "two-monos":
        return
    same = _same_pairs(song)
    for pair, left, right in _pairs(song):
        if frozenset((pair.left, pair.right)) in same or pair.is_two_performances:
            continue
        levels = pair.level_correlation
        together = levels is None or levels > brief.threshold("channels.together") or abs(pair.correlation) > _RELATED
        if pair.entry_spread_ms is not None or pair.coherence is not None:
            together = together and (pair.is_one_sound or abs(pair.correlation) > _RELATED)
        yield about(
            "channels.split-pair",
            Action.FIX if together else Action.NOTE,
            [left, right],
            correlation=pair.correlation,
            level_correlation=levels,
            partner=pair.right,
        )


def doubles(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A left and a right file that were played twice: two monos or one stereo file, as the engineer likes."""
    for pair, left, right in _pairs(song):
        if pair.is_two_performances:
            ms = pair.entry_spread_ms
            yield about("channels.doubles", Action.NOTE, [left, right], ms=ms, correlation=pair.correlation)


def half_pair(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """A mono file named as one side, and no file that could be the other."""
    sided = {t.path: mark for t in song.assessed if (mark := side_of(t.path)) is not None}
    for track in song.assessed:
        mark = sided.get(track.path)
        if mark is None or track.format is None or track.format.channels != 1 or not _says_more(track, song):
            continue
        if not any(_may_be_other_side(track, mark, other, sided.get(other.path), song) for other in song.tracks):
            yield about("channels.half-pair", Action.ASK, track, kind="question", side=mark.side)


def _says_more(track: Track, song: SongSet) -> bool:
    """Whether the name says what plays, be it in unknown words: "Channel 2 L" is asked about as it is."""
    name = song.names.get(track.path)
    return name is not None and (name.part is not None or any(t.kind == "rest" for t in name.tokens))


def _may_be_other_side(track: Track, mark: SideMark, other: Track, its: SideMark | None, song: SongSet) -> bool:
    """Whether another file is the other side, or of the same part without saying its side."""
    if other is track or (its is not None and its.side == mark.side):
        return False
    mine, name = song.names.get(track.path), song.names.get(other.path)
    same_words = its is not None and its.rest == mark.rest
    same_part = mine is not None and name is not None and mine.part is not None and mine.part == name.part
    return same_words or same_part


def many(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than two channels in one file."""
    for track in song.assessed:
        if track.format is not None and track.format.channels > _STEREO:
            yield about("channels.many", Action.ASK, track, channels=track.format.channels)
