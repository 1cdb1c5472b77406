"""Names: what they lack, hide, repeat or contradict."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from check.found import (
    ASK,
    FIX,
    NOTE,
    actions_of,
    all_of,
    click_until,
    delivery,
    many_named,
    named,
    of,
    one,
    related,
    said,
)
from deep_tally.model.comparison import Comparison, Contained, Twin
from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from deep_tally.model.measures import (
    ClickTempo,
)
from deep_tally.names.facts import facts_in, read_facts
from tracks import (
    RATE,
    ROUGH_MIX,
    SECONDS,
    brief,
    codes,
    findings,
    others,
    stereo,
    track,
)


def test_one_unknown_word_with_figures_over_three_files() -> None:
    unknown = named("Zorb 1.wav", "Zorb 2.wav", "Zorb 3.wav")
    found = one("name.generic", [*unknown, *others()])
    assert (len(found.files), found.evidence) == (3, {"word": "zorb", "files": 3})
    assert "name.generic" not in codes([*unknown[:2], *others()])
    assert "name.generic" not in codes([*named("Zorb a.wav", "Zorb b.wav", "Zorb c.wav"), *others()])


@pytest.mark.parametrize(("length", "found"), [(48, False), (49, True)])
def test_a_name_as_long_as_the_brief_allows(length: int, found: bool) -> None:
    asked = brief(names={"longest": 48})
    name = "Bass " + "x" * (length - 9) + ".wav"
    assert len(name) == length
    files = [*named(name), *others()]
    assert ("name.long" in codes(files, brief=asked)) is found
    if found:
        assert one("name.long", files, brief=asked).evidence == {"characters_count": 49, "most": 48}


def test_numbers_that_are_missing_and_doubled() -> None:
    found = one("name.number-gap", named("01 Bass.wav", "02 Drum.wav", "05 Horn.wav"))
    assert (found.files, found.evidence) == ((), {"missing": ("3", "4")})
    assert "name.number-gap" not in codes(named("01 Bass.wav", "03 Drum.wav"))
    assert "name.number-gap" not in codes(
        named("01 Bass.wav", "02 Drum.wav", "05 Horn.wav", "Harp.wav", "Oboe.wav", "Lute.wav")
    )
    twice = one("name.number-twice", named("03 Bass.wav", "03 Drum.wav", "04 Horn.wav"))
    assert (len(twice.files), twice.evidence) == (2, {"number": 3})


def test_a_fifth_of_the_names_without_what_the_others_have() -> None:
    files = named("01 Bass.wav", "02 Drum.wav", "03 Horn.wav", "04 Harp.wav", "05 Lute.wav", "Oboe.wav")
    found = one("name.pattern", files)
    assert (found.files, found.evidence) == (("Oboe.wav",), {"pattern": "{number} {part}", "files": 1})
    assert "name.pattern" not in codes(files[1:])  # four of five
    more = named("06 Gong.wav", "07 Viola.wav", "08 Cello.wav", "Choir.wav")
    assert one("name.pattern", [*files, *more]).evidence["files"] == 2
    assert "name.pattern" not in codes([*files, *more[1:]])


def test_of_two_copies_one_is_the_partner() -> None:
    found = one("name.copy-mark", [*named("Bass copy.wav", "Bass (2).wav"), *others()])
    assert (found.files, found.evidence["partner"]) == (("Bass copy.wav", "Bass (2).wav"), "Bass copy.wav")


@pytest.mark.parametrize(
    ("one_bpm", "other_bpm", "differ"),
    [(96.0, 96.5, False), (96.0, 96.6, True), (96.0, 192.4, False), (96.0, 48.0, False), (96.0, 144.0, True)],
)
def test_half_and_double_tempo_are_one(one_bpm: float, other_bpm: float, differ: bool) -> None:
    facts = SongFacts(
        title="Song", tempo_bpm=one_bpm, key="D minor", tempos=(("its name", one_bpm), ("the notes", other_bpm))
    )
    found = [f for f in findings(others(frames=SECONDS * RATE), facts=facts) if f.code == "name.facts-differ"]
    assert bool(found) is differ


@pytest.mark.parametrize(
    ("one_key", "other_key", "differ"),
    [
        ("Db major", "C# major", False),
        ("Bb minor", "A# minor", False),
        ("Bb minor", "B minor", True),
        ("D minor", "D major", True),
    ],
)
def test_flats_and_sharps_are_one_key(one_key: str, other_key: str, differ: bool) -> None:
    keys = (("its name", one_key), ("the notes", other_key))
    facts = SongFacts(title="Song", tempo_bpm=96.0, key=one_key, keys=keys)
    assert ("name.facts-differ" in codes(others(), facts=facts)) is differ


def test_a_side_that_is_longer_than_the_other() -> None:
    files = named("Piano L.wav", "Piano R.wav")
    longer = replace(
        files[1], format=replace(files[1].format, frames=SECONDS * RATE + 481, claimed_frames=SECONDS * RATE + 481)
    )  # type: ignore[type-var]
    found = [f for f in all_of([files[0], longer, *others()]) if f.code == "name.contradicts"]
    assert [(f.files, f.evidence["by"], f.evidence["partner"]) for f in found] == [
        (("Piano R.wav",), "length", "Piano L.wav")
    ]
    assert found[0].evidence["ms"] == pytest.approx(481 / 48)
    assert "name.contradicts" not in codes([*files, *others()])


@pytest.mark.parametrize(
    "name", ["07.wav", "Audio 7.wav", "track_03.wav", "Channel 2 L.wav", "Song 04.wav", "take.wav"]
)
def test_names_that_say_nothing(name: str) -> None:
    (found,) = findings([*named(name), *others()])
    assert (found.code, found.kind) == ("name.generic", "question")


@pytest.mark.parametrize(
    "name", ["Tom 1.wav", "Channel buoy.wav", "Track lead voice.wav", "Bässe.wav", "鼓.wav", "808.wav"]
)
def test_names_that_say_something(name: str) -> None:
    # One Chinese character is a word; a bare number does not say what plays, but this one does (common practice).
    assert set(codes([*named(name), *others()])) <= {"name.no-part"}


@pytest.mark.parametrize("name", ["insert 7", "aux 1", "send 2", "ch 3", "Bounce 2", "Inst 3", "MIDI 12", "x.wav"])
def test_slots_of_a_mixer_and_general_words_say_nothing(name: str) -> None:
    assert "name.generic" in codes([*named(f"{name.removesuffix('.wav')}.wav"), *others()])


@pytest.mark.parametrize(
    ("names", "marked"),
    [
        (["Bass.wav", "Copy of Bass.wav"], "Copy of Bass.wav"),
        (["Bass.wav", "Bass - Copy.wav"], "Bass - Copy.wav"),
        (["Bass.wav", "Bass copy 2.wav"], "Bass copy 2.wav"),
        (["Bass.wav", "Bass_v2.wav"], "Bass_v2.wav"),
        (["Bass.wav", "Bass final_FINAL.wav"], "Bass final_FINAL.wav"),
        (["Bass_v1.wav", "Bass_v2.wav"], "Bass_v2.wav"),
    ],
)
def test_two_versions_of_one_file_are_one_question(names: list[str], marked: str) -> None:
    (found,) = of("name.copy-mark", findings([*many_named(*names), *others(3)]))
    assert (found.action, found.kind, found.files[1]) == (ASK, "question", marked)


@pytest.mark.parametrize(
    ("name", "expected"),
    [("Copy of Bass", [FIX]), ("Bass (1)", [FIX]), ("Bass_v2", []), ("Bass final", []), ("Final", [])],
)
def test_a_version_alone_is_the_current_one(name: str, expected: list[Action]) -> None:
    found = of("name.copy-mark", findings([*named(f"{name}.wav"), *others()]))
    assert [f.action for f in found] == expected


def test_a_number_before_most_names_or_the_tempo_is_no_track_number() -> None:
    assert "name.number-twice" not in codes(
        many_named("96 Bass.wav", "96 Drum.wav", "Horn.wav", "Harp.wav", "Oboe.wav")
    )
    seven = [f"7 {part}.wav" for part in ("Bass", "Drum", "Horn")]
    assert "name.number-twice" not in codes(many_named(*seven, "Harp.wav"))
    assert "name.number-twice" in codes(many_named(*seven[:2], "Horn.wav", "Harp.wav"))


def test_words_that_every_name_carries_do_not_tell_parts_apart() -> None:
    files = named("Salt House 1.wav", "Salt House 2 Voice.wav", "Salt House 3 Bass.wav", "Salt House 4 Drum.wav")
    found = [f for f in findings(files) if f.code == "name.generic"]
    assert [f.files for f in found] == [("Salt House 1.wav",)]


@pytest.mark.parametrize(
    "name", ["Bass?.wav", "Bass:1.wav", "Bass .wav", " Bass.wav", "nul.wav", "Ba\u0308sse.wav", "B\udce4ss.wav"]
)
def test_names_some_system_cannot_store(name: str) -> None:
    assert ("name.characters", FIX) in actions_of([*named(name), *others()])


@pytest.mark.parametrize(
    ("pair", "clash"),
    [
        (("01 Bass.wav", "07 bass.wav"), True),
        (("Bässe.wav", "Ba\u0308sse.wav"), True),
        (("Tom 1.wav", "Tom 2.wav"), False),
        (("a/Bass.wav", "b/Bass.wav"), False),
        (("1-Bass.wav", "2-Bass.flac"), True),
    ],
)
def test_clashes(pair: tuple[str, str], clash: bool) -> None:
    found = [f for f in findings([*named(*pair), *others()]) if f.code == "name.clash"]
    assert [set(f.files) for f in found] == ([set(pair)] if clash else [])


def test_copy_marks_are_mended_or_asked_about() -> None:
    assert actions_of([*named("Bass (1).wav"), *others()]) == [("name.copy-mark", FIX)]
    (found,) = findings([*named("Bass.wav", "Bass copy.wav"), *others()])
    assert (found.code, found.kind, found.evidence["partner"]) == ("name.copy-mark", "question", "Bass.wav")


def test_track_numbers() -> None:
    assert actions_of(named("01 Bass.wav", "02 Drum.wav", "04 Horn.wav", "05 Harp.wav")) == [("name.number-gap", NOTE)]
    assert actions_of(named("01 Bass.wav", "02 Drum.wav", "02 Horn.wav", "03 Harp.wav")) == [("name.number-twice", FIX)]


def test_long_names() -> None:
    assert actions_of([*named("Bass " + "a" * 60 + ".wav"), *others()]) == [("name.long", FIX)]


@pytest.mark.parametrize(
    ("facts", "expected"),
    [
        (SongFacts(), (ASK, ("song", "tempo"))),
        (SongFacts(title="Song", key="D minor"), (ASK, ("tempo",))),
    ],
)
def test_missing_facts(facts: SongFacts, expected: tuple[Action, tuple[str, ...]]) -> None:
    (found,) = (f for f in findings(others(), facts=facts) if f.code == "name.facts-missing")
    assert (found.action, found.evidence["missing"]) == expected
    assert "name.facts-missing" not in codes(others(), facts=SongFacts(title="Song", tempo_bpm=96.0))


def test_twins_absorb_what_their_names_and_holding_say() -> None:
    one, other = track("1 Bass.wav"), track("2 bass.wav")
    twin = Twin(path=other.path, other=one.path, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-150.0)
    found = related(
        Comparison(twins=(twin,), contained=(Contained(path=one.path, inner=other.path, gain_db=0.0),)),
        one,
        other,
        *others(),
    )
    (finding,) = of("content.twin", found)
    assert (finding.action, finding.kind, finding.files) == (Action.ASK, "question", (one.path, other.path))
    assert {a.code for a in finding.consequences} >= {"name.clash"}
    assert of("name.clash", found) == []


def test_a_tempo_stated_differently_is_asked_about() -> None:
    facts = SongFacts(
        title="Song", tempo_bpm=96.0, key="D minor", tempos=(("the folder's name", 96.0), ("the notes", 98.0))
    )
    (finding,) = of("name.facts-differ", findings(others(), facts=facts))
    assert (finding.action, finding.kind) == (Action.ASK, "question")
    assert finding.evidence["stated"] == ("96 BPM in the folder's name", "98 BPM in the notes")
    for same in (96.2, 48.0, 192.0):
        agreeing = replace(facts, tempos=(("the folder's name", 96.0), ("the notes", same)))
        assert of("name.facts-differ", findings(others(), facts=agreeing)) == []


def test_keys_are_one_however_they_are_spelt() -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="C# minor")
    same = replace(facts, keys=(("the folder's name", "C# minor"), ("the MIDI file", "Db minor")))
    assert of("name.facts-differ", findings(others(), facts=same)) == []
    other = replace(facts, keys=(("the folder's name", "C# minor"), ("the MIDI file", "D minor")))
    assert len(of("name.facts-differ", findings(others(), facts=other))) == 1


def test_a_loops_own_tempo_is_not_the_songs() -> None:
    names = ["01 Bass.wav", "02 Loop 120 BPM.wav", "03 Keys.wav"]
    assert [t for _, t in read_facts("Song 96 BPM", names, ()).tempos] == [96.0]
    named = [f"0{n} Part 100 BPM.wav" for n in range(1, 5)]
    assert [t for _, t in read_facts("Song 96 BPM", named, ()).tempos] == [96.0, 100.0]


@pytest.mark.parametrize(
    ("pattern", "stem", "fits"),
    [
        ("{number} {part}", "03 Lute", True),
        ("{number} {part}", "03_Lute low", True),
        ("{number} {part}", "Lute", False),
        ("{song} - {part}", "Salt Road - Lute", True),
        ("{song} - {part}", "Lute", False),
        ("{part} {tempo}", "Lute 96 BPM", True),
        ("{part} {tempo}", "Lute fast", False),
    ],
)
def test_a_name_follows_the_briefs_pattern_or_not(pattern: str, stem: str, fits: bool) -> None:
    found = of("name.pattern", findings([track(f"{stem}.wav")], brief=brief(names={"pattern": pattern})))
    assert [f.action for f in found] == ([] if fits else [Action.FIX])


def test_the_few_without_the_number_that_all_others_have_are_reported() -> None:
    odd = track("Lute extra.wav", sample_peak_by_channel_dbfs=(-17.0,), rms_dbfs=-39.0, loudness_lufs=-40.0)
    (finding,) = of("name.pattern", findings([odd, *others(6)]))
    assert finding.files == (odd.path,)
    assert of("name.pattern", findings([odd, *others(2)])) == []


def test_one_unknown_word_numbered_over_several_files_is_asked_about_once() -> None:
    (found,) = of(
        "name.generic", findings(many_named("Idea 1.wav", "Idea 2.wav", "Idea 3.wav", "Kick.wav", "Bass.wav"))
    )
    assert (len(found.files), found.kind, found.evidence["word"]) == (3, "question", "idea")
    assert of("name.generic", findings(many_named("Idea 1.wav", "Idea 2.wav", "Kick.wav", "Bass.wav"))) == []
    assert of("name.generic", findings(many_named("Vox 1.wav", "Vox 2.wav", "Vox 3.wav", "Bass.wav"))) == []


def test_copies_of_one_name_without_the_first_are_asked_about() -> None:
    found = of("name.copy-mark", findings(many_named("Kick (1).wav", "Kick (2).wav", *("Bass.wav", "Vox.wav"))))
    assert [(f.action, f.files) for f in found] == [(Action.ASK, ("Kick (1).wav", "Kick (2).wav"))]
    (single,) = of("name.copy-mark", findings(many_named("Kick copy.wav", "Bass.wav")))
    assert single.action is Action.FIX


def test_a_name_without_the_sets_beginning_is_reported() -> None:
    songs = [f"Tidewrack_{p}.wav" for p in ("Kick", "Snare", "Bass", "Vox", "Pno")]
    found = of(
        "name.pattern", findings(many_named(*songs, "Harp.wav"), facts=SongFacts(title="Tidewrack", tempo_bpm=96.0))
    )
    assert [f.files for f in found] == [("Harp.wav",)]
    assert found[0].evidence["pattern"] == "tidewrack {part}"
    assert of("name.pattern", findings(many_named(*songs))) == []


def test_a_long_beginning_that_hides_the_part_is_a_note() -> None:
    long = [f"Tidewrack Mira Fell 2031 master session {p}.wav" for p in ("Kick", "Snare", "Bass", "Vox")]
    (found,) = of("name.prefix", findings(many_named(*long)))
    assert (found.action, len(found.files)) == (Action.NOTE, 4)
    assert of("name.prefix", findings(many_named("Kick.wav", "Snare.wav", "Bass.wav"))) == []
    assert of("name.prefix", findings(many_named("TW Kick.wav", "TW Snare.wav", "TW Bass.wav"))) == []


@pytest.mark.parametrize(
    ("made", "says"),
    [
        (stereo("Pad mono.wav"), True),
        (track("Pad stereo.wav"), True),
        (stereo("Pad stereo.wav"), False),
        (track("Pad mono.wav"), False),
        (track("Pad.wav"), False),
    ],
)
def test_mono_and_stereo_in_a_name_are_held_against_the_file(made: Track, says: bool) -> None:
    assert bool(of("name.contradicts", findings([made, *others()]))) is says


def test_the_halves_of_a_pair_have_one_length() -> None:
    halves = [track("Room L.wav"), track("Room R.wav", frames=39 * 48_000)]
    found = findings([*halves, *others()])
    told = [g for f in found for g in (f, *f.consequences) if g.code == "name.contradicts"]
    assert [(f.files, f.evidence["partner"]) for f in told] == [(("Room R.wav",), "Room L.wav")]
    whole = [track("Room L.wav"), track("Room R.wav")]
    assert of("name.contradicts", findings([*whole, *others()])) == []


def test_tempo_and_key_may_differ_between_the_click_the_metadata_and_the_folder() -> None:
    facts = read_facts("Tidewrack 96 BPM", ["a.wav"], ["bpm 98"] * 3, clicks=["Click 97bpm.wav"])
    assert facts.tempos == (("the folder's name", 96.0), ("the click's name", 97.0), ("the files' own notes", 98.0))
    (found,) = of("name.facts-differ", findings(others(), facts=replace(facts, title="Tidewrack", key="D minor")))
    assert len(found.evidence["stated"]) == 3  # type: ignore[arg-type]


def test_the_tempo_a_click_plays_counts_whatever_its_name_says() -> None:
    facts = read_facts("Tidewrack 96 BPM", ["Click.wav"], [], clicks=["Click.wav"], click_tempos_bpm=[99.998])
    assert facts.tempos == (("the folder's name", 96.0), ("the click itself", 100.0))
    assert facts.tempo_bpm == 96.0
    assert read_facts("Tidewrack", [], [], click_tempos_bpm=[99.998]).tempo_bpm == 100.0
    (found,) = of("name.facts-differ", findings(others(), facts=replace(facts, title="Tidewrack", key="D minor")))
    assert found.evidence["stated"] == ("96 BPM in the folder's name", "100 BPM in the click itself")
    eighths = read_facts("Tidewrack 96 BPM", [], [], click_tempos_bpm=[192.01])
    assert of("name.facts-differ", findings(others(), facts=replace(eighths, title="Tidewrack"))) == []


def test_a_clicks_own_tempo_reaches_the_songs_facts() -> None:
    played = ClickTempo(bpm=99.998, strokes=64, first_frame=0, last_frame=1_800_000, stray_ms=0.4)
    shaker = track("Shaker.wav", click_tempo=replace(played, bpm=140.0))
    clicks = [track("Click.wav", role=Role.CLICK, click_tempo=played), shaker]
    (song,) = delivery([*clicks, *others(), ROUGH_MIX], brief()).sets
    assert song.facts.tempos == (("the folder's name", 96.0), ("the click itself", 100.0))


def test_the_artist_is_read_from_notes_and_asked_for_where_needed() -> None:
    assert facts_in("Song: Tidewrack\nArtist: Mira Fell").artist == "Mira Fell"
    needs = brief(needs={"artist": True})
    (found,) = of("name.facts-missing", findings(others(), brief=needs))
    assert found.evidence["missing"] == ("artist",)
    known = SongFacts(title="Song", artist="Mira Fell", tempo_bpm=96.0, key="D minor")
    assert of("name.facts-missing", findings(others(), brief=needs, facts=known)) == []


@pytest.mark.parametrize(
    ("bpm", "drift_ms"),
    [(96.0, None), (96.04, None), (96.06, (96 / 96.06 - 1) * 40_000), (95.9, (96 / 95.9 - 1) * 40_000)],
)
def test_a_click_that_drifts_from_the_stated_tempo_is_asked_about(bpm: float, drift_ms: float | None) -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="D", tempo_from="the folder's name")
    found = of("name.facts-differ", findings([click_until(bpm), *others()], facts=facts))
    assert [f.evidence["ms"] for f in found] == ([pytest.approx(drift_ms)] if drift_ms else [])


@pytest.mark.parametrize("strokes", [192.0, 48.0, 384.0, 64.0, 32.0])
def test_a_click_on_eighths_or_halves_is_the_same_tempo(strokes: float) -> None:
    assert of("name.facts-differ", findings([click_until(strokes), *others()])) == []


def test_how_far_a_click_drifts_is_said_in_milliseconds() -> None:
    facts = SongFacts(
        title="Song",
        tempo_bpm=96.0,
        key="D",
        tempo_from="the folder's name",
        tempos=(("the folder's name", 96.0), ("the click itself", 96.1)),
    )
    (found,) = of("name.facts-differ", findings([click_until(96.1), *others()], facts=facts))
    stated = "96 BPM in the folder's name and 96.1 BPM in the click itself"
    # 40 s x (1 - 96/96.1)
    assert said(found, None) == f"{stated}; over 0:40 the click drifts 42 ms ahead of the song's tempo"


def no_part(*names: str, **options: Any) -> list[tuple[Action, tuple[str, ...]]]:
    return [(f.action, f.files) for f in of("name.no-part", findings(named(*names), **options))]


def test_names_without_a_known_part_are_one_note_and_a_question_where_most_have_none() -> None:
    known = ("Bass.wav", "Kick.wav", "Piano.wav")
    assert no_part(*known) == []
    assert no_part(*known, "Warm Cloud.wav", "Corner.wav") == [(NOTE, ("Warm Cloud.wav", "Corner.wav"))]
    lost = ("Warm Cloud.wav", "Corner.wav", "Glass Moth.wav", "Low Tide.wav")
    assert no_part(*known, *lost) == [(ASK, lost)]
    assert no_part(*known, *lost[:3]) == [(NOTE, lost[:3])]


@pytest.mark.parametrize("name", ["Audio 3.wav", "Drums/Big Moth.wav", "Warm Cloud bus.wav", "Plate Reverb.wav"])
def test_what_says_its_part_elsewhere_or_is_asked_about_already_is_no_unknown_name(name: str) -> None:
    assert no_part("Bass.wav", "Kick.wav", "Piano.wav", name) == []


def test_a_file_that_stands_for_a_requested_part_is_known() -> None:
    asked = brief(parts=[{"part": "moth"}])
    assert no_part("Bass.wav", "Kick.wav", "Piano.wav", "Glass Moth.wav", brief=asked) == []


def test_words_of_another_script_may_say_their_part_well() -> None:
    names = ("ドラム.wav", "ギター.wav", "ピアノ.wav", "歌.wav")
    assert no_part(*names) == [(NOTE, names)]
