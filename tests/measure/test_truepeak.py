"""True peak against EBU Tech 3341, a full interpolation without pruning, and an independent upsampling."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import resample_poly, upfirdn

from deep_tally.measure.truepeak import PHASES, TruePeakMeter
from deep_tally.measure.windows import WindowCutter
from searching import examples
from sounds import RATE, measured, sine

# EBU Tech 3341, table 2, cases 15-19: (divisor of the rate, phase in degrees, peak, expected dBTP), +0.2/-0.4 dB
# (from memory).
CASES = [(4, 0.0, 0.5, -6.0), (4, 45.0, 0.5, -6.0), (6, 60.0, 0.5, -6.0), (8, 67.5, 0.5, -6.0), (4, 45.0, 1.41, 3.0)]


@pytest.mark.parametrize(("divisor", "degrees", "peak", "expected"), CASES)
def test_ebu_tech_3341_cases_15_to_19(divisor: int, degrees: float, peak: float, expected: float) -> None:
    tone = sine(RATE / divisor, 1.0, peak=peak, phase=np.radians(degrees))
    fade = np.minimum(1, np.arange(len(tone)) / 500)
    tone *= fade * fade[::-1]
    assert expected - 0.4 <= measured(tone).true_peak_dbtp <= expected + 0.2


def test_the_table_is_symmetric_and_passes_a_constant() -> None:
    assert np.array_equal(PHASES, PHASES[::-1, ::-1])
    assert PHASES.sum(axis=1) == pytest.approx(1.0, abs=0.03)


def whole(signal: np.ndarray) -> float:
    """All four phases everywhere, by SciPy's polyphase filter."""
    return max(float(np.abs(upfirdn(PHASES.T.ravel(), signal, up=4)).max()), float(np.abs(signal).max()))


def pruned(signal: np.ndarray, blocks: list[int], window: int) -> float:
    meter, cutter = TruePeakMeter(1), WindowCutter(window, 1)
    for part in np.split(np.asfortranarray(signal[:, None]), blocks):
        if len(part):
            windows = cutter.feed(part)
            meter.feed(part, cutter.highest, windows, cutter.begun)
    return meter.peak()


@settings(max_examples=examples(60), deadline=None)
@given(seed=st.integers(0, 2**32 - 1), frames=st.integers(1, 5000), loud=st.floats(0.001, 50), data=st.data())
def test_pruning_changes_nothing(seed: int, frames: int, loud: float, data: st.DataObject) -> None:
    random = np.random.default_rng(seed)
    signal = np.tanh(loud * random.standard_normal(frames)) * random.choice([1.0, 0.01], frames, p=[0.1, 0.9])
    blocks = sorted(data.draw(st.lists(st.integers(0, frames), max_size=4)))
    assert pruned(signal, blocks, data.draw(st.sampled_from([1, 7, 48, 192, 9000]))) == pytest.approx(
        whole(signal), rel=1e-12
    )


@pytest.mark.parametrize("kind", ["noise", "music"])
def test_an_independent_upsampling_agrees(kind: str) -> None:
    # scipy.signal.resample_poly with its own long filter; two interpolators differ by some tenths near the band's edge.
    random = np.random.default_rng(3)
    signal = random.standard_normal(RATE)
    signal = np.convolve(signal, np.hanning(9) / 4, "same") * 0.1
    if kind == "music":
        signal = 0.5 * sine(997, 1) * np.exp(-3 * np.arange(RATE) / RATE) + 0.2 * signal
    theirs = 20 * np.log10(np.abs(resample_poly(signal, 8, 1)).max())
    assert measured(signal).true_peak_dbtp == pytest.approx(theirs, abs=0.2)


def test_silence_has_no_peak() -> None:
    assert measured(np.zeros(1000)).true_peak_dbtp == -np.inf
