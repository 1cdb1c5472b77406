"""How each part of the demo song is exported: one fault of each main kind, and a near miss beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from deep_tally.demo.song import BAR_S, Samples
from deep_tally.demo.synth import RATE_HZ


@dataclass(frozen=True, slots=True, kw_only=True)
class Export:
    """How one part is exported.

    `bits` 32 means float; `used_bits` fewer bits than the container holds; `shape` changes the samples first;
    `faded_db` is what its fader was moved by after the mix was made. `inside` adds other exports' sound, by their file
    and a gain; without a `part`, that is all there is.
    """

    file: str
    part: str | None
    peak_dbfs: float | None
    inside: tuple[tuple[str, float], ...] = ()
    shape: Callable[[Samples], Samples] = lambda samples: samples
    rate_hz: int = RATE_HZ
    bits: int = 24
    used_bits: int = 24
    faded_db: float = 0.0
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


def _clip_then_turn_down(samples: Samples) -> Samples:
    """Driven 6 dB into a ceiling, then turned down by 7 dB, as a plugin before a fader does."""
    return np.clip(samples * 10 ** (6 / 20), -1.0, 1.0) * 10 ** (-7 / 20)


def _below(edge_hz: float) -> Callable[[Samples], Samples]:
    """Nothing above an edge, as a conversion up or a lossy encoder leaves it."""

    def cut(samples: Samples) -> Samples:
        from scipy.signal import firwin, oaconvolve  # heavy, and only the demo's maker needs it

        taps = firwin(801, edge_hz, fs=RATE_HZ)
        return np.asarray(oaconvolve(samples, taps[:, None], "same", axes=0))

    return cut


def with_gaps(samples: Samples) -> Samples:
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


def _two_bars(samples: Samples) -> Samples:
    """From a little before bar 10 to bar 12, as a clip is cut out of an arrangement."""
    start = round((9 * BAR_S - 0.2) * RATE_HZ)
    clip = samples[start : start + round(2 * BAR_S * RATE_HZ)].copy()
    fade = round(0.5 * RATE_HZ)
    clip[-fade:] *= np.linspace(1, 0, fade)[:, None] ** 2
    return np.concatenate([clip, np.zeros((round(0.3 * RATE_HZ), 1))])


def _compressed(samples: Samples) -> Samples:
    """Four to one over a level that its loudest tenth of seconds exceed."""
    step = RATE_HZ // 100
    peaks = np.abs(samples[: len(samples) // step * step]).max(axis=1).reshape(-1, step).max(axis=1)
    level = np.convolve(peaks, np.ones(8) / 8, "same") + 1e-9
    gain = np.minimum(1.0, (np.quantile(level, 0.5) / level) ** 0.75)
    at = np.arange(len(gain)) * step + step / 2
    return np.asarray(samples * np.interp(np.arange(len(samples)), at, gain)[:, None])


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
        near_misses=(("content.level-moved", "its sound is in another file as well"),),
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
        near_misses=(("start.unplaced", "short, but the mix holds it where it starts"),),
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
        faded_db=-5.0,
        faults=(
            ("content.level-moved", "note", "its fader was moved after the mix was made"),
            ("rate.upsampled", "ask", "made at 22.05 kHz and converted up"),
        ),
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
        shape=with_gaps,
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
        near_misses=(
            ("content.twin", "the same room as on the left, but not the same sound"),
            ("channels.pair-same", "the other side of a stereo sound"),
        ),
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
    Export(
        file="34 Ocarina left.wav",
        part="Ocarina",
        peak_dbfs=-10.1,
        faults=(("channels.pair-same", "fix", "one mono sound sent as left and right"),),
    ),
    Export(
        file="35 Ocarina right.wav",
        part=None,
        peak_dbfs=None,
        inside=(("34 Ocarina left.wav", 1.0),),
        faults=(("channels.pair-same", "fix", "one mono sound sent as left and right"),),
        near_misses=(("content.twin", "the same samples as 34, but as its other side"),),
    ),
    Export(
        file="36 insert 7.wav",
        part="Thumb piano",
        peak_dbfs=-9.2,
        faults=(("name.generic", "ask", "the slot of a mixer, not what plays"),),
    ),
    Export(
        file="37 Bowed saw.wav",
        part="Bowed saw",
        peak_dbfs=-12.2,
        shape=_two_bars,
        faults=(("start.unplaced", "ask", "two bars that could begin anywhere"),),
    ),
    Export(file="38 Drum trigger.wav", part="Drum trigger", peak_dbfs=-1.0),
    Export(
        file="39 Strings bus.wav",
        part=None,
        peak_dbfs=None,
        inside=(("15 Viola.wav", 0.7), ("16 Cello.wav", 0.6), ("33 Drone.wav", 0.5)),
        shape=_compressed,
        faults=(("content.sum-of", "note", "a compressed group beside its members"),),
    ),
)
