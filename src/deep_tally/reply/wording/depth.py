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
    told = f"only {f.number('bits'):.0f} bits in use"
    if math.isinf(gain) or abs(gain) < 0.05:
        return told
    return f"{told}, {'turned down' if gain < 0 else 'raised'} by {decibels(abs(gain))} afterwards"


def _differs_depth(f: Facts) -> str:
    is_float = f.track is not None and f.track.format is not None and f.track.format.sample_format == "float"
    return f"{f.number('bits'):.0f} bit{' float' if is_float else ''}, most files {f.number('common_bits'):.0f} bit"


_FORMAT_WORDS = {"int": "whole numbers (fixed point)", "float": "32 bit float"}


def _off_format(f: Facts) -> str:
    return f"{_FORMAT_WORDS[str(f.evidence['sample_format'])]}, asked is {_FORMAT_WORDS[str(f.evidence['wanted'])]}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "depth.differs": Wording("Another bit depth", "{files} has another bit depth", _differs_depth),
        "depth.low": Wording(
            "Fewer bits than asked",
            "{files} has fewer bits than asked",
            lambda f: f"{f.number('bits'):.0f} bit, asked are {f.number('wanted_bits'):.0f}",
            "Quiet sounds lose detail that no later step can bring back.",
        ),
        "depth.off-brief": Wording(
            "Not the asked sample format",
            "{files} has another sample format than asked",
            _off_format,
            "In the asked format levels can be kept as they are.",
        ),
        "depth.padded": Wording(
            "Fewer bits in use than the file holds",
            "{files} uses fewer bits than it holds",
            _padded,
            "A file that was 16 bit once stays so, whatever holds it.",
        ),
    }
)
