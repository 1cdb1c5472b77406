"""Clicks: on the bar, at the song's tempo, to the song's end."""

from __future__ import annotations

import pytest

from check.found import click_until, of, one, said
from deep_tally.check.rules.click import drifts
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    ClickTempo,
)
from tracks import (
    RATE,
    SECONDS,
    codes,
    findings,
    others,
    song_of,
    track,
)


def click(bpm: float, *, first_s: float = 0.0, last_s: float = 34.9) -> Track:
    first, last = round(first_s * RATE), round(last_s * RATE)
    click_tempo = ClickTempo(bpm=bpm, strokes=60, first_frame=first, last_frame=last, stray_ms=0.1)
    return track("Click.wav", role=Role.CLICK, click_tempo=click_tempo)


@pytest.mark.parametrize(("strokes", "quarters"), [(1, 1), (2, 1), (1, 2), (4, 1), (1, 3), (2, 3), (3, 2), (3, 1)])
def test_what_a_click_may_be_struck_on(strokes: int, quarters: int) -> None:
    # 96 quarters a minute; the click plays 0.1 % fast: 40 ms early over 40 s.
    (drift,) = drifts(song_of([click(96.0 * strokes / quarters * 1.001), *others()]))
    assert drift.played_bpm == pytest.approx(96.096)
    assert (drift.ms, drift.over_s) == (pytest.approx(-40.0, abs=0.1), SECONDS)


def test_a_click_at_no_such_tempo_or_at_several_is_not_followed() -> None:
    assert len(list(drifts(song_of([click(96.0 * 1.019), *others()])))) == 1
    assert list(drifts(song_of([click(96.0 * 1.021), *others()]))) == []
    facts = SongFacts(title="Song", key="D minor")
    assert list(drifts(song_of([click(96.0), *others()], facts=facts))) == []


@pytest.mark.parametrize(("first_ms", "found"), [(10.0, False), (10.1, True), (-10.1, True)])
def test_a_click_begins_on_bar_one(first_ms: float, found: bool) -> None:
    early = {"Click.wav": -RATE} if first_ms < 0 else {}
    files = [click(96.0, first_s=first_ms / 1000 + (1.0 if first_ms < 0 else 0.0)), *others()]
    assert ("start.click-off-bar" in codes(files, places=early)) is found


def test_a_click_that_was_placed_is_counted_from_there() -> None:
    # Two bars of 2.5 s later: five seconds.
    found = one("start.click-off-bar", [click(96.0, first_s=0.1), *others()], places={"Click.wav": 5 * RATE})
    assert found.evidence["ms"] == pytest.approx(5100.0)
    assert found.evidence["bars"] == pytest.approx(2.04)
    assert found.evidence["off_ms"] == pytest.approx(100.0)
    assert [p.frame for p in found.places] == [4800]
    on_the_bar = one("start.click-off-bar", [click(96.0, first_s=0.005), *others()], places={"Click.wav": 5 * RATE})
    assert on_the_bar.evidence["off_ms"] == 0.0


@pytest.mark.parametrize(("last_s", "place_s", "found"), [(32.6, 0, False), (32.4, 0, True), (32.4, 1, False)])
def test_a_click_stops_more_than_a_bar_early(last_s: float, place_s: int, found: bool) -> None:
    # The others sound up to 35 s; a bar is 2.5 s.
    files = [click(96.0, last_s=last_s), *others()]
    assert ("length.click-short" in codes(files, places={"Click.wav": place_s * RATE})) is found


def test_a_file_that_was_placed_later_ends_later_than_the_click() -> None:
    files = [click(96.0), *others()]
    assert "length.click-short" not in codes(files)
    assert "length.click-short" in codes(files, places={files[1].path: 3 * RATE})


@pytest.mark.parametrize(
    ("first_s", "told"),
    [
        (0.004, None),
        (2.5, "its first click is on bar 2, 2.5 s after the start"),
        (0.7, "its first click comes 0.7 s after bar 1, not on a bar line"),
    ],
)
def test_a_click_begins_on_bar_one_or_is_reported(first_s: float, told: str | None) -> None:
    found = of("start.click-off-bar", findings([click_until(96.0, first_s=first_s), *others()]))
    assert [said(f, "Click.wav", click_until(96.0)) for f in found] == ([told] if told else [])
    assert all(f.action is Action.NOTE for f in found)


def test_a_click_that_stops_early_is_reported() -> None:
    # the last sound is at 35 s; a bar is 2.5 s
    assert of("length.click-short", findings([click_until(96.0, last_s=33.0), *others()])) == []
    (found,) = of("length.click-short", findings([click_until(96.0, last_s=30.0), *others()]))
    assert (found.action, found.evidence["bars"]) == (Action.NOTE, pytest.approx(2.0, abs=0.01))
