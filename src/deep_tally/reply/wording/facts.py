"""What words need to know of a finding, and what several questions say alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from deep_tally.model.delivery import Track
from deep_tally.model.findings import EvidenceValue, Finding
from deep_tally.reply.numbers import clock, decibels, listed, signed


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
        return self.at(min(frames)) if frames else "the start"


@dataclass(frozen=True, slots=True)
class Wording:
    """Words for one code.

    `headline` stands over the finding beside the file; `about` names the files ("{files}"); `evidence` says
    where and how much; `matter` why it matters, in one line.
    """

    headline: str
    about: str
    evidence: Callable[[Facts], str]
    matter: str = ""


def no_evidence(facts: Facts) -> str:
    return ""


def bars_words(bars: float) -> str:
    """ "2 bars", "1.5 bars", "12.003 bars"."""
    return f"{signed(bars, digits=3).rstrip('0').rstrip('.')} {'bar' if bars == 1 else 'bars'}"


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
    text += [f"{rest:g} {'beat' if rest == 1 else 'beats'}"] if rest else []
    return f", {' and '.join(text)}" if text else ""


def partner(f: Facts) -> str:
    return str(f.evidence.get("partner", "")).rpartition("/")[2]


def edge_words(f: Facts) -> str:
    return f"nothing above {f.number('edge_hz') / 1000:.1f} kHz, where the level drops by {decibels(f.number('db'))}"


def missing(f: Facts) -> str:
    return listed(f.words("missing"))
