"""Words for the question "length": Are all files equally long?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, duration
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
    in_bars,
)


def _bars_counted(f: Facts) -> str:
    source = f.evidence.get("tempo_from")
    text = f"{f.number('bars'):.3f} bars of {f.evidence.get('meter', '4/4')}"
    if f.number("tempo_bpm") > 0:
        text += f" at {f.number('tempo_bpm'):g} BPM" + (f" ({source})" if source else "")
    changes = int(max(0.0, f.number("changes")))
    return f"{text}, including {count(changes, 'change')}" if changes else text


def _off_the_bar(f: Facts) -> str:
    ms, frames = f.number("ms"), f.evidence.get("frames")
    if math.isinf(ms):
        return ""
    samples = f", {count(abs(int(frames)), 'sample')}" if isinstance(frames, (int, float)) else ""
    return f"; it ends {duration(abs(ms))}{samples} {'after' if ms > 0 else 'before'} the bar line"


def _tail_cut(f: Facts) -> str:
    level = decibels(f.number("dbfs"), "dBFS")
    if f.evidence.get("faded"):
        return f"at {f.first_place} it is faded out within a few milliseconds, from a sound that still rings at {level}"
    return f"at its last sample, {f.first_place}, it still sounds at {level}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "length.short": Wording(
            "Ends before the others",
            "{files} ends before the others",
            lambda f: f"{duration(f.number('ms'))} shorter than the common length",
            "Without the end there is no telling whether something is missing.",
        ),
        "length.ends-differ": Wording(
            "Silent ends were trimmed",
            "Silent ends were trimmed in {files}",
            lambda f: f"lengths differ by up to {duration(f.number('ms'))}, and every sound has died away",
            "",
        ),
        "length.tail-room": Wording(
            "Too little room after the last sound",
            "There is too little room after the last sound in {files}",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
            "Delays and reverb added in the mix need room to ring out.",
        ),
        "length.long": Wording(
            "Runs past the common end",
            "{files} runs past the common end",
            lambda f: f"{duration(f.number('ms'))} longer than the others",
            "",
        ),
        "length.tail-cut": Wording(
            "Cut off while still sounding",
            "{files} stops while still sounding",
            _tail_cut,
            "The end of the last note is missing, and a fade cannot bring it back.",
        ),
        "length.set-cut": Wording(
            "The whole export stops too early",
            "The whole export stops while the music still sounds: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} end while sounding",
            "The end of the last notes is missing.",
        ),
        "length.not-bars": Wording(
            "Not a whole number of bars",
            "The common length is not a whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "Parts exported to whole bars can be moved and repeated.",
        ),
        "length.loop-not-bars": Wording(
            "Not a whole number of bars",
            "{files} is not a whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "A loop of whole bars repeats cleanly; one of another length drifts with every repeat.",
        ),
        "length.click-short": Wording(
            "The click stops before the end",
            "{files} stops before the song does",
            lambda f: f"its last click is {duration(f.number('ms'))}{in_bars(f)} before the last sound",
        ),
        "length.set-short-of-mix": Wording(
            "The files end before the mix does",
            "All files end before the rough mix does",
            lambda f: f"the mix sounds on for {duration(f.number('ms'))} after the last file has ended",
            "Whatever plays there is missing.",
        ),
        "length.set-past-mix": Wording(
            "Sounds on after the mix has ended",
            "{files} sounds on after the rough mix has ended",
            lambda f: f"{count(int(f.number('count')), 'file')} after the mix's end",
        ),
        "length.idle-tail": Wording(
            "Long silence at the end",
            "All files end with a long silence",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
        ),
    }
)
