"""The check run: what happens in which order, what cancelling keeps, what a correction or reading again repeats."""

from __future__ import annotations

import json
import os
import shutil
import zipfile
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.engine.check_run import Assessed, CheckRun, Event, Listed, Listing, Measured, Moved, Preparing, Refused
from deep_tally.intake.walk import take_in
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import NothingToCheck
from deep_tally.model.files import Role
from deep_tally.model.findings import Action, Finding
from deep_tally.reply.formats.json import to_json
from deep_tally.session.corrections import home
from inline import Inline
from said import said_of, say
from sounds import RATE, sine

NAMES = ("01 Bass.wav", "02 Horn.wav", "03 Harp.wav", "Song mix.wav")


def write_wav(path: Path, samples: np.ndarray) -> None:
    soundfile.write(path, samples, RATE, subtype="PCM_24")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """Three parts and a mix; the bass is clipped."""
    made = tmp_path / "Song 96 BPM"
    made.mkdir()
    for number, name in enumerate(NAMES):
        tone = sine(110 * (number + 1), 2.0, peak=2.0 if "Bass" in name else 0.3)
        write_wav(made / name, np.clip(tone, -1, 1))
    return made


def run_on(folder: Path, **options: object) -> CheckRun:
    return CheckRun([folder], DEFAULT_BRIEF, crew=Inline(), is_cached=False, **options)  # type: ignore[arg-type]


def kinds(events: Iterable[Event]) -> list[type[Event]]:
    return [type(event) for event in events if not isinstance(event, Moved | Listing | Preparing)]


def codes(delivery: Delivery | None) -> set[str]:
    assert delivery is not None
    return {f.code for f in delivery.findings}


def done(run: CheckRun) -> Delivery:
    list(run)
    assert run.delivery is not None
    return run.delivery


def test_a_run_lists_measures_compares_and_assesses_in_that_order(folder: Path) -> None:
    with run_on(folder) as run:
        assert run.stage == "opening"
        seen = [(run.stage, event) for event in run]
    assert kinds(e for _, e in seen) == [Listed, *[Measured] * 4, Assessed]
    stages = list(dict.fromkeys(stage for stage, _ in seen))
    assert stages[-3:] == ["measuring", "comparing", "done"]
    assert set(stages[:-3]) <= {"opening", "preparing"}
    assert "clipping.baked" in codes(run.delivery)


def test_what_cannot_be_opened_is_refused_with_its_own_words(tmp_path: Path) -> None:
    with run_on(tmp_path / "none") as run:
        (event,) = list(run)
    assert isinstance(event, Refused)
    assert isinstance(event.error, NothingToCheck)
    assert run.delivery is None
    assert run.is_done
    with pytest.raises(ValueError, match="not known yet"):
        run.assess()


def test_cancelling_keeps_what_is_measured(folder: Path) -> None:
    with run_on(folder) as run:
        while kinds(events := run.poll()) != [Measured]:
            assert events is not None
        run.cancel()
        delivery = done(run)
    assert sum(t.is_done for t in delivery.tracks) == 1
    assert len(delivery.tracks) == 4


def test_cancelling_while_it_opens_ends_it(folder: Path) -> None:
    with run_on(folder) as run:
        run.cancel()
        assert list(run) == []
        assert run.is_done
        assert run.delivery is None


def test_what_a_zip_holds_is_unpacked_for_as_long_as_the_run_lives(folder: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "Song.zip", "w") as archive:
        for name in NAMES:
            archive.write(folder / name, name)
    with run_on(tmp_path / "Song.zip") as run:
        assert codes(done(run)) >= {"clipping.baked"}
        assert run.intake is not None
        sources = [e.source for e in run.intake.sounds]
        assert all(s.is_file() for s in sources)
    assert not any(s.exists() for s in sources)


@pytest.mark.parametrize("is_prepared_first", [True, False])
def test_files_are_measured_once_the_machine_is_prepared(
    folder: Path, monkeypatch: pytest.MonkeyPatch, is_prepared_first: bool
) -> None:
    monkeypatch.setattr("deep_tally.engine.check_run.is_prepared", lambda: False)
    with run_on(folder) as run:
        crew = run.crew
        assert isinstance(crew, Inline)
        if not is_prepared_first:
            crew.jobs.rotate(1)
        assert kinds(run.poll()) == []
        assert run.stage == ("opening" if is_prepared_first else "preparing")
        assert kinds(run.poll()) == [Listed]
        done(run)


