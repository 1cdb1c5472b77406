"""Classes of faults on many varied files: how many are found, and how many clean ones are taken for one.

Each class makes a faulty file and a clean one that looks like it from the same material (`material`); None where the
material does not serve. Even numbers are for tuning, odd ones for proof.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import chain

import numpy as np
import soxr
from scipy.signal import bessel, butter, cheby1, resample_poly, sosfilt

from deep_tally.measure.one_pass import measure_sound
from deep_tally.model.delivery import Track
from deep_tally.model.files import Role
from detectors.cases import dithered, limited
from detectors.coding import coded
from detectors.material import KINDS, MAKES, Material, Sound, material
from sounds import ArrayReader
from tracks import findings, others

FILES = 210
CEILINGS_DB = (0.0, -0.001, -0.005, -0.05, -0.3, -6.0)
Random = np.random.Generator
Stored = tuple[Sound, int | None, int] | None
"""A sound, its bits (None: float) and its rate; None where the material does not serve."""


@dataclass(frozen=True, slots=True)
class FaultClass:
    """What is done to a material, and which (code, actions) tell that it was found."""

    name: str
    codes: frozenset[str]
    faulty: Callable[[Material, Random], Stored]
    clean: Callable[[Material, Random], Stored]
    actions: frozenset[str] = frozenset({"ask", "note"})
    false: frozenset[str] = frozenset({"ask"})
    """The actions that count as found, and those that count as a false alarm on a clean file."""
    kinds: tuple[str, ...] = KINDS
    first: int = 0
    """The number to begin with: all below it were looked at while tuning."""


def said(stored: Stored) -> set[tuple[str, str]] | None:
    """(code, action) of all that such a file gets beside four clean ones of its length."""
    if stored is None:
        return None
    sound, bits, rate_hz = stored
    reader = ArrayReader(sound, bits=bits, rate=rate_hz)
    track = Track(path="01 Bass.wav", role=Role.TRACKOUT, format=reader.format, measures=measure_sound(reader))
    found = findings([track, *others(4, frames=len(sound), rate_hz=rate_hz)])
    listed = chain.from_iterable((f, *f.consequences) for f in found if track.path in f.files)
    return {(f.code, f.action.value) for f in listed}


def outcome(number: int, kind: str, at: int) -> tuple[bool | None, bool | None]:
    """Of one class and material: whether the fault is found, and whether the clean one is taken for it."""
    tried = CLASSES[number]
    (made,) = material(kind, 1, start=at)
    answers = []
    for which, (change, actions) in enumerate(((tried.faulty, tried.actions), (tried.clean, tried.false))):
        random = np.random.default_rng((number, MAKES.index(kind), at, which))
        found = said(change(made, random)) if len(made.mono) > made.rate_hz else None
        wanted = {(code, action) for code in tried.codes for action in actions}
        answers.append(bool(found & wanted) if found is not None else None)
    return answers[0], answers[1]


def todo(files: int = FILES) -> Iterator[tuple[int, str, int]]:
    """All that `outcome` is to be asked, so many files of each class."""
    return (
        (number, kind, tried.first + at)
        for number, tried in enumerate(CLASSES)
        for kind in tried.kinds
        for at in range(files // len(tried.kinds))
    )


# -- what is done -------------------------------------------------------------------------------


def _loud_at(x: Sound, rate_hz: int) -> int:
    """A moment in the middle of the loudest fifth of a second of the middle half."""
    level = np.convolve(x * x, np.ones(rate_hz // 5), "same")
    return len(x) // 4 + int(level[len(x) // 4 : 3 * len(x) // 4].argmax())


def _cut(m: Material, random: Random) -> Stored:
    """Cut in a loud place that was still to ring; what is gated or chopped by nature does not serve."""
    if m.kind == "programmed":
        return None
    x = m.mono
    at = _loud_at(x, m.rate_hz)
    ahead = x[at : at + m.rate_hz // 10]
    if len(ahead) < m.rate_hz // 10 or np.sqrt((ahead**2).mean()) < 0.02:
        return None
    return x[:at], 24, m.rate_hz


def _gate(m: Material, random: Random) -> tuple[Sound, Sound]:
    """Opened and shut on a grid, or in a pattern of sixteenths: the sound, and where it is open."""
    x, time = m.mono, np.arange(len(m.mono)) / m.rate_hz
    step = random.uniform(0.1, 0.15)
    if random.random() < 0.5:
        opened = (time / step) % 1 < random.uniform(0.4, 0.8)
    else:
        opened = (random.random(16) < 0.6)[(time / step).astype(int) % 16]
    return x * opened, opened


def _ends_hard_by_nature(m: Material, random: Random) -> Stored:
    gated, opened = _gate(m, random)
    ends = np.flatnonzero(np.diff(opened.astype(int)) < 0) + 1
    loud = [e for e in ends if e > 2 * m.rate_hz and np.abs(gated[e - m.rate_hz // 50 : e]).max() > 0.02]
    return (gated[: loud[-1]], 24, m.rate_hz) if loud else None


def _faded_in_a_moment(m: Material, random: Random) -> Stored:
    if (cut := _cut(m, random)) is None:
        return None
    x = cut[0].copy()
    count = round(random.uniform(0.003, 0.01) * m.rate_hz)
    x[-count:] *= np.linspace(1, 0, count)
    return x, 24, m.rate_hz


def _driven(m: Material, db: float, ceiling_db: float) -> Sound:
    return np.clip(m.mono / np.abs(m.mono).max() * 10 ** (db / 20), -1, 1) * 10 ** (ceiling_db / 20)


def _is_clippable(m: Material) -> bool:
    """A square stands at a ceiling of its own, and does not serve."""
    loud = np.abs(m.mono) > 0.5 * np.abs(m.mono).max()
    return float(loud.mean()) < 0.5


def _clipped(m: Material, random: Random) -> Stored:
    return (_driven(m, 3.0, random.choice(CEILINGS_DB)), 24, m.rate_hz) if _is_clippable(m) else None


def _clipped_under_dither(m: Material, random: Random) -> Stored:
    if not _is_clippable(m):
        return None
    return np.clip(dithered(_driven(m, 6.0, random.choice(CEILINGS_DB[3:])), 16), -1, 1), 16, m.rate_hz


def _loud_and_clean(m: Material, random: Random) -> Sound:
    x, peak = m.mono / np.abs(m.mono).max(), 10 ** (random.choice(CEILINGS_DB[1:]) / 20)
    how = int(random.integers(0, 4))
    if how == 1:
        return np.tanh(3 * x) / np.tanh(3) * peak
    if how == 2:
        return limited(x, 20 * np.log10(peak))
    steps = random.integers(12, 60)
    return np.round(x * steps) / steps * peak if how == 3 else x * peak


def _not_clipped(m: Material, random: Random) -> Stored:
    return _loud_and_clean(m, random), 24, m.rate_hz


def _not_clipped_under_dither(m: Material, random: Random) -> Stored:
    return np.clip(dithered(0.98 * _loud_and_clean(m, random), 16), -1, 1), 16, m.rate_hz


def _seen_hz(x: Sound, rate_hz: int, low_hz: float, high_hz: float) -> float:
    """The level of a band in dB, as a spectrum of 4096 samples has it."""
    count = len(x) // 4096
    looks = np.abs(np.fft.rfft(x[: count * 4096].reshape(count, 4096) * np.blackman(4096), axis=1)) ** 2
    level = 10 * np.log10(np.maximum(looks.mean(axis=0), 1e-30)) - 20 * np.log10(np.blackman(4096).sum() / 2)
    return float(level[round(low_hz * 4096 / rate_hz) : round(high_hz * 4096 / rate_hz)].mean())


_FLOOR_16_DB = -124.0  # dither of 16 bits in such a spectrum


def _encoded(m: Material, random: Random) -> Stored:
    """At 128 or 160 kbit/s, where there is something to be cut: mono ends at 20 kHz, stereo at 16."""
    ends = (14_800, 15_900) if m.sound.ndim == 2 else (18_900, 19_900)
    if m.rate_hz not in (44_100, 48_000):
        return None
    is_seen = _seen_hz(m.mono, m.rate_hz, *ends) > _FLOOR_16_DB + 35
    sound = m.sound if is_seen else _with_air(m, random)
    if not is_seen and _seen_hz(sound, m.rate_hz, 18_900, 19_900) < _FLOOR_16_DB + 35:
        return None
    return coded(sound, m.rate_hz, "libmp3lame", int(random.choice([128, 160]))), 24, m.rate_hz


def _filtered(m: Material, random: Random) -> Stored:
    if m.rate_hz < 44_100:
        return None
    order, hz = int(random.integers(1, 7)), random.uniform(10_000, 18_000)
    made = (
        butter(order, hz, fs=m.rate_hz, output="sos"),
        cheby1(order, 0.5, hz, fs=m.rate_hz, output="sos"),
        bessel(order, hz, fs=m.rate_hz, output="sos"),
    )[int(random.integers(0, 3))]
    return 0.9 * sosfilt(made, m.sound, axis=0), 24, m.rate_hz


def _with_air(m: Material, random: Random) -> Sound:
    """Content to the top of the band, as a close microphone has it."""
    level = np.convolve(np.abs(m.mono), np.ones(400) / 400, "same")
    return m.mono + 0.1 * level * random.standard_normal(len(m.mono))


def _converted(m: Material, random: Random) -> Stored:
    """Up from a lower rate with a gentle filter: SciPy's default, or lines between the samples."""
    source, rate = ((44_100, 96_000), (22_050, 48_000), (22_050, 44_100), (44_100, 88_200))[int(random.integers(0, 4))]
    x = _with_air(m, random)
    x = x if m.rate_hz == source else soxr.resample(x, m.rate_hz, source, "VHQ")
    if random.random() < 0.5:
        common = int(np.gcd(source, rate))
        return 0.9 * resample_poly(x, rate // common, source // common), 24, rate
    return 0.9 * np.interp(np.arange(len(x) * rate // source) * source / rate, np.arange(len(x)), x), 24, rate


def _at_its_own_rate(m: Material, random: Random) -> Stored:
    return (0.9 * _with_air(m, random), 24, m.rate_hz) if m.rate_hz >= 44_100 else None


def _over_room_tone(m: Material, random: Random) -> Stored:
    """A part that stops two seconds before the end, over steady noise that goes on."""
    x = np.concatenate([0.3 * m.mono * np.linspace(1, 0, len(m.mono)) ** 2, np.zeros(3 * m.rate_hz)])
    return x + 10 ** (random.uniform(-60, -49) / 20) * random.standard_normal(len(x)), 24, m.rate_hz


def _gated_with_dropouts(m: Material, random: Random) -> Stored:
    gated, opened = _gate(m, random)
    for _ in range(2000):
        frames = round(random.uniform(0.002, 0.015) * m.rate_hz)
        at = int(random.integers(m.rate_hz // 2, len(gated) - m.rate_hz // 2))
        sides = gated[at - 240 : at], gated[at + frames : at + frames + 240]
        loud = min(float(np.sqrt((side**2).mean())) for side in sides)
        if loud > 0.02 and opened[at - 480 : at + frames + 480].all():
            gated[at : at + frames] = 0
            return gated, 24, m.rate_hz
    return None


def _gated(m: Material, random: Random) -> Stored:
    return _gate(m, random)[0], 24, m.rate_hz


def _cut_in(m: Material, random: Random) -> Stored:
    """Begun in the middle of a sound that is not noise, without another entry."""
    at = _loud_at(m.mono, m.rate_hz)
    x = m.mono[at : at + m.rate_hz]
    steps = np.abs(np.diff(x[: m.rate_hz // 10])).max(initial=0.0)
    x = x[int(np.abs(x[: m.rate_hz // 50]).argmax()) :] if len(x) else x
    if not len(x) or abs(x[0]) < 4 * steps:
        return None
    return np.pad(x * np.linspace(1, 0, len(x)) ** 2, (0, m.rate_hz)), 24, m.rate_hz


def _begins_by_itself(m: Material, random: Random) -> Stored:
    heard = np.flatnonzero(np.abs(m.mono) > 1e-4)
    return (m.mono[heard[0] :], 24, m.rate_hz) if len(heard) else None


def _humming(m: Material, random: Random) -> Stored:
    """Two tones of the mains, the first and the third, in the pauses and under the sound."""
    x = np.concatenate([m.mono, np.zeros(4 * m.rate_hz)])
    time, hz, level = np.arange(len(x)) / m.rate_hz, random.choice([50, 60]), 10 ** (random.uniform(-60, -33) / 20)
    tones = np.sin(2 * np.pi * hz * time) + 0.5 * np.sin(2 * np.pi * 3 * hz * time)
    return x + level * tones + 1e-5 * random.standard_normal(len(x)), 24, m.rate_hz


def _droning(m: Material, random: Random) -> Stored:
    """A note of the scale and its octave that ring on through the pauses (equal temperament, ISO 16)."""
    x = np.concatenate([m.mono, np.zeros(4 * m.rate_hz)])
    time, hz = np.arange(len(x)) / m.rate_hz, 440 * 2 ** ((random.integers(24, 60) - 69) / 12)
    tones = sum(np.sin(2 * np.pi * n * hz * time) / n for n in (1, 2, 3))
    return x + 0.01 * tones + 1e-5 * random.standard_normal(len(x)), 24, m.rate_hz


_PLAYED = ("rendered", "recorded")
_CUT, _HUM = frozenset({"length.tail-cut"}), frozenset({"content.hum"})
_CLIPPED = frozenset({"clipping.baked", "clipping.earlier"})
CLASSES = (
    FaultClass("end cut hard; hard by nature", _CUT, _cut, _ends_hard_by_nature, frozenset({"ask"})),
    FaultClass("faded in 3 to 10 ms", _CUT, _faded_in_a_moment, _faded_in_a_moment, frozenset({"note"})),
    FaultClass("end cut hard; room tone", _CUT, _cut, _over_room_tone, frozenset({"ask"})),
    FaultClass("clipped at +3 dB, any ceiling", _CLIPPED, _clipped, _not_clipped),
    FaultClass("cymbals, noise clipped at +3 dB", _CLIPPED, _clipped, _not_clipped, kinds=("noise",)),
    FaultClass("clipped at +6 dB, 16 bits dithered", _CLIPPED, _clipped_under_dither, _not_clipped_under_dither),
    FaultClass(
        "MP3 at 128, 160; low-pass filters", frozenset({"content.lossy-origin"}), _encoded, _filtered, first=1000
    ),
    FaultClass("converted up, image above", frozenset({"rate.upsampled"}), _converted, _at_its_own_rate),
    FaultClass("dropouts between a gate's rests", frozenset({"content.dropout"}), _gated_with_dropouts, _gated),
    FaultClass("begun inside a sound", frozenset({"start.cut-in"}), _cut_in, _begins_by_itself, kinds=_PLAYED),
    FaultClass("hum of two tones; a note that rings on", _HUM, _humming, _droning, false=frozenset({"note"})),
)
