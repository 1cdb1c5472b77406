"""Words for the question "channels": Mono where it is mono, stereo where it is stereo?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.reply.numbers import count, decibels, duration, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _near_mono(f: Facts) -> str:
    if "frames" in f.evidence:
        late = _("the right side is the left side, {samples} ({time}) later")
        early = _("the left side is the right side, {samples} ({time}) later")
        samples = count(abs(int(f.number("frames"))), "sample", "samples")
        text = late if f.number("frames") > 0 else early
        return text.format(samples=samples, time=duration(abs(f.number("ms"))))
    return _("they differ by {level}").format(level=decibels(f.number("db")))


def _pair(f: Facts) -> str:
    together = f.number("level_correlation")
    samples = signed(f.number("correlation"), digits=2)
    if math.isinf(together):
        return _("equally long mono files; sample correlation {samples}").format(samples=samples)
    return _("equally long mono files; level correlation {levels}, sample correlation {samples}").format(
        levels=signed(together, digits=2), samples=samples
    )


def _opposed(f: Facts) -> str:
    loss = -f.number("db")
    low, high = f.number("band_low_hz"), f.number("band_high_hz")
    if math.isinf(low):
        text = _("nothing is left in mono") if math.isinf(loss) else _("{loss} lost in mono")
    elif math.isinf(loss):
        text = _("nothing is left in mono between {low} and {high} Hz")
    else:
        text = _("{loss} lost in mono between {low} and {high} Hz")
    return text.format(loss=decibels(loss), low=f"{low:.0f}", high=f"{high:.0f}")


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.same": Wording(
            marked("Both sides are the same"),
            marked("Both sides of {files} are the same"),
            lambda f: _("a mono sound in a stereo file"),
            "",
        ),
        "channels.panned-mono": Wording(
            marked("Mono sound, panned"),
            marked("{files} is a panned mono sound"),
            lambda f: _("the right side is the left one at {level}").format(level=decibels(f.number("gain_db"))),
            "",
        ),
        "channels.one-side": Wording(
            marked("One side is silent"),
            marked("One side of {files} is silent"),
            lambda f: (
                _("only the left side sounds") if f.evidence.get("side") == "left" else _("only the right side sounds")
            ),
            "",
        ),
        "channels.opposed": Wording(
            marked("The sides cancel in mono"),
            marked("The two sides of {files} cancel in mono"),
            _opposed,
            marked("In mono this part is not heard."),
        ),
        "channels.near-mono": Wording(
            marked("Almost mono"),
            marked("{files} is almost mono"),
            _near_mono,
        ),
        "channels.split-pair": Wording(
            marked("A stereo pair sent as two mono files"),
            marked("These are the two sides of one stereo sound: {files}"),
            _pair,
            "",
        ),
        "channels.pair-same": Wording(
            marked("One mono sound sent as two files"),
            marked("These are named as left and right, but hold the same sound: {files}"),
            lambda f: _("every sample is the same"),
        ),
        "channels.doubles": Wording(
            marked("Played twice, left and right"),
            marked("These are two performances of one part: {files}"),
            lambda f: _("their notes begin {time} apart in the median").format(time=duration(f.number("ms"))),
            marked("Keep them as two mono files, or join them into one stereo file."),
        ),
        "channels.half-pair": Wording(
            marked("One side without the other"),
            marked("{files} is named as one side, and the other side is missing"),
            lambda f: _("named as the left side") if f.evidence["side"] == "left" else _("named as the right side"),
            marked("If it is half of a stereo sound, the other half is missing."),
        ),
        "channels.all-mono": Wording(
            marked("All files are mono, the mix is not"),
            marked("All files are mono, but the rough mix is wide"),
            lambda f: ngettext(
                "{number} mono file, in the middle of the mix",
                "{number} mono files, most of them in the middle of the mix",
                int(f.number("count")),
            ),
            marked("What was stereo is lost in a mono file."),
        ),
        "channels.unrelated": Wording(
            marked("Two different sounds in one stereo file"),
            marked("The two sides of {files} are two different sounds"),
            lambda f: _("sample correlation {samples}, level correlation {levels}").format(
                samples=signed(f.number("correlation"), digits=2),
                levels=signed(f.number("level_correlation"), digits=2),
            ),
        ),
        "channels.many": Wording(
            marked("More than two channels"),
            marked("{files} has more than two channels"),
            lambda f: _("{channels} channels in one file").format(channels=int(f.number("channels"))),
            marked("The channels have no names, so there is no telling which is which."),
        ),
        "channels.to-split": Wording(
            marked("Stereo where two mono files are requested"),
            marked("{files} is one stereo file where two mono files are requested"),
            lambda f: _("both sides in one file"),
            "",
        ),
        "channels.role": Wording(
            marked("Not mono or stereo as requested"),
            marked("{files} is not mono or stereo as requested"),
            lambda f: _("{got}; {wanted} requested for {part}").format(
                got=_(str(f.evidence["came"])), wanted=_(str(f.evidence["wanted"])), part=_(str(f.evidence["part"]))
            ),
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.split-pair": Wording(
            marked("Named as a pair but unrelated"),
            marked("These are named as two sides of a stereo sound but are unrelated: {files}"),
            _pair,
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