def test_preparing_that_fails_ends_no_check(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("deep_tally.engine.check_run.is_prepared", lambda: False)
    monkeypatch.setattr("deep_tally.engine.check_run.prepare", _no_room)
    with run_on(folder) as run:
        assert "clipping.baked" in codes(done(run))


# -- known as early as can be -----------------------------------------------------------------


def test_a_files_own_findings_are_there_before_the_others_are_measured(folder: Path) -> None:
    with run_on(folder) as run:
        assert run.so_far() is None
        early: list[set[str]] = []
        for event in run:
            if isinstance(event, Measured) and run.delivery is None:
                so_far = run.so_far()
                assert so_far is not None
                assert {p for f in so_far.findings for p in f.files} <= {t.path for t in run.tracks if t.is_done}
                early.append({f.code for f in so_far.findings if "01 Bass.wav" in f.files})
        assert any("clipping.baked" in found for found in early[:-1] + early[-1:])
        assert run.so_far() is run.delivery


def all_of(findings: Iterable[Finding]) -> set[tuple[str, str, Action]]:
    return {(f.code, path, f.action) for top in findings for f in (top, *top.consequences) for path in f.files}


@pytest.mark.parametrize(("which", "least"), [("demo", 8), ("awkward", 0)])
def test_nothing_that_was_said_early_is_taken_back(which: str, least: int, request: pytest.FixtureRequest) -> None:
    from deep_tally.check.assess import assess_so_far
    from deep_tally.model.files import Entry, Intake

    delivery: Delivery = request.getfixturevalue(which)
    seen = 0
    for song in delivery.sets:
        whole = all_of(f for f in delivery.findings if f.song == song.name)
        for track in song.tracks:
            entry = Entry(path=track.path, source=Path("/x"), role=track.role, bytes=1, song=song.name)
            alone = assess_so_far(Intake(source=Path("/x"), name="x", entries=(entry,)), [track], DEFAULT_BRIEF)
            assert all_of(alone.findings) <= whole, track.path
            seen += len(alone.findings)
    assert seen >= least


# -- corrections ------------------------------------------------------------------------------


def test_a_correction_of_places_is_assessed_at_once_and_measures_nothing(folder: Path) -> None:
    with run_on(folder) as run:
        done(run)
        assert run.correct(Corrections(places={"02 Horn.wav": RATE})) is False
        assert run.delivery is not None
        assert run.delivery.sets[0].placements["02 Horn.wav"].by == "hand"


def test_a_correction_of_roles_measures_only_what_became_sound(folder: Path) -> None:
    (folder / "Bells.txt").write_text("They ring later.")
    with run_on(folder) as run:
        done(run)
        assert run.correct(NO_CORRECTIONS.with_role(["Bells.txt"], Role.TRACKOUT)) is True
        assert run.delivery is None
        measured = [e.track.path for e in run if isinstance(e, Measured)]
        assert measured == ["Bells.txt"]
        assert "Bells.txt" in {t.path for t in run.delivery.tracks}  # type: ignore[union-attr]
        assert run.correct(NO_CORRECTIONS) is True
        assert [e for e in run if isinstance(e, Measured)] == []


def test_a_correction_while_files_are_measured_loses_none(folder: Path) -> None:
    with run_on(folder) as run:
        while kinds(run.poll()) != [Measured]:
            pass
        assert run.correct(NO_CORRECTIONS.with_role(["02 Horn.wav"], Role.GROUP)) is True
        delivery = done(run)
    assert all(t.is_done for t in delivery.tracks)
    assert {t.path: t.role for t in delivery.tracks}["02 Horn.wav"] is Role.GROUP


def test_before_the_files_are_known_there_is_nothing_to_correct(folder: Path) -> None:
    with run_on(folder) as run:
        assert run.correct(NO_CORRECTIONS.with_tempo("Song", 97.0)) is False


def test_what_the_user_said_before_is_in_force_unless_it_is_left_aside(folder: Path) -> None:
    said = Corrections(roles={"02 Horn.wav": Role.REFERENCE}, tempos={"Song 96 BPM": 101.0})
    say(folder, said)
    with run_on(folder) as run:
        delivery = done(run)
        assert run.corrections == run.recalled == said
    assert {t.path: t.role for t in delivery.tracks}["02 Horn.wav"] is Role.REFERENCE
    assert delivery.sets[0].facts.tempo_bpm == 101.0
    with run_on(folder, is_fresh=True) as run:
        assert done(run).sets[0].facts.tempo_bpm == 96.0
        run.corrections = NO_CORRECTIONS
        run.keep_corrections()
    assert said_of(folder) == said


def test_a_rough_mix_that_is_given_counts_before_what_was_said_earlier(folder: Path) -> None:
    say(folder, Corrections(rough_mixes=("Song mix.wav",)))
    with run_on(folder, rough_mix=folder / "03 Harp.wav") as run:
        roles = {t.path: t.role for t in done(run).tracks}
    assert roles["03 Harp.wav"] is Role.ROUGH_MIX
    assert roles["Song mix.wav"] is Role.REFERENCE


def test_what_is_said_is_kept_and_what_cannot_be_used_is_said(folder: Path) -> None:
    with run_on(folder) as run:
        done(run)
        run.correct(NO_CORRECTIONS.with_tempo("Song 96 BPM", 99.0))
        run.keep_corrections()
    (record,) = home().iterdir()
    record.write_text(json.dumps({**json.loads(record.read_text()), "pattern": 3}))
    with run_on(folder) as run:
        done(run)
        assert "pattern" in run.trouble
        assert run.corrections.tempos == {"Song 96 BPM": 99.0}


# -- again ------------------------------------------------------------------------------------


def test_read_again_only_what_changed_is_measured_and_corrections_stay(folder: Path) -> None:
    with run_on(folder) as run:
        done(run)
        run.correct(NO_CORRECTIONS.with_role(["02 Horn.wav"], Role.GROUP))
        done(run)
        write_wav(folder / "03 Harp.wav", sine(700, 1.0, peak=0.1))
        os.utime(folder / "03 Harp.wav", ns=(1, 1))
        with CheckRun(run.paths, DEFAULT_BRIEF, crew=Inline(), is_cached=False, again=run) as again:
            measured = [e.track.path for e in again if isinstance(e, Measured)]
            assert measured == ["03 Harp.wav"]
            assert again.corrections.roles == {"02 Horn.wav": Role.GROUP}
            again.correct(NO_CORRECTIONS)
            again.keep_corrections()
    assert said_of(folder) == NO_CORRECTIONS


def test_files_that_could_not_be_checked_here_are_tried_again(folder: Path) -> None:
    with run_on(folder) as run:
        run.job = _no_room
        assert all(t.unchecked is not None for t in done(run).tracks)
        with CheckRun(run.paths, DEFAULT_BRIEF, crew=Inline(), is_cached=False, again=run) as again:
            delivery = done(again)
    assert all(t.measures is not None for t in delivery.tracks)


def _no_room(progress: object, entry: object = None) -> object:
    from deep_tally.model.errors import NotCheckedHere

    raise NotCheckedHere("x", "no room", "make some")


# -- one answer -------------------------------------------------------------------------------


def test_workers_and_one_process_give_the_same_answer(folder: Path) -> None:
    answers = []
    for options in ({"crew": Inline()}, {}):
        with CheckRun([folder], DEFAULT_BRIEF, is_cached=False, **options) as run:  # type: ignore[arg-type]
            answers.append(to_json(done(run)))
    assert answers[0] == answers[1]


def test_a_copied_delivery_has_the_same_answer_with_what_was_said(folder: Path, tmp_path: Path) -> None:
    say(folder, Corrections(roles={"02 Horn.wav": Role.GROUP}, places={"03 Harp.wav": 480}))
    copy = shutil.copytree(folder, tmp_path / "elsewhere" / folder.name)
    answers = []
    for place in (folder, copy):
        with run_on(place) as run:
            answers.append(json.loads(to_json(done(run)))["findings"])
    assert answers[0] == answers[1]
    assert take_in([copy]).source != take_in([folder]).source
