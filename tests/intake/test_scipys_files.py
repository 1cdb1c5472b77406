"""The WAV files that SciPy ships for its own tests, held against SciPy's own reader."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import scipy.io
from scipy.io import wavfile

from deep_tally.intake.reading import open_sound
from deep_tally.model.errors import UnreadableSound

FOLDER = Path(scipy.io.__file__).parent / "tests" / "data"
FILES = sorted(p.name for p in FOLDER.glob("test-*.wav"))
# Depths over 32 bits, and a header that ends inside its first chunk: no sound can be had from these.
REFUSED = ("36bit", "45bit", "53bit", "64bit.wav", "no-data", "incomplete-chunk")
# SciPy does not decode it, or finds its header inconsistent: then frames and rate are in its name.
UNREAD = ("ulaw", "inconsistent")

pytestmark = pytest.mark.skipif(not FILES, reason="this SciPy ships no test data")


def scaled(samples: np.ndarray) -> np.ndarray:
    """SciPy's integers (left-justified in their type) as 32-bit codes."""
    if samples.dtype.kind == "u":
        return (samples.astype(np.int64) - 128) << 24
    return samples.astype(np.int64) << (32 - 8 * samples.dtype.itemsize)


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("name", [f for f in FILES if not any(r in f for r in (*REFUSED, *UNREAD))])
def test_rate_shape_and_every_sample_agree(name: str) -> None:
    rate, theirs = wavfile.read(FOLDER / name)
    theirs = theirs.reshape(len(theirs), -1)
    with open_sound(FOLDER / name) as reader:
        block = reader.read(0, len(theirs) + 1)
        assert (reader.format.rate_hz, block.samples.shape) == (rate, theirs.shape)
    if theirs.dtype.kind == "f":
        assert np.array_equal(block.samples, theirs)
    else:
        assert block.bits_set is not None
        assert np.array_equal(block.samples, scaled(theirs) / 2.0**31)


@pytest.mark.parametrize("name", [f for f in FILES if any(u in f for u in UNREAD)])
def test_what_scipy_does_not_read_is_read_all_the_same(name: str) -> None:
    with open_sound(FOLDER / name) as reader:
        assert reader.format.rate_hz == 8000
        assert len(reader.read(0, 100).samples) == reader.format.frames > 0


@pytest.mark.parametrize("name", [f for f in FILES if any(r in f for r in REFUSED)])
def test_what_holds_no_sound_is_refused_in_one_sentence(name: str) -> None:
    with pytest.raises(
        UnreadableSound, match="its header is damaged, no audio can be found in it; ask for the file again"
    ):
        open_sound(FOLDER / name)
