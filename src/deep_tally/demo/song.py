"""The demo song, "Lantern Over Brackwater" by The Tin Orchard: 96 BPM, D minor, sixteen bars.

Song and band are invented. Every part is a clean float64 track [shape=(n, channels)] on the song's axis;
`delivery.py` exports them with their faults.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from deep_tally.demo import synth
from deep_tally.demo.synth import RATE_HZ, Sound

Samples = NDArray[np.float64]

TRIGGER = "Drum trigger"
TITLE, ARTIST = "Lantern Over Brackwater", "The Tin Orchard"
TEMPO_BPM, KEY = 96, "D minor"
BEAT_S = 60 / TEMPO_BPM
BAR_S = 4 * BEAT_S
BARS = 16
FRAMES = round(BARS * BAR_S * RATE_HZ)
RING_S = 4.0
"""The song is composed this much longer than it is exported, so that tails exist to be cut."""

_SEED = 19
# Chords by bar as MIDI note numbers: Dm Bb F C, Dm Bb Gm A, twice, the last bar D minor again.
_CHORDS = (
    (50, 53, 57),
    (46, 50, 53),
    (53, 57, 60),
    (48, 52, 55),
    (50, 53, 57),
    (46, 50, 53),
    (43, 46, 50),
    (45, 49, 52),
)
_TUNE = (
    ((0, 69, 1.5), (1.5, 67, 0.5), (2, 65, 2)),
    ((0, 62, 1), (1, 65, 1), (2, 70, 2)),
    ((0, 69, 3), (3, 72, 1)),
    ((0, 67, 2), (2, 64, 2)),
    ((0, 65, 1.5), (1.5, 64, 0.5), (2, 62, 2)),
    ((0, 65, 2), (2, 62, 2)),
    ((0, 67, 1), (1, 70, 1), (2, 69, 2)),
    ((0, 64, 2), (2, 61, 2)),
)


def _hz(note: float) -> float:
    return float(440.0 * 2.0 ** ((note - 69) / 12))


def _chord(bar: int) -> tuple[int, int, int]:
    return _CHORDS[0] if bar == BARS - 1 else _CHORDS[bar % 8]


def _track() -> Sound:
    return np.zeros(FRAMES + round(RING_S * RATE_HZ))


Instrument = Callable[[float, float], Sound]


def _melody(play: Instrument, bars: range, *, shift: int = 0, level: float = 0.35, hold: float = 0.92) -> Sound:
    track = _track()
    for bar in bars:
        for beat, note, beats in _TUNE[bar % 8]:
            synth.place(track, play(_hz(note + shift), beats * BEAT_S * hold), bar * BAR_S + beat * BEAT_S, level)
    return track


def _chords(
    play: Instrument, bars: range, *, voice: int, shift: int = 0, level: float = 0.3, hold: float = 0.95
) -> Sound:
    track = _track()
    for bar in bars:
        synth.place(track, play(_hz(_chord(bar)[voice] + shift), BAR_S * hold), bar * BAR_S, level)
    return track


def _arpeggio(play: Instrument, bars: range, order: tuple[int, ...], *, shift: int = 12, level: float = 0.3) -> Sound:
    track = _track()
    for bar in bars:
        for step, voice in enumerate(order):
            note = _chord(bar)[voice % 3] + shift + 12 * (voice // 3)
            synth.place(
                track,
                play(_hz(note), 1.6),
                bar * BAR_S + step * BAR_S / len(order),
                level * (1.0 if step % 4 == 0 else 0.72),
            )
    return track


def _drum(noise: np.random.Generator) -> Sound:
    track = _track()
    for bar in range(BARS - 1):
        for beat, level in ((0, 0.42), (1.5, 0.2), (2, 0.33), (3, 0.16), (3.5, 0.22)):
            synth.place(track, synth.frame_drum(noise, 0.9), bar * BAR_S + beat * BEAT_S + 0.004, level)
    return track


def _shaker(noise: np.random.Generator) -> Sound:
    track = _track()
    for bar in range(2, BARS - 1):
        for eighth in range(8):
            synth.place(
                track, synth.shaker(noise, 0.16), bar * BAR_S + eighth * BEAT_S / 2 + 0.003, 0.2 if eighth % 2 else 0.28
            )
    return track


def _bells(bars: range, level: float, ring_s: float) -> Sound:
    track = _track()
    for bar in bars:
        for beat, voice in ((0, 2), (2, 1)):
            synth.place(
                track, synth.bell(_hz(_chord(bar)[voice] + 36), 4.0, ring_s), bar * BAR_S + beat * BEAT_S + 0.02, level
            )
    return track


def _mono(track: Sound) -> Samples:
    return track[:, None]


def _placed(track: Sound, left: float, right: float) -> Samples:
    return np.stack([left * track, right * track], axis=1)


def _noise(part: int) -> np.random.Generator:
    """Each part has its own noise, so that the order of composing does not matter."""
    return np.random.default_rng((_SEED, part))


def _frame_drum() -> Samples:
    noise = _noise(1)
    drum = _drum(noise)
    return _placed(drum, 1.0, 0.93) + 0.08 * synth.room(noise, drum, seconds=0.5)


def _hand_bells() -> Samples:
    bells = _bells(range(4, BARS), 0.26, 2.4)
    return _placed(bells, 0.8, 1.0) + 0.12 * synth.room(_noise(2), bells, seconds=0.8)


def _harmonium() -> Samples:
    return _mono(sum((_chords(synth.reed, range(BARS), voice=v, level=0.13) for v in range(3)), _track()))


def _lead() -> Sound:
    return _melody(synth.voice, range(4, 14), level=0.4, hold=0.88)


def _wet_lead() -> Samples:
    lead = _lead()
    return _placed(lead, 0.42, 0.42) + 0.1 * synth.room(_noise(3), lead, seconds=1.6)


def _choir() -> Samples:
    low, middle, high = (_chords(synth.voice, range(8, 15), voice=v, shift=12, level=0.24) for v in range(3))
    return np.stack([low + 0.7 * middle, high + 0.7 * middle], axis=1)


def _cello() -> Samples:
    cello = _chords(synth.bowed, range(BARS), voice=0, level=0.3, hold=0.985)
    against = _chords(synth.bowed, range(BARS), voice=2, level=0.17, hold=0.97)
    return np.stack([cello + against, 0.8 * against - 0.8 * cello], axis=1)


def _buoy() -> Samples:
    buoy = _track()
    for at_s in (6.1, 18.6, 31.1):
        synth.place(buoy, synth.bell(612.0, 3.5, 1.2), at_s, 0.036)
    echo = np.concatenate([np.zeros(RATE_HZ // 9), buoy])[: len(buoy)] * 0.03
    return np.stack([buoy, echo + 2e-6 * _noise(4).standard_normal(len(buoy))], axis=1)


def _accordion_reed(hz: float, seconds: float) -> Sound:
    """Tuned a little sharp, as accordions are: not the harmonium's own reed."""
    return synth.reed(hz * 2 ** (6 / 1200), seconds)


