"""One table: for every code that listens, what must be found, in all its variants, and what must stay silent.

A case is a subject (one file or several) beside four clean parts of one song. Most are made of a
synthetic part and, where one is installed, of a real recording.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from scipy.signal import butter, lfilter, oaconvolve

from deep_tally.check.assess import assess
from deep_tally.compare.job import compare_song
from deep_tally.demo import synth
from deep_tally.measure.job import measure_entry
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Entry, Intake, Role
from detectors.coding import coded
from detectors.recordings import spoken

RATE = 48_000
SECONDS = 14
FRAMES = SECONDS * RATE
TIME = np.arange(FRAMES) / RATE
Samples = np.ndarray
Base = Callable[[], Samples | None]


@dataclass(frozen=True)
class Kept:
    """How a subject is stored."""

    samples: Samples
    subtype: str = "PCM_24"
    rate: int = RATE
    ending: str = "wav"


@dataclass(frozen=True)
class Case:
    """What is done, and whether `code` is to be found (with `action`) or to stay silent (`action` None)."""

    code: str
    variant: str
    action: str | None
    make: Callable[[Samples], Mapping[str, Kept]]
    others: bool = True
    brief: Brief = DEFAULT_BRIEF
    on_real: bool = True


@cache
def music(seed: int) -> Samples:
    """A part of noisy notes with pauses, its own by its seed: first sound after half a second, last a second early."""
    noise = np.random.default_rng((5, seed))
    out = np.zeros(FRAMES)
    for at in np.sort(noise.uniform(0.5, SECONDS - 2.5, 26)):
        length = RATE // 2
        time = np.arange(length) / RATE
        hz = 110 * 2 ** (noise.integers(0, 30) / 12)
        note = (
            np.sin(2 * np.pi * hz * time) + 0.5 * np.sin(4 * np.pi * hz * time) + 0.25 * noise.standard_normal(length)
        )
        note *= np.exp(-noise.uniform(5, 11) * time) * np.minimum(1, time / 0.01) * noise.uniform(0.3, 1)
        out[round(at * RATE) :][:length] += note
    out[: round(0.5 * RATE)] = 0
    out = 0.43 * out / np.abs(out).max()
    return out + 1e-5 * noise.standard_normal(FRAMES)


OTHERS = {
    f"0{n} {name}.wav": Kept(music(n) * 10 ** (-n / 20)) for n, name in enumerate(("Horn", "Lute", "Gong", "Harp"), 1)
}


def _measured(entries: list[Entry]) -> list[Track]:
    return [measure_entry(lambda done, total: None, e) for e in entries]


@cache
def _others() -> tuple[tuple[Entry, ...], tuple[Track, ...]]:
    folder = Path(tempfile.mkdtemp(prefix="detectors-"))
    entries = _write(folder, OTHERS)
    return tuple(entries), tuple(_measured(entries))


def _write(folder: Path, files: Mapping[str, Kept]) -> list[Entry]:
    entries = []
    for number, (name, kept) in enumerate(files.items()):
        path = folder / f"{len(list(folder.iterdir()))}.{kept.ending}"
        soundfile.write(path, kept.samples, kept.rate, subtype=kept.subtype)
        role = Role.ROUGH_MIX if "rough mix" in name else Role.GROUP if "group" in name else Role.TRACKOUT
        size = path.stat().st_size
        entries.append(Entry(path=name, source=path, role=role, bytes=size, song=SONG, mtime_ns=number))
    return entries


SONG = "Harbour Clock 120 BPM A minor"


def deliver(files: Mapping[str, Kept], *, others: bool = True, brief: Brief = DEFAULT_BRIEF) -> Delivery:
    """Check some files beside the clean parts."""
    with tempfile.TemporaryDirectory() as folder:
        entries = _write(Path(folder), {**files, "Harbour Clock rough mix.wav": Kept(0.3 * music(9))})
        tracks = _measured(entries)
        if others:
            entries = [*_others()[0], *entries]
            tracks = [*_others()[1], *tracks]
        intake = Intake(source=Path(folder), name=SONG, entries=tuple(entries))
        comparison = compare_song(lambda done, total: None, entries, tracks)
        return assess(intake, tracks, brief, comparisons={SONG: comparison})


def run(case: Case, base: Samples) -> set[tuple[str, str]]:
    """(code, action) of all that is found in a case's own files, absorbed findings too."""
    files = case.make(base)
    delivery = deliver(files, others=case.others, brief=case.brief)
    found = [f for f in delivery.findings if set(f.files) & set(files)]
    return {(f.code, f.action.value) for top in found for f in (top, *top.consequences)}


