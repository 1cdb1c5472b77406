"""The JSON of a check fulfils its published schema and claims nothing unmeasured."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import pytest

from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.files import Damage, Role
from deep_tally.model.measures import Runs
from deep_tally.model.phrase import Phrase
from deep_tally.reply.formats.json import schema, to_document, to_json
from tracks import findings, others, runs, song_of, track


@pytest.fixture(scope="module")
def validator() -> jsonschema.Draft202012Validator:
    jsonschema.Draft202012Validator.check_schema(schema())
    return jsonschema.Draft202012Validator(schema())


def test_the_demos_document_is_valid_and_counts_its_findings(
    demo: Delivery, validator: jsonschema.Draft202012Validator
) -> None:
    document = json.loads(to_json(demo))
    validator.validate(document)
    for action in ("ask", "fix", "note"):
        assert document["tally"][action] == sum(f["action"] == action for f in document["findings"])
    notes = document["delivery"]["others"]
    assert [(n["path"], n["role"], n["set"]) for n in notes] == [("Notes.txt", "document", "Lantern Over Brackwater")]
    assert "The rough mix is what we listen to." in notes[0]["text"]
    assert document["delivery"]["sets"][0]["common"] == {
        "rate": 48000,
        "bits": 24,
        "sample_format": "int",
        "frames": 1920000,
    }


def test_measures_read_as_the_contract_has_them(demo: Delivery) -> None:
    files = {f["path"]: f for f in to_document(demo)["files"]}
    drum = files["01 Frame drum.wav"]["measures"]
    assert drum["sample_peak_dbfs"] == pytest.approx(0, abs=1e-3)
    assert drum["clip_runs"] > 100
    silent = files["17 Spoons.wav"]["measures"]
    assert silent["sample_peak_dbfs"] is silent["rms_dbfs"] is silent["first_sound_frame"] is None
    assert files["02 Shaker.wav"]["measures"]["bits_in_use"] == 16
    assert files["21 Jaw harp.wav"]["measures"]["flat_tops"] > 100
    assert files["04 Upright bass.wav"]["measures"]["flat_tops"] == 0
    assert files["23 Rain stick.wav"]["measures"]["spectral_edge_hz"] == pytest.approx(16_250, abs=100)
    assert files["04 Upright bass.wav"]["measures"]["spectral_edge_hz"] is None
    assert "spectral_edge_hz" not in silent, "a measure that was not made has no key"


def test_the_peak_of_the_sum_and_the_ceilings_are_there(demo: Delivery) -> None:
    document = to_document(demo)
    (song,) = document["delivery"]["sets"]
    peak = song["sum_peak"]
    assert peak["dbtp"] == pytest.approx(demo.sets[0].sum_peak.dbtp, abs=1e-5)  # type: ignore[union-attr]
    # 96 BPM in 4/4: bars of 2.5 s.
    assert peak["bar"] == int(peak["at_s"] / 2.5) + 1
    assert len(peak["parts"]) == 3
    assert [p["share"] for p in peak["parts"]] == sorted((p["share"] for p in peak["parts"]), reverse=True)
    assert {p["file"] for p in peak["parts"]} <= set(song["files"])
    ceiling = {f["path"]: f for f in document["files"]}["01 Frame drum.wav"]["measures"]["ceiling"]
    assert ceiling["dbfs"] == pytest.approx(0, abs=1e-3)
    assert ceiling["samples"] > ceiling["touching"] / 2
    assert 0.5 < ceiling["corner"] < 1.7
    assert "ceiling" not in {f["path"]: f for f in document["files"]}["17 Spoons.wav"]["measures"]


def test_a_single_sample_at_full_scale_is_a_run_of_one() -> None:
    single = track(clip_runs=Runs(lengths={1: 4}))
    delivery = Delivery(source=Path("/x"), name="x", sets=(song_of([single, *others()]),))
    measures = to_document(delivery)["files"][0]["measures"]
    assert (measures["clip_runs"], measures["clip_longest_run"]) == (0, 1)


def test_places_are_capped_and_counted() -> None:
    many = track(clip_runs=runs(*[3] * 1500), frames=2000 * 48_000)
    song = song_of([many, *others()])
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=findings([many, *others()]))
    clip = next(f for f in to_document(delivery)["findings"] if f["code"] == "clipping.baked")
    assert (len(clip["places"]), clip["places_total"]) == (1000, 1500)


def test_a_set_wide_finding_says_whose_each_place_is(validator: jsonschema.Draft202012Validator) -> None:
    clipped = [track(f"{n} {p}.wav", clip_runs=runs(5)) for n, p in enumerate(("Horn", "Harp", "Oboe"), start=6)]
    song = song_of([*clipped, *others(2)])
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=findings([*clipped, *others(2)]))
    document = to_document(delivery)
    validator.validate(document)
    clip = next(f for f in document["findings"] if f["code"] == "clipping.baked")
    assert [p["file"] for p in clip["places"]] == clip["files"] == ["6 Horn.wav", "7 Harp.wav", "8 Oboe.wav"]
    assert clip["by_file"]["7 Harp.wav"]["longest_run"] == 5


def test_names_that_are_no_text_and_files_without_measures(validator: jsonschema.Draft202012Validator) -> None:
    odd = Track(
        path="B\udce4ss.wav",
        role=Role.TRACKOUT,
        damage=Damage(problem=Phrase("sound.text"), remedy=Phrase("ask.again")),
    )
    song = song_of([odd, *others()])
    delivery = Delivery(source=Path("/x"), name="x", sets=(song,), findings=findings([odd, *others()]))
    document = json.loads(to_json(delivery))
    validator.validate(document)
    file = document["files"][0]
    assert (file["path"], file["set"], file["role"]) == ("B\udce4ss.wav", "Song", "trackout")
    assert file["name"]["family"] == "other"
    assert "measures" not in file
    damaged = next(f for f in document["findings"] if f["code"] == "content.damaged")
    assert damaged["summary"] == "B�ss.wav is incomplete or unreadable: it holds text, not audio."


def test_the_schema_can_refuse(demo: Delivery, validator: jsonschema.Draft202012Validator) -> None:
    document = to_document(demo)
    document["findings"][0]["action"] = "note"
    assert not validator.is_valid(document)
