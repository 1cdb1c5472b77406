"""Words for the question "channels": Mono where it is mono, stereo where it is stereo?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import count, decibels, duration, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _near_mono(f: Facts) -> str:
    if "frames" in f.evidence:
        late, other = ("right", "left") if f.number("frames") > 0 else ("left", "right")
        by = f"{abs(f.number('frames')):.0f} samples ({duration(abs(f.number('ms')))})"
        return f"the {late} side is the {other} side, {by} later"
    return f"they differ by {decibels(f.number('db'))}"


def _pair(f: Facts) -> str:
    together = f.number("level_correlation")
    moves = "" if math.isinf(together) else f"level correlation {together:.2f}, "
    return f"equally long mono files; {moves}sample correlation {signed(f.number('correlation'), digits=2)}"


def _opposed(f: Facts) -> str:
    loss = -f.number("db")
    low, high = f.number("band_low_hz"), f.number("band_high_hz")
    band = "" if math.isinf(low) else f" between {low:.0f} and {high:.0f} Hz"
    if math.isinf(loss):
        return f"nothing is left in mono{band}"
    return f"{decibels(loss)} lost in mono{band}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.same": Wording(
            "Both sides are the same",
            "Both sides of {files} are the same",
            lambda f: "a mono sound in a stereo file",
            "",
        ),
        "channels.panned-mono": Wording(
            "Mono sound, panned",
            "{files} is a panned mono sound",
            lambda f: f"the right side is the left one at {decibels(f.number('gain_db'))}",
            "",
        ),
        "channels.one-side": Wording(
            "One side is silent",
            "One side of {files} is silent",
            lambda f: f"only the {f.evidence.get('side')} side sounds",
            "",
        ),
        "channels.opposed": Wording(
            "The sides cancel in mono",
            "The two sides of {files} cancel in mono",
            _opposed,
            "In mono this part is not heard.",
        ),
        "channels.near-mono": Wording(
            "Almost mono",
            "{files} is almost mono",
            _near_mono,
        ),
        "channels.split-pair": Wording(
            "A stereo pair sent as two mono files",
            "These are the two sides of one stereo sound: {files}",
            _pair,
            "",
        ),
        "channels.pair-same": Wording(
            "One mono sound sent as two files",
            "These are named as left and right, but hold the same sound: {files}",
            lambda f: "every sample is the same",
        ),
        "channels.doubles": Wording(
            "Played twice, left and right",
            "These are two performances of one part: {files}",
            lambda f: f"their notes begin {duration(f.number('ms'))} apart in the median",
            "Keep them as two mono files, or join them into one stereo file.",
        ),
        "channels.half-pair": Wording(
            "One side without the other",
            "{files} is named as one side, and the other side is missing",
            lambda f: f"named as the {f.evidence['side']} side",
            "If it is half of a stereo sound, the other half is missing.",
        ),
        "channels.all-mono": Wording(
            "All files are mono, the mix is not",
            "All files are mono, but the rough mix is wide",
            lambda f: f"{count(int(f.number('count')), 'mono file')}, most of them in the middle of the mix",
            "What was stereo is lost in a mono file.",
        ),
        "channels.unrelated": Wording(
            "Two different sounds in one stereo file",
            "The two sides of {files} are two different sounds",
            lambda f: (
                f"sample correlation {signed(f.number('correlation'), digits=2)},"
                f" level correlation {signed(f.number('level_correlation'), digits=2)}"
            ),
        ),
        "channels.many": Wording(
            "More than two channels",
            "{files} has more than two channels",
            lambda f: f"{f.number('channels'):.0f} channels in one file",
            "The channels have no names, so there is no telling which is which.",
        ),
        "channels.to-split": Wording(
            "Stereo where two mono files are requested",
            "{files} is one stereo file where two mono files are requested",
            lambda f: "both sides in one file",
            "",
        ),
        "channels.role": Wording(
            "Not mono or stereo as requested",
            "{files} is not mono or stereo as requested",
            lambda f: f"{f.evidence['came']}; {f.evidence['wanted']} requested for {f.evidence['part']}",
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.split-pair": Wording(
            "Named as a pair but unrelated",
            "These are named as two sides of a stereo sound but are unrelated: {files}",
            _pair,
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
