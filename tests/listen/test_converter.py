"""Files of other rates than the output."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.plan import Controls, Voice
from listen.playing import RATE, mixed, write


@pytest.mark.parametrize("own", [44_100, 96_000, 22_050])
def test_a_file_of_another_rate_keeps_its_place_and_its_sound(tmp_path: Path, own: int) -> None:
    seconds, hz = 1.0, 997.0
    sine = 0.5 * np.sin(2 * np.pi * hz * np.arange(round(seconds * own)) / own)
    start = own // 10
    voice = Voice(path="a.wav", source=write(tmp_path / "a.wav", sine, rate=own, kind="FLOAT"), start_frames=start)
    heard = mixed([voice], RATE)[:, 0]
    # The same sine by its formula, a tenth of a second later; the filter's ringing at its ends left out.
    when = np.arange(RATE) / RATE - 0.1
    expected = 0.5 * np.sin(2 * np.pi * hz * when)
    inside = (when > 0.05) & (when < seconds - 0.05)
    assert heard[inside] == pytest.approx(expected[inside], abs=0.5 * 10 ** (-100 / 20))
    assert np.abs(heard[when < -0.01]).max() < 1e-6


def test_a_converted_file_sounds_the_same_wherever_playing_begins(tmp_path: Path) -> None:
    random = np.random.default_rng(2).uniform(-0.3, 0.3, 44_100)
    voice = Voice(path="a.wav", source=write(tmp_path / "a.wav", random, rate=44_100, kind="FLOAT"))
    whole = mixed([voice], 40_000)
    mixer = Mixer([voice], RATE, tell=lambda missing: None)
    for start in (0, 1, 12_347, 30_001):
        part, _ = mixer.mix(start, 700, Controls())
        assert part == pytest.approx(whole[start : start + 700], abs=1e-6)
