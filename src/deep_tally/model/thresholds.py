"""Every threshold a check applies, with its default, its unit and where the value comes from.

Measures have fixed definitions; only these numbers can be changed by a brief, so an edited brief
never needs a file read again.
"""

from __future__ import annotations

from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, slots=True, kw_only=True)
class Threshold:
    """One adjustable number: its default value, unit and source."""

    default: float
    unit: str
    source: str


_PRACTICE = "common practice"
_CATALOGUE = "our catalogue"
_MEASURED = "measured on real recordings"
_OURS = "our choice, tried on synthetic sounds"

THRESHOLDS = MappingProxyType(
    {
        "start.at_sound_ms": Threshold(default=10.0, unit="ms", source=_CATALOGUE),
        "start.cut_in_share": Threshold(default=0.1, unit="of the first 100 ms' peak", source=_MEASURED),
        "start.cut_in_floor_dbfs": Threshold(default=-50.0, unit="dBFS", source=_OURS),
        "start.cut_in_jump_db": Threshold(default=10.0, unit="dB over any later step", source=_MEASURED),
        "start.entry_rise_ms": Threshold(default=3.0, unit="ms", source=_OURS),
        "start.click_ms": Threshold(default=10.0, unit="ms", source=_OURS),
        "start.unplaced_s": Threshold(default=2.0, unit="s before the song's end, or a bar", source=_CATALOGUE),
        "start.lead_s": Threshold(default=4.0, unit="s, and two bars", source=_MEASURED),
        "length.tolerance_ms": Threshold(default=10.0, unit="ms", source=_CATALOGUE),
        "length.tail_over_floor_db": Threshold(default=20.0, unit="dB", source=_CATALOGUE),
        "length.tail_cut_dbfs": Threshold(default=-60.0, unit="dBFS", source=_CATALOGUE),
        "length.fade_fall_db": Threshold(default=10.0, unit="dB in 20 ms", source=_OURS),
        "length.idle_tail_s": Threshold(default=30.0, unit="s", source=_CATALOGUE),
        "depth.padded_spare_bits": Threshold(default=4.0, unit="bits", source=_CATALOGUE),
        "depth.quiet_bits": Threshold(default=12.0, unit="bits under the peak", source=_OURS),
        "rate.edge_drop_db": Threshold(default=25.0, unit="dB within 1.25 kHz", source=_MEASURED),
        "rate.upsampled_share": Threshold(default=0.8, unit="of half the rate", source=_CATALOGUE),
        "clipping.baked.run": Threshold(default=3.0, unit="samples", source=_MEASURED),
        "clipping.earlier.tops": Threshold(default=2.0, unit="flat tops", source=_MEASURED),
        "clipping.square_share": Threshold(default=0.5, unit="of the sounding time", source=_OURS),
        "clipping.waveform_share": Threshold(default=0.9, unit="of the sounding 50 ms stretches", source=_OURS),
        "headroom.tolerance_db": Threshold(default=1.0, unit="dB", source=_PRACTICE),
        "headroom.dc_dbfs": Threshold(default=-60.0, unit="dBFS", source=_PRACTICE),
        "headroom.normalised_files": Threshold(default=5.0, unit="files", source=_CATALOGUE),
        "headroom.normalised_peak_db": Threshold(default=0.1, unit="dB", source=_CATALOGUE),
        "headroom.normalised_level_db": Threshold(default=0.3, unit="dB", source=_CATALOGUE),
        "headroom.shared_peak_db": Threshold(default=0.05, unit="dB", source=_OURS),
        "headroom.held_share": Threshold(default=0.5, unit="of the sounding 50 ms stretches", source=_MEASURED),
        "headroom.held_share_dense": Threshold(default=0.3, unit="of the sounding 50 ms stretches", source=_MEASURED),
        "headroom.held_crest_db": Threshold(default=9.0, unit="dB", source=_MEASURED),
        "headroom.held_step_db": Threshold(default=0.25, unit="dB", source=_MEASURED),
        "channels.same_steps": Threshold(default=2.0, unit="steps of the bits in use", source=_MEASURED),
        "channels.scaled_residual_db": Threshold(default=-80.0, unit="dB", source=_MEASURED),
        "channels.near_mono_residual_db": Threshold(default=-30.0, unit="dB", source=_MEASURED),
        "channels.silent_dbfs": Threshold(default=-80.0, unit="dBFS RMS", source=_MEASURED),
        "channels.one_side_db": Threshold(default=60.0, unit="dB between the sides", source=_MEASURED),
        "channels.mono_loss_db": Threshold(default=12.0, unit="dB", source=_CATALOGUE),
        "channels.band_share_db": Threshold(default=-20.0, unit="dB of all bands", source=_OURS),
        "channels.together": Threshold(default=0.5, unit="correlation of levels", source=_OURS),
        "channels.apart": Threshold(default=0.3, unit="correlation of levels", source=_OURS),
        "name.drift_ms": Threshold(default=20.0, unit="ms over the song", source=_OURS),
        "content.gap_ms": Threshold(default=20.0, unit="ms", source=_CATALOGUE),
        "content.gaps_recurring": Threshold(default=20.0, unit="gaps", source=_MEASURED),
        "content.clicks_ms": Threshold(default=10.0, unit="ms of sound in all", source=_OURS),
        "content.leftover_rest_s": Threshold(default=8.0, unit="s", source=_CATALOGUE),
        "length.short_of_mix_s": Threshold(default=2.0, unit="s", source=_OURS),
        "content.level_moved_db": Threshold(default=3.0, unit="dB", source=_CATALOGUE),
        "content.exports_apart_h": Threshold(default=1.0, unit="h", source=_OURS),
    }
)
"""Name in the brief's `thresholds` -> what it is."""
