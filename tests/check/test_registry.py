"""The registry, what absorbs what, and what is told once."""

from __future__ import annotations

import ast
import inspect
from pathlib import Path

import pytest

import deep_tally.check.rules
from deep_tally.check.registry import CHECKS, CODES, Check
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet
from deep_tally.model.findings import QUESTIONS, Action, count_findings
from deep_tally.reply.requests import TASKS
from deep_tally.reply.wording.speaker import WORDINGS
from tracks import findings, others, track


def test_no_check_is_left_out_of_the_registry() -> None:
    registered = {(c.find.__module__, c.find.__name__) for c in CHECKS}
    written = set()
    for path in Path(deep_tally.check.rules.__file__).parent.glob("*.py"):
        for node in ast.parse(path.read_text("utf-8")).body:
            if isinstance(node, ast.FunctionDef) and ast.unparse(node.returns or node) == "Iterator[Finding]":
                written.add((f"deep_tally.check.rules.{path.stem}", node.name))
    written = {(module, name) for module, name in written if not name.startswith("_")}
    assert len(written) > 60
    assert written == registered


def test_every_code_has_words_and_every_question_stands_in_order() -> None:
    assert set(WORDINGS) == set(CODES)
    questions = [code.partition(".")[0] for code in CODES]
    assert sorted(questions, key=QUESTIONS.index) == questions


def test_every_code_that_can_be_asked_has_a_task() -> None:
    source = "".join(inspect.getsource(c.find) for c in CHECKS)
    assert "Action.ASK" in source
    tasks = {(code, t.kind) for t in TASKS for code in t.codes}
    for check in CHECKS:
        text = inspect.getsource(check.find)
        if "Action.ASK" in text:
            assert any(code == check.code for code, _ in tasks), check.code
        if 'kind="question"' in text:
            assert (check.code, "question") in tasks, check.code


def test_wrong_checks_are_refused_at_the_start() -> None:
    def wrong(song: SongSet) -> None:
        raise NotImplementedError

    def right(song: SongSet, brief: Brief) -> None:
        raise NotImplementedError

    with pytest.raises(TypeError, match="must take"):
        Check("start.x", wrong)  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="none of the nine"):
        Check("mood.x", right)  # type: ignore[arg-type]


def test_what_most_files_share_is_told_once_with_each_files_numbers() -> None:
    hot = [track(f"{i} Part{'abcde'[i]}.wav", sample_peak_by_channel_dbfs=(-1.0 - i / 2,)) for i in range(5)]
    (found,) = (f for f in findings([*hot, *others(2)]) if f.code == "headroom.hot")
    assert len(found.files) == 5
    assert found.evidence_of("3 Partd.wav")["dbfs"] == -2.5
    assert count_findings((found,))[Action.FIX].files == 5
    apart = [f for f in findings([*hot[:2], *others(5)]) if f.code == "headroom.hot"]
    assert len(apart) == 2


def test_findings_stand_in_the_order_of_the_questions() -> None:
    files = [track("Audio 1.wav", channels=3, rate_hz=44_100, frames=40 * 44_100, dc_offset=(0.1,)), *others()]
    found = [f.code for f in findings(files, mix=False)]
    assert found == sorted(found, key=CODES.index)
    assert len(found) == 5
