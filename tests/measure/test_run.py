"""A run over a delivery: order, what is known already, memory, progress, cancelling."""

from __future__ import annotations

import signal
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.measure import run as run_module
from deep_tally.measure.run import Measuring
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Entry, Intake, Role
from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned
from inline import Inline
from sounds import measured, sine
from tracks import track


class _Told(Crew):
    """A crew without processes: it notes what was submitted, and reports what it is told to."""

    def __init__(self) -> None:
        super().__init__(workers=1, preload="os")
        self.jobs: list[str] = []
        self.reports: list[Report] = []

    def submit(self, job: str, function: object, *arguments: object) -> None:
        self.jobs.append(job)

    def poll(self, timeout_s: float = 0.0) -> list[Report]:
        reports, self.reports = self.reports, []
        return reports


def intake(sizes: dict[str, int]) -> Intake:
    entries = [Entry(path=p, source=Path("/x") / p, role=Role.TRACKOUT, bytes=n, song="s") for p, n in sizes.items()]
    return Intake(source=Path("/x"), name="s", entries=tuple(entries))


def test_the_largest_files_go_first_and_known_ones_not_at_all() -> None:
    crew = _Told()
    known = track("b.wav", role=Role.REFERENCE)
    measuring = Measuring(intake({"a.wav": 1, "b.wav": 9, "c.wav": 5}), crew, known={"b.wav": known})
    assert crew.jobs == ["c.wav", "a.wav"]
    assert measuring.counts == (1, 3)
    assert measuring.tracks[1] == replace(known, role=Role.TRACKOUT), "what it is for is said anew"


def test_progress_is_reported_in_shares_of_all_bytes() -> None:
    crew = _Told()
    measuring = Measuring(intake({"a.wav": 100, "b.wav": 300}), crew)
    crew.reports = [Progress("b.wav", 1, 2), Progress("other job", 1, 2)]
    assert measuring.poll() == []
    assert (measuring.share, measuring.at_work) == (pytest.approx(150 / 400), "b.wav")
    crew.reports = [Returned("b.wav", track("b.wav")), Returned("a.wav", track("a.wav"))]
    assert [t.path for t in measuring.poll()] == ["b.wav", "a.wav"]
    assert (measuring.share, measuring.is_done, measuring.at_work) == (1.0, True, None)


def test_the_more_files_the_coarser_their_overviews(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(run_module, "_BINS_IN_ALL", 2000)
    fine = replace(track("a.wav"), measures=measured(sine(440, 30.0)))
    assert fine.measures is not None
    assert len(fine.measures.overview[0].low) > 1000
    crew = _Told()
    measuring = Measuring(intake({"a.wav": 1, "b.wav": 1}), crew)
    crew.reports = [Returned("a.wav", fine)]
    (kept,) = measuring.poll()
    assert kept.measures is not None
    assert 0 < len(kept.measures.overview[0].low) <= 1000
    assert kept.measures == fine.measures, "the numbers are the same"


def test_where_no_overview_is_coarse_enough_the_coarsest_is_kept(monkeypatch: pytest.MonkeyPatch) -> None:
    fine = replace(track("a.wav"), measures=measured(sine(440, 30.0)))
    assert fine.measures is not None
    levels = fine.measures.overview
    for most, kept in ((1, levels[-1:]), (len(levels[0].low), levels), (len(levels[0].low) - 1, levels[1:])):
        monkeypatch.setattr(run_module, "_BINS_IN_ALL", most)
        crew = _Told()
        measuring = Measuring(intake({"a.wav": 1}), crew)
        crew.reports = [Returned("a.wav", fine)]
        (done,) = measuring.poll()
        assert done.measures is not None
        assert [lv.bin_frames for lv in done.measures.overview] == [lv.bin_frames for lv in kept]


def test_cancelling_takes_less_than_a_fifth_of_a_second_in_the_middle_of_long_files(tmp_path: Path) -> None:

    for number in range(4):
        noise = np.random.default_rng(number).uniform(-0.5, 0.5, (48_000 * 60, 2))
        soundfile.write(tmp_path / f"{number}.wav", noise, 48_000, subtype="PCM_24")
    crew = Crew(workers=2, preload="os")
    entries = [
        Entry(path=p.name, source=p, role=Role.TRACKOUT, bytes=p.stat().st_size, song="s") for p in tmp_path.iterdir()
    ]
    try:
        measuring = Measuring(Intake(source=tmp_path, name="s", entries=tuple(entries)), crew)
        deadline = time.monotonic() + 60
        while not any(s > 0 for s in measuring.shares.values()) and time.monotonic() < deadline:
            measuring.poll(0.02)
        at_work = [w.process for w in crew.workers if w.job is not None]
        measuring.cancel()
        assert {process.exitcode for process in at_work} == {-signal.SIGKILL}  # nothing waited for them
        assert measuring.is_done
        assert any(t.measures is None for t in measuring.tracks)
    finally:
        crew.close()


def test_a_run_measures_all_and_says_which_could_not_be(tmp_path: Path) -> None:
    def job(progress: object, of: Entry) -> object:
        if of.path == "b.wav":
            raise DeepTallyError("b.wav", problem="the disk is gone", remedy="plug it in")
        return track(of.path)

    measuring = Measuring(intake({"a.wav": 0, "b.wav": 3, "c.wav": 1}), Inline(), job=job)  # type: ignore[arg-type]
    assert (measuring.counts, measuring.share, measuring.at_work) == ((0, 3), 0.0, "a.wav")
    assert [t.path for t in measuring.poll()] == ["b.wav"]
    assert (measuring.counts, measuring.share) == ((1, 3), pytest.approx(3 / 5))
    assert [t.path for t in measuring.poll() + measuring.poll()] == ["c.wav", "a.wav"]
    assert measuring.is_done
    bad = measuring.by_path["b.wav"].unchecked
    assert bad is not None
    assert (bad.problem, bad.remedy) == ("the disk is gone", "plug it in")


def test_a_run_of_nothing_is_done() -> None:
    measuring = Measuring(Intake(source=Path("/x"), name="s", entries=()), _Told())
    assert (measuring.is_done, measuring.share, measuring.at_work, measuring.counts) == (True, 1.0, None, (0, 0))


def test_a_report_of_something_else_changes_nothing() -> None:
    measuring = Measuring(intake({"a.wav": 1}), _Told())
    assert not measuring.is_about(Returned("b.wav", track("b.wav")))
    assert measuring.take(Returned("b.wav", track("b.wav"))) is None
    assert measuring.counts == (0, 1)
    assert measuring.take(Failed("a.wav", "no", "none")) is not None
    assert measuring.take(Returned("a.wav", track("a.wav"))) is None, "it is done: what comes later is not its own"
