"""How much of what the brief asks was received."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from check.found import came, delivery, peak
from deep_tally.check.coverage import coverage_of
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Role
from tracks import (
    MEASURES,
    RATE,
    ROUGH_MIX,
    SECONDS,
    brief,
    others,
    track,
)


def test_how_many_files_meet_each_line() -> None:
    files = [peak(-2.0), *others(3)]
    found = came(files)
    line = found["peak_window_dbfs"]
    assert (line.met, line.total, line.unit, line.misses, line.is_met) == (3, 4, "file", ("01 Bass.wav",), False)
    assert found["rates"].is_met
    assert (found["needs.rough_mix"].met, found["needs.rough_mix"].unit) == (1, "song")
    assert found["needs.click"].misses == ("Song",)
    assert "rms_window_dbfs" not in found
    assert "parts" not in found


def test_the_window_of_a_line_has_the_same_tolerance_as_the_finding() -> None:
    for dbfs, met in ((-5.0, True), (-4.9, False), (-30.0, True), (-30.1, False)):
        assert came([peak(dbfs)])["peak_window_dbfs"].is_met is met
    asked = brief(rms_window_dbfs=[-21.0, -18.0])
    for dbfs, met in ((-21.0, True), (-21.1, False), (-17.0, True), (-16.9, False)):
        assert came([track(rms_dbfs=dbfs)], brief=asked)["rms_window_dbfs"].is_met is met
    silent = track(first_sound_frame=None, last_sound_frame=None)
    assert not came([silent, *others()])["peak_window_dbfs"].is_met


def test_lines_about_lengths_and_rates() -> None:
    found = came([track(frames=30 * RATE), *others()])
    assert (found["length.equal"].misses, found["length.equal"].met) == (("01 Bass.wav",), 4)
    assert found["length.whole_bars"].is_met
    odd = came(others(4, frames=SECONDS * RATE + 4800), brief=brief(length={"whole_bars": True}))
    assert odd["length.whole_bars"].misses == ("Song",)
    untold = came(others(), facts=SongFacts(title="Song", key="D minor"))
    assert (untold["length.whole_bars"].met, untold["needs.tempo"].met) == (0, 0)
    other_rate = came([track(rate_hz=44_100, frames=SECONDS * 44_100), *others()])
    assert other_rate["rates"].misses == ("01 Bass.wav",)
    asked = came(others(), brief=brief(rates=[44_100]))
    assert (asked["rates"].met, asked["rates"].total) == (0, 4)


def test_what_is_in_a_rough_mix_is_not_counted() -> None:
    assert came([*others(), ROUGH_MIX], mix=False)["peak_window_dbfs"].total == 4
    assert MEASURES.has_sound


def test_each_line_tells_how_many_files_meet_it() -> None:
    files = [
        track("01 Kick.wav", rate_hz=44_100, frames=40 * 44_100),
        track("02 Audio 7.wav", bits=16, bits_in_use=16),
        track("03 Bass.wav", sample_peak_by_channel_dbfs=(-0.2,)),
        track("04 Pad.flac", container="flac", frames=39 * 48_000),
        *others(4),
    ]
    asked = brief(containers=["wav"], parts=[{"part": "kick"}, {"part": "organ"}])
    came = coverage_of(delivery([*files, ROUGH_MIX], asked), asked)
    assert {key: (c.met, c.total) for key, c in came.items() if not c.is_met and c.unit == "file"} == {
        "rates": (7, 8),
        "bits_min": (7, 8),
        "containers": (7, 8),
        "peak_window_dbfs": (7, 8),
        "length.equal": (7, 8),
        "names.generic_words": (7, 8),
    }
    assert came["rates"].misses == ("01 Kick.wav",)
    assert came["peak_window_dbfs"].misses == ("03 Bass.wav",)
    assert (came["parts"].met, came["parts"].total, came["parts"].misses) == (1, 2, ("organ",))
    assert came["needs.rough_mix"].is_met
    assert came["needs.tempo"].is_met
    assert not came["needs.click"].is_met
    assert not any(key.startswith("printed") for key in came)  # no file can show these


def test_an_explained_fault_still_does_not_meet_its_line() -> None:
    clipped = track("01 Kick.wav", sample_peak_by_channel_dbfs=(0.0,))
    came = coverage_of(delivery([clipped, *others()], brief()), brief())
    assert came["peak_window_dbfs"].misses == ("01 Kick.wav",)


FULL = SongFacts(title="Song", tempo_bpm=96.0, key="D minor", artist="Nobody")
COMPANIONS = [track("ref.wav", role=Role.REFERENCE), track("click.wav", role=Role.CLICK)]


@pytest.mark.parametrize(
    ("need", "lacking"),
    [
        ("song", {"facts": replace(FULL, title=None)}),
        ("tempo", {"facts": replace(FULL, tempo_bpm=None)}),
        ("key", {"facts": replace(FULL, key=None)}),
        ("artist", {"facts": replace(FULL, artist=None)}),
        ("rough_mix", {"mix": False}),
        ("references", {"companions": COMPANIONS[1:]}),
        ("click", {"companions": COMPANIONS[:1]}),
        ("stamps", {"time_reference": None}),
    ],
)
def test_each_need_is_met_by_what_it_asks_for_and_by_nothing_else(need: str, lacking: dict[str, Any]) -> None:
    wants = brief(needs=dict.fromkeys(("song", "tempo", "key", "artist", "references", "click", "stamps"), True))
    given: dict[str, Any] = {"facts": FULL, "mix": True, "companions": COMPANIONS, "time_reference": 0}

    def met(facts: SongFacts, mix: bool, companions: list[Track], time_reference: int | None) -> bool:
        files = [*others(time_reference=time_reference), *companions]
        return bool(came(files, brief=wants, facts=facts, mix=mix)[f"needs.{need}"].is_met)

    assert met(**given)
    assert not met(**{**given, **lacking})
