"""Words for the question "start": Do all files start together?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked
from deep_tally.reply.numbers import count, decibels, duration
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    in_bars,
)


def _placed(f: Facts) -> str:
    frames, ms = int(f.number("offset_frames")), f.number("ms")
    who = _("by the rough mix") if f.evidence.get("by") == "mix" else _("as you placed it")
    later = _("{samples} ({time}) later than the file's own start, {who}")
    text = later if frames > 0 else _("{samples} ({time}) earlier than the file's own start, {who}")
    samples = count(abs(frames), "sample", "samples")
    return text.format(samples=samples, time=f"{duration(abs(ms))}{in_bars(f)}", who=who)


def _at_sound(f: Facts) -> str:
    text = _("sounds from the first sample and is {time} shorter than the others").format(time=duration(f.number("ms")))
    frames = f.evidence.get("offset_frames")
    if not isinstance(frames, (int, float)):
        return text
    by_mix = _("the rough mix has it at {time} after the start")
    where = by_mix if f.evidence.get("by") == "mix" else _("you placed it at {time} after the start")
    return f"{text}; {where.format(time=f'{f.at(frames, digits=3)}{in_bars(f)}')}"


def _click_off(f: Facts) -> str:
    bars, off_ms, ms = f.number("bars"), f.number("off_ms"), f.number("ms")
    if off_ms == 0:
        return _("its first click is on bar {bar}, {time} after the start").format(
            bar=round(bars) + 1, time=duration(ms)
        )
    after = _("its first click comes {time} after bar 1, not on a bar line")
    text = after if ms > 0 else _("its first click comes {time} before bar 1, not on a bar line")
    return text.format(time=duration(abs(ms)))


def _stamp(f: Facts) -> str:
    return _("its time stamp puts it {time} ({samples}) after the earliest one").format(
        time=f"{duration(f.number('ms'))}{in_bars(f)}",
        samples=count(int(f.number("offset_frames")), "sample", "samples"),
    )


def _cut_in(f: Facts) -> str:
    level = decibels(f.number("dbfs"), "dBFS")
    if "db" not in f.evidence:
        return _("its first sample is at {level} already").format(level=level)
    return _("its first sample is at {level} already, {more} more than any step it takes afterwards").format(
        level=level, more=decibels(f.number("db"))
    )


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "start.at-sound": Wording(
            marked("Starts at its first sound"),
            marked("{files} starts at its first sound, not at the song's start"),
            _at_sound,
            marked("Without the silence before it, nothing says where in the song it belongs."),
        ),
        "start.offset": Wording(
            marked("Belongs elsewhere"),
            marked("{files} belongs elsewhere than where it was sent"),
            _placed,
            "",
        ),
        "start.click-off-bar": Wording(
            marked("The click does not begin on bar 1"),
            marked("{files} does not begin on bar 1"),
            _click_off,
            marked("Bars counted from the click are off by that much."),
        ),
        "start.set-at-sound": Wording(
            marked("All files start at their first sound"),
            marked("Most files start at their own first sound: {files}"),
            lambda f: _("their lengths differ, so they do not line up"),
            marked("Without the silence before them, nothing says where in the song they belong."),
        ),
        "start.unplaced": Wording(
            marked("Could begin anywhere"),
            marked("Nothing says where in the song these begin: {files}"),
            lambda f: _("shorter than the song, and neither a time stamp nor the rough mix places it"),
            marked("If I guessed, a part might play in the wrong place."),
        ),
        "start.stamp-differs": Wording(
            marked("Placed by its time stamp"),
            marked("{files} carries a time stamp of its own"),
            _stamp,
            "",
        ),
        "start.stamp-partial": Wording(
            marked("No time stamp, unlike the others"),
            marked("{files} without a time stamp, while others carry one"),
            lambda f: _("the others carry a broadcast-wave time reference"),
        ),
        "start.cut-in": Wording(
            marked("The attack is cut off"),
            marked("The attack is cut off in {files}"),
            _cut_in,
            marked("The first note starts in the middle of its sound."),
        ),
        "start.codec-delay": Wording(
            marked("Encoder delay at the start"),
            marked("{files} may play late against the others"),
            lambda f: _("its encoder put {samples} ({time}) before the sound, which not every program removes").format(
                samples=count(int(f.number("frames")), "sample", "samples"), time=duration(f.number("ms"))
            ),
            marked("It may play that much late against the other parts."),
        ),
    }
)
