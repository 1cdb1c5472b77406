"""What the edge of a spectrum says of a file's origin."""

from __future__ import annotations

import pytest

from deep_tally.check.rules.spectral_edges import is_clear, is_lossy_edge, source_rate
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.measures import SpectralEdge


@pytest.mark.parametrize(
    ("hz", "lossy"),
    [(15_600, False), (15_700, True), (17_600, True), (17_700, False), (18_200, False), (18_300, True), (20_700, True)],
)
def test_where_lossy_encoders_end(hz: float, lossy: bool) -> None:
    assert is_lossy_edge(SpectralEdge(edge_hz=hz, drop_db=60.0)) is lossy


@pytest.mark.parametrize(
    ("hz", "rate", "source"),
    [
        (0.94 * 22_050, 48_000, 44_100),
        (0.9 * 22_050, 48_000, None),  # encoders end there too
        (22_050, 48_000, 44_100),
        (22_060, 48_000, None),
        (0.899 * 11_025, 44_100, None),
        (0.95 * 11_025, 44_100, 22_050),
        (0.95 * 16_000, 44_100, 32_000),
        (0.95 * 24_000, 96_000, 48_000),
        (0.95 * 44_100, 96_000, 88_200),
        (0.95 * 48_000, 192_000, 96_000),
        (0.95 * 22_050, 44_100, None),  # its own rate
        (21_700, 96_000, 44_100),  # the lower of two that fit
    ],
)
def test_which_rate_an_edge_speaks_of(hz: float, rate: int, source: int | None) -> None:
    assert source_rate(SpectralEdge(edge_hz=hz, drop_db=60.0), rate) == source


def test_a_mirror_says_its_rate_itself_and_a_coded_edge_none() -> None:
    assert source_rate(SpectralEdge(edge_hz=16_000, drop_db=3.0, kind="mirrored"), 96_000) == 32_000
    assert source_rate(SpectralEdge(edge_hz=15_600, drop_db=60.0, kind="coded"), 48_000) is None
    assert source_rate(SpectralEdge(edge_hz=15_600, drop_db=60.0), 48_000) == 32_000


def test_an_edge_is_clear_when_it_falls_by_more_than_the_threshold() -> None:
    threshold = DEFAULT_BRIEF.threshold("rate.edge_drop_db")
    for drop_db, clear in ((threshold, False), (threshold + 0.01, True)):
        assert is_clear(SpectralEdge(edge_hz=16_000, drop_db=drop_db), DEFAULT_BRIEF) is clear


@pytest.mark.parametrize(
    ("hz", "lossy"),
    [(15_699, False), (15_700, True), (17_600, True), (17_601, False), (18_299, False), (18_300, True)],
)
def test_the_borders_of_where_lossy_encoders_end(hz: float, lossy: bool) -> None:
    assert is_lossy_edge(SpectralEdge(edge_hz=hz, drop_db=60.0)) is lossy
