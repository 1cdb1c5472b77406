"""Words for the question "clipping": Are the tops of the waveform intact?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.reply.numbers import count, decibels, duration, level, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _flat(f: Facts, where: str) -> str:
    runs, longest = int(f.number("runs")), int(f.number("longest_run"))
    worst = f.at(f.number("longest_at"))
    samples = count(longest, "sample", "samples")
    if runs == 1:
        return _("1 place {where}, {samples} long, at {time}").format(where=where, samples=samples, time=worst)
    text = ngettext(
        "{number} place {where}, {length} in all, first at {time}",
        "{number} places {where}, {length} in all, first at {time}",
        runs,
        where=where,
        length=duration(f.number("ms")),
        time=f.first_place,
    )
    if longest == 1:
        none = _("none is longer than one sample")
        return f"{text}; {none}{_together(f)}"
    worst = _("the longest is {samples}, at {time}").format(samples=samples, time=worst)
    return f"{text}; {worst}{_together(f)}"


def _together(f: Facts) -> str:
    """The passage that several files share."""
    others = f.number("at_once") - 1
    if others < 1:
        return ""
    text = ngettext(
        "at {time} together with {number} other file",
        "at {time} together with {number} other files",
        int(others),
        time=f.at(f.number("at_once_frame")),
    )
    return f"; {text}"


def _baked(f: Facts) -> str:
    return _flat(f, _("at full scale"))


def _square(f: Facts) -> str:
    return _("flat at full scale for {share} % of the time it sounds").format(share=f"{f.number('share') * 100:.0f}")


def _earlier(f: Facts) -> str:
    where = _("where the top is flat, all at {level}")
    return _flat(f, where.format(level=decibels(f.number("dbfs"), "dBFS")))


def _over(f: Facts) -> str:
    text = _("peaks at {level}, first over at {time}").format(level=level(f.number("dbfs")), time=f.first_place)
    if f.number("flat_tops") > 0:
        flat = _("its tops are flat there, and turning it down will not restore them")
        return f"{text}; {flat}"
    intact = _("the waveform is intact")
    down = _("{level} down along with all the others, and nothing is lost").format(level=decibels(f.number("set_db")))
    return f"{text}; {intact}{_together(f)}; {down}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "clipping.baked": Wording(
            marked("Clipped"),
            marked("Clipping in {files}"),
            _baked,
            marked("The tops are gone for good: turning the file down afterwards does not bring them back."),
        ),
        "clipping.earlier": Wording(
            marked("Flat tops below full scale"),
            marked("{files} has flat tops below full scale"),
            _earlier,
            marked("It looks clipped and then turned down; turning it down does not bring the tops back."),
        ),
        "clipping.over": Wording(
            marked("Over full scale, but intact"),
            marked("{files} goes over full scale but is intact"),
            _over,
            "",
        ),
        "clipping.between-samples": Wording(
            marked("Over full scale between samples"),
            marked("{files} goes over full scale between its samples"),
            lambda f: _("true peak {level}").format(level=f"+{signed(f.number('db'), digits=2)} dBTP"),
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "clipping.baked": Wording(
            marked("A square wave at full scale"),
            marked("{files} is a square wave at full scale"),
            _square,
            marked("A wave that is flat in every cycle is a sound, not a fault."),
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
