"""What tests of several modules of the room share."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.plan import Controls, PlayerReport, Voice
from deep_tally.listen.player_process import Player

RATE = 48_000


def write(path: Path, samples: np.ndarray, *, rate: int = RATE, kind: str = "PCM_24") -> Path:
    soundfile.write(path, samples, rate, kind)
    return path


@pytest.fixture
def files(tmp_path: Path) -> list[Voice]:
    """Four files of other depths, channels and places."""
    random = np.random.default_rng(5)
    made = [
        ("a.wav", random.uniform(-0.2, 0.2, (30_000, 2)), "PCM_24", 0),
        ("b.wav", random.uniform(-0.2, 0.2, (20_011, 1)), "PCM_16", 3_333),
        ("c.wav", random.uniform(-0.2, 0.2, (25_000, 2)), "FLOAT", -1_001),
        ("d.wav", random.uniform(-0.2, 0.2, (9_999, 1)), "PCM_24", 12_345),
    ]
    return [
        Voice(path=name, source=write(tmp_path / name, samples, kind=kind), start_frames=start)
        for name, samples, kind, start in made
    ]


def sum_by_hand(voices: list[Voice], frames: int) -> np.ndarray:
    """float64, file after file in their order, read by another library."""
    total = np.zeros((frames, 2))
    for voice in voices:
        samples, _ = soundfile.read(voice.source, dtype="float64", always_2d=True)
        for side in range(2):
            line = np.zeros(frames)
            first = max(0, voice.start_frames)
            part = samples[first - voice.start_frames :, min(side, samples.shape[1] - 1)][: max(0, frames - first)]
            line[first : first + len(part)] = part
            total[:, side] += line
    return total


def mixed(voices: list[Voice], frames: int, controls: Controls | None = None, rate: int = RATE) -> np.ndarray:
    mixer = Mixer(voices, rate, tell=lambda missing: pytest.fail(missing.words))
    blocks = [mixer.mix(at, min(1_000, frames - at), controls or Controls())[0] for at in range(0, frames, 1_000)]
    mixer.close()
    return np.concatenate(blocks)


@pytest.fixture
def player() -> Iterator[Player]:
    made = Player(simulated=True)
    yield made
    made.close()


def until_ended(player: Player, seconds: float = 30.0) -> list[PlayerReport]:
    reports: list[PlayerReport] = []
    deadline = time.monotonic() + seconds
    while player.is_playing:
        assert time.monotonic() < deadline
        reports += player.poll()
        time.sleep(0.005)
    return reports
