"""Which frames are in view, whatever is done to the view."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.views.viewport import Viewport, nice_step, time_step

FRAMES = st.integers(1, 10**9)


@given(
    frames=FRAMES,
    pixels=st.integers(1, 4000),
    moves=st.lists(st.tuples(st.floats(0.01, 100), st.floats(0, 4000)), max_size=6),
)
def test_a_viewport_never_leaves_the_file(frames: int, pixels: int, moves: list[tuple[float, float]]) -> None:
    view = Viewport(frames=frames, pixels=pixels)
    for factor, x in moves:
        view.zoom(factor, min(x, pixels))
        view.pan(x - 2000)
        assert view.start >= -1e-6
        assert view.stop <= frames * (1 + 1e-9) + 1e-6 or view.is_whole
    view.show_stretch(frames - 1, 1)
    assert view.start <= frames - 1 < view.stop + 1


@pytest.mark.parametrize(
    ("least", "step"), [(0.0007, 0.001), (0.3, 0.5), (0.6, 1), (3, 5), (11, 15), (31, 60), (700, 1800)]
)
def test_rulers_have_round_steps(least: float, step: float) -> None:
    assert time_step(least) == pytest.approx(step)
    assert nice_step(3.2) == 5
