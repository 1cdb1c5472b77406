"""The image that a converter with a gentle filter leaves: SciPy's, soxr's, and lines between the samples."""

from __future__ import annotations

import numpy as np
import pytest
import soxr
from scipy.signal import butter, resample_poly, sosfilt

from deep_tally.measure.mirror import find_mirror
from sounds import measured


def hits(rate: int, *, seconds: float = 4.0, low_hz: float = 0.0) -> np.ndarray:
    """Strokes of noise, perhaps only from one frequency on."""
    time = np.arange(round(seconds * rate)) / rate
    noise = np.random.default_rng(rate).standard_normal(len(time)) * np.exp(-6 * (time % 0.5)) * 0.1
    return sosfilt(butter(4, low_hz, "high", fs=rate, output="sos"), noise) if low_hz else noise


def by_lines(x: np.ndarray, source: int, rate: int) -> np.ndarray:
    return np.interp(np.arange(int(len(x) * rate / source)) * source / rate, np.arange(len(x)), x)


def by_kaiser(x: np.ndarray, source: int, rate: int) -> np.ndarray:
    """SciPy's default: a Kaiser window of 5, ten zero crossings to each side."""
    common = np.gcd(source, rate)
    return resample_poly(x, rate // common, source // common)


def edge(samples: np.ndarray, rate: int) -> tuple[float, str] | None:
    spectrum = measured(samples, bits=24, rate=rate).spectrum
    assert spectrum is not None
    return (spectrum.edge.edge_hz, spectrum.edge.kind) if spectrum.edge is not None else None


@pytest.mark.parametrize("convert", [by_lines, by_kaiser])
@pytest.mark.parametrize(
    ("source", "rate"), [(44_100, 96_000), (22_050, 48_000), (22_050, 44_100), (44_100, 88_200), (48_000, 96_000)]
)
def test_an_image_is_found_about_half_the_lower_rate(source: int, rate: int, convert: object) -> None:
    assert edge(convert(hits(source), source, rate), rate) == (source / 2, "mirrored")  # type: ignore[operator]


@pytest.mark.parametrize(("source", "rate"), [(44_100, 96_000), (22_050, 48_000), (48_000, 96_000)])
def test_a_good_converter_leaves_an_end_and_no_image(source: int, rate: int) -> None:
    found = edge(soxr.resample(hits(source), source, rate, "HQ"), rate)
    assert found is not None
    assert found[1] != "mirrored"


@pytest.mark.parametrize("hz", [60.0, 441.0, 1000.0, 1470.0, 2000.0])
@pytest.mark.parametrize("rate", [48_000, 96_000])
def test_a_row_of_harmonics_mirrors_itself_and_is_no_image(rate: int, hz: float) -> None:
    time = np.arange(3 * rate) / rate
    assert edge(0.3 * (2 * ((hz * time) % 1) - 1), rate) is None


def test_what_was_made_at_its_rate_has_no_image() -> None:
    for rate in (44_100, 48_000, 96_000):
        assert edge(hits(rate), rate) is None


# -- levels made by hand ------------------------------------------------------------------------

RATE, BINS = 96_000, 2049
HZ = np.arange(BINS) * RATE / 2 / (BINS - 1)


def mirrored(*, looks: int = 6, under: float = -60.0, over: float = -80.0, share: float = 1.0) -> np.ndarray:
    """Looks of noise whose part above 22.05 kHz is the reverse of that below, as far as `share` says."""
    noise = np.random.default_rng(4)
    levels = 5.6 * noise.standard_normal((looks, BINS))
    both = round(44_100 / (RATE / 2 / (BINS - 1)))
    above = np.arange(both // 2 + 1, both)
    levels[:, above] = share * levels[:, both - above] + np.sqrt(1 - share**2) * levels[:, above]
    return levels + np.where(HZ < 22_050, under, over)


def test_the_fine_structure_decides() -> None:
    found = find_mirror(mirrored(), RATE)
    assert found is not None
    assert (found.edge_hz, found.kind) == (22_050, "mirrored")
    assert found.drop_db == pytest.approx(20, abs=2)
    assert find_mirror(mirrored(share=0.68), RATE) is not None
    assert find_mirror(mirrored(share=0.45), RATE) is None


def test_three_looks_with_sound_on_both_sides_must_show_it() -> None:
    assert find_mirror(mirrored(looks=3), RATE) is not None
    assert find_mirror(mirrored(looks=2), RATE) is None
    assert find_mirror(mirrored(under=-124.0), RATE) is not None
    assert find_mirror(mirrored(under=-128.0, over=-128.0), RATE) is None
    assert find_mirror(mirrored(under=-120.0, over=-142.0), RATE) is not None
    assert find_mirror(mirrored(under=-120.0, over=-148.0), RATE) is None


def test_looks_far_under_the_loudest_do_not_count() -> None:
    loud, soft = mirrored(looks=2, under=-30.0, over=-50.0), mirrored(looks=9, under=-74.0, over=-94.0)
    assert find_mirror(np.concatenate([loud, soft]), RATE) is None
    assert find_mirror(np.concatenate([loud, soft + 8.0]), RATE) is not None


def test_what_mirrors_itself_about_other_places_too_is_a_row_of_tones() -> None:
    tones = np.where(np.arange(BINS) % 20 < 4, -40.0, -90.0) + np.random.default_rng(1).standard_normal((6, BINS))
    both = round(44_100 / (RATE / 2 / (BINS - 1)))
    shifted = np.roll(tones, both // 2 % 20 - 2, axis=1)
    assert find_mirror(shifted, RATE) is None