def _accordion() -> Samples:
    voices = (_chords(_accordion_reed, range(14), voice=v, level=0.3 if v else 0.51) for v in (0, 1))
    return np.stack(list(voices), axis=1)


def _room_of_drum() -> Samples:
    """The room around the frame drum, for two microphones."""
    noise = _noise(11)
    drum = _drum(_noise(1))
    close = np.concatenate([np.zeros(220), drum])[: len(drum)]
    return _placed(0.5 * close, 1.0, 0.9) + 0.5 * synth.room(noise, close, seconds=0.9)


def _rain_stick() -> Samples:
    """Grains of noise that fall more and less densely, to the top of the band."""
    noise = _noise(12)
    track = _track()
    for at in np.sort(noise.uniform(4 * BAR_S, 14.5 * BAR_S, 420)):
        synth.place(track, synth.shaker(noise, 0.09), float(at), float(noise.uniform(0.05, 0.5)))
    return _mono(track)


def _brushes() -> Samples:
    """Brushes on a snare: noise on every eighth."""
    noise = _noise(13)
    track = _track()
    for bar in range(1, BARS - 1):
        for eighth in range(8):
            synth.place(track, synth.shaker(noise, 0.2), bar * BAR_S + eighth * BEAT_S / 2 + 0.01, 0.3)
    return _mono(track)


def _slide_guitar() -> Samples:
    """A guitar through an amplifier that hums and hisses a little, also while it rests."""
    noise = _noise(14)
    guitar = _melody(lambda hz, seconds: synth.plucked(hz, seconds, 2.2), range(5, 13), shift=-12, level=0.34)
    time = np.arange(len(guitar)) / RATE_HZ
    hum = sum(
        (a * np.sin(2 * np.pi * hz * time) for hz, a in ((50, 1.0), (100, 0.7), (150, 0.5), (200, 0.3))), _track()
    )
    return _mono(guitar + 2.2e-4 * hum + 2e-5 * noise.standard_normal(len(guitar)))


