"""The demo's second round against its first, through the whole engine (without the mix match)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import ExitStack
from importlib import resources
from pathlib import Path

import jsonschema
import pytest

from deep_tally.demo.round_two import EXPECTED, NEW_FAULT, write_round_two
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import side_of
from deep_tally.engine.rounds import RoundsOf
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.reply.formats.rounds_json import rounds_to_json
from deep_tally.reply.round_words import round_lines


def checked(runs: ExitStack, path: Path, given: Opened | None = None) -> CheckRun:
    run = runs.enter_context(CheckRun([path], DEFAULT_BRIEF, given=given))
    run.match_job = None
    for _ in run:
        pass
    return run


@pytest.fixture(scope="module")
def runs() -> Iterator[ExitStack]:
    with ExitStack() as opened:
        yield opened


def test_the_demos_second_round(demo_folder: Path, tmp_path: Path, runs: ExitStack) -> None:
    one, two = checked(runs, demo_folder), checked(runs, write_round_two(tmp_path))
    rounds = RoundsOf(side_of(one), side_of(two))
    assert rounds.is_partial
    assert rounds.same == {"03 Hand bells.wav", "22 Brushes.wav"}
    judged = checked(runs, tmp_path, rounds.merged())
    assert judged.delivery is not None
    found = rounds.compared(judged.delivery)
    states = {r.code: r.state for r in found.requests}
    assert {code: states[code] for code in EXPECTED} == EXPECTED
    assert [(f.files, f.code) for f in found.new_findings] == [((NEW_FAULT[0],), NEW_FAULT[1])]
    melodica = next(f for f in found.files if f.path == "24 Melodica v2.wav")
    assert (melodica.was, melodica.state) == ("24 Melodica.wav", "replaced")
    assert melodica.sound is not None
    assert [(d.start_s, d.stop_s) for d in melodica.sound.differences] == [(17.9, 18.0), (29.2, 29.3)]  # the gaps
    assert sum(f.state == "kept" for f in found.files) == 35
    # The rest of the set is judged along: who is twice, what is a group, which rate is common.
    codes = {f.code for f in judged.delivery.findings}
    assert {"content.twin", "content.sum-of"} <= codes
    document = json.loads(rounds_to_json(found, judged.delivery))
    schema = resources.files("deep_tally.reply").joinpath("rounds.schema.json").read_text("utf-8")
    jsonschema.validate(document, json.loads(schema))
    assert document["partial"] is True
    assert {"code": "content.dropout", "files": ["24 Melodica.wav"], "state": "met", "left": []} in document["requests"]
    assert document["new_findings"][0]["files"] == ["40 Bandoneon.wav"]
    lines = list(round_lines(found, judged.delivery))
    assert lines[0] == "Files: 4 replaced, 2 sent again unchanged, 1 new and 35 kept from the first round"
    assert "Partly met: 1 request" in lines
    assert any("03 Hand bells.wav (sent again unchanged)" in line for line in lines)


def test_a_whole_second_round_has_nothing_kept(demo_folder: Path, tmp_path: Path, runs: ExitStack) -> None:
    one, two = checked(runs, demo_folder), checked(runs, write_round_two(tmp_path))
    found = RoundsOf(side_of(one), side_of(two), partial=False).compared(two.delivery)
    assert {f.state for f in found.files} == {"replaced", "same", "new", "gone"}
    assert not found.is_settled


def test_rounds_need_two_assessments(demo_folder: Path) -> None:
    with CheckRun([demo_folder], DEFAULT_BRIEF) as run, pytest.raises(ValueError, match="not assessed yet"):
        side_of(run)
