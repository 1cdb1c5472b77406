"""What was measured in one file. Levels are dBFS with 0 dBFS = sample value 1.0; silence is -inf.

None means "cannot be said" (loudness of a file shorter than one gating block, correlation of one
channel); NaN never appears.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """Neighbouring samples of one channel that share a condition: `frames` long, from `frame` on."""

    frame: int
    frames: int
    channel: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Runs:
    """All runs of one kind in a file.

    Attributes
    ----------
    lengths : dict of int to int
        How many runs have each length in samples. Nothing is left out here.
    places : tuple of Run
        The longest runs, at most a thousand, in order of time.
    longest : Run or None
        The longest of those; None when all runs are too short to keep a place.
    """

    lengths: dict[int, int] = field(default_factory=dict)
    places: tuple[Run, ...] = ()
    longest: Run | None = None

    def count(self, least: int = 1) -> int:
        """Number of runs of at least `least` samples."""
        return sum(n for length, n in self.lengths.items() if length >= least)

    def samples(self, least: int = 1) -> int:
        """Number of samples in runs of at least `least` samples."""
        return sum(n * length for length, n in self.lengths.items() if length >= least)

    def places_of(self, least: int) -> tuple[Run, ...]:
        """The kept runs of at least `least` samples."""
        return tuple(r for r in self.places if r.frames >= least)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlatTops:
    """Flat tops near the peak that lie at one level: marks of clipping, or of a square wave.

    Attributes
    ----------
    runs : Runs
        The flat tops, each with its length in samples.
    dbfs : float
        Their level; of several channels and polarities the highest.
    share : float
        Of the file's sounding 50 ms stretches, how many hold at least one: near 1 they are the waveform itself.
    corner : float or None
        How the wave leaves them, the median of the longest: 1 a straight line, 2 a parabola; None where none shows it.
    """

    runs: Runs = Runs()
    dbfs: float = -math.inf
    share: float = 0.0
    corner: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ceiling:
    """The extreme value of one channel and polarity, where at least six samples stand at exactly that value.

    Attributes
    ----------
    dbfs : float
    samples, near, touching, close : int
        Samples at it; within 1 % of it; at it beside another; at it with another 16 samples away or nearer, none where
        those follow at one distance, as a tone's do, or where few values lie below it, as steps have.
    corner : float or None
        How the wave leaves it, the median over its runs: 1 a straight line, 2 a parabola; None where no run shows it or
        few values lie below it.
    cycle_share : float
        Of the half-cycles of that polarity that reach a quarter of it, how many touch it.
    runs : Runs
        Runs of samples at it, single ones among them.
    """

    dbfs: float
    samples: int
    near: int
    touching: int
    close: int
    corner: float | None
    cycle_share: float
    runs: Runs = Runs()


@dataclass(frozen=True, slots=True, kw_only=True)
class Gap:
    """A place where sound stops dead and goes on: zeros, a held value, or a repeated block.

    `before_dbfs` and `after_dbfs` are the RMS (AES17) of the 5 ms on both sides.
    """

    frame: int
    frames: int
    kind: Literal["zeros", "held", "repeated"]
    before_dbfs: float
    after_dbfs: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Gaps:
    """All gaps inside sound; `places` holds the first thousand, in order of time."""

    count: int = 0
    places: tuple[Gap, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class EditJump:
    """A sample that leaps away from those around it, in one channel."""

    frame: int
    channel: int


@dataclass(frozen=True, slots=True, kw_only=True)
class EditJumps:
    """Jumps as at edits without a fade; `places` holds the five greatest, in order of time."""

    count: int = 0
    places: tuple[EditJump, ...] = ()


EdgeKind = Literal["plain", "coded", "mirrored"]


@dataclass(frozen=True, slots=True, kw_only=True)
class SpectralEdge:
    """Where the content ends: from `edge_hz` on the spectrum lies `drop_db` lower.

    `kind` says how: a plain end within about a kilohertz; an end as abrupt, complete and steady as a lossy encoder
    leaves it ("coded"); or above it comes the mirror image of what lies below ("mirrored").
    """

    edge_hz: float
    drop_db: float
    kind: EdgeKind = "plain"


@dataclass(frozen=True, slots=True, kw_only=True)
class Spectrum:
    """The long-term spectrum of the loudest moments.

    `levels_db` is float16 [shape=(bins,)], bin k at k * `bin_hz`; 0 dB is a sine at full scale.
    """

    bin_hz: float
    levels_db: NDArray[np.float16] = field(repr=False, compare=False)
    edge: SpectralEdge | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Density:
    """How densely the level sits under the peak.

    Attributes
    ----------
    sounding : int
        Stretches of 50 ms that sound: within 30 dB of the loudest and over -70 dBFS.
    near_peak_share : float
        Of those, how many peak within 0.3 dB of the file's peak.
    near_peak_step_db : float
        Median difference in RMS from each four of those to the next: a limiter holds peaks, a steady synth both.
    crest_db : float or None
        Mean crest factor, peak over plain RMS, of their loudest quarter.
    active_windows : int
        Windows of `window_frames` frames, about 1 ms, whose RMS is over -66 dBFS.
    """

    sounding: int = 0
    near_peak_share: float = 0.0
    near_peak_step_db: float = 0.0
    crest_db: float | None = None
    active_windows: int = 0
    window_frames: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Hum:
    """Mains hum in the quiet passages: its frequency, the level of its tones together, how many stand out."""

    mains_hz: int
    dbfs: float
    tones: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DcOffsetStep:
    """Where the zero line of one channel steps from one value to another, to about half a second."""

    frame: int
    channel: int
    before: float
    after: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ValueGrid:
    """The grid that all values lie on: `step` of full scale 1.0, as `bits` bits at a gain of `gain_db` would give."""

    step: float
    bits: int
    gain_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class BandSides:
    """How the sides relate in one band; `share_db` is its power against that of all bands."""

    low_hz: int
    high_hz: int
    correlation: float
    mono_loss_db: float
    share_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Lag:
    """The right side comes `frames` later than the left; correlation and residual with that taken out."""

    frames: int
    correlation: float
    residual_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Sides:
    """How the two channels of a stereo file relate (METHODS: L, R over the whole file).

    Attributes
    ----------
    correlation : float or None
        Normalised, without removing the mean; None when a side is silent.
    side_to_mid_db : float or None
        Power of (L-R)/2 over power of (L+R)/2; None when both are silent; -inf for equal sides.
    gain_right_over_left : float or None
        The factor g for which g*L fits R best; None when L is silent.
    residual_db : float or None
        What is left of R after that fit, against R: 10 log10(1 - correlation^2).
    mono_loss_db : float or None
        (L+R)^2/2 over L^2+R^2: 0 for equal sides, -3.01 for unrelated ones, -inf for opposed ones.
    greatest_difference, greatest_sum : float
        max |L-R| and max |L+R|, full scale 1.0: near zero for same and for opposed sides.
    bands : tuple of BandSides
        Low, middle and high, at the loudest moments.
    lag : Lag or None
        Measured at the loudest moments, and only where the residual is over -30 dB.
    level_correlation : float or None
        How the levels of the sides move together over stretches of 50 ms; None for short files and steady levels.
    """

    correlation: float | None
    side_to_mid_db: float | None
    gain_right_over_left: float | None
    residual_db: float | None
    mono_loss_db: float | None
    greatest_difference: float
    greatest_sum: float
    bands: tuple[BandSides, ...] = ()
    lag: Lag | None = None
    level_correlation: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundExtent:
    """Where the sound begins and ends, and how.

    Attributes
    ----------
    first_sound_frame, last_sound_frame : int or None
        First and last frame that are sound; None for a file without sound.
    lead_floor_dbfs, tail_floor_dbfs : float
        RMS (AES17) of the steady noise before the first and after the last sound; -inf for digital silence.
    head_dbfs : float
        Peak of the first frame.
    head_peak_dbfs : float
        Peak of the first 100 ms.
    entry_rise_ms : float or None
        Median time the file's other entries out of quiet take to reach 10 % of their peak; None without such entries.
    tail_levels_dbfs : tuple of float
        RMS of the last eight windows of 5 ms, in order of time.
    falls, hard_falls : int
        How often the level fell before the end as far as it would have to fall there, and how often within 15 ms.
    stops : int
        How often the sound stopped dead before the end, from no more than 25 dB under the end.
    fades_to_zero : bool
        The end comes down to digital zero, if only within 2 ms.
    head_jump_db : float or None
        The first sample against the greatest step from one sample to the next in the first 100 ms; None for silence.
    """

    first_sound_frame: int | None
    last_sound_frame: int | None
    lead_floor_dbfs: float
    tail_floor_dbfs: float
    head_dbfs: float
    head_peak_dbfs: float
    entry_rise_ms: float | None
    tail_levels_dbfs: tuple[float, ...]
    falls: int = 0
    hard_falls: int = 0
    stops: int = 0
    fades_to_zero: bool = False
    head_jump_db: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class ClickTempo:
    """Strokes at one interval, and nothing else in the file.

    Attributes
    ----------
    bpm : float
        60 s over the interval; a click on every eighth has twice the song's tempo.
    strokes : int
    first_frame, last_frame : int
        Where the first and the last stroke begin, to within 1 ms (4 ms in files over 8.7 minutes).
    stray_ms : float
        How far the stroke that strays most lies beside its place.
    """

    bpm: float
    strokes: int
    first_frame: int
    last_frame: int
    stray_ms: float


@dataclass(frozen=True, slots=True, kw_only=True)
class OverviewLevel:
    """One level of the pyramid: `bin_frames` frames a bin.

    `low`, `high`, `rms` are float16 [shape=(bins, channels)], full scale 1.0: eleven bits are finer than any screen,
    and a delivery has many files. rms is the plain root of the mean square, not AES17, so that it can be drawn
    against low and high.
    """

    bin_frames: int
    low: NDArray[np.float16]
    high: NDArray[np.float16]
    rms: NDArray[np.float16]


@dataclass(frozen=True, slots=True, kw_only=True)
class Excerpt:
    """A few samples kept for evidence: float32 [shape=(frames, channels)] from `frame` on."""

    frame: int
    samples: NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measures:
    """Every number of one file. See docs/measures.md for the definitions.

    Attributes
    ----------
    frames : int
        How many frames were really read.
    peak_frame : int or None
        Where the sample peak lies.
    bits_in_use : int or None
        Bits that vary over the file; 0 when all samples are zero. Float files: 16 or 24 when every value
        lies on that grid, else 32. None for lossy formats.
    clip_runs : Runs
        Runs at full scale (fixed point only), of any length from 1.
    overs : Runs
        Runs beyond 1.0 (float and lossy only).
    nonfinite : Runs
        Runs of NaN or infinite samples; they are measured as zero.
    bits_set : tuple of int
        For each channel the OR of all its codes, shifted up to 32 bits; empty for float and lossy.
    dc_offset_steady : tuple of bool
        For each channel whether its mean is there throughout, and not that of a few strokes.
    value_grid : ValueGrid or None
        The grid of a file that was given a gain after it was rounded; None where nothing shows one.
    loud_frames : tuple of int
        First frames of the loudest stretches of 4096 frames, at most 64, in order of time.
    flat_tops, gaps, edit_jumps, density, spectrum, hum, dc_offset_step, click_tempo
        See their classes; None where there is nothing of the kind.
    worst_flat_top : Excerpt or None
        The samples around the longest flat top.
    """

    frames: int
    sample_peak_by_channel_dbfs: tuple[float, ...]
    peak_frame: int | None
    true_peak_dbtp: float
    rms_by_channel_dbfs: tuple[float, ...]
    rms_dbfs: float
    crest_db: float | None
    loudness_lufs: float | None
    dc_offset: tuple[float, ...]
    bits_in_use: int | None
    clip_runs: Runs
    overs: Runs
    nonfinite: Runs
    sides: Sides | None
    extent: SoundExtent
    overview: tuple[OverviewLevel, ...] = field(repr=False, compare=False)
    worst_clip: Excerpt | None = field(default=None, repr=False, compare=False)
    bits_set: tuple[int, ...] = ()
    dc_offset_steady: tuple[bool, ...] = ()
    value_grid: ValueGrid | None = None
    loud_frames: tuple[int, ...] = ()
    flat_tops: FlatTops = FlatTops()
    ceiling: Ceiling | None = None
    gaps: Gaps = Gaps()
    edit_jumps: EditJumps = EditJumps()
    density: Density = Density()
    spectrum: Spectrum | None = None
    hum: Hum | None = None
    dc_offset_step: DcOffsetStep | None = None
    click_tempo: ClickTempo | None = None
    worst_flat_top: Excerpt | None = field(default=None, repr=False, compare=False)

    @property
    def sample_peak_dbfs(self) -> float:
        """The highest sample peak of all channels."""
        return max(self.sample_peak_by_channel_dbfs)

    @property
    def has_sound(self) -> bool:
        """Whether anything in the file is more than a floor."""
        return self.extent.first_sound_frame is not None
