"""The plan as JSON and as a table."""

from __future__ import annotations

import csv
import io
import json
import math
from pathlib import Path

import jsonschema

from deep_tally.model.ready import LeftOut, Piece, ReadyPlan, Step
from deep_tally.ready.manifest import plan_document, to_csv, to_json
from ready.written import copy

DOCS = Path(__file__).parents[2] / "docs"
ONE = copy(
    Piece(path="in/a.wav", sides=(0,), at=0, skip=0, frames=480),
    frames=480,
    steps=(Step("keep-side", {"kept": "left"}), Step("pad", {"before": 0.0, "after": 12.0})),
    left_db=0.0,
    right_db=-math.inf,
    gain_db=-6.02059991,
    offset_frames=7,
)
TWO = copy(
    Piece(path="in/b.wav", sides=(0, None), at=0, skip=0, frames=480),
    Piece(path="in/c.wav", sides=(None, 0), at=0, skip=0, frames=480),
    frames=480,
    name="=02 Room.wav",
    steps=(Step("join"),),
)
PLAN = ReadyPlan(copies=(ONE, TWO), left_out=(LeftOut(source="in/d\udcff.wav", reason="silent"),))
DIGESTS = {"01 Copy.wav": ("aa", ("bb",)), "=02 Room.wav": ("cc", ("dd", "ee"))}


def schema() -> object:
    return json.loads((DOCS / "ready.schema.json").read_text("utf-8"))


def test_the_plan_and_the_manifest_have_one_shape_and_fulfil_the_published_schema() -> None:
    for digests in (None, DIGESTS):
        document = json.loads(to_json(PLAN, digests))
        jsonschema.validate(document, schema())  # type: ignore[arg-type]
        assert [set(row) for row in document["copies"]] == [set(row) for row in plan_document(PLAN)["copies"]]


def test_figures_are_numbers_and_silence_is_null() -> None:
    one, two = plan_document(PLAN, DIGESTS)["copies"]
    assert one == {
        "source": "in/a.wav",
        "copy": "01 Copy.wav",
        "sha256_source": "bb",
        "sha256_copy": "aa",
        "steps": [{"step": "keep-side", "kept": "left"}, {"step": "pad", "before": 0, "after": 12}],
        "offset_frames": 7,
        "gain_db": -6.02059991,
        "left_db": 0,
        "right_db": None,
        "frames": 480,
        "channels": 1,
        "rate": 48_000,
        "bits": 24,
    }
    assert (two["sources"], two["sha256_source"]) == (["in/b.wav", "in/c.wav"], ["dd", "ee"])
    assert "left_db" not in two
    assert plan_document(PLAN)["copies"][1]["sha256_source"] == [None, None]


def test_names_that_json_cannot_hold_are_shown_as_far_as_they_go() -> None:
    assert plan_document(PLAN)["left_out"] == [{"source": "in/d\N{REPLACEMENT CHARACTER}.wav", "reason": "silent"}]


def test_the_table_has_a_row_a_copy_and_no_formula() -> None:
    text = to_csv(PLAN, DIGESTS)
    assert text.count("\r\n") == text.count("\n") == 4
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [row["copy"] for row in rows] == ["01 Copy.wav", "'=02 Room.wav", ""]
    assert rows[1]["source"] == "in/b.wav; in/c.wav"
    assert rows[0]["steps"] == "keep-side pad"
    assert rows[2]["steps"] == "left out: silent"
