"""Words for the question "channels": Mono where it is mono, stereo where it is stereo?"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType

from deep_tally.reply.numbers import decibels, duration, signed
from deep_tally.reply.wording.facts import (
    Facts,
    Wording,
)


def _near_mono(f: Facts) -> str:
    if "frames" in f.evidence:
        late = "right" if f.number("frames") > 0 else "left"
        by = f"{abs(f.number('frames')):.0f} samples ({duration(abs(f.number('ms')))})"
        return f"the {late} side is the other one {by} later"
    return f"they differ by {decibels(f.number('db'))}"


def _pair(f: Facts) -> str:
    together = f.number("level_correlation")
    moves = "" if math.isinf(together) else f"their levels move together by {together:.2f} of 1, "
    return f"equally long mono files; {moves}their samples by {signed(f.number('correlation'), digits=2)}"


def _opposed(f: Facts) -> str:
    loss = -f.number("db")
    low, high = f.number("band_low_hz"), f.number("band_high_hz")
    band = "" if math.isinf(low) else f" between {low:.0f} and {high:.0f} Hz"
    if math.isinf(loss):
        return f"in mono they cancel to silence{band}"
    return f"in mono {decibels(loss)} are lost{band}"


WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.same": Wording(
            "Both sides are the same",
            "Both sides of {files} are the same",
            lambda f: "a mono sound in a stereo file",
            "",
            "make it mono",
        ),
        "channels.panned-mono": Wording(
            "A mono sound, panned",
            "{files} is one mono sound, panned",
            lambda f: f"the right side is the left one at {decibels(f.number('gain_db'))}",
            "",
            "make it mono and keep its pan",
        ),
        "channels.one-side": Wording(
            "One side is silent",
            "One side of {files} is silent",
            lambda f: f"only the {f.evidence.get('side')} side sounds",
            "",
            "make it mono",
        ),
        "channels.opposed": Wording(
            "The sides cancel in mono",
            "The two sides of {files} work against each other",
            _opposed,
            "Whoever hears the song in mono does not hear this part.",
        ),
        "channels.near-mono": Wording(
            "The sides hardly differ",
            "The two sides of {files} hardly differ",
            _near_mono,
        ),
        "channels.split-pair": Wording(
            "Left and right came apart",
            "These are the two sides of one stereo sound: {files}",
            _pair,
            "",
            "join them to one stereo file",
        ),
        "channels.unrelated": Wording(
            "Two sounds in one file",
            "The two sides of {files} are two different sounds",
            lambda f: (
                f"their samples move together by {signed(f.number('correlation'), digits=2)} of 1,"
                f" their levels by {signed(f.number('level_correlation'), digits=2)}"
            ),
        ),
        "channels.many": Wording(
            "More than two channels",
            "{files} holds more than two channels",
            lambda f: f"{f.number('channels'):.0f} channels in one file",
            "The channels carry no names, so their places are unknown.",
        ),
        "channels.to-split": Wording(
            "Stereo, where two monos are asked",
            "{files} is one stereo file, where two monos are asked",
            lambda f: "both sides are in one file",
            "",
            "split it into two mono files",
        ),
        "channels.role": Wording(
            "Not mono or stereo as asked",
            "{files} is not mono or stereo as asked",
            lambda f: f"{f.evidence['came']}, asked is {f.evidence['wanted']} for {f.evidence['part']}",
        ),
    }
)

NOTE_WORDINGS: Mapping[str, Wording] = MappingProxyType(
    {
        "channels.split-pair": Wording(
            "Named as a pair, but unrelated",
            "These are named as two sides, but do not move together: {files}",
            _pair,
        ),
    }
)
"""Other words for codes that say something else when they are only a note."""
