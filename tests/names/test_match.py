"""Asked parts and files: many to many, with a confidence; what the user told comes first."""

from __future__ import annotations

import pytest

from deep_tally.model.brief import Part
from deep_tally.model.delivery import SongFacts
from deep_tally.names.match import LEAST, match_parts
from deep_tally.names.read import read_names
from deep_tally.names.siblings import siblings_of
from deep_tally.session.brief_library import part_lists


def matched(asked: list[str], files: list[str], **options: object) -> dict[str, list[str]]:
    names = read_names([f"{f}.wav" for f in files], SongFacts())
    found = match_parts([Part(part=a) for a in asked], names, **options)  # type: ignore[arg-type]
    return {a.requested.part: sorted(m.path.removesuffix(".wav") for m in a.matches) for a in found}


def test_forms_and_sides_tell_parts_apart() -> None:
    found = matched(
        ["kick in", "kick out", "snare top", "overheads", "lead voice", "backing voices"],
        ["01 Kick In", "02 KickOut", "03 SN top", "04 OH L", "05 OH R", "LeadVox", "BGV 1", "BGV 2"],
    )
    assert found == {
        "kick in": ["01 Kick In"],
        "kick out": ["02 KickOut"],
        "snare top": ["03 SN top"],
        "overheads": ["04 OH L", "05 OH R"],
        "lead voice": ["LeadVox"],
        "backing voices": ["BGV 1", "BGV 2"],
    }


@pytest.mark.parametrize(
    ("asked", "file", "is_match"),
    [
        ("drums", "Kick In", True),  # a family takes its members
        ("kick in", "Kick", True),  # which kick, the name does not say
        ("kick in", "Kick Out", False),
        ("guitar", "AcGtr", True),
        ("acoustic guitar", "EGtr", False),
        ("lead voice", "Vox", True),
        ("lead voice", "Choir", False),
        ("violin 1", "Vln 2", False),
        ("violin 1", "Vln 1", True),
        ("theremin", "Theremin dry", True),  # words nobody listed
        ("theremin", "Kick", False),
        ("bass", "Bass Bus", True),
        ("snare top", "Snare L", True),
    ],
)
def test_what_stands_for_what(asked: str, file: str, is_match: bool) -> None:
    assert bool(matched([asked], [file])[asked]) is is_match


def test_a_file_goes_to_its_best_part_and_a_part_to_its_best_files() -> None:
    found = matched(["kick in", "drums"], ["Kick In", "Snare", "Drums"])
    assert found["kick in"] == ["Kick In"]
    assert "Drums" in found["drums"]
    found = matched(["lead voice"], ["Lead Vox", "Vox"])
    assert found["lead voice"] == ["Lead Vox"]


def test_one_file_may_stand_for_two_parts() -> None:
    found = matched(["piano", "strings"], ["Piano + Strings"])
    assert found == {"piano": ["Piano + Strings"], "strings": ["Piano + Strings"]}


def test_what_the_user_set_counts_and_is_marked_so() -> None:
    names = read_names(["x1.wav", "Kick.wav"], SongFacts())
    asked = [Part(part="lead voice"), Part(part="kick drum")]
    voice, kick = match_parts(asked, names, set_by_user={"x1.wav": ["lead voice"], "Kick.wav": []})
    assert [(m.path, m.confidence, m.is_set_by_user) for m in voice.matches] == [("x1.wav", 1.0, True)]
    assert kick.matches == ()


def test_what_was_reported_another_list_is_no_word_about_this_one() -> None:
    names = read_names(["Kick.wav"], SongFacts())
    (kick,) = match_parts([Part(part="kick drum")], names, set_by_user={"Kick.wav": ["organ"]})
    assert [(m.path, m.is_set_by_user) for m in kick.matches] == [("Kick.wav", False)]


def test_confidence_says_how_sure() -> None:
    names = read_names(["Kick In.wav", "Kick.wav", "Kikc In.wav"], SongFacts())
    (kick,) = match_parts([Part(part="kick in")], names)
    sure = {m.path: m.confidence for m in kick.matches}
    assert sure["Kick In.wav"] == 1.0
    assert all(LEAST <= c <= 1 for c in sure.values())
    (snare,) = match_parts([Part(part="brushes")], read_names(["Brushhes.wav"], SongFacts()))
    assert snare.matches[0].confidence == 0.8  # a misspelt word


@pytest.mark.parametrize("name", [name for name, _ in part_lists()])
def test_every_part_of_an_example_list_finds_a_file_of_its_own_name(name: str) -> None:
    parts = dict(part_lists())[name]
    assert len(parts) >= 6
    names = read_names([f"{p.part}.wav" for p in parts], SongFacts())
    for requested in match_parts(parts, names):
        assert f"{requested.requested.part}.wav" in requested.paths


def test_sides_and_forms_of_one_part_are_tied() -> None:
    files = ["Gtr L.wav", "Gtr R.wav", "Vox dry.wav", "Vox wet.wav", "Bass DI.wav", "Bass Amp.wav", "Kick.wav"]
    siblings = siblings_of(read_names([*files, "b/Gtr L.wav", "Vox Dbl dry.wav"], SongFacts()))
    assert siblings["Gtr L.wav"] == siblings["Gtr R.wav"]
    assert siblings["Vox dry.wav"] == siblings["Vox wet.wav"]
    assert siblings["Bass DI.wav"] == siblings["Bass Amp.wav"]
    assert len(set(siblings.values())) == 3
    assert not {"Kick.wav", "b/Gtr L.wav", "Vox Dbl dry.wav"} & set(siblings)
