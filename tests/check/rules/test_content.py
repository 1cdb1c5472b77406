"""Content: what is empty, damaged, lossy, doubled or missing, on chosen measures."""

from __future__ import annotations

from dataclasses import replace

import pytest

from check.found import ASK, LOSSY, NOTE, actions_of, all_of, clicks, delivery, edged, of, one, silent
from deep_tally.check.registry import tally
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.files import Damage, Role
from deep_tally.model.findings import Action, Finding
from deep_tally.model.measures import (
    Density,
    Hum,
    Run,
    Runs,
)
from deep_tally.model.phrase import Phrase
from deep_tally.session.brief_library import shipped_briefs
from tracks import (
    MEASURES,
    RATE,
    SECONDS,
    brief,
    codes,
    findings,
    others,
    song_of,
    track,
)


def test_an_edge_that_others_share_is_surer() -> None:
    pair = [edged("1 A.wav", 16_000, kind="coded"), edged("2 B.wav", 16_300, kind="coded")]
    found = [f for f in all_of([*pair, *others()]) if f.code == "content.lossy-origin"]
    assert [(f.confidence, f.evidence["files"]) for f in found] == [(0.95, 2), (0.95, 2)]
    apart = [edged("1 A.wav", 16_000, kind="coded"), edged("2 B.wav", 16_301, kind="coded")]
    found = [f for f in all_of([*apart, *others()]) if f.code == "content.lossy-origin"]
    assert [f.evidence["files"] for f in found] == [1, 1]


@pytest.mark.parametrize(
    ("ms", "seconds", "found"), [(10, 40, True), (11, 40, False), (10, 5.0, True), (10, 4.99, False)]
)
def test_ten_milliseconds_of_clicks_are_no_sound(ms: float, seconds: float, found: bool) -> None:
    empty = [f for f in all_of([clicks(ms, seconds), *others()]) if f.code == "content.empty"]
    assert bool(empty) is found
    if found:
        assert (empty[0].evidence["clicks_ms"], empty[0].evidence["dbfs"]) == (pytest.approx(ms), -8.0)


def test_hum_is_reported() -> None:
    found = one("content.hum", [track(hum=Hum(mains_hz=60, dbfs=-55.0, tones=4)), *others()])
    assert (found.action, found.evidence) == (NOTE, {"hz": 60, "dbfs": -55.0})


def test_damage_is_asked_about_where_the_file_is_needed() -> None:
    hurt = replace(track(), damage=Damage(problem=Phrase("sound.ends-early"), remedy=Phrase("ask.again")))
    found = one("content.damaged", [hurt, *others()])
    assert [p.frame for p in found.places] == [SECONDS * RATE - 1]
    reference = replace(hurt, path="Reference.wav", role=Role.REFERENCE)
    assert one("content.damaged", [reference, *others()]).action is NOTE
    mix = replace(hurt, path="Song mix.wav", role=Role.ROUGH_MIX)
    assert one("content.damaged", [mix, *others()], mix=False).action is ASK


@pytest.mark.parametrize(("groups", "found"), [(3, True), (2, False)])
def test_most_files_of_the_wrong_scope(groups: int, found: bool) -> None:
    made = [track(f"{n} Group{'abc'[n]}.wav", role=Role.GROUP, rms_dbfs=-30.0 - n) for n in range(groups)]
    assert ("content.scope" in codes([*made, *others(2)])) is found


def test_a_file_that_cannot_be_read_is_asked_for_and_nothing_else_is_said_of_it() -> None:
    broken = Track(
        path="01 Bass.wav", role=Role.TRACKOUT, damage=Damage(problem=Phrase("sound.text"), remedy=Phrase("ask.again"))
    )
    assert actions_of([broken, *others()]) == [("content.damaged", ASK)]


def test_an_empty_file_is_a_question_and_a_note_for_groups() -> None:
    nothing = {"first_sound_frame": None, "last_sound_frame": None, "rms_dbfs": -85.0}
    (found,) = findings([track(**nothing, frames=10 * RATE, bits=16), *others()])
    assert (found.code, found.kind, found.evidence["dbfs"]) == ("content.empty", "question", -85.0)
    assert found.consequences
    assert actions_of([track("Drums group.wav", role=Role.GROUP, **nothing), *others()]) == [("content.empty", NOTE)]


def test_bad_values_lossy_files_and_missing_mixes_are_asked_about() -> None:
    bad = Runs(lengths={2: 1}, places=(Run(frame=5, frames=2, channel=0),), longest=Run(frame=5, frames=2, channel=0))
    assert actions_of([track(nonfinite=bad), *others()]) == [("content.nonfinite", ASK)]
    assert actions_of(
        [track("1 Bass.mp3", container="mp3", sample_format="lossy", bits=None, bits_in_use=None), *others()]
    ) == [("content.lossy", ASK)]
    assert actions_of(others(), mix=False) == [("content.no-rough-mix", ASK)]
    assert actions_of(others(), mix=False, brief=brief(needs={"rough_mix": False})) == []


def test_a_file_of_bad_values_alone_is_not_also_called_empty() -> None:
    bad = Runs(lengths={9: 1}, places=(), longest=Run(frame=0, frames=9, channel=0))
    assert actions_of([track(nonfinite=bad, first_sound_frame=None, last_sound_frame=None), *others()]) == [
        ("content.nonfinite", ASK)
    ]


