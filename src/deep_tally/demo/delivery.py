"""Export the demo song as a client would, with one fault of each main kind and a near miss beside it."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from deep_tally.demo.song import ARTIST, BAR_S, FRAMES, KEY, TEMPO_BPM, TITLE, Samples, compose
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase

FOLDER_NAME = f"{TITLE} {TEMPO_BPM} BPM {KEY}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Export:
    """How one part is exported.

    `bits` 32 means float; `used_bits` fewer bits than the container holds; `shape` changes the samples first. `inside`
    adds other exports' sound, by their file and a gain; without a `part`, that is all there is.
    """

    file: str
    part: str | None
    peak_dbfs: float | None
    inside: tuple[tuple[str, float], ...] = ()
    shape: Callable[[Samples], Samples] = lambda samples: samples
    rate_hz: int = RATE_HZ
    bits: int = 24
    used_bits: int = 24
    faults: tuple[tuple[str, str, str], ...] = ()
    near_misses: tuple[tuple[str, str], ...] = ()


def _clip(samples: Samples) -> Samples:
    """Driven 4 dB into the converter's ceiling."""
    return np.clip(samples * 10 ** (4 / 20), -1.0, 1.0)


def _with_two_at_ceiling(samples: Samples) -> Samples:
    """Touches full scale with two neighbouring samples: the most that is no clip."""
    at = int(np.abs(samples[:, 0]).argmax())
    samples = samples.copy()
    samples[at : at + 2] = np.sign(samples[at])
    return samples


def _from_bar_5(samples: Samples) -> Samples:
    start = int(np.flatnonzero(np.abs(samples).max(axis=1) > 1e-5)[0])
    if start < 4 * BAR_S * RATE_HZ - 1:
        raise ValueError("the part begins before bar 5")
    return samples[start:]


def _fade_at_end(samples: Samples) -> Samples:
    samples = samples.copy()
    fade = round(0.04 * RATE_HZ)
    samples[-fade:] *= (np.arange(fade, 0, -1) / fade)[:, None] ** 2
    return samples


def _half_in_16_bits(samples: Samples) -> Samples:
    """The first half on the 16-bit grid, the rest not."""
    half = len(samples) // 2
    return np.concatenate([np.round(samples[:half] * 2**15) / 2**15, samples[half:]])


