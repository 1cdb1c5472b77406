"""The plan of a ready copy in words: what happens to each file, what is left out, and what stands in the way."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext
from deep_tally.model.ready import Conflict, Copy, Reason, Step, StepName, Trouble
from deep_tally.reply.action_words import readable
from deep_tally.reply.numbers import decibels, duration, kilohertz, listed, signed

STEP_NAMES: Mapping[StepName, str] = MappingProxyType(
    {
        "place": marked("Put in its place"),
        "join-clips": marked("Join the clips of a part"),
        "pad": marked("Add silence"),
        "trim": marked("Cut off silence"),
        "fold": marked("Make it mono"),
        "keep-side": marked("Keep the side that sounds"),
        "join": marked("Join left and right"),
        "split": marked("Split into two mono files"),
        "headroom": marked("Turn all down together"),
        "balance": marked("Set the level of the rough mix"),
        "dc": marked("Remove the DC offset"),
        "rate": marked("Convert the sample rate"),
        "depth": marked("Change the bit depth"),
        "name": marked("Name it by the plan"),
        "strip-tags": marked("Leave out tempo tags"),
        "submix": marked("Mix several into one"),
    }
)
REASONS: Mapping[Reason, str] = MappingProxyType(
    {
        "unplaced": marked("nothing says where in the song it belongs: place it, and it comes along"),
        "silent": marked("it holds no sound"),
        "damaged": marked("it is damaged, and a copy would look whole"),
        "unchecked": marked("it could not be checked here"),
        "mix-copy": marked("it is a copy of the mix"),
        "group": marked("its members are there"),
        "trigger": marked("it is a trigger and not heard itself"),
        "role": marked("it is not one of the song's parts"),
    }
)
TROUBLES: Mapping[Trouble, str] = MappingProxyType(
    {
        "clash": marked("Two copies would get the name “{name}”: {files}. Give one of them a name of its own."),
        "empty": marked("No name is left for {files}. Give it one."),
        "long": marked("The name “{name}” is too long. Give {files} a shorter one."),
        "over": marked("“{name}” would go over full scale in fixed point. Take the headroom step, or 32 bit float."),
        "kind": marked("FLAC cannot hold “{name}” as it is. Take the depth step, or WAV."),
    }
)
_PLACED_BY: Mapping[str, str] = MappingProxyType(
    {"hand": marked("by hand"), "stamp": marked("by its time stamp"), "mix": marked("by the rough mix")}
)


def step_words(step: Step, copy: Copy) -> str:
    """What one step does to a copy, with its figures: "turned down by 6.0 dB with all others"."""
    return _WORDS[step.name](step, copy)


def copy_words(copy: Copy) -> str:
    """All that happens to a copy, in one line."""
    return "; ".join(step_words(step, copy) for step in copy.steps) or _("copied as it is")


def reason_words(reason: Reason) -> str:
    """Why a file is left out."""
    return _(REASONS[reason])


def conflict_words(conflict: Conflict) -> str:
    """What stands in the way, and what to do."""
    files = listed([_name(path) for path in (*conflict.sources, *conflict.others)])
    return _(TROUBLES[conflict.trouble]).format(name=readable(conflict.name), files=files)


def _name(path: str) -> str:
    return readable(path.rpartition("/")[2])


def _number(step: Step, key: str) -> float:
    value = step.figures.get(key)
    return float(value) if isinstance(value, (int, float)) else 0.0


def _seconds(frames: float, rate_hz: int) -> str:
    return duration(abs(frames) / rate_hz * 1000)


def _place(step: Step, copy: Copy) -> str:
    frames = _number(step, "frames")
    later = _("put {time} later {by}")
    text = later if frames > 0 else _("put {time} earlier {by}")
    by = _(_PLACED_BY[str(step.figures["by"])])
    return text.format(time=_seconds(frames, copy.rate_hz), by=by)


def _around(step: Step, copy: Copy, before: str, after: str, both: str) -> str:
    first, last = (_number(step, key) for key in ("before", "after"))
    text = both if first and last else before if first else after
    return text.format(before=_seconds(first, copy.rate_hz), after=_seconds(last, copy.rate_hz))


def _pad(step: Step, copy: Copy) -> str:
    return _around(
        step,
        copy,
        _("{before} of silence before"),
        _("{after} of silence after"),
        _("{before} of silence before, {after} after"),
    )


def _trim(step: Step, copy: Copy) -> str:
    return _around(
        step,
        copy,
        _("{before} of silence trimmed at its start"),
        _("{after} of silence trimmed at its end"),
        _("{before} of silence trimmed at its start, {after} at its end"),
    )


def _fold(step: Step, copy: Copy) -> str:
    if len(copy.sources) > 1:
        return _("one of two same files")
    pan = _number(step, "pan")
    if abs(pan) < 0.005:
        return _("made mono: both sides are the same")
    where = _("{share} % left") if pan < 0 else _("{share} % right")
    return _("made mono: pan it {where} and turn it up by {gain}").format(
        where=where.format(share=f"{abs(pan) * 100:.0f}"), gain=decibels(_number(step, "pan_gain_db"))
    )


def _keep_side(step: Step, copy: Copy) -> str:
    return _("its left side, as mono") if step.figures["kept"] == "left" else _("its right side, as mono")


def _split(step: Step, copy: Copy) -> str:
    return _("its left side") if step.figures["side"] == "left" else _("its right side")


def _join(step: Step, copy: Copy) -> str:
    return _("joined from {files}").format(files=listed([_name(path) for path in copy.sources]))


def _headroom(step: Step, copy: Copy) -> str:
    return _("turned down by {level} with all others").format(level=decibels(-_number(step, "db")))


def _balance(step: Step, copy: Copy) -> str:
    db = _number(step, "db")
    said = _("set to its level in the rough mix, {level}").format(level=("+" if db > 0 else "") + decibels(db))
    return said if step.figures.get("inverted") != "yes" else _("{said}, inverted").format(said=said)


def _dc(step: Step, copy: Copy) -> str:
    share = signed(_number(step, "share") * 100, digits=2)
    return _("an offset of {share} % removed").format(share=share)


def _rate(step: Step, copy: Copy) -> str:
    rates = (kilohertz(_number(step, key)) for key in ("from_hz", "to_hz"))
    return _("converted from {before} to {after}").format(**dict(zip(("before", "after"), rates, strict=True)))


def _depth(step: Step, copy: Copy) -> str:
    after = _("{bits} bit float") if copy.is_float else _("{bits} bit")
    said = _("saved with {depth}").format(depth=after.format(bits=copy.bits))
    return said if step.figures.get("dither") != "tpdf" else _("{said}, dithered").format(said=said)


def _named(step: Step, copy: Copy) -> str:
    return _("was {name}").format(name=readable(str(step.figures["old"])))


_WORDS: Mapping[StepName, Callable[[Step, Copy], str]] = MappingProxyType(
    {
        "place": _place,
        "join-clips": _join,
        "pad": _pad,
        "trim": _trim,
        "fold": _fold,
        "keep-side": _keep_side,
        "join": _join,
        "split": _split,
        "headroom": _headroom,
        "balance": _balance,
        "dc": _dc,
        "rate": _rate,
        "depth": _depth,
        "name": _named,
        "strip-tags": lambda step, copy: _("without its tempo tags"),
        "submix": _join,
    }
)


def proof_words(*, copies: int, error_dbfs: float, left: int) -> Iterator[str]:
    """What was proved of a copy that is written, a sentence each."""
    if error_dbfs == float("-inf"):
        yield ngettext(
            "The copy was read back: every sample is what the plan says.",
            "All {number} copies were read back: every sample is what the plan says.",
            copies,
        )
    else:
        yield ngettext(
            "The copy was read back: it is off by {level}, which is the rounding.",
            "All {number} copies were read back: they are off by {level} at most, which is the rounding.",
            copies,
            level=decibels(error_dbfs, "dBFS"),
        )
    if left:
        yield ngettext(
            "The same checks still find one thing to fix.",
            "The same checks still find {number} things to fix.",
            left,
        )
    else:
        yield _("The same checks find nothing left to fix.")
