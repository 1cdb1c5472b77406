"""Does what is left of a mix follow the files, as reverberation, echoes and doubling do?

An effect comes after its sound, never before it. What nobody sent has no such order: its correlation with the files is
as strong at lags before them as after them.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from deep_tally.compare.mix_lags import THIN_HZ, Thin, smoothed_power

_EXCERPT_MOST = 90 * THIN_HZ
_SOON_S, _SOON_RATIO = (0.003, 0.03), 1.75
_LATER_S, _LATER_RATIO = (0.005, 0.6), 1.3
"""How much more of the correlation lies after the files than before them. With doubling: soon after, 2.0 and more;
with reverberation and echoes: 1.55 and more; beside a missing part at most 2.7 and 1.12 (measured: docs/mix-match.md).
"""


def loud_stretch(left: Thin) -> slice:
    """Where most is left, a minute and a half at most: that shows it."""
    if len(left) <= _EXCERPT_MOST:
        return slice(0, len(left))
    energy = np.concatenate([[0.0], np.cumsum(np.square(left, dtype=np.float64).sum(axis=1))])
    first = int((energy[_EXCERPT_MOST:] - energy[:-_EXCERPT_MOST]).argmax())
    return slice(first, first + _EXCERPT_MOST)


def follows(left: Thin, files: Iterable[Thin]) -> bool:
    """Whether what is left comes after the files.

    Parameters
    ----------
    left : float32 [shape=(frames,)]
        What is left, of one channel, at `THIN_HZ`.
    files : iterable of float32 [shape=(frames,)]
        The files in the same stretch of time.
    """
    from scipy.fft import irfft, next_fast_len

    reach = round(_LATER_S[1] * THIN_HZ)
    size = int(next_fast_len(len(left) + reach, real=True))
    of_left = _whitened(left, size)
    sums = np.zeros((2, 2))  # after and before, soon and later
    for file in files:
        if not file.any():
            continue
        lags = irfft(of_left * np.conj(_whitened(file, size)), size)
        lags /= max(float(np.sqrt(np.square(lags).mean())), 1e-30)
        for row, (first_s, last_s) in zip(sums, (_SOON_S, _LATER_S), strict=True):
            first, last = round(first_s * THIN_HZ), round(last_s * THIN_HZ)
            row += np.square(lags[first:last]).mean(), np.square(lags[-last:-first]).mean()
    ratios = sums[:, 0] / np.maximum(sums[:, 1], 1e-30)
    return bool(ratios[0] > _SOON_RATIO or ratios[1] > _LATER_RATIO)


def _whitened(sound: Thin, size: int) -> NDArray[np.complex64]:
    """A spectrum in which all frequencies count alike."""
    from scipy.fft import rfft

    spectrum, power = rfft(sound, size), smoothed_power(sound)
    at = np.linspace(0, len(power) - 1, len(spectrum))
    whitened: NDArray[np.complex64] = spectrum / np.sqrt(np.interp(at, np.arange(len(power)), power)).astype(np.float32)
    return whitened
