"""Words for the question "rate": One sample rate for all?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import kilohertz, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    edge_words,
)


def _upsampled(f: Facts) -> str:
    return f"{edge_words(f)}; a {kilohertz(f.number('source_rate'))} file ends there"


def _rate(f: Facts) -> str:
    if "common_rate" in f.evidence:
        return f"{kilohertz(f.number('rate'))}, the other files {kilohertz(f.number('common_rate'))}"
    return kilohertz(f.track.format.rate_hz) if f.track and f.track.format else ""


def _off_brief(f: Facts) -> str:
    wanted = listed([kilohertz(float(r)) for r in f.words("wanted")])
    return f"{kilohertz(f.number('rate'))}, asked was {wanted}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "rate.differs": Wording(
            "Another sample rate",
            "{files} has another sample rate",
            _rate,
            "Beside the others it would play at the wrong speed and pitch, or has to be converted.",
        ),
        "rate.off-brief": Wording(
            "Not the asked sample rate",
            "The files are not at the asked sample rate: {files}",
            _off_brief,
            "The session runs at the asked rate.",
        ),
        "rate.upsampled": Wording(
            "Made at a lower sample rate",
            "{files} seems to be converted up from a lower sample rate",
            _upsampled,
            "Converting a finished file up adds no detail; a song made at the lower rate is best mixed there.",
        ),
    }
)
