"""Words for the question "headroom": Is the level in the requested window?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, level, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _level(f: Facts) -> str:
    """The level that is outside its window, and by how much."""
    value = level(f.number("dbfs"))
    return f"{value} RMS" if f.evidence.get("by") == "rms" else f"peaks at {value}"


def _quiet(f: Facts) -> str:
    text = f"{_level(f)}, {decibels(f.number('db'))} below the requested window"
    floor = f.number("floor_dbfs")
    over = f.number("dbfs") - floor
    return text if math.isinf(floor) else f"{text}; {decibels(over)} over its own noise at {decibels(floor, 'dBFS')}"


def _dc(f: Facts) -> str:
    share = f"{signed(f.number('share') * 100, digits=2)} % of full scale"
    if "share_before" in f.evidence:
        return (
            f"at {f.first_place} its DC offset jumps from {signed(f.number('share_before') * 100, digits=2)} to {share}"
        )
    return f"its mean value is {share}"


def _normalised(f: Facts) -> str:
    by = {"peak": "peak", "rms": "RMS level", "loudness": "loudness"}[str(f.finding.evidence.get("by", "peak"))]
    unit = "LUFS" if by == "loudness" else "dBFS"
    same = f"{count(int(f.number('files')), 'file')} share the same {by}, {level(f.number('dbfs'), unit)}"
    return f"{same}; the rough mix shows how loud each of them was" if f.finding.mends else same


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "headroom.hot": Wording(
            "Little headroom",
            "{files} has little headroom",
            lambda f: f"{_level(f)}, {decibels(f.number('db'))} above the requested window",
            "",
        ),
        "headroom.quiet": Wording(
            "Very quiet",
            "{files} is very quiet",
            _quiet,
            "With so few bits left, turning it up brings up the noise too.",
        ),
        "headroom.normalised": Wording(
            "Every file has the same level",
            "Most files have been brought to the same level: {files}",
            _normalised,
            "The balance between the parts is lost.",
        ),
        "headroom.same-peak": Wording(
            "Peaks at exactly the same value",
            "These files peak at exactly the same value: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} peak at exactly {decibels(f.number('dbfs'), 'dBFS')}",
            "A limiter or a safety gain may have acted on just these.",
        ),
        "headroom.shared-ceiling": Wording(
            "Limited to the same ceiling",
            "These files are limited to the same ceiling: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} limited to {decibels(f.number('dbfs'), 'dBFS')}",
            "A limiter on the main output is baked into every export, which shifts the balance between the parts.",
        ),
        "headroom.limited": Wording(
            "Looks limited",
            "{files} looks limited",
            lambda f: (
                f"{f.number('share') * 100:.0f} % of its sounding moments peak within 0.3 dB of the highest peak,"
                f" the loudest with a crest factor of {decibels(f.number('db'))}"
            ),
            "A limiter does that, and so do some programmed sounds.",
        ),
        "headroom.dc": Wording(
            "DC offset",
            "{files} has a DC offset",
            _dc,
            "",
        ),
    }
)
