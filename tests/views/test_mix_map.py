"""The map of a mix match without widgets."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.rules.test_in_mix import SET, SPAN, match_of, song_with
from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, Contained, SumOf, Twin
from deep_tally.model.delivery import Delivery, SongSet
from deep_tally.model.findings import Action
from deep_tally.model.mix_match import MixMatch
from deep_tally.reply.mix_words import remainder_words, verdict_words
from deep_tally.views.mix_map import candidates, cell_words, mix_map, span_words
from tracks import RATE, ROUGH_MIX, song_of

FIRST, SECOND = SET[0].path, SET[1].path


def shown(match: MixMatch, **changes: object):  # type: ignore[no-untyped-def]
    song: SongSet = song_with(match, SET, **changes)
    delivery = Delivery(source=ROUGH_MIX.path, name="Song", sets=(song,), findings=tally(song, DEFAULT_BRIEF))  # type: ignore[arg-type]
    found = mix_map(delivery, song)
    assert found is not None
    return found


def test_each_row_says_place_and_level() -> None:
    changes = {
        FIRST: {"start_frames": 10 * RATE, "heard": b"\x00\xff\x80", "matched": b"\x00\xff\x00"},
        SECOND: {"presence": "absent", "t": 0.0},
        SET[2].path: {"presence": "unsure", "t": 6.0},
        SET[3].path: {"other_starts": (RATE,), "is_sure": False},
        SET[4].path: {"start_frames": -RATE},
        SET[5].path: {"is_inverted": True, "left_db": 1.0, "right_db": 1.0},
    }
    found = shown(match_of(SET, changes, mix_levels=(-20.0,) * 3, left_levels=(-60.0,) * 3, cell_s=15.0, spans=(SPAN,)))
    rows = {row.path: row for row in found.rows}
    assert [(r.place, r.level) for r in found.rows] == [
        ("+10.000 s, bar 5", "\N{MINUS SIGN}6.0"),
        ("not in the mix", ""),
        ("cannot tell", ""),
        ("where it was sent, or 1 other place", "\N{MINUS SIGN}6.0"),
        ("\N{MINUS SIGN}1.000 s", "\N{MINUS SIGN}6.0"),
        ("where it was sent", "1.0, inverted"),
    ]
    assert (rows[FIRST].start_s, rows[FIRST].stop_s, rows[FIRST].sent_s) == (10.0, 50.0, 0.0)
    assert rows[SECOND].sent_s is None
    assert rows[FIRST].action is Action.FIX
    assert rows[SECOND].action is Action.NOTE
    assert rows[FIRST].words == "Drum: +10.000 s, bar 5, \N{MINUS SIGN}6.0 dB in the mix, Fix here"
    assert found.usual_db == pytest.approx(-6.0)
    assert found.seconds == 45.0
    assert cell_words(found, rows[FIRST], 0) == "0:00.0: rests"
    assert cell_words(found, rows[FIRST], 1) == "0:15.0: 100 % of what it holds is in the mix"
    assert span_words(found, 0) == "0:10.0 to 0:14.0, 200 to 800 Hz, 9.0 dB under the mix"
    assert found.levels_text().splitlines()[0] == f"{FIRST}\t-6.0"
    assert len(found.levels_text().splitlines()) == 4


def test_a_file_at_another_speed_says_so_and_is_as_long_as_in_the_mix() -> None:
    found = shown(match_of(SET, {FIRST: {"speed": 0.91875}, SECOND: {"speed": 1.0001}}))
    assert [row.place for row in found.rows[:3]] == ["at 91.88 % of its speed", "drifts", "where it was sent"]
    assert found.rows[0].stop_s == pytest.approx(found.rows[2].stop_s / 0.91875)
    assert found.rows[0].action is Action.ASK


def test_files_that_were_not_looked_for_say_why() -> None:
    twin = Twin(path=FIRST, other=SET[2].path, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-140.0)
    group = SumOf(path=SECOND, parts=((SET[2].path, 0.0), (SET[3].path, 0.0)), residual_db=-120.0)
    found = shown(match_of(SET[2:5]), comparison=Comparison(twins=(twin,), sums=(group,)))
    assert [r.place for r in found.rows[:2]] == ["the same sound as another file", "the sum of other files"]
    assert found.rows[5].place == "not looked for"


def test_a_group_whose_parts_are_in_the_mix_is_not_missing() -> None:
    group = Comparison(sums=(SumOf(path=FIRST, parts=((SECOND, 0.0), (SET[2].path, 0.0)), residual_db=-17.0),))
    found = shown(match_of(SET, {FIRST: {"presence": "absent"}}), comparison=group)
    assert found.rows[0].place == "its parts are in the mix"


def test_of_a_wet_and_a_dry_file_it_says_which_is_in_the_mix() -> None:
    wet_and_dry = Comparison(contained=(Contained(path=SECOND, inner=FIRST, gain_db=0.0),))
    found = shown(match_of(SET, {FIRST: {"presence": "absent"}}), comparison=wet_and_dry)
    assert found.rows[0].place == f"not in the mix; {found.rows[1].title} is"
    assert found.rows[0].number == FIRST[:2]


def test_levels_are_not_shown_where_they_cannot_be_judged() -> None:
    found = shown(match_of(SET, verdict="unsure"))
    assert {row.level for row in found.rows} == {""}
    assert found.levels_text() == ""
    assert found.usual_db is None


def test_without_a_match_there_is_no_map() -> None:
    song = song_of(SET)
    assert mix_map(Delivery(source=ROUGH_MIX.path, name="Song", sets=(song,)), song) is None  # type: ignore[arg-type]
    assert candidates(song) == ()


@pytest.mark.parametrize(
    ("verdict", "words", "left"),
    [
        (
            "complete",
            "complete: the files add up to the rough mix, to 30.0 dB below it",
            "nothing in it is without a file",
        ),
        (
            "accounted",
            "6 of 6 files account for the rough mix, to 30.0 dB below it",
            "nothing in it is without a file",
        ),
        (
            "processed",
            "6 of 6 files account for the rough mix through a filter and a moving gain of its own, to 30.0 dB below it",
            "nothing in it is without a file",
        ),
        (
            "unsure",
            "cannot judge: the rough mix holds much that no file has: a loud part, effects or rides"
            " (6 of 6 files are in it, 100 % of it matches)",
            "",
        ),
        ("unrelated", "the rough mix holds none of these files: it is of another song, or of another version", ""),
    ],
)
def test_every_verdict_has_a_sentence(verdict: str, words: str, left: str) -> None:
    match = match_of(SET, verdict=verdict)
    assert verdict_words(match) == words
    assert remainder_words(match) == left
    if match.can_judge:
        assert remainder_words(replace(match, spans=(SPAN, SPAN))) == "2 stretches of it that no file gives"
