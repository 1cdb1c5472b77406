"""How loud copies are: in balance where that is known, and turned down together where one goes too high."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from deep_tally.model.brief import Brief
from deep_tally.model.corrections import Corrections
from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import Action, Finding
from deep_tally.model.ready import Offset, ReadyChoices

_UNCHANGED_DB = 1e-9


@dataclass(frozen=True, slots=True)
class Levels:
    """What is done to the levels of a song's files.

    `balance` is a factor for each file that is not as loud as it is to be, negative where it is inverted;
    `down_db` is what all are turned down by; `offsets` is what is taken off each file.
    """

    balance: Mapping[str, float]
    down_db: float
    offsets: Mapping[str, tuple[Offset, ...]]


def levels_of(
    song: SongSet,
    paths: Iterable[str],
    findings: Sequence[Finding],
    brief: Brief,
    corrections: Corrections,
    choices: ReadyChoices,
    *,
    holds_overs: bool,
) -> Levels:
    """The levels of a song's files.

    Parameters
    ----------
    song, paths, findings, brief, corrections, choices
    holds_overs : bool
        Whether copies may go over full scale, since they are float.
    """
    paths = list(paths)
    balance = {path: gain for path in paths if (gain := _balance(path, findings, corrections, choices)) != 1.0}
    offsets = {path: found for path in paths if (found := _offsets(song, path, findings, choices))}
    turned = [path for path in paths if choices.takes("headroom", path)]
    down = [0.0]
    for finding in findings:
        if finding.code not in ("clipping.over", "headroom.hot"):
            continue
        for path in (path for path in finding.mends if path in turned):
            excess_db = _number(finding.mends[path].params["db"])
            if brief.levels == "headroom":  # what goes over full scale is over the window as well
                excess_db = max(excess_db, _peak_db(song, path, {}) - brief.peak_window_dbfs[1])
            down.append(excess_db + _db(balance.get(path, 1.0)))
    if not holds_overs:  # what is turned up to be in balance must not clip
        down += [_peak_db(song, path, offsets) + _db(balance[path]) for path in turned if path in balance]
    return Levels(balance, max(down), offsets)


def _number(value: object) -> float:
    return float(value) if isinstance(value, (int, float)) else 0.0


def _db(factor: float) -> float:
    return 20 * math.log10(abs(factor)) if factor else -math.inf


def _balance(path: str, findings: Sequence[Finding], corrections: Corrections, choices: ReadyChoices) -> float:
    """As loud as in the rough mix: where the user took that over, or where all files were made equally loud."""
    if not choices.takes("balance", path):
        return 1.0
    if path in corrections.levels:
        left, right = corrections.levels[path]
        power = (left * left + right * right) / 2
        return math.copysign(math.sqrt(power), left + right)
    for finding in findings:
        mend = finding.mends.get(path)
        if mend is not None and mend.kind == "set-level":
            return float(10 ** (_number(mend.params["db"]) / 20))
    return 1.0


def _offsets(song: SongSet, path: str, findings: Sequence[Finding], choices: ReadyChoices) -> tuple[Offset, ...]:
    """What is taken off the sides of a file whose zero line is not at zero."""
    measures = song.by_path[path].measures
    is_off = any(f.code == "headroom.dc" and path in f.files and f.action is Action.FIX for f in findings)
    if measures is None or not is_off or not choices.takes("dc", path):
        return ()
    step = measures.dc_offset_step
    found = []
    for side, (offset, steady) in enumerate(zip(measures.dc_offset, measures.dc_offset_steady, strict=True)):
        if step is not None and step.channel == side:
            found.append(Offset(side=side, after=step.after, before=step.before, frame=step.frame))
        elif steady and offset:
            found.append(Offset(side=side, after=offset, before=offset))
    return tuple(found)


def _peak_db(song: SongSet, path: str, offsets: Mapping[str, tuple[Offset, ...]]) -> float:
    """A file's sample peak, dBFS; with what is taken off it, it can be that much higher."""
    measures = song.by_path[path].measures
    if measures is None:
        return -math.inf
    off = max((max(abs(o.after), abs(o.before)) for o in offsets.get(path, ())), default=0.0)
    peak = 10 ** (measures.sample_peak_dbfs / 20) + off
    return 20 * math.log10(peak) if peak > 0 else -math.inf


def peak_after_db(song: SongSet, gains: Mapping[str, float], levels: Levels, *, is_sum: bool) -> float:
    """The highest sample peak that a copy of these files can have, dBFS: `gains` are the factors of each."""
    peaks = [10 ** (_peak_db(song, path, levels.offsets) / 20) * abs(gain) for path, gain in gains.items()]
    peak = sum(peaks) if is_sum else max(peaks, default=0.0)
    return 20 * math.log10(peak) if peak > 0 else -math.inf


def is_changed(gain: float) -> bool:
    """Whether a factor changes samples."""
    return abs(_db(gain)) > _UNCHANGED_DB or gain < 0
