"""What a search in a mix comes to: levels, rides, who is in it, and how far the files account for it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_gains import IN_T, TRACE_T, Gains, Products, fit, products
from deep_tally.compare.mix_levels import levels
from deep_tally.compare.mix_remainder import Remainder
from deep_tally.compare.mix_search import Fitted, MixSearch, Source
from deep_tally.compare.mix_spans import null_db, unaccounted
from deep_tally.model.mix_match import MatchedFile, MixMatch, Presence, Verdict

_CODED_FLOOR = 1e-2
_COMPLETE_DB, _COMPLETE_WORST_DB = -90.0, -60.0
_MUCH_LEFT_DB, _JUDGED_DB = -18.0, -8.0
_STRANGE_DB = 12.0
_MATCHED_DB, _MATCHED_LEAST = -6.0, 0.5
_CELLS_MOST = 120
_SECTIONS, _SECTION_T = 8, 30.0
_RESTS_DB = -50.0
_TINY = 1e-30

Array = NDArray[np.float64]


def match(mix: str, search: MixSearch, sources: Sequence[Source], left_out: Sequence[str]) -> MixMatch:
    """Search, subtract, and conclude.

    Raises
    ------
    UnreadableSound, NotCheckedHere
    """
    fitted = search.search()
    certainty = fitted.gains.certainty
    if fitted.bus is None:
        # Encoders thin out what is weak and high: levels are read from what is strong.
        fitted.frames.reweight(_CODED_FLOOR)
        fitted.products = products(fitted.frames)
        fitted.gains = _without_strangers(fitted.products, fit(fitted.products)).or_else(fitted.gains)
    remains = search.remainder(fitted)
    nulls = null_db(remains, search.rate_hz)
    sounding = nulls[~np.isnan(nulls)]
    if len(sounding) and np.median(sounding) > _MUCH_LEFT_DB:
        remains = search.judge(fitted, remains)
        nulls = null_db(remains, search.rate_hz)
        sounding = nulls[~np.isnan(nulls)]
    spans = unaccounted(remains, search.rate_hz, is_steady=fitted.is_steady)
    matched_share = float((sounding < _MATCHED_DB).mean()) if len(sounding) else 0.0
    verdict = _verdict(fitted, remains, sounding, certainty, matched_share)
    is_judged = verdict in ("complete", "accounted", "processed")
    # What is left is judged by gains fitted to all there is; how loud each file was is read where little is left.
    as_heard = levels(fitted.frames, fitted.gains) if fitted.bus is None else fitted.gains
    edges = _cell_edges(len(fitted.frames.firsts))
    sections = _section_fits(fitted.products)
    files = tuple(
        _file(fitted, as_heard, number, source.path, float(certainty[number]), edges, sections)
        for number, source in enumerate(sources)
    )
    per_cell = len(remains.direct_mix) / (len(edges) - 1)
    if verdict == "unrelated":
        files = tuple(replace(f, heard=b"", matched=b"") for f in files)  # nobody knows where they would lie
    return MixMatch(
        mix=mix,
        rate_hz=search.rate_hz,
        offset_frames=fitted.common if verdict != "unrelated" else 0,
        verdict="accounted" if verdict == "complete" and spans else verdict,
        null_db=float(np.median(sounding)) if len(sounding) else 0.0,
        worst_db=float(sounding.max()) if len(sounding) else 0.0,
        files=files,
        left_out=tuple(left_out),
        spans=tuple(spans) if is_judged else (),
        matched_share=matched_share,
        cell_s=per_cell * remains.moment_frames / search.rate_hz,
        mix_levels=_levels(remains.direct_mix, len(edges) - 1, remains.moment_frames),
        left_levels=_levels(_left_of(remains), len(edges) - 1, remains.moment_frames),
    )


def _without_strangers(known: Products, gains: Gains) -> Gains:
    """The gains by the moments in which nothing else plays, where those are most."""
    whole = known.of_mix.sum(axis=1)
    null = 10 * np.log10((gains.left.sum(axis=1) + _TINY) / (whole + _TINY))
    usual = null <= np.median(null[whole > 0]) + _STRANGE_DB if (whole > 0).any() else whole >= 0
    if usual.all() or usual.mean() < _MATCHED_LEAST:
        return gains
    part = fit(Products(known.among[usual], known.with_mix[usual], known.of_mix[usual]))
    return Gains(part.gains, part.errors, gains.left).or_else(gains)


def _verdict(fitted: Fitted, remains: Remainder, sounding: Array, certainty: Array, matched_share: float) -> Verdict:
    if not len(sounding) or not (np.abs(certainty) >= IN_T).any():
        return "unrelated"
    is_much_left = np.median(sounding) > _JUDGED_DB or matched_share < _MATCHED_LEAST
    if is_much_left and not fitted.is_steady:
        return "unsure"
    if fitted.bus is not None:
        return "processed"
    heard = remains.direct_mix > 1e-6 * remains.direct_mix.max()
    direct = 10 * np.log10((remains.direct_left[heard] + _TINY) / remains.direct_mix[heard])
    is_complete = np.median(direct) < _COMPLETE_DB and np.percentile(direct, 99) < _COMPLETE_WORST_DB
    return "complete" if is_complete else "accounted"


def _left_of(remains: Remainder) -> Array:
    """Energy that is left, of all samples: the share of the bands, which know the bus, of the whole mix."""
    bands, left = remains.of_mix.sum(axis=1), remains.left.sum(axis=1)
    return np.where(bands > 0, left / np.maximum(bands, _TINY), 0.0) * remains.direct_mix


def _levels(energy: Array, cells: int, moment_frames: int) -> tuple[float, ...]:
    """RMS level of each cell, dBFS."""
    pieces = np.array_split(energy / (2 * moment_frames), cells)
    means = [float(piece.mean()) if len(piece) else 0.0 for piece in pieces]
    return tuple(round(10 * math.log10(mean + 1e-15), 1) for mean in means)


def _cell_edges(moments: int) -> NDArray[np.int64]:
    return np.linspace(0, moments, min(moments, _CELLS_MOST) + 1).round().astype(np.int64)


def _file(
    fitted: Fitted,
    as_heard: Gains,
    number: int,
    path: str,
    certainty: float,
    edges: NDArray[np.int64],
    sections: Sequence[Gains],
) -> MatchedFile:
    """What was found of one file."""
    presence: Presence = "in" if abs(certainty) >= IN_T else "absent" if abs(certainty) < TRACE_T else "unsure"
    start = fitted.starts[number] - fitted.common
    gains, errors = as_heard.gains[:, number], as_heard.errors[:, number]
    others = tuple(s - fitted.common for s in fitted.other_starts.get(number, ()))
    heard, matched = _cells(fitted, number, edges)
    if presence != "in":
        return MatchedFile(path=path, presence=presence, t=certainty, heard=heard, matched=bytes(len(heard)))
    t = np.abs(gains / errors)
    surer = int(t.argmax())
    return MatchedFile(
        path=path,
        presence="in",
        t=certainty,
        start_frames=start,
        speed=fitted.speeds.get(number, 1.0),
        is_sure=not others,
        other_starts=others,
        left_db=_decibels(gains[0]),
        right_db=_decibels(gains[1]),
        error_db=20 * math.log10(1 + 1 / max(float(t[surer]), 1e-9)),
        is_inverted=bool(gains[surer] < 0),
        section_db=_section_levels(fitted.gains, sections, number),
        heard=heard,
        matched=matched,
    )


def _decibels(gain: float) -> float:
    return 20 * math.log10(abs(gain)) if gain else -math.inf


def _cells(fitted: Fitted, number: int, edges: NDArray[np.int64]) -> tuple[bytes, bytes]:
    """How loud a file is in each cell of the map, and how well the mix holds that."""
    known, gains = fitted.products, fitted.gains.gains
    own = known.among[:, :, number, number]
    given, would_be = np.zeros(len(own)), np.zeros(len(own))
    for side, g in enumerate(gains):
        others = known.among[:, side, number] @ g - own[:, side] * g[number]
        given += 2 * g[number] * (known.with_mix[:, side, number] - others) - g[number] ** 2 * own[:, side]
        would_be += g[number] ** 2 * own[:, side]
    energy = np.add.reduceat(own.sum(axis=1), edges[:-1])
    loudest = float(energy.max(initial=0.0))
    level = 10 * np.log10(energy / loudest + _TINY) if loudest else np.full(len(energy), _RESTS_DB)
    heard = np.clip(1 - level / _RESTS_DB, 0, 1)
    there = np.add.reduceat(given, edges[:-1]) / np.maximum(np.add.reduceat(would_be, edges[:-1]), _TINY)
    matched = np.where(heard > 0, np.clip(there, 0, 1), 0.0)
    return (heard * 255).astype(np.uint8).tobytes(), (matched * 255).astype(np.uint8).tobytes()


def _section_fits(known: Products) -> list[Gains]:
    """The gains in each eighth of the song by itself."""
    parts = np.array_split(np.arange(len(known.of_mix)), _SECTIONS)
    return [fit(Products(known.among[p], known.with_mix[p], known.of_mix[p])) for p in parts if len(p)]


def _section_levels(gains: Gains, sections: Sequence[Gains], number: int) -> tuple[float, ...]:
    """A file's level in each section against that in the whole song; NaN where it is not surely there."""
    whole = float(np.square(gains.gains[:, number]).mean())
    levels = []
    for here in sections:
        power = float(np.square(here.gains[:, number]).mean())
        is_sure = abs(float(here.certainty[number])) > _SECTION_T and power > 0 and whole > 0
        levels.append(round(10 * math.log10(power / whole), 2) if is_sure else math.nan)
    return tuple(levels)
