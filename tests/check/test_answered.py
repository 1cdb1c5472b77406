"""What notes say is not asked again, and stays worth knowing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from check.found import ASK, NOTE
from deep_tally.check.registry import tally
from deep_tally.model.comparison import Comparison, Twin
from deep_tally.model.delivery import Track
from deep_tally.model.files import Damage
from deep_tally.model.findings import Action, Finding
from deep_tally.model.phrase import Phrase
from deep_tally.model.statements import Statement
from deep_tally.reply.wording.speaker import wording_of
from tracks import DEFAULT_BRIEF, RATE, brief, others, runs, song_of, track

BASS = "01 Bass.wav"
CUT_OFF = Damage(problem=Phrase("sound.ends-early"), remedy=Phrase("ask.again"))


def found(tracks: list[Track], *statements: Statement, asked: Any = DEFAULT_BRIEF, **options: Any) -> list[Finding]:
    song = replace(song_of(tracks, brief=asked, **options), statements=statements)
    return list(tally(song, asked))


def says(
    *answers: str, files: tuple[str, ...] = (BASS,), awaited: tuple[str, ...] = (), again: tuple[str, ...] = ()
) -> Statement:
    said = frozenset(answers)
    return Statement(note="n.txt", words="So it is.", files=files, answers=said, awaited=awaited, sent_again=again)


def short(findings: list[Finding]) -> list[tuple[str, Action, tuple[str, ...]]]:
    return [(f.code, f.action, f.files) for f in findings]


@pytest.mark.parametrize(
    ("statement", "action"),
    [
        (says("clipping."), NOTE),
        (says("clipping.baked"), NOTE),
        (says("clipping.over"), ASK),
        (says("clipping.", files=("02 Drum.wav",)), ASK),
        (says(awaited=("the bass",), again=(BASS,)), NOTE),
        (says(awaited=("the cello",)), ASK),  # it is only named in that sentence
    ],
)
def test_only_what_a_note_speaks_of_is_not_asked(statement: Statement, action: Action) -> None:
    clipped = track(clip_runs=runs(9))
    (finding,) = found([clipped, *others()], statement)
    assert (finding.code, finding.action, finding.is_answered) == ("clipping.baked", action, action is NOTE)
    assert finding.evidence.get("client_says") == ("So it is." if action is NOTE else None)


def test_a_question_is_not_answered_by_an_announcement() -> None:
    silent = track(first_sound_frame=None, last_sound_frame=None)
    (finding,) = found([silent, *others()], says(awaited=("the bass",), again=(BASS,)))
    assert (finding.code, finding.action) == ("content.empty", ASK)


def test_a_damaged_file_whose_client_knows_is_still_called_damaged() -> None:
    (finding,) = found([replace(track(), damage=CUT_OFF), *others()], says("content.damaged"))
    assert (finding.code, finding.action) == ("content.damaged", NOTE)
    assert wording_of(finding).headline == "Incomplete or unreadable"


def test_of_files_asked_about_together_those_that_are_answered_drop_out() -> None:
    clips = [
        track(name, frames=20 * RATE, first_sound_frame=RATE, last_sound_frame=15 * RATE) for name in ("a.wav", "b.wav")
    ]
    lost = [replace(c, path=p) for c, p in zip(clips, ("06 Harp.wav", "07 Oboe.wav"), strict=True)]
    result = found([*lost, *others()], says("start.", files=("06 Harp.wav",)))
    assert short(result) == [("start.unplaced", ASK, ("07 Oboe.wav",)), ("start.unplaced", NOTE, ("06 Harp.wav",))]
    assert result[0].evidence["files"] == 1


def test_what_is_asked_of_a_pair_is_answered_for_both() -> None:
    song = song_of([track(), *others()])
    twin = Twin(path="02 Drum.wav", other=BASS, kind="exact", gain_db=0.0, offset_frames=0, residual_db=-200.0)
    song = replace(song, comparison=Comparison(twins=(twin,)), statements=(says("content.twin"),))
    (finding,) = tally(song, DEFAULT_BRIEF)
    assert (finding.code, finding.action, len(finding.files)) == ("content.twin", NOTE, 2)


def test_a_mix_that_will_follow_is_not_asked_for() -> None:
    announced = says(files=(), awaited=("rough mix",))
    assert short(found(others(), announced, mix=False)) == [("content.no-rough-mix", NOTE, ())]
    assert short(found(others(), says(files=(), awaited=("cello",)), mix=False)) == [("content.no-rough-mix", ASK, ())]


def test_of_missing_parts_only_those_that_nobody_announced_are_asked_for() -> None:
    wanted = brief(parts=[{"part": "cello"}, {"part": "trumpet"}])
    lists = [track("01 Bass.wav"), track("02 Drum.wav")]
    result = found(lists, says(files=(), awaited=("the cellos",)), asked=wanted)
    missing = {f.action: f.evidence["missing"] for f in result if f.code == "content.part-missing"}
    assert missing == {ASK: ("trumpet",), NOTE: ("cello",)}


def test_midi_that_will_follow_is_not_asked_for() -> None:
    wanted = brief(needs={"midi": True, "click": True})
    result = found(others(), says(files=(), awaited=("the MIDI file",)), asked=wanted)
    missing = {
        f.action: [p.key for p in f.evidence["missing"]] for f in result if f.code == "content.companion-missing"
    }
    assert missing == {ASK: ["companion.click"], NOTE: ["companion.midi"]}
