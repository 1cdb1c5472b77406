"""What words need to know of a finding, and what several questions say alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from deep_tally.model.delivery import Track
from deep_tally.model.findings import EvidenceValue, Finding
from deep_tally.model.language import gettext as _
from deep_tally.model.phrase import worded
from deep_tally.reply.numbers import clock, decibels, decimal, listed, signed


@dataclass(frozen=True, slots=True)
class Facts:
    """One file's part in a finding, with what words need to know of it."""

    finding: Finding
    path: str | None
    track: Track | None
    evidence: Mapping[str, EvidenceValue]

    def number(self, key: str) -> float:
        """A number of the evidence; -inf where it says None."""
        value = self.evidence.get(key)
        return float(value) if isinstance(value, (int, float)) else -math.inf

    def words(self, key: str) -> tuple[str, ...]:
        """A list of words of the evidence."""
        value = self.evidence.get(key)
        return value if isinstance(value, tuple) else ()

    def at(self, frame: float, *, digits: int = 1) -> str:
        """The time of a frame in this file."""
        rate = self.track.format.rate_hz if self.track and self.track.format else 48_000
        return clock(frame / rate, digits=digits)

    @property
    def first_place(self) -> str:
        """The time of the file's first place."""
        frames = [p.frame for p in self.finding.places if p.path == self.path]
        return self.at(min(frames)) if frames else _("the start")


@dataclass(frozen=True, slots=True)
class Wording:
    """Words for one code.

    `headline` stands over the finding beside the file; `about` names the files ("{files}"); `evidence` says
    where and how much; `matter` why it matters, in one line. They are in English: what says them translates them.
    """

    headline: str
    about: str
    evidence: Callable[[Facts], str]
    matter: str = ""


def no_evidence(facts: Facts) -> str:
    return ""


def bars_words(bars: float) -> str:
    """ "2 bars", "1.5 bars", "12.003 bars"."""
    number = decimal(f"{bars:.3f}".rstrip("0").rstrip("."))
    return _("{number} bar").format(number=number) if bars == 1 else _("{number} bars").format(number=number)


def in_bars(f: Facts) -> str:
    bars, beats = f.number("bars"), f.number("beats")
    if math.isinf(bars):
        return ""
    if math.isinf(beats):
        return f", {bars_words(abs(bars))}"
    # What floats lose is no beat: 3.9999 of four beats are a bar.
    whole, rest = math.floor(bars + 1e-4), round(beats, 2)
    rest = 0.0 if whole > math.floor(bars) else rest
    text = [bars_words(whole)] if whole else []
    if rest:
        number = decimal(f"{rest:g}")
        text.append(
            _("{number} beat").format(number=number) if rest == 1 else _("{number} beats").format(number=number)
        )
    return f", {listed(text)}" if text else ""


def partner(f: Facts) -> str:
    return str(f.evidence.get("partner", "")).rpartition("/")[2]


def edge_words(f: Facts) -> str:
    return _("nothing above {edge} kHz, where the level drops by {drop}").format(
        edge=signed(f.number("edge_hz") / 1000), drop=decibels(f.number("db"))
    )


def requested(own: str, wanted: str) -> str:
    """What is there, and what was requested instead."""
    return _("{own}; requested: {wanted}").format(own=own, wanted=wanted)


def missing(f: Facts) -> str:
    return listed([worded(word) for word in f.words("missing")])
