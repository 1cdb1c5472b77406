"""Is a stereo file stereo, and a mono file mono? Findings of the question "channels"."""

from __future__ import annotations

from collections.abc import Iterator

from deep_tally.check._build import about
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Sides

_STEREO = 2
_FLOAT_BITS = 24


def _stereo(song: SongSet) -> Iterator[tuple[Track, Sides, float, tuple[float, float]]]:
    """Sounding stereo tracks with their sides, one step of their grid, and the level of each side."""
    for track in song.asked:
        measures = track.measures
        if measures is None or measures.sides is None or not track.is_heard:
            continue
        left, right = measures.rms_by_channel_dbfs
        bits = min(measures.bits_in_use or _FLOAT_BITS, _FLOAT_BITS)
        yield track, measures.sides, 2.0 ** (1 - bits), (left, right)


def _pan_action(brief: Brief) -> Action:
    """Where levels and pan were asked as in the mix, a pan is information."""
    return Action.FIX if brief.levels == "headroom" else Action.NOTE


def _is_same(sides: Sides, step: float, brief: Brief) -> bool:
    return sides.greatest_difference <= brief.threshold("channels.same_steps") * step


def _is_one_side(levels: tuple[float, float], brief: Brief) -> bool:
    lower, higher = sorted(levels)
    return lower < brief.threshold("channels.silent_dbfs") or higher - lower > brief.threshold("channels.one_side_db")


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
            yield about("channels.panned-mono", _pan_action(brief), track, gain_db=levels[1] - levels[0])


def one_side(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """One side is silent."""
    for track, _, _, levels in _stereo(song):
        if _is_one_side(levels, brief):
            sounding = "left" if levels[0] > levels[1] else "right"
            yield about("channels.one-side", _pan_action(brief), track, side=sounding, dbfs=max(levels))


def opposed(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The sides work against each other."""
    for track, sides, step, levels in _stereo(song):
        if not _is_one_side(levels, brief) and _is_opposed(sides, step, brief):
            yield about(
                "channels.opposed",
                Action.ASK,
                track,
                kind="question",
                correlation=sides.correlation,
                db=sides.mono_loss_db,
            )


def near_mono(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """The sides hardly differ."""
    for track, sides, step, levels in _stereo(song):
        if _is_same(sides, step, brief) or _is_one_side(levels, brief) or sides.residual_db is None:
            continue
        lower = brief.threshold("channels.scaled_residual_db")
        upper = brief.threshold("channels.near_mono_residual_db")
        if lower <= sides.residual_db < upper and (sides.correlation or 0.0) > 0:
            yield about("channels.near-mono", Action.NOTE, track, db=sides.residual_db, correlation=sides.correlation)


def many(song: SongSet, brief: Brief) -> Iterator[Finding]:
    """More than two channels in one file."""
    for track in song.asked:
        if track.format is not None and track.format.channels > _STEREO:
            yield about("channels.many", Action.ASK, track, channels=track.format.channels)
