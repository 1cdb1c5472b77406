"""Windows of bounded number."""

from __future__ import annotations

import numpy as np
import pytest

from deep_tally.measure.windows import BoundedWindows
from measure.measured_sounds import WINDOW, windows


def test_windows_that_were_merged_are_as_long_as_they_say() -> None:
    kept = BoundedWindows(WINDOW, most=4)
    kept.feed(windows(np.full(9, -10.0)))
    result = kept.result()
    # Nine of one length are four of two and one more: merged again, two of four and the rest.
    assert (len(result), result.frames) == (3, 4 * WINDOW)
    assert result.energy[:, 0] / result.energy[2, 0] == pytest.approx([4.0, 4.0, 1.0])
