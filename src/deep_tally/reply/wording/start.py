"""Words for the question "start": Do all files start together?"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, duration
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    in_bars,
)


def _placed(f: Facts) -> str:
    frames, ms = int(f.number("offset_frames")), f.number("ms")
    way = "later" if frames > 0 else "earlier"
    who = "by the rough mix" if f.evidence.get("by") == "mix" else "as you placed it"
    return f"{count(abs(frames), 'sample')} ({duration(abs(ms))}{in_bars(f)}) {way} than the file's own start, {who}"


def _at_sound(f: Facts) -> str:
    text = f"sounds from the first sample and is {duration(f.number('ms'))} shorter than the others"
    frames = f.evidence.get("offset_frames")
    if not isinstance(frames, (int, float)):
        return text
    who = "the rough mix has it" if f.evidence.get("by") == "mix" else "you placed it"
    return f"{text}; {who} at {f.at(frames, digits=3)}{in_bars(f)} after the start"


def _click_off(f: Facts) -> str:
    bars, off_ms, ms = f.number("bars"), f.number("off_ms"), f.number("ms")
    if off_ms == 0:
        return f"its first click is on bar {round(bars) + 1}, {duration(ms)} after the start"
    return f"its first click comes {duration(abs(ms))} {'after' if ms > 0 else 'before'} bar 1, not on a bar line"


def _stamp(f: Facts) -> str:
    late = f"{duration(f.number('ms'))}{in_bars(f)} ({f.number('offset_frames'):.0f} samples)"
    return f"its time stamp puts it {late} after the earliest one"


def _cut_in(f: Facts) -> str:
    text = f"its first sample is at {decibels(f.number('dbfs'), 'dBFS')} already"
    return f"{text}, {decibels(f.number('db'))} more than any step it takes afterwards" if "db" in f.evidence else text


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "start.at-sound": Wording(
            "Starts at its first sound",
            "{files} starts at its first sound, not at the song's start",
            _at_sound,
            "Without the silence before it, nothing says where in the song it belongs.",
        ),
        "start.offset": Wording(
            "Belongs elsewhere",
            "{files} belongs elsewhere than where it was sent",
            _placed,
            "",
        ),
        "start.click-off-bar": Wording(
            "The click does not begin on bar 1",
            "{files} does not begin on bar 1",
            _click_off,
            "Bars counted from the click are off by that much.",
        ),
        "start.set-at-sound": Wording(
            "All files start at their first sound",
            "Most files start at their own first sound: {files}",
            lambda f: "their lengths differ, so they do not line up",
            "Without the silence before them, nothing says where in the song they belong.",
        ),
        "start.unplaced": Wording(
            "Could begin anywhere",
            "Nothing says where in the song these begin: {files}",
            lambda f: "shorter than the song, and neither a time stamp nor the rough mix places it",
            "If I guessed, a part might play in the wrong place.",
        ),
        "start.stamp-differs": Wording(
            "Placed by its time stamp",
            "{files} carries a time stamp of its own",
            _stamp,
            "",
        ),
        "start.stamp-partial": Wording(
            "No time stamp, unlike the others",
            "{files} without a time stamp, while others carry one",
            lambda f: "the others carry a broadcast-wave time reference",
        ),
        "start.cut-in": Wording(
            "The attack is cut off",
            "The attack is cut off in {files}",
            _cut_in,
            "The first note starts in the middle of its sound.",
        ),
        "start.codec-delay": Wording(
            "Encoder delay at the start",
            "{files} may play late against the others",
            lambda f: (
                f"its encoder put {f.number('frames'):.0f} samples ({duration(f.number('ms'))}) before the sound,"
                " which not every program removes"
            ),
            "It may play that much late against the other parts.",
        ),
    }
)
