"""The crew of worker processes: exactly one end for every job, whatever happens to it."""

from __future__ import annotations

import os
import time

import pytest

from deep_tally.measure.crew import Crew, Failed, Progress, Report, Returned
from measure import crew_jobs

MODULE = "measure.crew_jobs"


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
    assert "ZeroDivisionError: one" in found["failed"].problem
    assert found["fine"] == Returned("fine", 8)


def test_a_crash_costs_one_job(crew: Crew) -> None:
    crew.submit("crash", crew_jobs.crash)
    for number in range(4):
        crew.submit(str(number), crew_jobs.double, number)
    found = ends(run(crew))
    assert isinstance(found["crash"], Failed)
    assert "crashed" in found["crash"].problem
    assert all(isinstance(found[str(n)], Returned) for n in range(4))


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
    pids = [w.process.pid for w in crew._workers]
    crew.close()
    assert pids
    for pid in pids:
        assert pid is not None
        with pytest.raises(ProcessLookupError):
            os.kill(pid, 0)
