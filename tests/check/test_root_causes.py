"""What is explained by another finding, and what only seems so."""

from __future__ import annotations

from dataclasses import replace

from check.found import ASK, all_of, named, one, two_sets, written
from deep_tally.check.assess import assess
from deep_tally.check.registry import tally
from deep_tally.check.root_causes import under_root_causes
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.comparison import Comparison, Contained
from deep_tally.model.files import Role
from deep_tally.model.findings import Finding
from tracks import (
    brief,
    codes,
    findings,
    intake_of,
    others,
    song_of,
    stereo,
    track,
)


def test_sides_that_are_opposed_are_not_near_mono_too() -> None:
    file = stereo(correlation=-0.9999, residual_db=-50.0, mono_loss_db=-9.0)
    assert [f.code for f in all_of([file, *others()])] == ["channels.opposed"]
    scaled = stereo(correlation=-0.9999, residual_db=-90.0, mono_loss_db=-9.0)
    assert [f.code for f in all_of([scaled, *others()])] == ["channels.opposed"]


def test_what_has_two_roots_goes_under_the_first() -> None:
    def finding(code: str, *files: str) -> Finding:
        return Finding(code=code, action=ASK, kind="request", files=files)

    roots = [finding("content.damaged", "a"), finding("content.damaged", "b"), finding("length.short", "a", "b")]
    assert [len(f.consequences) for f in under_root_causes(roots)] == [1, 0]


def test_a_second_of_two_checks_in_a_loop_is_not_forgotten() -> None:
    # Of several copies and parts each is looked at: the first that is right does not end it.
    files = named("Bass (1).wav", "Drum copy.wav", "Drum.wav", "Horn.wav")
    assert sorted(f.files[-1] for f in findings(files) if f.code == "name.copy-mark") == [
        "Bass (1).wav",
        "Drum copy.wav",
    ]
    asked = brief(parts=[{"part": "Bass"}, {"part": "Pad", "channels": 2}, {"part": "Choir", "channels": 2}])
    parts = [track("1 Bass.wav"), track("2 Pad.wav", rms_dbfs=-31.0), track("3 Choir.wav", rms_dbfs=-33.0)]
    found = one("channels.role", [*parts[:2], *others(1)], brief=asked)
    assert found.evidence == {"part": "Pad", "wanted": "stereo", "came": "mono"}
    assert sum(len(f.files) for f in all_of(parts, brief=asked) if f.code == "channels.role") == 2


def test_files_of_one_rate_share_it_even_where_it_is_not_common() -> None:
    pair = [track(f"{n} Part{'ab'[n]}.wav", rate_hz=(44_100, 48_000)[n], frames=0) for n in range(2)]
    assert "rate.differs" in codes(pair)
    alike = [track(f"{n} Part{'ab'[n]}.wav", frames=0) for n in range(2)]
    assert "rate.differs" not in codes(alike)


def test_exports_lie_an_hour_apart() -> None:
    files = two_sets(4, 3, alike=False)
    (found,) = written(files, [0, 0, 0.1, 0.1, 1.2, 1.2, 1.3])
    assert (found.evidence["by"], found.files) == (("format", "time"), tuple(t.path for t in files[4:]))
    assert written(files, [0, 0, 0.1, 0.1, 1.0, 1.0, 1.3]) == []
    assert written(files, [0, 0, 0.1, 0.1, 1.2, 1.2, 0.05]) == []


def test_a_song_has_its_title_for_a_name_when_it_is_the_only_one() -> None:
    tracks = [replace(t, path=f"Night Bus 96 BPM/{t.path}") for t in others()]
    (song,) = assess(intake_of(tracks, name="Night Bus 96 BPM"), tracks, DEFAULT_BRIEF).sets
    assert (song.name, song.facts.title) == ("Night Bus", "Night Bus")


def test_each_file_that_holds_another_is_asked_about_but_no_return_and_no_form_of_it() -> None:
    made = [
        track("1 Voice dry.wav"),
        track("2 Voice.wav"),
        track("3 Verb.wav", role=Role.EFFECT_RETURN),
        track("4 Harp.wav"),
        track("5 Drums.wav", role=Role.GROUP),
        track("6 Oboe.wav"),
    ]
    inside = [Contained(path=t.path, inner="1 Voice dry.wav", gain_db=-3.0) for t in made[1:]]
    song = replace(song_of(made), comparison=Comparison(contained=tuple(inside)))
    found = [f for f in tally(song, DEFAULT_BRIEF) if f.code == "content.holds-another"]
    assert [f.files for f in found] == [("4 Harp.wav",), ("6 Oboe.wav",)]
