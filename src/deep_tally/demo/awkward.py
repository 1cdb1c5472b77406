"""A second delivery, all clean but awkward: programmed and noisy parts that look like faults and are none."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from deep_tally.demo import synth
from deep_tally.demo.synth import RATE_HZ, Sound

FOLDER_NAME = "Paper Lighthouse 120 BPM A minor"
SECONDS = 24.0
_SEED = 23
_BEAT_S = 0.5
_NOTES_HZ = (110.0, 130.81, 164.81, 98.0)
_END_S = 22.0
Samples = NDArray[np.float64]


def _noise(part: int) -> np.random.Generator:
    return np.random.default_rng((_SEED, part))


def _time() -> Sound:
    return np.arange(round(SECONDS * RATE_HZ)) / RATE_HZ


def _hz() -> Sound:
    """The bass note of every moment: a new one every two bars."""
    notes: Sound = np.array(_NOTES_HZ)[(_time() / (8 * _BEAT_S)).astype(int) % len(_NOTES_HZ)]
    return notes


def _square() -> Sound:
    """A naive square bass: flat tops in every period, switched on at the first sample."""
    phase = np.cumsum(_hz()) / RATE_HZ
    gate = ((_time() / (_BEAT_S / 2)) % 1 < 0.7) & (_time() < _END_S)
    return 0.35 * np.sign(np.sin(2 * np.pi * phase)) * gate


def _chopped_pad() -> Sound:
    """A pad gated hard on sixteenths, from the first sample on."""
    time = _time()
    pad = sum((np.sign(np.sin(2 * np.pi * hz * time)) for hz in (220.0, 261.63, 329.63)), np.zeros_like(time))
    gate = ((time / (_BEAT_S / 4)) % 1 < 0.5) & (time < _END_S)
    return 0.11 * pad * gate


def _amplifier(part: int, level: float) -> Sound:
    """A guitar amplifier: plucked notes over a hiss and hum that never stop, not even at the file's ends."""
    noise, time = _noise(part), _time()
    track = np.zeros_like(time)
    for beat in range(4, 40, 2):
        synth.place(track, synth.plucked(_NOTES_HZ[beat // 8 % 4] * 2, 1.2), beat * _BEAT_S, 0.3)
    hum = 0.5 * np.sin(2 * np.pi * 50 * time) + 0.2 * np.sin(2 * np.pi * 150 * time)
    return track + level * (noise.standard_normal(len(time)) + hum)


def _steady_organ() -> Sound:
    """An organ chord that neither swells nor rests; its keys are let go two seconds before the end."""
    time = _time()
    chord = sum((np.sin(2 * np.pi * hz * time) for hz in (110.0, 220.0, 330.0, 440.0)), np.zeros_like(time))
    return 0.09 * chord * np.clip((_END_S - time) / 0.05, 0, 1)


def _sub() -> Sound:
    """A sub bass: one steady sine."""
    time = _time()
    return 0.3 * np.sin(2 * np.pi * np.cumsum(_hz() / 2) / RATE_HZ) * np.clip((_END_S - time) / 0.02, 0, 1)


def _one_shots(part: int, every: int, hit: Callable[[np.random.Generator], Sound]) -> Sound:
    """A sampled hit at unity gain, stored with 16 bits: the 24-bit export holds no more."""
    sample = np.round(hit(_noise(part)) * 0.4 * 2**15) / 2**15
    track = np.zeros(len(_time()))
    for beat in range(0, 44, every):
        synth.place(track, sample, beat * _BEAT_S, 1.0)
    return track


def _choked_hat(noise: np.random.Generator) -> Sound:
    """A hi-hat cut short by the next stroke."""
    return synth.shaker(noise, 0.16)[: RATE_HZ // 12]


def _voice() -> Sound:
    track = np.zeros(len(_time()))
    for beat in range(8, 40, 4):
        synth.place(track, synth.voice(_NOTES_HZ[beat // 8 % 4] * 2, 3 * _BEAT_S), beat * _BEAT_S + 0.03, 0.36)
    return track


def compose_awkward() -> Mapping[str, Samples]:
    """All files by name, float64 [shape=(n, channels)]."""
    kick = _one_shots(1, 2, lambda noise: synth.frame_drum(noise, 0.4, 52.0))
    hat = _one_shots(2, 1, _choked_hat)
    clap = _one_shots(3, 4, lambda noise: synth.shaker(noise, 0.16))
    voice = _voice()
    wet = np.stack([voice, voice], axis=1) * 0.8 + 0.12 * synth.room(_noise(4), voice, seconds=1.2)
    group = 0.5 * (kick + hat + clap)
    mono: Mapping[str, Sound] = {
        "01 Kick": kick,
        "02 Hat": hat,
        "03 Clap": clap,
        "05 Square bass": _square(),
        "06 Sub": _sub(),
        "07 Chopped pad": _chopped_pad(),
        "08 Organ": _steady_organ(),
        "09 Guitar amp near": _amplifier(5, 0.0012),
        "10 Guitar amp far": _amplifier(6, 0.002),
        "11 Voice dry": voice,
    }
    files = {f"{name}.wav": sound[:, None] for name, sound in mono.items()}
    files["04 Drums group.wav"] = np.stack([group, 0.9 * group + 0.05 * hat], axis=1)
    files["12 Voice wet.wav"] = wet
    mix = sum((0.35 * f.mean(axis=1) for f in files.values()), np.zeros(len(kick)))
    files["Paper Lighthouse rough mix.wav"] = np.stack([mix, mix], axis=1)
    return files


def write_awkward(folder: Path) -> Path:
    """Write the delivery into `folder` as 24-bit WAV; returns its own folder."""
    delivery = folder / FOLDER_NAME
    delivery.mkdir(parents=True, exist_ok=True)
    for name, samples in compose_awkward().items():
        soundfile.write(delivery / name, samples, RATE_HZ, subtype="PCM_24")
    return delivery
