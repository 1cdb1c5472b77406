"""The crew of worker processes: exactly one end for every job, whatever happens to it."""

from __future__ import annotations

import errno
import os
import signal
import threading
import time
from pathlib import Path

import pytest

from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned
from work import crew_jobs

MODULE = "work.crew_jobs"


@pytest.fixture
def crew():
    made = Crew(workers=2, preload="os", stuck_after_s=1.5)
    yield made
    made.close()


def run(crew: Crew, seconds: float = 30.0) -> list[Report]:
    reports: list[Report] = []
    deadline = time.monotonic() + seconds
    while crew.is_busy and time.monotonic() < deadline:
        reports += crew.poll(0.05)
    assert not crew.is_busy
    return reports


def ends(reports: list[Report]) -> dict[str, Report]:
    found = [r for r in reports if not isinstance(r, Progress)]
    assert len({r.job for r in found}) == len(found), "a job ended twice"
    return {r.job: r for r in found}


def test_every_job_returns_its_value_and_tells_that_it_began(crew: Crew) -> None:
    for number in range(7):
        crew.submit(str(number), crew_jobs.double, number)
    reports = run(crew)
    assert {j: r.value for j, r in ends(reports).items() if isinstance(r, Returned)} == {
        str(n): 2 * n for n in range(7)
    }
    assert {r.job for r in reports if isinstance(r, Progress)} == {str(n) for n in range(7)}


def test_errors_come_back_in_words_and_the_rest_goes_on(crew: Crew) -> None:
    crew.submit("refused", crew_jobs.refuse)
    crew.submit("failed", crew_jobs.fail)
    crew.submit("fine", crew_jobs.double, 4)
    found = ends(run(crew))
    assert found["refused"] == Failed("refused", "it is broken", "mend it")
    assert isinstance(found["failed"], Failed)
    assert found["failed"].problem == "checking it failed with an error of this program (ZeroDivisionError: one)"
    assert found["fine"] == Returned("fine", 8)


def test_a_crash_costs_one_job_which_is_tried_twice(crew: Crew, tmp_path: Path) -> None:
    crew.submit("crash", crew_jobs.crash, tmp_path / "tries")
    for number in range(4):
        crew.submit(str(number), crew_jobs.double, number)
    found = ends(run(crew))
    assert isinstance(found["crash"], Failed)
    assert found["crash"].problem == "the process that was to work on it ended, again and again"
    assert (tmp_path / "tries").read_text() == "xx"
    assert all(isinstance(found[str(n)], Returned) for n in range(4))


def test_a_job_whose_worker_died_once_is_done_by_another(crew: Crew, tmp_path: Path) -> None:
    crew.submit("twice", crew_jobs.crash_the_first_time, tmp_path / "tries")
    assert ends(run(crew)) == {"twice": Returned("twice", "done")}


def test_where_every_process_dies_all_jobs_end_soon() -> None:
    crew = Crew(workers=2, preload="no_such_module")
    try:
        crew.warm_up()
        large = bytes(1 << 20)
        for number in range(50):
            crew.submit(str(number), crew_jobs.size_of, large)
        found = ends(run(crew))
    finally:
        crew.close()
    assert len(found) == 50
    assert all(isinstance(report, Failed) for report in found.values())


def test_what_cannot_be_sent_to_a_worker_fails_at_once_and_the_rest_goes_on(crew: Crew) -> None:
    crew.submit("unpicklable", crew_jobs.double, lambda: 1)
    crew.submit("fine", crew_jobs.double, 1)
    found = ends(run(crew))
    assert isinstance(found["unpicklable"], Failed)
    assert "an error of this program" in found["unpicklable"].problem
    assert found["fine"] == Returned("fine", 2)


def test_no_process_to_be_had_is_one_sentence_for_every_job(crew: Crew, monkeypatch: pytest.MonkeyPatch) -> None:
    def none(self: object) -> None:
        raise OSError(errno.EMFILE, os.strerror(errno.EMFILE))

    monkeypatch.setattr(Crew, "hire", none)
    crew.warm_up()
    crew.submit("one", crew_jobs.double, 1)
    crew.submit("two", crew_jobs.double, 2)
    found = ends(run(crew))
    assert {r.problem for r in found.values()} == {"no process can be started for it (Too many open files)"}


def test_a_large_job_goes_to_no_worker_that_still_imports() -> None:
    # It would fill the pipe, and whoever polls would wait until the worker has imported what it needs.
    crew = Crew(workers=1, preload="crew_preload_that_takes_a_second")
    waited, reports = 0, []
    try:
        crew.submit("large", crew_jobs.size_of, bytes(4 << 20))
        while crew.is_busy:
            reports += crew.poll(0.01)
            for worker in crew.workers:
                assert worker.listens or worker.job is None
                waited += not worker.listens
    finally:
        crew.close()
    assert ends(reports) == {"large": Returned("large", 4 << 20)}
    assert waited > 10


def test_a_small_job_is_begun_by_a_worker_that_still_imports() -> None:
    crew = Crew(workers=1, preload="crew_preload_that_takes_a_second")
    try:
        crew.submit("small", crew_jobs.double, 4)
        crew.poll(0.0)
        assert crew.workers[0].job is not None
        assert ends(run(crew)) == {"small": Returned("small", 8)}
    finally:
        crew.close()


def test_a_job_that_tells_nothing_for_too_long_is_given_up(crew: Crew) -> None:
    crew.submit("stuck", crew_jobs.sleep, 60)
    crew.submit("fine", crew_jobs.double, 1)
    found = ends(run(crew))
    assert isinstance(found["stuck"], Failed)
    assert "too long" in found["stuck"].problem
    assert found["fine"] == Returned("fine", 2)


def test_memory_is_limited(crew: Crew) -> None:
    crew.submit("devour", crew_jobs.devour)
    found = ends(run(crew))
    assert isinstance(found["devour"], Failed)
    assert "memory" in found["devour"].problem


def test_cancel_ends_everything_at_once_and_the_crew_can_go_on(crew: Crew) -> None:
    for number in range(5):
        crew.submit(f"long {number}", crew_jobs.sleep, 60)
    deadline = time.monotonic() + 20
    while not any(isinstance(r, Progress) for r in crew.poll(0.05)) and time.monotonic() < deadline:
        pass
    crew.cancel()
    assert not crew.is_busy
    crew.submit("after", crew_jobs.double, 3)
    assert ends(run(crew)) == {"after": Returned("after", 6)}


def test_close_leaves_no_process_behind() -> None:
    crew = Crew(workers=2, preload="os")
    crew.warm_up()
    pids = [w.process.pid for w in crew.workers]
    crew.close()
    assert pids
    for pid in pids:
        assert pid is not None
        with pytest.raises(ProcessLookupError):
            os.kill(pid, 0)


@pytest.mark.parametrize("has_thread", [False, True])
def test_a_crew_forks_only_from_an_owner_without_threads(has_thread: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(crew_jobs, "OWNER", ["was here"])
    before = signal.signal(signal.SIGTERM, lambda *_: None)
    ended = threading.Event()
    thread = threading.Thread(target=ended.wait)
    crew = Crew(workers=1, preload="os", forks=True)
    try:
        if has_thread:
            thread.start()
        crew.submit("look", crew_jobs.look_around)
        (report,) = [r for r in run(crew) if isinstance(r, Returned)]
        assert report.value == ([] if has_thread else ["was here"], True)
    finally:
        signal.signal(signal.SIGTERM, before)
        crew.close()
        ended.set()
