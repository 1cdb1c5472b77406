"""Words for the question "clipping": Are the tops of the waveform intact?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, duration, level, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _flat(f: Facts, where: str) -> str:
    runs, longest = int(f.number("runs")), int(f.number("longest_run"))
    worst = f.at(f.number("longest_at"))
    if runs == 1:
        return f"1 place {where}, {count(longest, 'sample')} long, at {worst}"
    text = f"{runs} places {where}, {duration(f.number('ms'))} in all, first at {f.first_place}"
    if longest == 1:
        return f"{text}; none is longer than one sample{_together(f)}"
    return f"{text}; the longest is {longest} samples, at {worst}{_together(f)}"


def _together(f: Facts) -> str:
    """The passage that several files share."""
    others = f.number("at_once") - 1
    if others < 1:
        return ""
    return f"; at {f.at(f.number('at_once_frame'))} together with {count(int(others), 'other file')}"


def _baked(f: Facts) -> str:
    return _flat(f, "at full scale")


def _square(f: Facts) -> str:
    return f"flat at full scale for {f.number('share') * 100:.0f} % of the time it sounds"


def _earlier(f: Facts) -> str:
    return _flat(f, f"where the top is flat, all at {decibels(f.number('dbfs'), 'dBFS')}")


def _over(f: Facts) -> str:
    text = f"peaks at {level(f.number('dbfs'))}, first over at {f.first_place}"
    if f.number("flat_tops") > 0:
        return f"{text}; its tops are flat there, and turning it down will not restore them"
    down = f"; {decibels(f.number('set_db'))} down along with all the others, and nothing is lost"
    return f"{text}; the waveform is intact{_together(f)}{down}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "clipping.baked": Wording(
            "Clipped",
            "Clipping in {files}",
            _baked,
            "The tops are gone for good: turning the file down afterwards does not bring them back.",
        ),
        "clipping.earlier": Wording(
            "Flat tops below full scale",
            "{files} has flat tops below full scale",
            _earlier,
            "It looks clipped and then turned down; turning it down does not bring the tops back.",
        ),
        "clipping.over": Wording(
            "Over full scale, but intact",
            "{files} goes over full scale but is intact",
            _over,
            "",
        ),
        "clipping.between-samples": Wording(
            "Over full scale between samples",
            "{files} goes over full scale between its samples",
            lambda f: f"true peak +{signed(f.number('db'), digits=2)} dBTP",
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "clipping.baked": Wording(
            "A square wave at full scale",
            "{files} is a square wave at full scale",
            _square,
            "A wave that is flat in every cycle is a sound, not a fault.",
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