def _two_takes() -> Samples:
    """Two singers on two sides of one file, who never sing at once."""
    one = _melody(synth.voice, range(2, 8), shift=-5, level=0.36)
    other = _melody(synth.voice, range(8, 14), shift=3, level=0.34)
    return np.stack([one, other], axis=1)


def _thumb(hz: float, seconds: float) -> Sound:
    return synth.plucked(hz, seconds, ring_s=0.5)


def _trigger() -> Samples:
    """A short tick at each stroke of the drum, which opens a gate and is not heard itself."""
    track = _track()
    tick = np.hanning(96) * np.sin(2 * np.pi * 1000 * np.arange(96) / RATE_HZ)
    for beat in range((BARS - 2) * 4):
        synth.place(track, tick, beat * BEAT_S + 0.02, 0.5)
    return _mono(track)


def _guitar(order: tuple[int, ...], level: float) -> Samples:
    return _mono(_arpeggio(synth.plucked, range(4, 14), order, level=level))


_PARTS: Mapping[str, Callable[[], Samples]] = {
    "Frame drum": _frame_drum,
    "Shaker": lambda: _mono(_shaker(_noise(5))),
    "Hand bells": _hand_bells,
    "Upright bass": lambda: _mono(_arpeggio(synth.plucked, range(BARS - 1), (0, 0, 2, 0), shift=-12, level=0.38)),
    "Harmonium": _harmonium,
    "Nylon guitar left": lambda: _guitar((0, 2, 1, 3, 2, 4, 1, 2), 0.36),
    "Nylon guitar right": lambda: _guitar((3, 1, 2, 0, 4, 2, 1, 0), 0.33),
    "Fiddle": lambda: _mono(_melody(synth.bowed, range(2, 15), shift=12, level=0.34)),
    "Clarinet": lambda: _mono(_melody(synth.reed, range(6, 13), shift=-5, level=0.36)),
    "Hammered dulcimer": lambda: _mono(_arpeggio(synth.plucked, range(5, 15), (3, 4, 5, 4), shift=24, level=0.27)),
    "Voice lead dry": lambda: _mono(_lead()),
    "Voice lead wet": _wet_lead,
    "Voice low": lambda: _mono(_melody(synth.voice, range(6, 14), shift=-12, level=0.37, hold=0.88)),
    "Choir": _choir,
    "Viola": lambda: _mono(_chords(synth.bowed, range(2, 11), voice=1, shift=12, level=0.28)),
    "Cello": _cello,
    "Spoons": lambda: _mono(_track()),
    "Tin whistle": lambda: _mono(_melody(synth.reed, range(8, 12), shift=24, level=0.012)),
    "Channel buoy bell": _buoy,
    "Accordion": _accordion,
    "Jaw harp": lambda: _mono(_arpeggio(synth.plucked, range(3, 14), (0, 1, 0, 2), shift=0, level=0.4)),
    "Brushes": _brushes,
    "Rain stick": _rain_stick,
    "Melodica": lambda: _mono(_melody(synth.reed, range(5, 15), shift=0, level=0.3)),
    "Glockenspiel": lambda: _mono(_bells(range(1, 14), 0.24, 0.9)),
    "Room": _room_of_drum,
    "Two takes": _two_takes,
    "Mandola": lambda: _mono(_arpeggio(synth.plucked, range(6, 14), (2, 1, 0, 1, 2, 3), shift=7, level=0.3)),
    "Slide guitar": _slide_guitar,
    "Ocarina": lambda: _mono(_melody(synth.voice, range(4, 13), shift=12, level=0.3, hold=0.8)),
    "Thumb piano": lambda: _mono(_arpeggio(_thumb, range(4, 14), (0, 3, 1, 4, 2), shift=12, level=0.3)),
    "Bowed saw": lambda: _mono(_melody(synth.bowed, range(9, 11), shift=19, level=0.3)),
    TRIGGER: _trigger,
    "Drone": lambda: _mono(_chords(synth.bowed, range(1, 15), voice=0, shift=-12, level=0.3)),
}


def compose() -> Mapping[str, Samples]:
    """All parts by name, float64 [shape=(FRAMES + 4 s, channels)], before any fault."""
    # NumPy lets the interpreter go in its loops: threads are enough to use all cores.
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        return dict(zip(_PARTS, pool.map(lambda make: make(), _PARTS.values()), strict=True))


def compose_unsent() -> Samples:
    """Three bars of the bandoneon from bar 8 on, which are in the mix and in no file: float64 [shape=(n, 2)]."""
    sound = _chords(synth.reed, range(7, 10), voice=2, shift=12) + _melody(synth.reed, range(7, 10), shift=12)
    return np.column_stack([sound, 0.7 * sound])
