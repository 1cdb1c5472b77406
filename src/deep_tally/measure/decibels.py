"""Ratios and levels in decibels. Silence is -inf; nothing here gives NaN."""

from __future__ import annotations

import math

SINE_CREST_DB = 10 * math.log10(2)
"""A full-scale sine reads 0.00 dBFS RMS after AES17: 3.01 dB more than its plain RMS."""


def amplitude_db(ratio: float) -> float:
    """20 log10 of an amplitude; -inf for zero."""
    return 20 * math.log10(ratio) if ratio > 0 else -math.inf


def power_db(ratio: float) -> float:
    """10 log10 of a power; -inf for zero."""
    return 10 * math.log10(ratio) if ratio > 0 else -math.inf


def rms_dbfs(mean_square: float) -> float:
    """RMS level after AES17-2020, 3.12.3: the mean square of a full-scale sine is 0 dBFS."""
    return power_db(mean_square) + SINE_CREST_DB


def amplitude(level_db: float) -> float:
    """The amplitude of a level; 0 for -inf."""
    return float(10.0 ** (level_db / 20))
