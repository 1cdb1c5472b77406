"""The columns of the sheet: their questions, their definitions, the orders they sort in, short words for findings."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from types import MappingProxyType
from typing import Literal

from deep_tally.model.findings import Action, Finding


class Column(enum.IntEnum):
    """The columns, in the order an engineer asks. Start and length are one drawn column with two heads."""

    NAME = 0
    START_LENGTH = 1
    RATE = 2
    DEPTH = 3
    CLIPPING = 4
    HEADROOM = 5
    CHANNELS = 6
    CONTENT = 7


SortBy = Literal["reading", "length", "action", "family"]


QUESTIONS_OF: Mapping[Column, tuple[str, ...]] = MappingProxyType(
    {
        Column.NAME: ("name",),
        Column.START_LENGTH: ("start", "length"),
        Column.RATE: ("rate",),
        Column.DEPTH: ("depth",),
        Column.CLIPPING: ("clipping",),
        Column.HEADROOM: ("headroom",),
        Column.CHANNELS: ("channels",),
        Column.CONTENT: ("content",),
    }
)


SORTS: tuple[tuple[str, Column, SortBy], ...] = (
    ("Name", Column.NAME, "reading"),
    ("Family", Column.NAME, "family"),
    ("Who must act", Column.NAME, "action"),
    ("Start", Column.START_LENGTH, "reading"),
    ("Length", Column.START_LENGTH, "length"),
    ("Rate", Column.RATE, "reading"),
    ("Depth", Column.DEPTH, "reading"),
    ("Clipping", Column.CLIPPING, "reading"),
    ("Headroom", Column.HEADROOM, "reading"),
    ("Sides", Column.CHANNELS, "reading"),
    ("Content", Column.CONTENT, "reading"),
)
"""Ways to sort: words, column, and by what of it."""


DEFINITIONS: Mapping[Column, str] = MappingProxyType(
    {
        Column.NAME: "The file's name inside the delivery. It should say what plays, on every system.",
        Column.START_LENGTH: "Where sound is, on the time axis that all files share. First and last sound: the first"
        " and last frame over the file's own floor (docs/measures.md). The lines mark the common start and end.",
        Column.RATE: "Sample rate in kHz, as the file states it.",
        Column.DEPTH: "Bits of a sample as stored; dark strokes are the bits in use over the whole file.",
        Column.CLIPPING: "Runs of 3 and more samples at full scale (fixed point), or samples beyond full scale (float),"
        " where they lie in the file and how many there are.",
        Column.HEADROOM: "From RMS (AES17: a full-scale sine reads 0 dBFS) to sample peak, both in dBFS; the band is"
        " the window the brief asks for.",
        Column.CHANNELS: "How the two sides relate: a stroke is mono, a loop's width the sides' difference,"
        " a lying stroke sides that cancel.",
        Column.CONTENT: "Whether there is sound in the file, whole and readable.",
    }
)


SHORT_WORDS: Mapping[str, str] = MappingProxyType(
    {
        "start.at-sound": "own start",
        "start.set-at-sound": "own start",
        "start.unplaced": "where?",
        "start.offset": "placed",
        "start.click-off-bar": "off bar 1",
        "start.stamp-differs": "placed by stamp",
        "start.stamp-partial": "no stamp",
        "start.cut-in": "cut in",
        "start.codec-delay": "late by codec",
        "length.short": "short",
        "length.ends-differ": "trimmed",
        "length.tail-room": "no room",
        "length.long": "long",
        "length.tail-cut": "cut",
        "length.set-cut": "cut",
        "length.loop-not-bars": "no bars",
        "length.click-short": "stops early",
        "channels.same": "same",
        "channels.panned-mono": "panned",
        "channels.one-side": "one side",
        "channels.opposed": "cancel",
        "channels.near-mono": "alike",
        "channels.pair-same": "same",
        "channels.split-pair": "a pair",
        "channels.doubles": "doubles",
        "channels.half-pair": "half",
        "channels.unrelated": "apart",
        "channels.many": "many",
        "content.damaged": "damaged",
        "content.unreadable-kind": "other kind",
        "content.empty": "no sound",
        "content.nonfinite": "bad values",
        "content.dropout": "gaps",
        "content.lossy": "lossy",
        "content.lossy-origin": "was lossy",
        "content.twin": "twin",
        "content.holds-another": "two in one",
        "content.sum-of": "a sum",
        "content.two-exports": "other export",
        "content.edit-jump": "a jump",
        "content.import-tags": "tags",
        "content.hum": "hum",
        "content.clips": "a clip",
        "content.leftover": "left over",
        "content.not-in-mix": "not in the mix",
        "rate.wrong-speed": "speed",
        "content.level-moved": "level",
        "content.mix-copy": "a copy",
        "content.several-mixes": "which one?",
    }
)
"""A word or two for the cell; a code without one shows its number there."""


_NOTE_WORDS = {"content.damaged": "odd header", "content.dropout": "gated"}


def short_word(finding: Finding) -> str:
    """The word for a cell; a note on a file that can be read whole does not call it damaged."""
    if finding.action is Action.NOTE and not finding.is_answered and finding.code in _NOTE_WORDS:
        return _NOTE_WORDS[finding.code]
    return SHORT_WORDS.get(finding.code, "")
