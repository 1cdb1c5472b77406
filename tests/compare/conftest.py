"""A small delivery with its mix on disk."""

from __future__ import annotations

from pathlib import Path

import pytest

from compare.mixes import small
from detectors.mix_songs import write


@pytest.fixture
def small_folder(tmp_path: Path) -> Path:
    return write(tmp_path / "Song 120 BPM A minor", small(23, count=3, seconds=5.0), mix_name="Song rough mix.wav")
