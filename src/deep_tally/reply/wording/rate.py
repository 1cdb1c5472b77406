"""Words for the question "rate": One sample rate for all?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import duration, kilohertz, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    edge_words,
)


def _upsampled(f: Facts) -> str:
    rate = kilohertz(f.number("source_rate"))
    if f.evidence.get("edge") == "mirrored":
        at = kilohertz(f.number("edge_hz"))
        return f"above {at} the spectrum mirrors what lies below, as converting up from {rate} leaves it"
    return f"{edge_words(f)}; a {rate} file would end there"


def _speed(f: Facts) -> str:
    if "meant_rate" in f.evidence:
        said, meant = kilohertz(f.number("rate")), kilohertz(f.number("meant_rate"))
        return f"it is labelled {said}, but fits the rough mix at {meant}"
    late_ms = f.number("late_ms")
    return f"by its end it is {duration(abs(late_ms))} {'late' if late_ms > 0 else 'early'}"


def _rate(f: Facts) -> str:
    if "common_rate" in f.evidence:
        return f"{kilohertz(f.number('rate'))}; the other files are {kilohertz(f.number('common_rate'))}"
    return kilohertz(f.track.format.rate_hz) if f.track and f.track.format else ""


def _off_brief(f: Facts) -> str:
    wanted = listed([kilohertz(float(r)) for r in f.words("wanted")])
    return f"{kilohertz(f.number('rate'))}; requested: {wanted}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "rate.differs": Wording(
            "Different sample rate",
            "{files} has a different sample rate",
            _rate,
            "Next to the others it would play at the wrong speed and pitch, or has to be converted.",
        ),
        "rate.off-brief": Wording(
            "Not the requested sample rate",
            "The files are not at the requested sample rate: {files}",
            _off_brief,
            "The session runs at the requested rate.",
        ),
        "rate.upsampled": Wording(
            "Made at a lower sample rate",
            "{files} seems to be upsampled from a lower rate",
            _upsampled,
            "Upsampling a finished file adds no detail; a song made at the lower rate is best mixed at that rate.",
        ),
        "rate.wrong-speed": Wording(
            "Runs at the wrong speed",
            "{files} does not run at the speed of the rough mix",
            _speed,
            "It drifts out of time with the other files, and is out of tune where that is more than a little.",
        ),
    }
)