BASES: Mapping[str, Base] = {"synthetic": lambda: music(7), "spoken": lambda: spoken(SECONDS)}


# -- what is done to a part ---------------------------------------------------------------------


def one(change: Callable[[Samples], Samples], **kept) -> Callable[[Samples], Mapping[str, Kept]]:
    return lambda x: {"20 Viol.wav": Kept(change(x), **kept)}


def drive(x: Samples, db: float) -> Samples:
    return np.clip(x / np.abs(x).max() * 10 ** (db / 20), -1, 1)


def dithered(x: Samples, bits: int) -> Samples:
    noise = np.random.default_rng(3)
    step = 2.0 ** (1 - bits)
    return np.rint(x / step + noise.random(x.shape) - noise.random(x.shape)) * step


def stereo(left: Samples, right: Samples) -> Samples:
    return np.stack([left, right], axis=1)


def later(x: Samples, frames: int) -> Samples:
    return np.concatenate([np.zeros(frames), x[:-frames]])


def way_of(rate: int, to: int = RATE) -> Callable[[Samples], Samples]:
    """Brightened (so that there is content to be cut), converted down and up again."""
    return lambda x: soxr.resample(soxr.resample(bright(x), RATE, rate, "VHQ"), rate, to, "VHQ")


def bright(x: Samples) -> Samples:
    """The part with the hiss of a close microphone on it: content to the top of the band."""
    level = np.abs(lfilter(*butter(1, 20, fs=RATE), np.abs(x)))
    return x + np.random.default_rng(8).standard_normal(len(x)) * (0.2 * level + 2e-5)


def through(codec: str, kbit: int) -> Callable[[Samples], Samples]:
    """In stereo, encoded and decoded again."""
    return lambda x: coded(stereo(bright(x), 0.8 * bright(later(x, 7))), RATE, codec, kbit)


def loud_place(x: Samples, frames: int) -> int:
    """Where `frames` frames of steady sound begin."""
    level = np.convolve(x * x, np.ones(2400), "same")
    return int(level[RATE : -2 * RATE].argmax()) + RATE


def gap(frames: int, kind: str) -> Callable[[Samples], Samples]:
    def cut(x: Samples) -> Samples:
        x, at = x.copy(), loud_place(x, frames)
        if kind == "held":
            at += int(np.abs(np.diff(x[at : at + 2000])).argmax())  # not at a crest, where a wave holds by itself
        x[at : at + frames] = {"zeros": 0.0, "held": x[at - 1], "repeated": x[at - frames : at]}[kind]
        return x

    return cut


def mains(hz: int) -> Samples:
    return sum(6e-4 / n * np.sin(2 * np.pi * n * hz * TIME + n) for n in range(1, 6))


def limited(x: Samples, ceiling_db: float) -> Samples:
    """Driven into a look-ahead limiter: what moves is held under one ceiling."""
    swelling = x / np.abs(x).max() * 8
    envelope = np.abs(swelling)
    for shift in (1, 2, 4, 8, 16, 32, 64, 128):
        envelope = np.maximum(envelope, np.roll(envelope, -shift))
    gain = 1 / np.maximum(1, envelope)
    recover = np.exp(-1 / (0.08 * RATE))
    lowest, held = 1.0, np.empty_like(gain)
    for i, g in enumerate(gain.tolist()):
        lowest = min(g, 1 - (1 - lowest) * recover)
        held[i] = lowest
    return np.clip(swelling * held, -1, 1) * 10 ** (ceiling_db / 20)


def held_inside(x: Samples) -> Mapping[str, Kept]:
    inner = music(31).copy()
    inner[: 6 * RATE] = 0
    return {"20 Viol.wav": Kept(0.6 * x + 0.5 * inner), "21 Drum.wav": Kept(inner)}


def bleeding(x: Samples) -> Mapping[str, Kept]:
    inner = music(31).copy()
    inner[: 6 * RATE] = 0
    heard = oaconvolve(
        inner, np.concatenate([np.zeros(140), [0.2, 0.1], 0.02 * np.random.default_rng(1).standard_normal(2000)])
    )
    return {"20 Viol.wav": Kept(0.6 * x + heard[:FRAMES]), "21 Drum.wav": Kept(inner)}


