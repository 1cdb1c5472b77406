"""What lanes are drawn from: columns against a plain reading of the same overviews, strokes against arithmetic."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.measure.overview import pyramid
from deep_tally.measure.windows import Windows
from deep_tally.model.measures import Measures
from deep_tally.model.timeline import steady
from deep_tally.views.lane_tiles import FULL, PEAK, Bank, Columns, columns_of_samples, raster
from deep_tally.views.time_axis import moment_words, ticks
from searching import examples
from tracks import track

BIN = 64


def measures_of(samples: np.ndarray) -> Measures:
    """The overview of samples [shape=(frames, channels)], by the program's own pyramid."""
    bins = -(-len(samples) // BIN)
    padded = np.zeros((bins * BIN, samples.shape[1]))
    padded[: len(samples)] = samples
    rows = padded.reshape(bins, BIN, -1).astype(np.float32)
    windows = Windows(frames=BIN, low=rows.min(axis=1), high=rows.max(axis=1), energy=(rows**2).sum(axis=1))
    made = track(frames=len(samples), channels=samples.shape[1]).measures
    assert made is not None
    from dataclasses import replace

    return replace(made, overview=pyramid(windows, len(samples)))


def fine(bank: Bank, edges: np.ndarray, lanes: list[int]) -> Columns:
    while bank.refine(edges):
        pass
    return bank.columns(edges, np.array(lanes))


def test_all_lanes_in_another_order_are_drawn_in_that_order() -> None:
    bank = Bank([measures_of(np.full((20_000, 1), level)) for level in (0.25, 0.5, 1.0)])
    bank_of_one = Bank(
        [measures_of(np.linspace(0, 1, 20_000)[:, np.newaxis]), *[measures_of(np.zeros((20_000, 1)))] * 2]
    )
    edges = np.arange(11) * 2000.0
    for made in (bank, bank_of_one):
        plain, turned = fine(made, edges, [0, 1, 2]), fine(made, edges, [2, 0, 1])
        assert np.array_equal(turned.high, plain.high[:, [2, 0, 1]])


@settings(max_examples=examples(60), deadline=None)
@given(st.integers(0, 2**31), st.floats(0, 300_000), st.floats(64, 3_000), st.integers(5, 80))
def test_columns_hold_every_extreme_in_sight_and_nothing_from_outside(
    seed: int, start: float, scale: float, count: int
) -> None:
    random = np.random.default_rng(seed)
    files = [random.uniform(-1, 1, (400_000, 2)), random.uniform(-0.5, 0.5, (150_000, 1))]
    for samples in files:
        samples[:: len(samples) // 7] *= 3  # a few peaks
    bank = Bank([measures_of(samples) for samples in files])
    edges = start + np.arange(count + 1) * scale
    columns = fine(bank, edges, [0, 1])
    for lane, samples in enumerate(files):
        factor = FULL / np.abs(samples).max()
        for column in range(count):
            # Bins are whole: a column may show up to one bin (of the level it is drawn from) more on each side.
            near = samples[max(0, int(edges[column] - scale - BIN)) : max(0, int(edges[column + 1] + scale + BIN))]
            high = max(near.max(initial=0.0), 0.0) * factor
            assert columns.high[column, lane] <= high * 1.001 + 2
        # Taken together, nothing is left out.
        seen = samples[max(0, int(edges[0] + scale + BIN)) : max(0, int(edges[-1] - scale - BIN))]
        assert columns.high[:, lane].max() >= seen.max(initial=0.0) * factor * 0.999 - 2
        assert columns.low[:, lane].min() <= seen.min(initial=0.0) * factor * 0.999 + 2


def test_a_view_is_drawn_coarsely_at_once_and_finely_after_refining() -> None:
    samples = np.zeros((400_000, 1))
    samples[200_000] = 1.0
    bank = Bank([measures_of(samples)])
    edges = 199_000 + np.arange(101) * 64.0
    assert bank.lacks(edges)
    coarse = bank.columns(edges, np.array([0]))
    exact = fine(bank, edges, [0])
    assert not bank.lacks(edges)
    assert (coarse.high > 0).sum() > (exact.high > 0).sum() > 0
    assert int(np.flatnonzero(exact.high[:, 0])[0]) == pytest.approx((200_000 - 199_000) / 64, abs=1)


def test_outside_of_a_file_there_is_nothing() -> None:
    bank = Bank([measures_of(np.full((10_000, 1), 0.5))])
    columns = fine(bank, -6_400 + np.arange(301) * 128.0, [0])
    assert columns.high[:49].max() == 0
    assert columns.high[50:127].min() > 0
    assert columns.high[130:].max() == 0


def test_strokes_are_as_tall_as_their_levels() -> None:
    columns = Columns(
        low=np.array([[-FULL], [0], [0]], np.int16),
        high=np.array([[FULL], [FULL // 2], [0]], np.int16),
        rms=np.array([[FULL // 4], [0], [0]], np.int16),
    )
    (lane,) = raster(columns, 40)
    assert lane[:, 0].tolist() == [PEAK] * 15 + [255] * 10 + [PEAK] * 15  # all; RMS a quarter each way
    assert (lane[:10, 1] == 0).all()
    assert (lane[10:20, 1] == PEAK).all()  # up by half of the half
    assert lane[21:, 1].max() == 0
    # A silent column is a line of one pixel's width: half of each of the two in the middle.
    assert lane[:, 2].nonzero()[0].tolist() == [19, 20]
    assert lane[19, 2] == PEAK // 2


def test_samples_become_a_line_through_their_places() -> None:
    samples = np.array([[0.0], [0.5], [-0.5], [0.0]], np.float32)
    columns = columns_of_samples(samples, 100, np.arange(100.0, 104.001, 0.1), 0.5)
    # Each sample stands in the middle of its frame: column 5 of ten.
    assert columns.high[15, 0] == pytest.approx(FULL, abs=FULL * 0.11)
    assert columns.low[25, 0] == pytest.approx(-FULL, abs=FULL * 0.11)
    assert columns.high[20, 0] == pytest.approx(0, abs=FULL * 0.21)  # half-way
    # Neighbours touch, so that the line has no gaps.
    assert (np.minimum(columns.high[1:], columns.high[:-1]) >= np.maximum(columns.low[1:], columns.low[:-1])).all()


# -- the ruler --------------------------------------------------------------------------------


def words(mode: str, start: float, stop: float, pixels: float = 1000.0, bpm: float | None = 120.0) -> list[str]:
    timeline = steady(bpm) if bpm else None
    made = ticks(mode, start, stop, pixels, rate_hz=48_000, timeline=timeline)  # type: ignore[arg-type]
    return [t.words for t in made if t.words]


def test_rulers_count_in_minutes_samples_or_bars() -> None:
    assert words("minutes", 0.0, 240.0) == [f"{s // 60}:{s % 60:02d}" for s in range(0, 241, 30)]
    assert words("samples", 0.0, 1.0)[:3] == ["0", "5\N{THIN SPACE}000", "10\N{THIN SPACE}000"]
    assert words("bars", 0.0, 16.0) == ["1", "2", "3", "4", "5", "6", "7", "8", "9"]
    assert words("bars", 0.0, 240.0) == [str(bar) for bar in range(1, 122, 8)]
    assert words("bars", 2.0, 4.0) == ["2", "2.2", "2.3", "2.4", "3"]
    assert words("bars", 2.5, 2.51)[:2] == ["2.2", "2.2 + 2 ms"]
    assert words("bars", 0.0, 240.0, bpm=None) == words("minutes", 0.0, 240.0)


@given(st.sampled_from(["minutes", "samples", "bars"]), st.floats(-10, 11_000), st.floats(1e-4, 11_000), st.booleans())
def test_no_ruler_is_ever_crowded_or_outside_of_its_view(mode: str, start: float, span: float, has_tempo: bool) -> None:
    timeline = steady(97.3) if has_tempo else None
    made = ticks(mode, start, start + span, 1000.0, rate_hz=48_000, timeline=timeline)  # type: ignore[arg-type]
    places = [t.seconds for t in made if t.words]
    assert len(places) < 40
    assert all(start - span * 1e-3 <= s <= start + span * (1 + 1e-3) for s in places)
    assert all(b > a for a, b in pairwise(places))


def test_a_moment_is_reported_in_the_rulers_words() -> None:
    assert moment_words("minutes", 62.3456, rate_hz=48_000, timeline=None) == "1:02.345"
    assert moment_words("samples", 0.5, rate_hz=48_000, timeline=None) == "sample 24\N{THIN SPACE}000"
    assert moment_words("bars", 2.512, rate_hz=48_000, timeline=steady(120.0)) == "bar 2, beat 2 + 12 ms"
    assert moment_words("bars", 2.5, rate_hz=48_000, timeline=None) == "0:02.500"
