"""The samples of a copy: sources in their places, at their levels, without their offsets."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from deep_tally.model.ready import Copy, Offset, Piece
from deep_tally.ready.render import render
from ready.written import copy, noise
from sounds import ArrayReader


def rendered(made: Copy, sources: Mapping[str, NDArray[np.float64]], **options: Any) -> NDArray[np.float64]:
    readers = {path: ArrayReader(samples) for path, samples in sources.items()}
    return np.concatenate([part.samples for part in render(made, readers, **options)])


@pytest.mark.parametrize("block", [64, 100, 1 << 16])
def test_a_piece_lies_where_it_is_put_and_all_else_is_silent(block: int) -> None:
    samples = noise(300, 2)
    made = copy(Piece(path="a", sides=(0, 1), at=70, skip=20, frames=150), frames=400)
    out = rendered(made, {"a": samples}, block=block)
    assert out.shape == (400, 2)
    assert np.array_equal(out[70:220], samples[20:170])
    assert not out[:70].any()
    assert not out[220:].any()


def test_sides_are_picked_crossed_and_left_out() -> None:
    samples = noise(100, 2)
    for sides in ((0,), (1,), (1, 0), (None, 0), (0, None)):
        out = rendered(copy(Piece(path="a", sides=sides, at=0, skip=0, frames=100), frames=100), {"a": samples})
        for side, of in enumerate(sides):
            assert np.array_equal(out[:, side], samples[:, of] if of is not None else np.zeros(100))


def test_two_sources_are_joined_and_overlapping_ones_added_at_their_gains() -> None:
    one, two = noise(100, seed=1), noise(100, seed=2)
    joined = copy(
        Piece(path="a", sides=(0, None), at=0, skip=0, frames=100),
        Piece(path="b", sides=(None, 0), at=0, skip=0, frames=100),
        frames=100,
    )
    assert np.array_equal(rendered(joined, {"a": one, "b": two}), np.hstack([one, two]))
    added = copy(
        Piece(path="a", sides=(0,), at=0, skip=0, frames=100, gain=0.5),
        Piece(path="b", sides=(0,), at=60, skip=0, frames=100, gain=-0.25),
        frames=160,
    )
    wanted = np.zeros((160, 1))
    wanted[:100] += 0.5 * one
    wanted[60:] -= 0.25 * two
    assert np.allclose(rendered(added, {"a": one, "b": two}), wanted, atol=1e-15)


@pytest.mark.parametrize("block", [64, 1 << 16])
def test_an_offset_that_steps_is_taken_off_on_both_sides_of_the_step(block: int) -> None:
    samples = noise(400, 2)
    off = samples.copy()
    off[:250, 1] += 0.01
    off[250:, 1] -= 0.03
    offset = Offset(side=1, before=0.01, after=-0.03, frame=250)
    made = copy(Piece(path="a", sides=(0, 1), at=0, skip=30, frames=370, offsets=(offset,)), frames=370)
    assert np.allclose(rendered(made, {"a": off}, block=block), samples[30:], atol=1e-15)


def test_where_sources_sound_is_said_once_for_every_frame() -> None:
    made = copy(
        Piece(path="a", sides=(0,), at=10, skip=0, frames=50),
        Piece(path="a", sides=(0,), at=20, skip=0, frames=10),
        Piece(path="a", sides=(0,), at=40, skip=0, frames=50),
        frames=200,
    )
    readers = {"a": ArrayReader(noise(100))}
    (part,) = render(made, readers)
    assert part.sounding == ((10, 60), (60, 90))


@pytest.mark.parametrize(("from_hz", "to_hz"), [(44_100, 48_000), (96_000, 48_000), (48_000, 44_100)])
def test_a_converted_rate_is_what_an_ideal_filter_makes_of_it(from_hz: int, to_hz: int) -> None:
    """Tones well under both edges come out as the same tones: nearer to them the filter's own pass band shows."""
    seconds, tones = 2, (997.0, 5000.0, 10_000.0)
    time = np.arange(seconds * from_hz) / from_hz
    samples = sum(0.2 * np.sin(2 * np.pi * hz * time) for hz in tones)[:, None]  # type: ignore[index]
    frames = seconds * to_hz
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=frames), frames=frames, rate_hz=to_hz)
    out = np.concatenate([p.samples for p in render(made, {"a": ArrayReader(samples, rate=from_hz)})])[:, 0]
    wanted = sum(0.2 * np.sin(2 * np.pi * hz * np.arange(frames) / to_hz) for hz in tones)
    middle = slice(to_hz // 4, -to_hz // 4)  # the ends begin and stop dead, which no band holds
    assert 20 * np.log10(np.abs(out - wanted)[middle].max()) < -120


def test_a_converted_rate_agrees_with_a_second_library() -> None:
    """scipy's polyphase filter, with a band of its own: noise of half the band comes out the same to -80 dB."""
    from scipy.signal import firwin, resample_poly

    rate, frames = 44_100, 44_100
    samples = np.convolve(noise(frames, bits=None)[:, 0], firwin(255, 0.4), "same")[:, None]
    wanted = resample_poly(samples[:, 0], 160, 147, window=("kaiser", 14.0))
    made = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=48_000), frames=48_000)
    out = np.concatenate([p.samples for p in render(made, {"a": ArrayReader(samples, rate=rate)})])[:, 0]
    middle = slice(4000, -4000)
    error = 20 * np.log10(np.std((out - wanted)[middle]) / np.std(wanted[middle]))
    assert error < -80


def test_a_converted_source_is_skipped_into_at_its_new_rate() -> None:
    samples = noise(44_100, bits=None)
    whole = copy(Piece(path="a", sides=(0,), at=0, skip=0, frames=48_000), frames=48_000)
    later = copy(Piece(path="a", sides=(0,), at=0, skip=12_345, frames=30_000), frames=30_000)

    def of(made: Copy) -> NDArray[np.float64]:
        return np.concatenate([p.samples for p in render(made, {"a": ArrayReader(samples, rate=44_100)})])

    assert np.array_equal(of(later), of(whole)[12_345:42_345])
