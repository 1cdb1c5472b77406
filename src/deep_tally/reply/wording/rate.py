"""Words for the question "rate": One sample rate for all?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked
from deep_tally.reply.numbers import duration, kilohertz, listed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    edge_words,
    requested,
)


def _upsampled(f: Facts) -> str:
    rate = kilohertz(f.number("source_rate"))
    if f.evidence.get("edge") == "mirrored":
        at = kilohertz(f.number("edge_hz"))
        return _("above {at} the spectrum mirrors what lies below, as converting up from {rate} leaves it").format(
            at=at, rate=rate
        )
    return _("{edge}; a {rate} file would end there").format(edge=edge_words(f), rate=rate)


def _speed(f: Facts) -> str:
    if "meant_rate" in f.evidence:
        said, meant = kilohertz(f.number("rate")), kilohertz(f.number("meant_rate"))
        return _("it is labelled {said}, but fits the rough mix at {meant}").format(said=said, meant=meant)
    late_ms = f.number("late_ms")
    text = _("by its end it is {time} late") if late_ms > 0 else _("by its end it is {time} early")
    return text.format(time=duration(abs(late_ms)))


def _rate(f: Facts) -> str:
    if "common_rate" in f.evidence:
        own, others = kilohertz(f.number("rate")), kilohertz(f.number("common_rate"))
        return _("{own}; the other files are {others}").format(own=own, others=others)
    return kilohertz(f.track.format.rate_hz) if f.track and f.track.format else ""


def _off_brief(f: Facts) -> str:
    wanted = listed([kilohertz(float(r)) for r in f.words("wanted")])
    return requested(kilohertz(f.number("rate")), wanted)


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "rate.differs": Wording(
            marked("Different sample rate"),
            marked("{files} has a different sample rate"),
            _rate,
            marked("Next to the others it would play at the wrong speed and pitch, or has to be converted."),
        ),
        "rate.off-brief": Wording(
            marked("Not the requested sample rate"),
            marked("The files are not at the requested sample rate: {files}"),
            _off_brief,
            marked("The session runs at the requested rate."),
        ),
        "rate.upsampled": Wording(
            marked("Made at a lower sample rate"),
            marked("{files} seems to be upsampled from a lower rate"),
            _upsampled,
            marked(
                "Upsampling a finished file adds no detail; a song made at the lower rate is best mixed at that rate."
            ),
        ),
        "rate.wrong-speed": Wording(
            marked("Runs at the wrong speed"),
            marked("{files} does not run at the speed of the rough mix"),
            _speed,
            marked("It drifts out of time with the other files, and is out of tune where that is more than a little."),
        ),
    }
)
