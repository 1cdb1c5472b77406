"""Words for the question "depth": Enough bits, and are they used?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import decibels
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _padded(f: Facts) -> str:
    gain = f.number("gain_db")
    text = f"only {f.number('bits'):.0f} bits in use"
    if math.isinf(gain) or abs(gain) < 0.05:
        return text
    return f"{text}, {'turned down' if gain < 0 else 'raised'} by {decibels(abs(gain))} after that"


def _differs_depth(f: Facts) -> str:
    is_float = f.track is not None and f.track.format is not None and f.track.format.sample_format == "float"
    return f"{f.number('bits'):.0f} bit{' float' if is_float else ''}; most files are {f.number('common_bits'):.0f} bit"


_FORMAT_WORDS = {"int": "fixed point (integer)", "float": "32 bit float"}


def _off_format(f: Facts) -> str:
    return f"{_FORMAT_WORDS[str(f.evidence['sample_format'])]}; requested: {_FORMAT_WORDS[str(f.evidence['wanted'])]}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "depth.differs": Wording("Different bit depth", "{files} has a different bit depth", _differs_depth),
        "depth.low": Wording(
            "Fewer bits than requested",
            "{files} has fewer bits than requested",
            lambda f: f"{f.number('bits'):.0f} bit; requested: {f.number('wanted_bits'):.0f} bit",
            "Quiet sounds lose detail that nothing can bring back later.",
        ),
        "depth.off-brief": Wording(
            "Not the requested sample format",
            "{files} is not in the requested sample format",
            _off_format,
            "In the requested format, levels can be kept as they are.",
        ),
        "depth.padded": Wording(
            "Fewer bits in use than the file holds",
            "{files} uses fewer bits than it holds",
            _padded,
            "Audio that was once 16 bit stays 16 bit, whatever file it is in.",
        ),
    }
)