def _resampled(samples: Samples, rate_hz: int) -> Samples:
    from scipy.signal import resample_poly  # heavy, and only the demo's maker needs it

    divisor = np.gcd(rate_hz, RATE_HZ)
    return np.asarray(resample_poly(samples, rate_hz // divisor, RATE_HZ // divisor, axis=0))


def _clip_then_turn_down(samples: Samples) -> Samples:
    """Driven 6 dB into a ceiling, then turned down by 7 dB, as a plugin before a fader does."""
    return np.clip(samples * 10 ** (6 / 20), -1.0, 1.0) * 10 ** (-7 / 20)


def _below(edge_hz: float) -> Callable[[Samples], Samples]:
    """Nothing above an edge, as a conversion up or a lossy encoder leaves it."""

    def cut(samples: Samples) -> Samples:
        from scipy.signal import firwin, oaconvolve  # heavy, and only the demo's maker needs it

        taps = firwin(1601, edge_hz, fs=RATE_HZ)
        return np.asarray(oaconvolve(samples, taps[:, None], "same", axes=0))

    return cut


def _with_gaps(samples: Samples) -> Samples:
    """Two drop-outs of under 3 ms inside notes."""
    samples = samples.copy()
    for at_s, frames in ((17.9, 96), (29.2, 128)):
        samples[round(at_s * RATE_HZ) :][:frames] = 0
    return samples


def _left_later(samples: Samples) -> Samples:
    """Made wide by a delay of 0.4 ms on the right side."""
    return np.stack([samples[:, 0], np.concatenate([np.zeros(19), samples[:-19, 0]])], axis=1)


def _with_offset(samples: Samples) -> Samples:
    return samples + 0.008


EXPORTS = (
    Export(
        file="01 Frame drum.wav",
        part="Frame drum",
        peak_dbfs=0.0,
        shape=_clip,
        faults=(("clipping.baked", "ask", "driven into full scale before a 24-bit export"),),
    ),
    Export(
        file="02 Shaker.wav",
        part="Shaker",
        peak_dbfs=-11.2,
        used_bits=16,
        faults=(("depth.padded", "note", "16-bit audio in a 24-bit file"),),
    ),
    Export(
        file="03 Hand bells.wav",
        part="Hand bells",
        peak_dbfs=-8.9,
        faults=(("length.tail-cut", "ask", "the last bell still rings at the end"),),
    ),
    Export(file="04 Upright bass.wav", part="Upright bass", peak_dbfs=-7.6),
    Export(
        file="05 Harmonium.wav",
        part="Harmonium",
        peak_dbfs=-9.1,
        shape=lambda s: np.repeat(s, 2, axis=1),
        faults=(("channels.same", "fix", "a mono sound exported as stereo"),),
    ),
    Export(
        file="06 Nylon guitar left.wav",
        part="Nylon guitar left",
        peak_dbfs=-8.3,
        shape=_from_bar_5,
        faults=(("start.at-sound", "ask", "exported from its first sound at bar 5"),),
    ),
    Export(
        file="07 Nylon guitar right.wav",
        part="Nylon guitar right",
        peak_dbfs=-8.2,
        near_misses=(
            ("start.at-sound", "enters at bar 5 too, but the file starts at bar 1"),
            ("length.short", "falls silent early, but the file goes on to the common end"),
            ("channels.split-pair", "named as a side, but the other side has another length"),
        ),
    ),
    Export(
        file="08 Fiddle.wav",
        part="Fiddle",
        peak_dbfs=-7.0,
        rate_hz=44_100,
        faults=(("rate.differs", "ask", "44.1 kHz among 48 kHz"),),
        near_misses=(("content.lossy-origin", "its content ends at its own rate's filter"),),
    ),
    Export(
        file="09 Clarinet.wav",
        part="Clarinet",
        peak_dbfs=-6.6,
        shape=lambda s: np.concatenate([s, np.zeros_like(s)], axis=1),
        faults=(("channels.one-side", "fix", "the right side is silent"),),
    ),
    Export(
        file="10 Audio 7.wav",
        part="Hammered dulcimer",
        peak_dbfs=-9.8,
        faults=(("name.generic", "ask", "the name does not say what plays"),),
    ),
    Export(
        file="11 Voice lead dry.wav",
        part="Voice lead dry",
        peak_dbfs=2.3,
        bits=32,
        faults=(("clipping.over", "fix", "a float file that goes 2.3 dB over full scale"),),
    ),
    Export(
        file="12 Voice lead wet.wav",
        part="Voice lead wet",
        peak_dbfs=-7.1,
        bits=32,
        near_misses=(
            ("clipping.over", "a float file too, but it stays under full scale"),
            ("channels.same", "a mono source, but with a stereo room around it"),
            ("channels.near-mono", "mostly mono, but the room is no faint side"),
            ("content.holds-another", "holds the dry voice, as a wet part does"),
        ),
    ),
    Export(
        file="13 Voice low.wav",
        part="Voice low",
        peak_dbfs=0.0,
        shape=_with_two_at_ceiling,
        faults=(("headroom.hot", "fix", "peaks at full scale"),),
        near_misses=(("clipping.baked", "two samples at full scale, not three"),),
    ),
    Export(
        file="14 Choir.wav",
        part="Choir",
        peak_dbfs=-8.0,
        shape=lambda s: np.stack([s[:, 0], -s[:, 0]], axis=1),
        faults=(("channels.opposed", "ask", "the right side is the left one inverted"),),
    ),
    Export(
        file="15 Viola.wav",
        part="Viola",
        peak_dbfs=-10.4,
        shape=lambda s: s[: round(12 * BAR_S * RATE_HZ)],
        faults=(
            ("length.short", "fix", "ends after bar 12, when its sound has died away"),
            ("content.twin", "ask", "came once more as 25, 2 dB lower"),
        ),
    ),
    Export(
        file="16 Cello.wav",
        part="Cello",
        peak_dbfs=-8.6,
        shape=lambda s: _half_in_16_bits(_fade_at_end(s)),
        near_misses=(
            ("length.tail-cut", "sounds to the very end, but fades out there"),
            ("depth.padded", "its first half uses 16 bits, the rest 24"),
            ("channels.opposed", "wide: the mono sum loses some decibels, not twelve"),
            ("channels.unrelated", "two voices on two sides, but they play together"),
            ("rate.upsampled", "its row of harmonics ends far down, but that is no band's edge"),
        ),
    ),
    Export(
        file="17 Spoons.wav",
        part="Spoons",
        peak_dbfs=None,
        faults=(("content.empty", "ask", "no sound in the file"),),
    ),
    Export(
        file="18 Tin whistle.wav",
        part="Tin whistle",
        peak_dbfs=-38.4,
        faults=(("headroom.quiet", "note", "far below the requested window"),),
    ),
    Export(
        file="19 Channel buoy bell.wav",
        part="Channel buoy bell",
        peak_dbfs=-28.9,
        near_misses=(
            ("name.generic", "holds the word channel, but says what it is"),
            ("content.empty", "three soft strokes in silence"),
            ("headroom.quiet", "just inside the asked window"),
            ("channels.one-side", "the right side is faint, but there"),
        ),
    ),
    Export(
        file="20 Accordion.flac",
        part="Accordion",
        peak_dbfs=-5.4,
        near_misses=(
            ("rate.differs", "another container, but the same rate"),
            ("start.at-sound", "sounds from the first frame, but is as long as the others"),
            ("headroom.hot", "over the window, but within the tolerance"),
            ("content.sum-of", "plays the harmonium's chords on reeds of its own"),
        ),
    ),
    Export(
        file="21 Jaw harp.wav",
        part="Jaw harp",
        peak_dbfs=0.0,
        shape=_clip_then_turn_down,
        faults=(("clipping.earlier", "ask", "clipped before the fader, then turned down by 7 dB"),),
        near_misses=(("clipping.baked", "no sample reaches full scale"),),
    ),
    Export(
        file="22 Brushes.wav",
        part="Brushes",
        peak_dbfs=-9.7,
        shape=_below(10_600),
        faults=(("rate.upsampled", "ask", "made at 22.05 kHz and converted up"),),
        near_misses=(("content.dropout", "rests between the strokes"),),
    ),
    Export(
        file="23 Rain stick.wav",
        part="Rain stick",
        peak_dbfs=-12.6,
        shape=_below(16_200),
        faults=(("content.lossy-origin", "ask", "an MP3 that was saved as WAV"),),
        near_misses=(("content.lossy", "the file itself is lossless"),),
    ),
    Export(
        file="24 Melodica.wav",
        part="Melodica",
        peak_dbfs=-8.8,
        shape=_with_gaps,
        faults=(("content.dropout", "ask", "two drop-outs inside notes"),),
    ),
    Export(
        file="25 Viola double.wav",
        part=None,
        peak_dbfs=None,
        inside=(("15 Viola.wav", 10 ** (-2 / 20)),),
        faults=(("content.twin", "ask", "the viola once more, 2 dB lower, instead of a second take"),),
    ),
    Export(
        file="26 Glockenspiel.wav",
        part="Glockenspiel",
        peak_dbfs=-11.9,
        inside=(("10 Audio 7.wav", 10 ** (-4 / 20)),),
        faults=(("content.holds-another", "ask", "the hammered dulcimer was sent to this track as well"),),
    ),
    Export(
        file="27 Plucked group.wav",
        part=None,
        peak_dbfs=None,
        inside=(("04 Upright bass.wav", 0.8), ("07 Nylon guitar right.wav", 0.7)),
        faults=(("content.sum-of", "note", "a group beside its own parts"),),
    ),
    Export(
        file="28 Room left.wav",
        part="Room",
        peak_dbfs=-14.3,
        shape=lambda s: s[:, :1],
        faults=(("channels.split-pair", "fix", "the left side of a stereo room"),),
    ),
    Export(
        file="29 Room right.wav",
        part="Room",
        peak_dbfs=-14.3,
        shape=lambda s: s[:, 1:],
        faults=(("channels.split-pair", "fix", "the right side of a stereo room"),),
        near_misses=(("content.twin", "the same room as on the left, but not the same sound"),),
    ),
    Export(
        file="30 Singers.wav",
        part="Two takes",
        peak_dbfs=-7.9,
        faults=(("channels.unrelated", "note", "two singers on two sides of one file"),),
        near_misses=(("channels.one-side", "each side is silent for a while, but not throughout"),),
    ),
    Export(
        file="31 Mandola.wav",
        part="Mandola",
        peak_dbfs=-9.4,
        shape=_left_later,
        faults=(("channels.near-mono", "note", "one sound on both sides, the right 19 samples later"),),
        near_misses=(("channels.same", "equal but for a delay"),),
    ),
    Export(
        file="32 Slide guitar.wav",
        part="Slide guitar",
        peak_dbfs=-8.1,
        faults=(("content.hum", "note", "the amplifier hums in the pauses"),),
        near_misses=(
            ("headroom.dc", "hum swings about zero"),
            ("start.at-sound", "its hum runs from the first sample, but is no sound"),
        ),
    ),
    Export(
        file="33 Drone.wav",
        part="Drone",
        peak_dbfs=-10.9,
        shape=_with_offset,
        faults=(("headroom.dc", "fix", "a constant offset of 0.8 %"),),
        near_misses=(
            ("clipping.earlier", "a low tone with broad, but round tops"),
            ("content.hum", "a low D beside the mains' 50 and 60 Hz"),
        ),
    ),
)
ROUGH_MIX = f"{TITLE} rough mix.wav"
NOTES = "Notes.txt"
_MIX_PEAK_DBFS = -3.0


def write_demo(folder: Path) -> Path:
    """Write the demo delivery into `folder` and the list of its faults beside it.

    Returns
    -------
    Path
        The delivery's folder. `planted.json` lies in `folder`, next to it.

    Raises
    ------
    CannotWrite
        The folder cannot be made or written.
    """
    delivery = folder / FOLDER_NAME
    try:
        delivery.mkdir(parents=True, exist_ok=True)
        parts = compose()
        gains = {e.part: _gain(parts[e.part], e.peak_dbfs) for e in EXPORTS if e.part is not None}
        plain = {e.file: gains[e.part] * parts[e.part][:FRAMES] for e in EXPORTS if e.part is not None}

        def write_part(export: Export) -> None:
            own = plain.get(export.file, np.zeros((FRAMES, 1)))
            _write(delivery / export.file, export, sum((gain * plain[file] for file, gain in export.inside), own))

        # NumPy and the encoders let the interpreter go: threads are enough to use all cores.
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            mix = pool.submit(_write_mix, delivery / ROUGH_MIX, parts, gains)
            list(pool.map(write_part, EXPORTS))
            mix.result()
        (delivery / NOTES).write_text(f"{TITLE} by {ARTIST}. The rough mix is what we listen to.\n", encoding="utf-8")
        (folder / "planted.json").write_text(json.dumps(planted(), indent=2) + "\n", encoding="utf-8")
    except OSError as error:
        raise CannotWrite(str(folder), Phrase("write.demo", why=error.strerror), Phrase("do.other-folder")) from error
    return delivery


def planted() -> dict[str, object]:
    """What is planted where: faults, near misses and clean files."""
    return {
        "song": TITLE,
        "artist": ARTIST,
        "delivery": FOLDER_NAME,
        "faults": [
            {"file": e.file, "code": code, "action": action, "why": why}
            for e in EXPORTS
            for code, action, why in e.faults
        ],
        "near_misses": [{"file": e.file, "code": code, "why": why} for e in EXPORTS for code, why in e.near_misses],
        "clean": [e.file for e in EXPORTS if not e.faults],
    }


def _gain(samples: Samples, peak_dbfs: float | None) -> float:
    peak = float(np.abs(samples[:FRAMES]).max())
    return 10 ** (peak_dbfs / 20) / peak if peak_dbfs is not None and peak else 1.0


def _write(path: Path, export: Export, samples: Samples) -> None:
    if export.rate_hz != RATE_HZ:
        samples = _resampled(samples, export.rate_hz)
    samples = export.shape(samples)
    if export.bits == 32:
        soundfile.write(path, samples.astype(np.float32), export.rate_hz, subtype="FLOAT")
        return
    used = export.used_bits
    codes = np.clip(np.rint(samples * 2.0 ** (used - 1)), -(2 ** (used - 1)), 2 ** (used - 1) - 1).astype(np.int64)
    soundfile.write(path, (codes << (32 - used)).astype(np.int32), export.rate_hz, subtype="PCM_24")


def _write_mix(path: Path, parts: Mapping[str, Samples], gains: Mapping[str, float]) -> None:
    """The true sum of all parts, tails included, at one gain."""
    total = np.zeros((max(map(len, parts.values())), 2))
    for part, samples in parts.items():
        total += (gains[part] * (1.0 if samples.shape[1] == 2 else np.sqrt(0.5))) * samples
    total *= _gain(total, _MIX_PEAK_DBFS)
    soundfile.write(path, total, RATE_HZ, subtype="PCM_24")
