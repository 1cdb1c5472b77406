"""How numbers read, at the edges too."""

from __future__ import annotations

import math

import pytest

from deep_tally.reply.numbers import clock, count, decibels, depth, duration, kilohertz, listed, megabytes


@pytest.mark.parametrize(
    ("value", "text"),
    [(-6.0206, "−6.0 dBFS"), (0.0, "0.0 dBFS"), (-0.04, "0.0 dBFS"), (2.25, "2.2 dBFS"), (-math.inf, "−∞ dBFS")],
)
def test_decibels(value: float, text: str) -> None:
    assert decibels(value, "dBFS") == text


@pytest.mark.parametrize(
    ("seconds", "digits", "text"),
    [
        (0, 1, "0:00.0"),
        (4.1, 1, "0:04.1"),
        (59.99, 1, "0:59.9"),
        (59.99, 0, "0:59"),
        (60, 1, "1:00.0"),
        (720, 3, "12:00.000"),
        (3723.5, 1, "1:02:03.5"),
        (0.3, 1, "0:00.3"),
    ],
)
def test_clock(seconds: float, digits: int, text: str) -> None:
    assert clock(seconds, digits=digits) == text


@pytest.mark.parametrize(
    ("ms", "text"),
    [(0.5, "0.5 ms"), (3, "3 ms"), (42.4, "42 ms"), (900, "0.9 s"), (10_000, "10 s"), (125_000, "2:05 min")],
)
def test_duration(ms: float, text: str) -> None:
    assert duration(ms) == text


def test_rates_depths_and_counts() -> None:
    assert (kilohertz(48_000), kilohertz(44_100), kilohertz(22_050)) == ("48 kHz", "44.1 kHz", "22.05 kHz")
    assert (depth(24, "int"), depth(32, "float"), depth(None, "lossy")) == ("24 bit", "32 bit float", "lossy")
    assert (count(1, "file"), count(2, "file"), count(0, "file")) == ("1 file", "2 files", "0 files")


def test_lists() -> None:
    assert listed([]) == ""
    assert listed(["A"]) == "A"
    assert listed(["A", "B", "C"]) == "A, B and C"
    assert listed(list("ABCDEFGH"), most=3) == "A, B and 6 more"


@pytest.mark.parametrize(
    ("done", "total", "words"),
    [(0, 812_000_000, "0 of 812 MB"), (3_249_000, 8_400_000, "3.2 of 8.4 MB"), (99, 99, "0.0 of 0.0 MB")],
)
def test_megabytes(done: int, total: int, words: str) -> None:
    assert megabytes(done, total) == words
