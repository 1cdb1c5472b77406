"""The registry, what absorbs what, and what is told once."""

from __future__ import annotations

import ast
import inspect
from dataclasses import replace
from pathlib import Path

import pytest

import deep_tally.check.rules
from check.found import ASK, NOTE, all_of, came, edged, one
from deep_tally.check.assess import assess
from deep_tally.check.registry import CHECKS, CODES, Check, tally
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.comparison import Comparison, Twin
from deep_tally.model.delivery import SongFacts, SongSet, Track
from deep_tally.model.files import Role, Unchecked
from deep_tally.model.findings import QUESTIONS, Action, count_findings
from deep_tally.reply.requests import TASKS
from deep_tally.reply.wording.speaker import WORDINGS
from tracks import (
    RATE,
    SECONDS,
    brief,
    findings,
    intake_of,
    others,
    song_of,
    stereo,
    track,
)


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


def test_what_most_files_share_is_reported_once_with_each_files_numbers() -> None:
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


def test_a_file_that_is_passed_over_does_not_end_the_loop() -> None:
    same = stereo("1 A.wav", greatest_difference=0.0, correlation=1.0, residual_db=-150.0)
    near = replace(stereo("2 B.wav", correlation=0.999, residual_db=-40.0), path="2 B.wav")
    assert one("channels.near-mono", [same, near, *others()]).files == ("2 B.wav",)
    plain, edge = track("1 A.wav"), edged("2 B.wav", 16_000, kind="coded")
    assert one("content.lossy-origin", [plain, edge, *others()]).files == ("2 B.wav",)
    assert one("rate.upsampled", [edged("1 A.wav", 16_000), edged("2 B.wav", 10_500), *others()]).files == ("2 B.wav",)


def test_a_twin_whose_other_file_is_not_asked_says_nothing() -> None:
    here = track("1 A.wav")
    twins = [
        Twin(path=a, other=b, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-150.0)
        for a, b in (("1 A.wav", "gone.wav"), ("gone.wav", "1 A.wav"))
    ]
    song = replace(song_of([here, *others()]), comparison=Comparison(twins=tuple(twins)))
    assert "content.twin" not in [f.code for f in tally(song, DEFAULT_BRIEF)]


def test_three_of_five_files_that_share_a_finding_get_one() -> None:
    def hot(count: int) -> list[int]:
        loud = [track(f"{i} Part{'abc'[i]}.wav", sample_peak_by_channel_dbfs=(-1.0 - i / 2,)) for i in range(count)]
        return [len(f.files) for f in findings([*loud, *others(2)]) if f.code == "headroom.hot"]

    assert hot(3) == [3]
    assert hot(2) == [1, 1]


def test_what_files_say_of_the_song_counts() -> None:
    files = [track(t.path, comments=("Tempo: 97 BPM",)) for t in others()]
    (song,) = assess(intake_of(files), files, DEFAULT_BRIEF).sets
    assert song.facts.tempo_bpm == 97.0


def test_the_artist_is_a_line_of_the_brief() -> None:
    facts = SongFacts(title="Song", tempo_bpm=96.0, key="D minor", artist="Nobody")
    assert came(others(), facts=facts)["needs.artist"].is_met
    assert not came(others())["needs.artist"].is_met


@pytest.mark.parametrize(("later", "found"), [(0.0004, False), (0.002, True)])
def test_lengths_differ_from_a_millisecond_on(later: float, found: bool) -> None:
    first = [track(f"A Part{'abc'[n]}.wav", rms_dbfs=-30.0 - n) for n in range(3)]
    frames = SECONDS * RATE + round(later * RATE)
    other = [track(f"B Other{'abc'[n]}.wav", frames=frames, rms_dbfs=-40.0 - n) for n in range(3)]
    exports = [f for f in all_of([*first, *other]) if f.code == "content.two-exports"]
    assert bool(exports) is found


def test_sixteen_bits_are_enough_where_sixteen_are_requested() -> None:
    files = [track(f"{n} Part{'abcd'[n]}.wav", bits_in_use=16) for n in range(4)]
    padded = [f for f in all_of([*files, *others(2)], brief=brief(bits_min=16)) if f.code == "depth.padded"]
    assert {f.action for f in padded} == {NOTE}
    padded = [f for f in all_of([*files, *others(2)]) if f.code == "depth.padded"]
    assert [(f.action, len(f.files)) for f in padded] == [(ASK, 4)]


def test_of_two_stamped_files_the_one_placed_by_hand_is_left_alone() -> None:
    first = track("1 A.wav", time_reference=0)
    late = [track(f"{n} B{n}.wav", time_reference=480 * n, frames=SECONDS * RATE - 480 * n) for n in (2, 3)]
    found = findings([first, *late, *others()], places={"2 B2.wav": 480})
    assert [f.files for f in found if f.code == "start.stamp-differs"] == [("3 B3.wav",)]


def test_files_that_could_not_be_checked_are_listed_by_reason() -> None:
    disk = Unchecked(problem="the disk is full", remedy="free some space")
    memory = Unchecked(problem="there is not enough memory", remedy="close other programs")
    files = [
        replace(Track(path=f"{n}.wav", role=Role.TRACKOUT), unchecked=why) for n, why in enumerate((disk, memory, disk))
    ]
    listed = assess(intake_of(files), files, DEFAULT_BRIEF).incomplete
    assert [(i.what, i.files, i.problem) for i in listed] == [
        ("measuring", ("0.wav", "2.wav"), "the disk is full"),
        ("measuring", ("1.wav",), "there is not enough memory"),
    ]


def test_a_file_for_two_parts_is_mentioned_once_and_the_next_as_well() -> None:
    asked = brief(parts=[{"part": "Bass", "channels": 2}, {"part": "Pad", "channels": 2}])
    files = [track("1 Bass.wav"), track("2 Pad.wav", rms_dbfs=-31.0)]
    both = {"1 Bass.wav": ("Bass", "Pad"), "2 Pad.wav": ("Pad",)}
    found = [f for f in all_of([*files, *others(6)], brief=asked, set_by_user=both) if f.code == "channels.role"]
    assert sorted(path for f in found for path in f.files) == ["1 Bass.wav", "2 Pad.wav"]


def test_the_documentation_explains_every_code_and_every_threshold() -> None:
    from pathlib import Path

    from deep_tally.model.thresholds import THRESHOLDS

    docs = Path(__file__).parents[2] / "docs"
    sections = {s.split("\n", 1)[0]: s for s in (docs / "findings.md").read_text("utf-8").split("\n### ")[1:]}
    assert set(sections) == set(CODES)
    for label in ("Means", "Measured", "Threshold and source", "Action"):
        assert all(f"- **{label}:** " in s for s in sections.values()), label
    table = (docs / "brief.md").read_text("utf-8")
    for name, threshold in THRESHOLDS.items():
        assert f"| `{name}` | {threshold.default:g} | {threshold.unit} | {threshold.source} |" in table
