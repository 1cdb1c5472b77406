"""Findings of rate, depth, clipping, headroom, channels, name and content."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest

from deep_tally.model.delivery import SongFacts, Track
from deep_tally.model.files import Damage, Role
from deep_tally.model.findings import Action
from deep_tally.model.measures import Run, Runs
from tracks import MEASURES, RATE, brief, codes, findings, others, runs, stereo, track

ASK, FIX, NOTE = Action.ASK, Action.FIX, Action.NOTE


def told(tracks: list[Track], **options: object) -> list[tuple[str, Action]]:
    return [(f.code, f.action) for f in findings(tracks, **options)]  # type: ignore[arg-type]


# -- rate -------------------------------------------------------------------------------------


def test_another_rate_is_asked_for_and_only_noted_in_a_mix() -> None:
    odd = track(rate_hz=44_100, frames=40 * 44_100)
    assert told([odd, *others()]) == [("rate.differs", ASK)]
    mix = track("Song mix.wav", role=Role.ROUGH_MIX, rate_hz=44_100, frames=40 * 44_100)
    assert told([mix, *others()], mix=False) == [("rate.differs", NOTE)]


def test_two_halves_are_a_question_unless_the_brief_decides() -> None:
    half = [track(f"{i} Horn {i}.wav", rate_hz=96_000, frames=40 * 96_000) for i in (7, 8)]
    found = [f for f in findings([*others(2), *half]) if f.code == "rate.differs"]
    assert (found[0].kind, len(found[0].files)) == ("question", 4)
    found = [f for f in findings([*others(2), *half], brief=brief(rates=[48_000])) if f.code == "rate.differs"]
    assert [f.files for f in found] == [("7 Horn 7.wav",), ("8 Horn 8.wav",)]


def test_a_rate_the_brief_does_not_name_is_told_once() -> None:
    (found,) = findings(others(), brief=brief(rates=[44_100, 96_000]))
    assert (found.code, len(found.files), found.evidence["wanted"]) == ("rate.off-brief", 4, ("44100", "96000"))
    assert told(others(), brief=brief(rates=[48_000])) == []


# -- depth ------------------------------------------------------------------------------------


def test_another_depth_is_noted_and_fewer_bits_than_asked_are_asked_for() -> None:
    assert told([track(bits=32, sample_format="float", bits_in_use=32), *others()]) == [("depth.differs", NOTE)]
    low = findings([track(bits=16, bits_in_use=16), *others()])
    assert [(f.code, f.action, f.kind) for f in low] == [("depth.low", ASK, "request")]
    assert [f.code for f in low[0].consequences] == ["depth.differs"]
    assert told([track(bits=16, bits_in_use=16), *others()], brief=brief(bits_min=16)) == [("depth.differs", NOTE)]


def test_a_whole_set_of_16_bits_is_one_question() -> None:
    (found,) = findings(others(bits=16, bits_in_use=16))
    assert (found.code, found.kind, len(found.files)) == ("depth.low", "question", 4)


@pytest.mark.parametrize(
    ("changes", "expected"),
    [
        ({"bits_in_use": 16}, [("depth.padded", NOTE)]),
        ({"bits_in_use": 20}, [("depth.padded", NOTE)]),
        ({"bits_in_use": 21}, []),
        ({"bits_in_use": 0, "first_sound_frame": None}, [("content.empty", ASK)]),
    ],
)
def test_padded_files(changes: dict[str, object], expected: list[tuple[str, Action]]) -> None:
    assert told([track(**changes), *others()]) == expected


def test_a_float_file_on_a_16_bit_grid_is_padded_too() -> None:
    file = track(bits=32, sample_format="float", bits_in_use=16)
    assert ("depth.padded", NOTE) in told([file, *others()])


def test_most_files_padded_are_one_question() -> None:
    (found,) = findings([*others(4, bits_in_use=16), track()])
    assert (found.code, found.kind, len(found.files)) == ("depth.padded", "question", 4)


# -- clipping ---------------------------------------------------------------------------------


def test_three_samples_at_full_scale_clip_and_two_do_not() -> None:
    full = {"sample_peak_by_channel_dbfs": (0.0,), "true_peak_dbtp": 0.4}
    (found,) = findings([track(clip_runs=runs(3, 2, 9), **full), *others()])
    assert (found.code, found.action, found.places_total) == ("clipping.baked", ASK, 2)
    assert found.evidence["longest_run"] == 9
    assert [p.frames for p in found.places] == [3, 9]
    assert {f.code for f in found.consequences} == {"clipping.between-samples", "headroom.hot"}
    assert "clipping.baked" not in codes([track(clip_runs=runs(2, 2, 1), **full), *others()])


def test_the_brief_moves_the_run_without_a_new_measure() -> None:
    files = [track(clip_runs=runs(3, 5)), *others()]
    assert "clipping.baked" not in codes(files, brief=brief(thresholds={"clipping.baked.run": 6}))
    assert findings(files, brief=brief(thresholds={"clipping.baked.run": 4}))[0].evidence["runs"] == 1


def test_a_float_file_over_full_scale_is_turned_down_here() -> None:
    file = track(bits=32, sample_format="float", bits_in_use=32, overs=runs(4, 7), sample_peak_by_channel_dbfs=(2.3,))
    found = {f.code: f for f in findings([file, *others()])}
    assert (found["clipping.over"].action, found["clipping.over"].evidence["db"]) == (FIX, 2.3)
    assert "headroom.hot" not in found


@pytest.mark.parametrize(("true", "sample", "expected"), [(0.3, -0.1, True), (0.0, -0.1, False), (0.3, 0.5, False)])
def test_between_samples(true: float, sample: float, expected: bool) -> None:
    file = track(true_peak_dbtp=true, sample_peak_by_channel_dbfs=(sample,))
    assert ("clipping.between-samples" in codes([file, *others()])) is expected


# -- headroom: the window of -30 to -6 dBFS is common practice -----------------------------------


@pytest.mark.parametrize(
    ("peak", "expected"),
    [(-5.01, []), (-4.9, [("headroom.hot", FIX)]), (-29.9, []), (-30.1, [("headroom.quiet", NOTE)])],
)
def test_the_window(peak: float, expected: list[tuple[str, Action]]) -> None:
    assert told([track(sample_peak_by_channel_dbfs=(peak,)), *others()]) == expected


def test_quiet_files_of_16_bits_are_asked_for() -> None:
    file = track(sample_peak_by_channel_dbfs=(-35.0,), bits=16, bits_in_use=16)
    assert ("headroom.quiet", ASK) in told([file, *others()], brief=brief(bits_min=16))


def test_levels_as_in_the_rough_mix_make_hot_a_note() -> None:
    file = track(sample_peak_by_channel_dbfs=(-1.0,))
    assert told([file, *others()], brief=brief(levels="as-rough-mix")) == [("headroom.hot", NOTE)]


@pytest.mark.parametrize("by", ["peak", "rms", "loudness"])
def test_one_level_for_all_is_asked_about_once(by: str) -> None:
    field = {"peak": "sample_peak_by_channel_dbfs", "rms": "rms_dbfs", "loudness": "loudness_lufs"}[by]
    same = {field: (-9.0,) if by == "peak" else -20.0}
    (found,) = findings([*others(5, **same), track(loudness_lufs=-30.0, rms_dbfs=-28.0)])
    assert (found.code, found.action, found.evidence["by"], len(found.files)) == ("headroom.normalised", ASK, by, 5)
    assert codes([*others(4, **same), track(loudness_lufs=-30.0, rms_dbfs=-28.0)]) == []


def test_a_constant_offset_is_taken_out_here() -> None:
    (found,) = findings([track(dc_offset=(-0.002,)), *others()])
    assert (found.code, found.action, found.evidence["share"]) == ("headroom.dc", FIX, -0.002)
    assert codes([track(dc_offset=(0.0009,)), *others()]) == []


# -- channels ---------------------------------------------------------------------------------

STEP = 2.0**-23


@pytest.mark.parametrize(
    ("file", "expected"),
    [
        (stereo(), []),
        (stereo(greatest_difference=2 * STEP, correlation=1.0, residual_db=-140.0), [("channels.same", FIX)]),
        (stereo(greatest_difference=3 * STEP, correlation=1.0, residual_db=-120.0), [("channels.panned-mono", FIX)]),
        (stereo(correlation=1.0, residual_db=-81.0), [("channels.panned-mono", FIX)]),
        (stereo(correlation=0.9999, residual_db=-79.0), [("channels.near-mono", NOTE)]),
        (stereo(correlation=0.999, residual_db=-30.1), [("channels.near-mono", NOTE)]),
        (stereo(correlation=0.99, residual_db=-29.0), []),
        (stereo(levels=(-20.0, -81.0)), [("channels.one-side", FIX)]),
        (stereo(levels=(-20.0, -79.0), residual_db=-1.0), []),
        (stereo(levels=(-10.0, -71.0)), [("channels.one-side", FIX)]),
        (stereo(levels=(-20.0, -math.inf), correlation=None, residual_db=None), [("channels.one-side", FIX)]),
        (stereo(greatest_sum=2 * STEP, correlation=-1.0, residual_db=-150.0), [("channels.opposed", ASK)]),
        (stereo(mono_loss_db=-12.0, correlation=-0.9, residual_db=-7.0), [("channels.opposed", ASK)]),
        (stereo(mono_loss_db=-11.9, correlation=-0.87, residual_db=-6.0), []),
        (stereo(correlation=-0.9999, residual_db=-50.0, mono_loss_db=-9.0), [("channels.opposed", ASK)]),
    ],
)
def test_how_two_sides_relate(file: Track, expected: list[tuple[str, Action]]) -> None:
    assert told([file, *others()]) == expected


def test_a_pan_is_information_where_levels_were_asked_as_in_the_mix() -> None:
    file = stereo(levels=(-20.0, -90.0))
    assert told([file, *others()], brief=brief(levels="untouched")) == [("channels.one-side", NOTE)]


def test_more_than_two_channels_are_asked_about() -> None:
    assert told([track(channels=6), *others()]) == [("channels.many", ASK)]


# -- name -------------------------------------------------------------------------------------


def named(*names: str) -> list[Track]:
    return [
        track(name, rms_dbfs=-21.0 - i, loudness_lufs=-22.0 - i, sample_peak_by_channel_dbfs=(-7.0 - i,))
        for i, name in enumerate(names)
    ]


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
    # A lone sign counts as a letter; a bare number does not say what plays, but this one does (common practice).
    expected = ["name.generic"] if name == "鼓.wav" else []
    assert codes([*named(name), *others()]) == expected


def test_words_that_every_name_carries_do_not_tell_parts_apart() -> None:
    files = named("Salt House 1.wav", "Salt House 2 Voice.wav", "Salt House 3 Bass.wav", "Salt House 4 Drum.wav")
    found = [f for f in findings(files) if f.code == "name.generic"]
    assert [f.files for f in found] == [("Salt House 1.wav",)]


@pytest.mark.parametrize(
    "name", ["Bass?.wav", "Bass:1.wav", "Bass .wav", " Bass.wav", "nul.wav", "Ba\u0308sse.wav", "B\udce4ss.wav"]
)
def test_names_some_system_cannot_store(name: str) -> None:
    assert ("name.characters", FIX) in told([*named(name), *others()])


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
    assert told([*named("Bass (1).wav"), *others()]) == [("name.copy-mark", FIX)]
    (found,) = findings([*named("Bass.wav", "Bass copy.wav"), *others()])
    assert (found.code, found.kind, found.evidence["partner"]) == ("name.copy-mark", "question", "Bass.wav")


def test_track_numbers() -> None:
    assert told(named("01 Bass.wav", "02 Drum.wav", "04 Horn.wav", "05 Harp.wav")) == [("name.number-gap", NOTE)]
    assert told(named("01 Bass.wav", "02 Drum.wav", "02 Horn.wav", "03 Harp.wav")) == [("name.number-twice", FIX)]


def test_long_names() -> None:
    assert told([*named("B" + "a" * 60 + "ss.wav"), *others()]) == [("name.long", FIX)]


@pytest.mark.parametrize(
    ("facts", "expected"),
    [
        (SongFacts(), (ASK, ("song", "tempo"))),
        (SongFacts(title="Song", key="D minor"), (ASK, ("tempo",))),
        (SongFacts(title="Song", tempo_bpm=96.0), (NOTE, ("key",))),
    ],
)
def test_missing_facts(facts: SongFacts, expected: tuple[Action, tuple[str, ...]]) -> None:
    (found,) = (f for f in findings(others(), facts=facts) if f.code == "name.facts-missing")
    assert (found.action, found.evidence["missing"]) == expected


# -- content ----------------------------------------------------------------------------------


def test_a_file_that_cannot_be_read_is_asked_for_and_nothing_else_is_said_of_it() -> None:
    broken = Track(path="01 Bass.wav", role=Role.TRACKOUT, damage=Damage(problem="it holds text", remedy="ask"))
    assert told([broken, *others()]) == [("content.damaged", ASK)]


def test_a_truncated_file_absorbs_what_follows_from_it() -> None:
    whole = track(frames=20 * RATE, first_sound_frame=0, last_sound_frame=20 * RATE - 1, tail_levels_dbfs=(-20.0,) * 8)
    cut = Track(
        path=whole.path,
        role=whole.role,
        format=whole.format,
        measures=whole.measures,
        damage=Damage(problem="it stops", remedy="ask"),
    )
    (found,) = findings([cut, *others()])
    assert found.code == "content.damaged"
    assert {f.code for f in found.consequences} == {"start.at-sound", "length.short", "length.tail-cut"}


def test_an_empty_file_is_a_question_and_a_note_for_groups() -> None:
    nothing = {"first_sound_frame": None, "last_sound_frame": None, "rms_dbfs": -85.0}
    (found,) = findings([track(**nothing, frames=10 * RATE, bits=16), *others()])
    assert (found.code, found.kind, found.evidence["dbfs"]) == ("content.empty", "question", -85.0)
    assert found.consequences
    assert told([track("Drums group.wav", role=Role.GROUP, **nothing), *others()]) == [("content.empty", NOTE)]


def test_bad_values_lossy_files_and_missing_mixes_are_asked_about() -> None:
    bad = Runs(lengths={2: 1}, places=(Run(frame=5, frames=2, channel=0),), longest=Run(frame=5, frames=2, channel=0))
    assert told([track(nonfinite=bad), *others()]) == [("content.nonfinite", ASK)]
    assert told(
        [track("1 Bass.mp3", container="mp3", sample_format="lossy", bits=None, bits_in_use=None), *others()]
    ) == [("content.lossy", ASK)]
    assert told(others(), mix=False) == [("content.no-rough-mix", ASK)]
    assert told(others(), mix=False, brief=brief(needs={"rough_mix": False})) == []


def test_a_file_of_bad_values_alone_is_not_also_called_empty() -> None:
    bad = Runs(lengths={9: 1}, places=(), longest=Run(frame=0, frames=9, channel=0))
    assert told([track(nonfinite=bad, first_sound_frame=None, last_sound_frame=None), *others()]) == [
        ("content.nonfinite", ASK)
    ]


def test_two_forms_of_one_mix_are_one_and_two_versions_are_asked_about() -> None:
    def mix(name: str) -> Track:
        return track(name, role=Role.ROUGH_MIX, container=name[-3:])

    assert told([*others(), mix("Song mix.wav"), mix("Song mix.mp3")], mix=False) == []
    assert told([*others(), mix("Song mix 1.wav"), mix("Song mix 2.wav")], mix=False) == [
        ("content.several-mixes", ASK)
    ]


LOSSY = {"container": "mp3", "sample_format": "lossy", "bits": None, "bits_in_use": None}


def test_a_header_that_contradicts_readable_data_and_a_false_ending_are_worth_knowing() -> None:
    claims = track(contradictions=("its header claims 0 bytes of sound, 1200 are there",))
    assert told([claims, *others()]) == [("content.damaged", NOTE)]
    assert told([track("01 Bass.wav", container="aiff"), *others()]) == [("content.damaged", NOTE)]
    assert told([track("01 Bass.wav", container="rf64"), *others()]) == []
    assert told([track("01 Bass", container="aiff"), *others()]) == []
    damage = Damage(problem="it stops at 0:01.0 of the 0:04.0 its header claims", remedy="ask for it again")
    assert told([replace(claims, damage=damage), *others()]) == [("content.damaged", ASK)]


def test_a_lossy_file_says_its_false_ending_and_its_encoders_delay() -> None:
    found = findings([track("01 Bass.wav", codec_delay_frames=1105, **LOSSY), *others()])
    assert [(f.code, f.action) for f in found] == [("start.codec-delay", ASK), ("content.lossy", ASK)]
    assert found[0].evidence == {"frames": 1105, "ms": pytest.approx(1105 / 48)}
    assert found[1].evidence == {"container": "mp3", "ending": "wav"}


def test_a_lossy_twin_of_a_lossless_part_is_worth_knowing() -> None:
    assert told([track("Bass.wav"), track("mp3/Bass.mp3", **LOSSY), *others()]) == [("content.lossy", NOTE)]


def test_what_is_not_measured_yet_is_not_judged() -> None:
    assert told([Track(path="06 Oboe.wav", role=Role.TRACKOUT), *others()]) == []
    assert MEASURES.has_sound
