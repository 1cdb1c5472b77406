"""Where does a mix hold what no file gives? Stretches of time in which much more is left than elsewhere."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_remainder import BAND_EDGES_HZ, Remainder
from deep_tally.model.mix_match import Unaccounted

CELL_S = 0.5
_SOUNDING, _HEARD_DB = 1e-5, -22.0
_MUCH = 10 ** (-15 / 10)
_OVER_DB, _SPREADS = 10.0, 3.0
_USUAL = (5, 25)  # percentiles: a part that nobody sent may play through more than half of the song
_LEAST_S, _BRIDGED_S = 1.0, 1.5
_BAND_SHARE = 0.1
_CODED_HZ = 10_000.0
_TINY = 1e-30

Array = NDArray[np.float64]


def cells_of(values: Array, remainder: Remainder, rate_hz: int) -> Array:
    """Sums of so many moments that they last half a second, [shape=(cells, ...)]."""
    per = max(1, round(CELL_S * rate_hz / remainder.moment_frames))
    return np.add.reduceat(values, np.arange(0, len(values), per), axis=0)


def null_db(remainder: Remainder, rate_hz: int) -> Array:
    """What is left against the mix in each sounding cell, dB [shape=(cells,)]; NaN where the mix rests."""
    mix, left = (cells_of(v, remainder, rate_hz).sum(axis=1) for v in (remainder.of_mix, remainder.left))
    sounding = mix > _SOUNDING * np.median(mix[mix > 0]) if (mix > 0).any() else mix > 0
    return np.where(sounding, 10 * np.log10((left + _TINY) / (mix + _TINY)), np.nan)


def unaccounted(remainder: Remainder, rate_hz: int, *, is_steady: bool = False) -> list[Unaccounted]:
    """The stretches of at least a second in which some band holds far more than is usual in this song.

    Where the files' gains are steady, what is usual may itself be something that nobody sent: then all that is 15 dB
    under the mix or louder counts.
    """
    mix, left = cells_of(remainder.of_mix, remainder, rate_hz), cells_of(remainder.left, remainder, rate_hz)
    whole = mix.sum(axis=1)
    if not (whole > 0).any():
        return []
    sounding = whole > _SOUNDING * np.median(whole[whole > 0])
    ratio = 10 * np.log10((left + _TINY) / (mix + 1e-4 * whole[:, None] + _TINY))
    level = 10 * np.log10((left + _TINY) / (whole[:, None] + _TINY))
    flagged = np.zeros(ratio.shape, bool)
    for band in range(ratio.shape[1]):
        least, usual = np.percentile(ratio[sounding, band], _USUAL)
        limit = usual + max(_OVER_DB, _SPREADS * (usual - least))
        flagged[:, band] = sounding & (ratio[:, band] > limit) & (level[:, band] > _HEARD_DB)
    if is_steady:
        much = sounding & (left.sum(axis=1) > _MUCH * whole)
        flagged |= much[:, None] & (ratio > 10 * np.log10(_MUCH)) & (level > _HEARD_DB)
    step = max(1, round(CELL_S * rate_hz / remainder.moment_frames)) * remainder.moment_frames / rate_hz
    spans = []
    for first, stop in _runs(np.asarray(flagged.any(axis=1)), round(_BRIDGED_S / step), round(_LEAST_S / step)):
        here = flagged[first:stop]
        energy = np.where(here, left[first:stop], 0.0).sum(axis=0)
        bands = np.flatnonzero(energy > _BAND_SHARE * energy.sum())
        if BAND_EDGES_HZ[int(bands[0])] >= _CODED_HZ:
            continue  # encoders thin out what is high: alone it is no sound that is missing
        under = 10 * np.log10((left[first:stop].sum() + _TINY) / (mix[first:stop].sum() + _TINY))
        spans.append(
            Unaccounted(
                start_s=first * step,
                stop_s=stop * step,
                low_hz=BAND_EDGES_HZ[int(bands[0])],
                high_hz=BAND_EDGES_HZ[int(bands[-1]) + 1],
                under_mix_db=float(-under),
            )
        )
    return spans


def _runs(flags: NDArray[np.bool_], bridged: int, least: int) -> list[tuple[int, int]]:
    """(first, stop) of stretches that are flagged, short gaps bridged, short ones left out."""
    edges = np.flatnonzero(np.diff(flags.view(np.int8), prepend=0, append=0))
    joined: list[list[int]] = []
    for first, stop in zip(edges[0::2].tolist(), edges[1::2].tolist(), strict=True):
        if joined and first - joined[-1][1] <= bridged:
            joined[-1][1] = stop
        else:
            joined.append([first, stop])
    return [(first, stop) for first, stop in joined if stop - first >= least]
