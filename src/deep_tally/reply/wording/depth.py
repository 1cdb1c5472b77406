"""Words for the question "depth": Enough bits, and are they used?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked
from deep_tally.reply.numbers import decibels, depth
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    requested,
)


def _padded(f: Facts) -> str:
    gain = f.number("gain_db")
    bits = int(f.number("bits"))
    if math.isinf(gain) or abs(gain) < 0.05:
        return _("only {bits} bits in use").format(bits=bits)
    down = _("only {bits} bits in use, turned down by {level} after that")
    text = down if gain < 0 else _("only {bits} bits in use, raised by {level} after that")
    return text.format(bits=bits, level=decibels(abs(gain)))


def _differs_depth(f: Facts) -> str:
    is_float = f.track is not None and f.track.format is not None and f.track.format.sample_format == "float"
    own = depth(int(f.number("bits")), "float" if is_float else "int")
    return _("{own}; most files are {common} bit").format(own=own, common=int(f.number("common_bits")))


_FORMAT_WORDS = {"int": marked("fixed point (integer)"), "float": marked("32 bit float")}


def _off_format(f: Facts) -> str:
    own, wanted = (_(_FORMAT_WORDS[str(f.evidence[key])]) for key in ("sample_format", "wanted"))
    return requested(own, wanted)


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "depth.differs": Wording(
            marked("Different bit depth"), marked("{files} has a different bit depth"), _differs_depth
        ),
        "depth.low": Wording(
            marked("Fewer bits than requested"),
            marked("{files} has fewer bits than requested"),
            lambda f: requested(depth(int(f.number("bits")), "int"), depth(int(f.number("wanted_bits")), "int")),
            marked("Quiet sounds lose detail that nothing can bring back later."),
        ),
        "depth.off-brief": Wording(
            marked("Not the requested sample format"),
            marked("{files} is not in the requested sample format"),
            _off_format,
            marked("In the requested format, levels can be kept as they are."),
        ),
        "depth.padded": Wording(
            marked("Fewer bits in use than the file holds"),
            marked("{files} uses fewer bits than it holds"),
            _padded,
            marked("Audio that was once 16 bit stays 16 bit, whatever file it is in."),
        ),
    }
)