def pair(left: Samples, right: Samples) -> Mapping[str, Kept]:
    return {"20 Viol L.wav": Kept(left), "21 Viol R.wav": Kept(right)}


def wide(x: Samples) -> tuple[Samples, Samples]:
    room = synth.room(np.random.default_rng(6), x, seconds=0.5)
    return 0.6 * x + 0.3 * room[:, 0], 0.6 * x + 0.3 * room[:, 1]


def several(
    change: Callable[[Samples, int], Samples], count: int = 6, **kept
) -> Callable[[Samples], Mapping[str, Kept]]:
    names = ("Oboe", "Bass", "Cello", "Flute", "Drum", "Bells", "Tuba")
    return lambda x: {f"1{n} {names[n]}.wav": Kept(change(music(40 + n), n), **kept) for n in range(count)}


def square(hz: float = 110.0, *, peak: float = 0.4) -> Samples:
    return peak * np.sign(np.sin(2 * np.pi * hz * TIME + 0.1)) * (TIME < SECONDS - 1.5) * (TIME > 0.5)


def gated(x: Samples) -> Samples:
    return square() * ((TIME / 0.125) % 1 < 0.5)


ASK, FIX, NOTE = "ask", "fix", "note"
CASES: tuple[Case, ...] = (
    Case(
        "start.at-sound", "three seconds missing, shorter", ASK, one(lambda x: x[np.flatnonzero(np.abs(x) > 1e-3)[0] :])
    ),
    Case(
        "start.at-sound",
        "sounds at once, but is as long as the others",
        None,
        one(lambda x: np.roll(x, -np.flatnonzero(np.abs(x) > 1e-3)[0])),
    ),
    Case(
        "start.set-at-sound",
        "every file from its own first sound",
        ASK,
        several(lambda x, n: x[np.flatnonzero(np.abs(x) > 1e-3)[0] :]),
        others=False,
        on_real=False,
    ),
    Case(
        "start.set-at-sound",
        "all sound at once, and are equally long",
        None,
        several(lambda x, n: x[RATE // 2 :]),
        others=False,
        on_real=False,
    ),
    Case("length.short", "ends two seconds early, in silence", FIX, one(lambda x: x[:-RATE])),
    Case("length.long", "two seconds longer", FIX, one(lambda x: np.pad(x, (0, 2 * RATE)))),
    Case("length.tail-cut", "cut in a loud place", ASK, one(lambda x: np.roll(x, FRAMES - loud_place(x, 10) - 200))),
    Case(
        "length.tail-cut",
        "fades out in 40 ms",
        None,
        one(
            lambda x: (
                np.roll(x, FRAMES - loud_place(x, 10) - 200) * np.minimum(1, (FRAMES - np.arange(FRAMES)) / 1920) ** 2
            )
        ),
    ),
    Case(
        "length.tail-cut",
        "amplifier hiss to the end",
        None,
        one(lambda x: x + 1.2e-3 * np.random.default_rng(1).standard_normal(FRAMES)),
    ),
    Case(
        "length.set-cut",
        "all cut in a loud place",
        ASK,
        several(lambda x, n: np.roll(x, FRAMES - loud_place(x, 10) - 200)[RATE // 3 :]),
        others=False,
        on_real=False,
    ),
    Case("rate.differs", "44.1 kHz among 48", ASK, one(lambda x: soxr.resample(x, RATE, 44_100), rate=44_100)),
    Case("rate.upsampled", "from 22.05 kHz", ASK, one(way_of(22_050))),
    Case("rate.upsampled", "from 32 kHz", ASK, one(way_of(32_000))),
    Case(
        "rate.upsampled",
        "a whole set from 44.1 kHz at 96",
        ASK,
        several(lambda x, n: way_of(44_100, 96_000)(x), rate=96_000),
        others=False,
        on_real=False,
    ),
    Case("rate.upsampled", "as recorded", None, one(bright)),
    Case("rate.upsampled", "a dark bass", None, one(lambda x: lfilter(*butter(4, 300, fs=RATE), x) * 3)),
    Case("rate.upsampled", "a voice recorded dark", None, one(lambda x: lfilter(*butter(6, 5000, fs=RATE), x))),
    Case("depth.low", "16 bit", ASK, one(lambda x: x, subtype="PCM_16")),
    Case("depth.padded", "16 bits in 24", NOTE, one(lambda x: np.rint(x * 2**15) / 2**15)),
    Case(
        "depth.padded",
        "16 bits in 24, turned down 3.3 dB",
        NOTE,
        one(lambda x: np.rint(x * 2**15) / 2**15 * 10 ** (-3.3 / 20)),
    ),
    Case("depth.padded", "16 bits in float", NOTE, one(lambda x: np.rint(x * 2**15) / 2**15, subtype="FLOAT")),
    Case("depth.padded", "24 bits in float", NOTE, one(lambda x: np.rint(x * 2**23) / 2**23, subtype="FLOAT")),
    Case("depth.padded", "24 bits", None, one(lambda x: x)),
    Case(
        "depth.padded",
        "16 bits under a fade",
        None,
        one(lambda x: np.rint(x * 2**15) / 2**15 * np.linspace(1, 0.6, FRAMES)),
    ),
    Case("clipping.baked", "24 bit, driven 4 dB", ASK, one(lambda x: drive(x, 4))),
    Case("clipping.baked", "16 bit, driven 4 dB", ASK, one(lambda x: drive(x, 4), subtype="PCM_16")),
    Case(
        "clipping.baked",
        "16 bit inside 24",
        ASK,
        one(lambda x: np.clip(np.rint(drive(x, 4) * 2**15), -(2**15), 2**15 - 1) / 2**15),
    ),
    Case("clipping.baked", "one side only", ASK, one(lambda x: stereo(x, drive(x, 4)))),
    Case("clipping.baked", "one polarity only", ASK, one(lambda x: np.maximum(drive(x, 4), -0.5))),
    Case("clipping.baked", "a square wave at full scale", NOTE, one(lambda x: square(peak=1.0)), on_real=False),
    Case("clipping.baked", "just touching full scale", None, one(lambda x: drive(x, 0))),
    Case("clipping.earlier", "driven 6 dB, turned down 4", ASK, one(lambda x: 0.63 * drive(x, 6))),
    Case(
        "clipping.earlier", "turned down and dithered to 16 bit", ASK, one(lambda x: dithered(0.63 * drive(x, 6), 16))
    ),
    Case("clipping.earlier", "in a float file", ASK, one(lambda x: 0.63 * drive(x, 6), subtype="FLOAT")),
    Case("clipping.earlier", "in a float file that goes over", ASK, one(lambda x: 1.3 * drive(x, 6), subtype="FLOAT")),
    Case("clipping.earlier", "one polarity only", ASK, one(lambda x: 0.2 * np.minimum(4 * x / np.abs(x).max(), 1))),
    Case("clipping.earlier", "as recorded", None, one(lambda x: x)),
    Case("clipping.earlier", "a square wave", None, one(lambda x: square()), on_real=False),
    Case("clipping.earlier", "saturated softly", None, one(lambda x: 0.5 * np.tanh(6 * x))),
    Case("clipping.over", "float, 3 dB over", FIX, one(lambda x: 1.41 * x / np.abs(x).max(), subtype="FLOAT")),
    Case("clipping.over", "float, just at full scale", None, one(lambda x: x / np.abs(x).max(), subtype="FLOAT")),
    Case(
        "clipping.between-samples",
        "a tone between its samples",
        NOTE,
        one(lambda x: 0.999 * np.sin(np.pi / 2 * np.arange(FRAMES) + np.pi / 4) * 1.41 * np.hanning(FRAMES)),
        on_real=False,
    ),
    Case("headroom.hot", "peaks at -2 dBFS", FIX, one(lambda x: 0.79 * x / np.abs(x).max())),
    Case("headroom.hot", "peaks at -5.5 dBFS, within the tolerance", None, one(lambda x: 0.53 * x / np.abs(x).max())),
    Case("headroom.quiet", "peaks at -40 dBFS", NOTE, one(lambda x: 0.01 * x / np.abs(x).max())),
    Case(
        "headroom.quiet",
        "peaks at -40 dBFS in 16 bit",
        ASK,
        one(lambda x: 0.01 * x / np.abs(x).max(), subtype="PCM_16"),
    ),
    Case("headroom.quiet", "peaks at -29 dBFS", None, one(lambda x: 0.0355 * x / np.abs(x).max())),
    Case(
        "headroom.normalised",
        "every peak at -1 dBFS",
        ASK,
        several(lambda x, n: 0.89 * x / np.abs(x).max()),
        others=False,
        on_real=False,
    ),
    Case(
        "headroom.normalised",
        "every RMS alike",
        ASK,
        several(lambda x, n: 0.03 * x / np.sqrt((x * x).mean())),
        others=False,
        on_real=False,
    ),
    Case(
        "headroom.normalised",
        "levels of their own",
        None,
        several(lambda x, n: x * 10 ** (-1.7 * n / 20)),
        others=False,
        on_real=False,
    ),
    Case(
        "headroom.same-peak",
        "two files at exactly -3 dBFS",
        NOTE,
        several(lambda x, n: 0.7079 * x / np.abs(x).max(), 2),
        on_real=False,
    ),
    Case(
        "headroom.same-peak",
        "two files near -3 dBFS",
        None,
        several(lambda x, n: (0.7079 + 0.001 * n) * x / np.abs(x).max(), 2),
        on_real=False,
    ),
    Case(
        "headroom.shared-ceiling",
        "four files through one limiter",
        ASK,
        several(lambda x, n: limited(x, -1.0), 4),
        on_real=False,
    ),
    Case(
        "headroom.shared-ceiling",
        "four steady synths at one level",
        None,
        several(lambda x, n: square(110 + 30 * n, peak=0.89), 4),
        on_real=False,
    ),
    Case("headroom.limited", "driven into a limiter", NOTE, one(lambda x: limited(x, -8.0))),
    Case("headroom.limited", "as recorded", None, one(lambda x: x)),
    Case(
        "headroom.limited",
        "a steady organ",
        None,
        one(lambda x: 0.2 * (np.sin(2 * np.pi * 220 * TIME) + np.sin(2 * np.pi * 330 * TIME)) * (TIME < 12)),
        on_real=False,
    ),
    Case("headroom.dc", "an offset of 1 %", FIX, one(lambda x: x + 0.01)),
    Case(
        "headroom.dc",
        "a step of 3 %",
        FIX,
        one(lambda x: 0.3 * x + 0.03 * (TIME > 7) + 1e-3 * np.random.default_rng(1).standard_normal(FRAMES)),
    ),
    Case("headroom.dc", "as recorded", None, one(lambda x: x)),
    Case("channels.same", "both sides equal", FIX, one(lambda x: stereo(x, x))),
    Case(
        "channels.same",
        "equal but for dither",
        FIX,
        one(lambda x: stereo(dithered(x, 16), dithered(x[::1] * 1.0, 16)), subtype="PCM_16"),
    ),
    Case("channels.same", "a mono sound in a stereo room", None, one(lambda x: stereo(*wide(x)))),
    Case("channels.panned-mono", "the right side 4 dB down", FIX, one(lambda x: stereo(x, 0.63 * x))),
    Case(
        "channels.panned-mono",
        "the right side 4 dB down and a little later",
        None,
        one(lambda x: stereo(x, 0.63 * later(x, 12))),
    ),
    Case("channels.one-side", "the right side silent", FIX, one(lambda x: stereo(x, 0 * x))),
    Case("channels.one-side", "the right side 40 dB down", None, one(lambda x: stereo(x, 0.01 * later(x, 900)))),
    Case("channels.opposed", "the right side inverted", ASK, one(lambda x: stereo(x, -x))),
    Case("channels.opposed", "the low end inverted", ASK, one(lambda x: opposed_low(x))),
    Case("channels.opposed", "a wide room", None, one(lambda x: stereo(*wide(x)))),
    Case("channels.near-mono", "a faint side", NOTE, one(lambda x: stereo(x + 0.01 * music(55), x - 0.01 * music(55)))),
    Case("channels.near-mono", "24 samples later on the right", NOTE, one(lambda x: stereo(x, later(x, 24)))),
    Case("channels.near-mono", "a mono sound in a stereo room", None, one(lambda x: stereo(*wide(x)))),
    Case(
        "channels.unrelated",
        "two performances",
        NOTE,
        one(lambda x: stereo(x * (TIME % 4 < 2), music(56) * (TIME % 4 >= 2))),
    ),
    Case("channels.unrelated", "a wide room", None, one(lambda x: stereo(*wide(x)))),
    Case("channels.split-pair", "the two sides of one sound", FIX, lambda x: pair(*wide(x))),
    Case("channels.split-pair", "two sides of different length", None, lambda x: pair(wide(x)[0], wide(x)[1][:-900])),
    Case("channels.many", "three channels", ASK, one(lambda x: np.stack([x, x * 0.5, x * 0.2], axis=1))),
    Case("content.empty", "zeros", ASK, one(lambda x: 0 * x), on_real=False),
    Case("content.empty", "only dither", ASK, one(lambda x: dithered(0 * x, 16)), on_real=False),
    Case(
        "content.empty",
        "only the floor of a preamplifier",
        ASK,
        one(lambda x: 1.5e-4 * np.random.default_rng(4).standard_normal(FRAMES)),
        on_real=False,
    ),
    Case("content.empty", "a few stray clicks", ASK, one(lambda x: clicks()), on_real=False),
    Case("content.empty", "three soft strokes", None, one(lambda x: strokes()), on_real=False),
    Case(
        "content.nonfinite",
        "one NaN",
        ASK,
        one(lambda x: np.where(np.arange(FRAMES) == 99_999, np.nan, x), subtype="FLOAT"),
    ),
    Case("content.dropout", "64 zeros", ASK, one(gap(64, "zeros"))),
    Case("content.dropout", "480 zeros", ASK, one(gap(480, "zeros"))),
    Case("content.dropout", "64 held samples", ASK, one(gap(64, "held"))),
    Case("content.dropout", "a block of 512 played twice", ASK, one(gap(512, "repeated"))),
    Case("content.dropout", "as recorded", None, one(lambda x: x)),
    Case("content.dropout", "a gated synth", None, one(gated), on_real=False),
    Case("content.lossy", "Ogg Vorbis", ASK, lambda x: {"20 Viol.ogg": Kept(x, subtype="VORBIS", ending="ogg")}),
    *(
        Case("content.lossy-origin", f"{name} at {kbit} kbit/s", ASK, one(through(codec, kbit)))
        for name, codec, kbit in (
            ("MP3", "libmp3lame", 128),
            ("MP3", "libmp3lame", 192),
            ("MP3", "libmp3lame", 256),
            ("MP3", "libmp3lame", 320),
            ("AAC", "aac", 128),
            ("Opus", "libopus", 128),
        )
    ),
    Case("content.lossy-origin", "as recorded", None, one(bright)),
    Case("content.twin", "exact", ASK, lambda x: {"20 Viol.wav": Kept(x), "21 Cello.wav": Kept(x)}),
    Case("content.twin", "scaled", ASK, lambda x: {"20 Viol.wav": Kept(x), "21 Cello.wav": Kept(0.4 * x)}),
    Case("content.twin", "inverted", ASK, lambda x: {"20 Viol.wav": Kept(x), "21 Cello.wav": Kept(-x)}),
    Case("content.twin", "shifted", ASK, lambda x: {"20 Viol.wav": Kept(x), "21 Cello.wav": Kept(later(x, 500))}),
    Case(
        "content.twin",
        "the same but for processing",
        None,
        lambda x: {"20 Viol.wav": Kept(x), "21 Cello.wav": Kept(np.tanh(2 * x) / 2)},
    ),
    Case("content.holds-another", "another part inside", ASK, held_inside),
    Case("content.holds-another", "a microphone that hears its neighbour", None, bleeding),
    Case(
        "content.sum-of",
        "a group beside its parts",
        NOTE,
        lambda x: {"20 Viol.wav": Kept(x), "30 All.wav": Kept(0.5 * x + 0.3 * OTHERS["01 Horn.wav"].samples)},
    ),
    Case("content.sum-of", "a part that is no sum", None, one(lambda x: x)),
    Case("content.hum", "50 Hz", NOTE, one(lambda x: x * (TIME % 7 < 3) + mains(50))),
    Case("content.hum", "60 Hz", NOTE, one(lambda x: x * (TIME % 7 < 3) + mains(60))),
    Case(
        "content.hum",
        "hiss",
        None,
        one(lambda x: x * (TIME % 7 < 3) + 1e-4 * np.random.default_rng(2).standard_normal(FRAMES)),
    ),
)


def opposed_low(x: Samples) -> Samples:
    """A bass under the part that works against itself."""
    low = lfilter(*butter(4, 100, fs=RATE), np.random.default_rng(7).standard_normal(FRAMES)) * 3 * np.abs(x).max()
    low *= (TIME > 0.5) & (TIME < SECONDS - 1.5)
    high = lfilter(*butter(4, 400, btype="high", fs=RATE), x)
    return 0.3 * stereo(low + high, high - low)


def clicks() -> Samples:
    x = np.zeros(FRAMES)
    x[[100_000, 260_000, 400_123]] = 0.05
    return x


def strokes() -> Samples:
    x = np.zeros(FRAMES)
    for at_s in (2.0, 6.0, 9.0):
        synth.place(x, synth.bell(700.0, 2.0, 0.6), at_s, 0.04)
    return x
