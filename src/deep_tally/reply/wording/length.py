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
    told = f"{f.number('bars'):.3f} bars of {f.evidence.get('meter', '4/4')}"
    if f.number("tempo_bpm") > 0:
        told += f" at {f.number('tempo_bpm'):g} BPM" + (f" ({source})" if source else "")
    changes = int(max(0.0, f.number("changes")))
    return f"{told}, with its {count(changes, 'change')}" if changes else told


def _off_the_bar(f: Facts) -> str:
    ms, frames = f.number("ms"), f.evidence.get("frames")
    if math.isinf(ms):
        return ""
    samples = f", {count(abs(int(frames)), 'sample')}" if isinstance(frames, (int, float)) else ""
    return f"; it ends {duration(abs(ms))}{samples} {'after' if ms > 0 else 'before'} the bar"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "length.short": Wording(
            "Ends before the others",
            "{files} ends before the others",
            lambda f: f"{duration(f.number('ms'))} shorter than the common length",
            "A missing end leaves open whether something is lost.",
            "add silence to the common end",
        ),
        "length.ends-differ": Wording(
            "Silent ends were trimmed",
            "Silent ends were trimmed in {files}",
            lambda f: f"lengths differ by up to {duration(f.number('ms'))}, and every sound has died away",
            "",
            "add silence to the longest one's end",
        ),
        "length.tail-room": Wording(
            "Little room after the last sound",
            "There is little room after the last sound in {files}",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
            "Echoes and reverberation added in the mix need room to end.",
        ),
        "length.long": Wording(
            "Runs past the common end",
            "{files} runs past the common end",
            lambda f: f"{duration(f.number('ms'))} longer than the others",
            "",
            "end it with the others",
        ),
        "length.tail-cut": Wording(
            "Cut off while still sounding",
            "{files} stops while still sounding",
            lambda f: f"at its last sample, {f.first_place}, it still sounds at {decibels(f.number('dbfs'), 'dBFS')}",
            "The end of the last note is missing, and a fade cannot bring it back.",
        ),
        "length.set-cut": Wording(
            "The whole export stops too early",
            "The whole export stops while the music still sounds: {files}",
            lambda f: f"{count(int(f.number('files')), 'file')} end while sounding",
            "The end of the last notes is missing.",
        ),
        "length.not-bars": Wording(
            "No whole number of bars",
            "The common length is no whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "Parts exported to whole bars can be moved and repeated.",
        ),
        "length.loop-not-bars": Wording(
            "No whole number of bars",
            "{files} is no whole number of bars",
            lambda f: f"{_bars_counted(f)}{_off_the_bar(f)}",
            "A file of whole bars carries no tail: what rings on past the bar belongs to the file's next turn.",
        ),
        "length.click-short": Wording(
            "The click stops before the end",
            "{files} stops before the song does",
            lambda f: f"its last stroke is {duration(f.number('ms'))}{in_bars(f)} before the last sound",
        ),
        "length.idle-tail": Wording(
            "Long silence at the end",
            "All files carry a long silence at the end",
            lambda f: f"{duration(f.number('ms'))} after the last sound",
        ),
    }
)
