"""What names say against what plays, and what was asked against what came: no audio is read."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import pytest

from deep_tally.check.assess import assess, in_asked_roles
from deep_tally.check.coverage import coverage_of
from deep_tally.check.registry import tally
from deep_tally.intake.facts import facts_in, read_facts
from deep_tally.model.brief import Brief
from deep_tally.model.comparison import Comparison, Pair
from deep_tally.model.delivery import Delivery, SongFacts, Track
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import Pulse
from deep_tally.session.brief_library import shipped_briefs
from tracks import ROUGH_MIX, brief, codes, findings, intake_of, others, song_of, stereo, track


def of(code: str, found: Iterable[Finding]) -> list[Finding]:
    return [f for f in found if f.code == code]


def named(*names: str, **changes: object) -> list[Track]:
    levels = [{"sample_peak_by_channel_dbfs": (-9.0 - i / 3,), "rms_dbfs": -20.0 - 1.3 * i} for i in range(len(names))]
    return [track(n, **{**level, **changes}) for n, level in zip(names, levels, strict=True)]


# -- names ------------------------------------------------------------------------------------


def test_one_unknown_word_numbered_over_several_files_is_asked_about_once() -> None:
    (found,) = of("name.generic", findings(named("Idea 1.wav", "Idea 2.wav", "Idea 3.wav", "Kick.wav", "Bass.wav")))
    assert (len(found.files), found.kind, found.evidence["word"]) == (3, "question", "idea")
    assert of("name.generic", findings(named("Idea 1.wav", "Idea 2.wav", "Kick.wav", "Bass.wav"))) == []
    assert of("name.generic", findings(named("Vox 1.wav", "Vox 2.wav", "Vox 3.wav", "Bass.wav"))) == []


def test_copies_of_one_name_without_the_first_are_asked_about() -> None:
    found = of("name.copy-mark", findings(named("Kick (1).wav", "Kick (2).wav", *("Bass.wav", "Vox.wav"))))
    assert [(f.action, f.files) for f in found] == [(Action.ASK, ("Kick (1).wav", "Kick (2).wav"))]
    (single,) = of("name.copy-mark", findings(named("Kick copy.wav", "Bass.wav")))
    assert single.action is Action.FIX


def test_a_name_without_the_sets_beginning_is_told() -> None:
    songs = [f"Tidewrack_{p}.wav" for p in ("Kick", "Snare", "Bass", "Vox", "Pno")]
    found = of("name.pattern", findings(named(*songs, "Harp.wav"), facts=SongFacts(title="Tidewrack", tempo_bpm=96.0)))
    assert [f.files for f in found] == [("Harp.wav",)]
    assert found[0].evidence["pattern"] == "tidewrack {part}"
    assert of("name.pattern", findings(named(*songs))) == []


def test_a_long_beginning_that_hides_the_part_is_a_note() -> None:
    long = [f"Tidewrack Mira Fell 2031 master session {p}.wav" for p in ("Kick", "Snare", "Bass", "Vox")]
    (found,) = of("name.prefix", findings(named(*long)))
    assert (found.action, len(found.files)) == (Action.NOTE, 4)
    assert of("name.prefix", findings(named("Kick.wav", "Snare.wav", "Bass.wav"))) == []
    assert of("name.prefix", findings(named("TW Kick.wav", "TW Snare.wav", "TW Bass.wav"))) == []


def silent(path: str) -> Track:
    return track(path, first_sound_frame=None, last_sound_frame=None, rms_dbfs=-120.0)


def test_a_voice_without_sound_is_one_finding_with_the_names_word_under_it() -> None:
    found = findings([silent("Lead Vox.wav"), *others()])
    (empty,) = of("content.empty", found)
    assert [(f.code, f.evidence["part"]) for f in empty.consequences] == [("name.contradicts", "lead voice")]
    assert of("name.contradicts", found) == []
    (plain,) = of("content.empty", findings([silent("Thing.wav"), *others()]))
    assert plain.consequences == ()


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


def test_a_name_or_a_brief_that_expects_stereo_makes_a_silent_side_a_question() -> None:
    def one_side(path: str) -> Track:
        return stereo(path, levels=(-20.0, -120.0))

    (mended,) = of("channels.one-side", findings([one_side("Pad.wav"), *others()]))
    assert mended.action is Action.FIX
    (asked,) = of("channels.one-side", findings([one_side("Pad stereo.wav"), *others()]))
    assert (asked.action, asked.kind) == (Action.ASK, "question")
    wants = brief(parts=[{"part": "pad", "channels": 2}])
    (asked,) = of("channels.one-side", findings([one_side("Pad.wav"), *others()], brief=wants))
    assert asked.kind == "question"


def test_tempo_and_key_may_differ_between_the_click_the_metadata_and_the_folder() -> None:
    facts = read_facts("Tidewrack 96 BPM", ["a.wav"], ["bpm 98"] * 3, clicks=["Click 97bpm.wav"])
    assert facts.tempos == (("the folder's name", 96.0), ("the click's name", 97.0), ("the files' own notes", 98.0))
    (found,) = of("name.facts-differ", findings(others(), facts=replace(facts, title="Tidewrack", key="D minor")))
    assert len(found.evidence["stated"]) == 3  # type: ignore[arg-type]


def test_the_tempo_a_click_plays_counts_whatever_its_name_says() -> None:
    facts = read_facts("Tidewrack 96 BPM", ["Click.wav"], [], clicks=["Click.wav"], pulses_bpm=[99.998])
    assert facts.tempos == (("the folder's name", 96.0), ("the click itself", 100.0))
    assert facts.tempo_bpm == 96.0
    assert read_facts("Tidewrack", [], [], pulses_bpm=[99.998]).tempo_bpm == 100.0
    (found,) = of("name.facts-differ", findings(others(), facts=replace(facts, title="Tidewrack", key="D minor")))
    assert found.evidence["stated"] == ("96 BPM in the folder's name", "100 BPM in the click itself")
    eighths = read_facts("Tidewrack 96 BPM", [], [], pulses_bpm=[192.01])
    assert of("name.facts-differ", findings(others(), facts=replace(eighths, title="Tidewrack"))) == []


def test_a_clicks_own_tempo_reaches_the_songs_facts() -> None:
    played = Pulse(bpm=99.998, strokes=64, first_frame=0, last_frame=1_800_000, stray_ms=0.4)
    clicks = [track("Click.wav", role=Role.CLICK, pulse=played), track("Shaker.wav", pulse=replace(played, bpm=140.0))]
    (song,) = delivery([*clicks, *others(), ROUGH_MIX], brief()).sets
    assert song.facts.tempos == (("the folder's name", 96.0), ("the click itself", 100.0))


def test_the_artist_is_read_from_notes_and_asked_for_where_needed() -> None:
    assert facts_in("Song: Tidewrack\nArtist: Mira Fell").artist == "Mira Fell"
    needs = brief(needs={"artist": True})
    (found,) = of("name.facts-missing", findings(others(), brief=needs))
    assert found.evidence["missing"] == ("artist",)
    known = SongFacts(title="Song", artist="Mira Fell", tempo_bpm=96.0, key="D minor")
    assert of("name.facts-missing", findings(others(), brief=needs, facts=known)) == []


# -- formats ----------------------------------------------------------------------------------


def test_a_sample_format_that_is_not_asked() -> None:
    float_only = brief(sample_formats=["float"], bits_min=24)
    (found,) = of("depth.off-brief", findings(others(5), brief=float_only))
    assert (found.action, len(found.files)) == (Action.ASK, 5)
    floats = others(5, sample_format="float", bits=32, bits_in_use=32)
    assert "depth.off-brief" not in codes(floats, brief=float_only)
    assert "depth.off-brief" not in codes(others(5))


def test_another_lossless_container_is_mended_here() -> None:
    waves = brief(containers=["wav", "rf64"])
    made = [track("01 Bass.flac", container="flac"), *others()]
    (found,) = of("content.container", findings(made, brief=waves))
    assert (found.action, found.files) == (Action.FIX, ("01 Bass.flac",))
    assert "content.container" not in codes(made)


def test_stereo_where_two_monos_are_asked_is_split_here() -> None:
    monos = brief(stereo="two-monos")
    (found,) = of("channels.to-split", findings([stereo("Pad.wav"), *others()], brief=monos))
    assert (found.action, found.files) == (Action.FIX, ("Pad.wav",))
    assert "channels.to-split" not in codes([stereo("Pad.wav"), *others()])


# -- parts ------------------------------------------------------------------------------------


BAND = [{"part": "kick in"}, {"part": "bass"}, {"part": "lead voice", "variants": ["dry", "wet"]}]


@pytest.mark.parametrize(
    ("files", "missing"),
    [
        (["Kick In.wav", "Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav"], None),
        (["Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav"], ("kick in",)),
        (["Kick In.wav", "Bass.wav", "LeadVox wet.wav"], ("lead voice (dry)",)),
        (["Kick In.wav", "Bass.wav", "LeadVox.wav"], ("lead voice (dry or wet)",)),
        (["Kick In.wav", "Bass.wav", "LeadVox.wav", "LeadVox wet.wav"], None),
        (["Harp.wav", "Oboe.wav"], ("kick in", "bass", "lead voice")),
    ],
)
def test_asked_parts_that_did_not_come(files: list[str], missing: tuple[str, ...] | None) -> None:
    found = of("content.part-missing", findings(named(*files), brief=brief(parts=BAND)))
    assert [f.evidence["missing"] for f in found] == ([missing] if missing else [])


def test_what_the_user_told_fills_a_part() -> None:
    asked = brief(parts=BAND)
    files = named("x1.wav", "Bass.wav", "LeadVox dry.wav", "LeadVox wet.wav")
    song = song_of(files, brief=asked, set_by_user={"x1.wav": ("kick in",)})
    assert of("content.part-missing", tally(song, asked)) == []


def test_mono_where_the_brief_expects_stereo_for_a_part() -> None:
    asked = brief(parts=[{"part": "overheads", "channels": 2}, {"part": "bass", "channels": 1}])
    found = of("channels.role", findings([track("OH.wav"), stereo("Bass.wav"), *others()], brief=asked))
    assert {f.files[0]: (f.evidence["came"], f.evidence["wanted"]) for f in found} == {
        "OH.wav": ("mono", "stereo"),
        "Bass.wav": ("stereo", "mono"),
    }
    sides = song_of([track("OH L.wav"), track("OH R.wav"), *others()], brief=asked)
    pair = Pair(left="OH L.wav", right="OH R.wav", correlation=0.4, level_correlation=0.9)
    joined = replace(sides, comparison=Comparison(pairs=(pair,)))
    assert of("channels.role", tally(joined, asked)) == []


# -- the mix as what was sent -----------------------------------------------------------------


def delivery(tracks: list[Track], asked: Brief, **options: object) -> Delivery:
    return assess(intake_of(tracks, name="Tidewrack 96 BPM"), tracks, asked, **options)  # type: ignore[arg-type]


def test_a_mix_for_mastering_is_asked_all_nine_questions() -> None:
    mastering = next(b for b in shipped_briefs() if b.scope == "mix")
    hot = replace(ROUGH_MIX, path="Tidewrack.wav")
    assert hot.measures is not None
    hot = replace(hot, measures=replace(hot.measures, sample_peak_by_channel_dbfs=(0.5,), true_peak_dbtp=0.6))
    assessed = delivery([hot], mastering)
    assert [t.role for t in assessed.tracks] == [Role.MIX]
    found = {f.code for f in assessed.findings}
    assert "headroom.hot" in found
    assert not {"content.no-rough-mix", "name.generic"} & found
    assert in_asked_roles([hot], brief())[0].role is Role.ROUGH_MIX


def test_tracks_where_the_mix_was_asked_are_out_of_scope() -> None:
    mastering = next(b for b in shipped_briefs() if b.scope == "mix")
    assert "content.scope" in {f.code for f in delivery(others(4), mastering).findings}
    (single,) = delivery([track("Tidewrack.wav")], mastering).tracks
    assert single.role is Role.MIX


# -- what was asked against what came ---------------------------------------------------------


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
