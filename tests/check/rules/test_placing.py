"""Where short files belong: what shows it, and the one question for all that nothing places."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.found import ASK, FIX, NOTE, SHORT, codes_in, of, related
from deep_tally.model.comparison import Comparison, Contained, MixOf, SumOf, Twin
from deep_tally.model.delivery import Track
from tracks import RATE, SECONDS, brief, findings, others, track

LOST = {"frames": SHORT, "first_sound_frame": RATE, "last_sound_frame": SHORT - RATE}


def clip(path: str = "01 Guitar.wav", **changes: object) -> Track:
    return track(path, **{**LOST, **changes})


def stamped(tracks: list[Track], reference: int) -> list[Track]:
    return [replace(t, format=replace(t.format, time_reference=reference)) for t in tracks if t.format]


def test_all_files_that_nothing_places_are_one_question_and_none_is_padded() -> None:
    (found,) = findings([clip(), clip("06 Harp.wav", frames=20 * RATE, last_sound_frame=15 * RATE), *others()])
    assert (found.code, found.action, found.kind) == ("start.unplaced", ASK, "question")
    assert found.files == ("01 Guitar.wav", "06 Harp.wav")


@pytest.mark.parametrize(("lack_s", "code"), [(2.01, "start.unplaced"), (1.99, "length.short")])
def test_two_seconds_are_clearly_short_where_a_bar_is_longer(lack_s: float, code: str) -> None:
    # 96 BPM: a bar is 2.5 s.
    frames = round((SECONDS - lack_s) * RATE)
    assert codes_in([clip(frames=frames, last_sound_frame=30 * RATE), *others()]) == [code]


@pytest.mark.parametrize(("lack_s", "code"), [(1.01, "start.unplaced"), (0.99, "length.short")])
def test_a_bar_is_clearly_short_where_it_is_shorter(lack_s: float, code: str) -> None:
    frames = round((SECONDS - lack_s) * RATE)
    files = [clip(frames=frames, last_sound_frame=30 * RATE), *others()]
    assert codes_in(files, bpm=240) == [code]


@pytest.mark.parametrize(
    ("lead_s", "bpm", "code"),
    [
        (5.0, 96, "length.short"),  # two bars of 2.5 s
        (4.9, 96, "start.unplaced"),
        (4.0, 240, "length.short"),  # two bars are 2 s: four seconds count
        (3.9, 240, "start.unplaced"),
    ],
)
def test_a_rest_before_the_first_sound_that_no_clip_has(lead_s: float, bpm: float, code: str) -> None:
    assert codes_in([clip(first_sound_frame=round(lead_s * RATE)), *others()], bpm=bpm) == [code]


HOLDERS = {
    "mix": lambda holder: Comparison(mixes=(MixOf(path=holder, members=("01 Guitar.wav",), files=1),)),
    "group": lambda holder: Comparison(sums=(SumOf(path=holder, parts=(("01 Guitar.wav", 0.0),), residual_db=-99),)),
    "held": lambda holder: Comparison(contained=(Contained(path=holder, inner="01 Guitar.wav", gain_db=0),)),
    "copy": lambda holder: Comparison(
        twins=(Twin(path="01 Guitar.wav", other=holder, kind="scaled", gain_db=-3, offset_frames=0, residual_db=-99),)
    ),
}


@pytest.mark.parametrize("kind", HOLDERS)
def test_what_holds_a_file_in_step_places_it(kind: str) -> None:
    longer = others()
    found = related(HOLDERS[kind](longer[0].path), clip(), *longer)
    assert of("start.unplaced", found) == []
    assert [f.action for f in of("length.short", found)] == [FIX]
    # What is a clip itself, or holds it elsewhere, places nothing.
    short = clip("02 Drum.wav")
    again = related(HOLDERS[kind](short.path), clip(), short, *others()[1:])
    assert [set(f.files) for f in of("start.unplaced", again)] == [{"01 Guitar.wav", "02 Drum.wav"}]
    moved = Twin(
        path="01 Guitar.wav", other=longer[0].path, kind="shifted", gain_db=0, offset_frames=9, residual_db=-99
    )
    assert of("start.unplaced", related(Comparison(twins=(moved,)), clip(), *longer))


def test_a_file_that_begins_at_its_sound_is_asked_for_unless_the_mix_holds_it() -> None:
    begins = clip(first_sound_frame=0)
    holder = others()[0].path
    assert of("start.at-sound", related(Comparison(), begins, *others()))
    held = related(HOLDERS["mix"](holder), begins, *others())
    assert (of("start.at-sound", held), [f.action for f in of("length.short", held)]) == ([], [FIX])


def test_the_users_word_and_stamps_place_a_file() -> None:
    files = [clip(), *others()]
    assert [f.code for f in findings(files, places={"01 Guitar.wav": 0})] == ["length.short"]
    assert "start.unplaced" not in [f.code for f in findings(stamped(files, 0))]
    alone = [*stamped([clip()], 0), *others()]
    assert "start.unplaced" in [f.code for f in findings(alone)]


@pytest.mark.parametrize("length", [{"trimmed_ends": True}, {"equal": False}, {"whole_bars": True}])
def test_where_the_brief_lets_files_end_early_nothing_is_asked(length: dict[str, bool]) -> None:
    assert "start.unplaced" not in [f.code for f in findings([clip(), *others()], brief=brief(length=length))]


def test_where_no_length_is_common_the_longest_is_the_song() -> None:
    files = [clip(f"{n} Part{'abcd'[n]}.wav", frames=(20 + n) * RATE, last_sound_frame=19 * RATE) for n in range(4)]
    (lost,) = of("start.unplaced", findings(files))
    assert lost.files == ("0 Parta.wav",)  # 3 s before the longest; the others within two


def test_numbered_clips_of_one_part_are_one_part() -> None:
    clips = [clip(f"Vox clip {n}.wav", rms_dbfs=-30.0 - n) for n in (1, 2, 3)]
    (found,) = of("content.clips", findings([*clips, *others(8)]))
    assert (found.action, found.files) == (NOTE, tuple(c.path for c in clips))
    assert found.evidence == {"part": "Vox", "files": 3, "overlaps": 0}
    assert not of("content.clips", findings([clips[0], *others(8)]))
    whole = [track(f"Tom {n}.wav", rms_dbfs=-30.0 - n) for n in (1, 2)]
    assert not of("content.clips", findings([*whole, *others(8)]))


@pytest.mark.parametrize(("second_s", "overlaps"), [(29, 1), (31, 0)])
def test_stamped_clips_that_overlap_are_said_to(second_s: int, overlaps: int) -> None:
    first, second = stamped([clip("Vox_01.wav")], 0), stamped([clip("Vox_02.wav", rms_dbfs=-30.0)], second_s * RATE)
    (found,) = of("content.clips", findings([*first, *second, *stamped(others(8), 0)]))
    assert found.evidence["overlaps"] == overlaps
