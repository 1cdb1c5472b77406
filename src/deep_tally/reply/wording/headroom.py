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
    told = f"{_level(f)}, {decibels(f.number('db'))} under the asked window"
    floor = f.number("floor_dbfs")
    return told if math.isinf(floor) else f"{told}; its own noise lies at {decibels(floor, 'dBFS')}"


def _dc(f: Facts) -> str:
    share = f"{signed(f.number('share') * 100, digits=2)} % of full scale"
    if "share_before" in f.evidence:
        return (
            f"at {f.first_place} its zero line steps from {signed(f.number('share_before') * 100, digits=2)} to {share}"
        )
    return f"its mean lies at {share}"


def _normalised(f: Facts) -> str:
    by = {"peak": "peak", "rms": "RMS level", "loudness": "loudness"}[str(f.finding.evidence.get("by", "peak"))]
    unit = "LUFS" if by == "loudness" else "dBFS"
    return f"{count(int(f.number('files')), 'file')} share one {by}, {level(f.number('dbfs'), unit)}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "headroom.hot": Wording(
            "Little headroom",
            "{files} has little headroom",
            lambda f: f"{_level(f)}, {decibels(f.number('db'))} over the asked window",
            "",
            "turn it down, and the others with it, so that the balance stays",
        ),
        "headroom.quiet": Wording(
            "Very quiet",
            "{files} is very quiet",
            _quiet,
            "With so few bits under it, raising it raises the noise with it.",
        ),
        "headroom.normalised": Wording(
            "Every file was set to one level",
            "Most files were set to one level: {files}",
            _normalised,
            "The balance between the parts is lost.",
        ),
        "headroom.same-peak": Wording(
            "Peaks at one and the same value",
            "These files peak at exactly one value: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} peak at exactly {decibels(f.number('dbfs'), 'dBFS')}",
            "Something may have held or moved just these.",
        ),
        "headroom.shared-ceiling": Wording(
            "Held at one ceiling",
            "These files are held at one ceiling: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} are held at {decibels(f.number('dbfs'), 'dBFS')}",
            "A limiter on the main output is printed into every export: it moves each part against the others.",
        ),
        "headroom.limited": Wording(
            "The level is held under its peak",
            "The level of {files} is held under its peak",
            lambda f: (
                f"{f.number('share') * 100:.0f} % of its sounding moments peak within 0.3 dB of its highest,"
                f" the loudest with a crest of {decibels(f.number('db'))}"
            ),
            "A limiter does that, and so does some programmed sound.",
        ),
        "headroom.dc": Wording(
            "Constant offset",
            "{files} carries a constant offset",
            _dc,
            "",
            "take the offset out",
        ),
    }
)