def test_two_forms_of_one_mix_are_one_and_two_versions_are_asked_about() -> None:
    def mix(name: str) -> Track:
        return track(name, role=Role.ROUGH_MIX, container=name[-3:])

    assert actions_of([*others(), mix("Song mix.wav"), mix("Song mix.mp3")], mix=False) == [("content.mix-copy", NOTE)]
    assert actions_of([*others(), mix("Song mix 1.wav"), mix("Song mix 2.wav")], mix=False) == [
        ("content.several-mixes", ASK)
    ]


def test_a_header_that_contradicts_readable_data_and_a_false_ending_are_worth_knowing() -> None:
    claims = track(contradictions=("its header claims 0 bytes of sound, 1200 are there",))
    assert actions_of([claims, *others()]) == [("content.damaged", NOTE)]
    assert actions_of([track("01 Bass.wav", container="aiff"), *others()]) == [("content.damaged", NOTE)]
    assert actions_of([track("01 Bass.wav", container="rf64"), *others()]) == []
    assert actions_of([track("01 Bass", container="aiff"), *others()]) == []
    damage = Damage(problem=Phrase("sound.stops-early", there_s=1.0, claimed_s=4.0), remedy=Phrase("ask.again"))
    assert actions_of([replace(claims, damage=damage), *others()]) == [("content.damaged", ASK)]


def test_a_lossy_twin_of_a_lossless_part_is_worth_knowing() -> None:
    assert actions_of([track("Bass.wav"), track("mp3/Bass.mp3", **LOSSY), *others()]) == [("content.lossy", NOTE)]


def test_what_is_not_measured_yet_is_not_judged() -> None:
    assert actions_of([Track(path="06 Oboe.wav", role=Role.TRACKOUT), *others()]) == []
    assert MEASURES.has_sound


def test_a_few_stray_clicks_are_no_sound() -> None:
    clicks = Density(sounding=3, active_windows=4, window_frames=48)
    (finding,) = of("content.empty", findings([track(density=clicks), *others()]))
    assert finding.evidence["clicks_ms"] == pytest.approx(4.0)
    assert (finding.action, finding.kind) == (Action.ASK, "question")


def two_exports(**second: object) -> list[Finding]:
    first = others(4)
    late = [
        track(
            f"{n} Late.wav",
            rms_dbfs=-31.0 - n,
            loudness_lufs=-32.0 - n,
            sample_peak_by_channel_dbfs=(-12.3 - n,),
            **second,
        )
        for n in range(20, 23)
    ]
    song: SongSet = song_of([*first, *late])
    written = {t.path: 1000.0 for t in first} | {t.path: 90_000.0 for t in late}
    return of("content.two-exports", tally(replace(song, modified_s=written), DEFAULT_BRIEF))


def test_two_exports_are_reported_where_two_marks_divide_the_set_alike() -> None:
    (finding,) = two_exports(bits=32, sample_format="float", bits_in_use=32)
    assert set(finding.evidence["by"]) >= {"format", "time"}  # type: ignore[arg-type]
    assert finding.action is Action.NOTE
    assert len(finding.files) == 3
    assert two_exports() == [], "time alone is no reason"


def test_what_the_brief_needs_and_did_not_come_is_asked_for_once() -> None:
    needs = brief(needs={"references": True, "midi": True, "documents": True, "stamps": True})
    (finding,) = of("content.companion-missing", findings(others(), brief=needs))
    assert finding.evidence["missing"] == ("a reference", "the MIDI", "notes", "time stamps in the files")
    song = replace(song_of([*others(), track("ref.wav", role=Role.REFERENCE)]), companions=frozenset({Role.MIDI}))
    (finding,) = of("content.companion-missing", tally(song, needs))
    assert finding.evidence["missing"] == ("notes", "time stamps in the files")
    assert of("content.companion-missing", findings(others())) == []


def test_groups_where_every_track_was_asked_and_the_reverse() -> None:
    groups = [track(f"{n} group.wav", role=Role.GROUP) for n in ("Drums", "Keys", "Voices")]
    (finding,) = of("content.scope", findings(groups))
    assert len(finding.files) == 3
    assert of("content.scope", findings([*groups, *others(4)])) == []
    assert len(of("content.scope", findings(others(), brief=brief(scope="groups")))) == 1
    assert of("content.scope", findings(groups, brief=brief(scope="groups"))) == []


def test_a_voice_without_sound_is_one_finding_with_the_names_word_under_it() -> None:
    found = findings([silent("Lead Vox.wav"), *others()])
    (empty,) = of("content.empty", found)
    assert [(f.code, f.evidence["part"]) for f in empty.consequences] == [("name.contradicts", "lead voice")]
    assert of("name.contradicts", found) == []
    (plain,) = of("content.empty", findings([silent("Thing.wav"), *others()]))
    assert plain.consequences == ()


def test_another_lossless_container_is_mended_here() -> None:
    waves = brief(containers=["wav", "rf64"])
    made = [track("01 Bass.flac", container="flac"), *others()]
    (found,) = of("content.container", findings(made, brief=waves))
    assert (found.action, found.files) == (Action.FIX, ("01 Bass.flac",))
    assert "content.container" not in codes(made)


def test_tracks_where_the_mix_was_asked_are_out_of_scope() -> None:
    mastering = next(b for b in shipped_briefs() if b.scope == "mix")
    assert "content.scope" in {f.code for f in delivery(others(4), mastering).findings}
    (single,) = delivery([track("Tidewrack.wav")], mastering).tracks
    assert single.role is Role.MIX
