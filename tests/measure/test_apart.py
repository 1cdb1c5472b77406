"""Work in a process that may die: one sentence whatever happens, and nothing left behind."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import pytest

from deep_tally.measure.apart import run_apart
from deep_tally.measure.crew import Crew, Failed
from deep_tally.model.errors import UnreadableSound
from measure import apart_jobs

PATH = Path("x.mp3")


def ignore(done: int, total: int) -> None:
    pass


def is_alive(process: int) -> bool:
    try:
        state = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0]
    except OSError:
        return False
    return state != "Z"


def wait_until(holds: object, seconds: float = 5.0) -> bool:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if holds():  # type: ignore[operator]
            return True
        time.sleep(0.01)
    return False


def test_the_value_comes_from_another_process_that_is_gone_then() -> None:
    told: list[tuple[int, int]] = []
    process = run_apart(apart_jobs.process_id, lambda done, total: told.append((done, total)), PATH)
    assert process != os.getpid()
    assert told == [(1, 2)]
    assert not is_alive(process)


@pytest.mark.parametrize(
    ("job", "words"),
    [
        (apart_jobs.crash, "its decoder crashed on it; ask for the file again, as WAV"),
        (apart_jobs.devour, "it takes more memory than a sound file should"),
        (apart_jobs.refuse, "it is broken; mend it"),
        (apart_jobs.fail, r"reading it failed \(ZeroDivisionError: one\)"),
        (apart_jobs.stand_still, "reading it takes too long"),
    ],
)
def test_whatever_a_decoder_does_is_one_sentence(job: object, words: str) -> None:
    begun = time.monotonic()
    with pytest.raises(UnreadableSound, match=f"^x.mp3: {words}"):
        run_apart(job, ignore, PATH, silent_s=1.0)  # type: ignore[arg-type]
    assert time.monotonic() - begun < 10


@pytest.mark.parametrize("how", ["cancelled", "killed"])
def test_a_worker_that_ends_takes_its_child_with_it(tmp_path: Path, how: str) -> None:
    crew = Crew(workers=1, preload="os")
    told = tmp_path / "id"
    try:
        crew.submit("job", apart_jobs.tell_child_and_wait, told)
        assert wait_until(lambda: crew.poll(0.01) is None or (told.exists() and told.read_text()), 20)
        child = int(told.read_text())
        assert is_alive(child)
        if how == "cancelled":
            crew.cancel()
        else:
            parent = int(Path(f"/proc/{child}/stat").read_text().rpartition(")")[2].split()[1])
            os.kill(parent, signal.SIGKILL)
            reports = []
            assert wait_until(lambda: reports.extend(crew.poll(0.01)) or not crew.is_busy)
            assert isinstance(reports[-1], Failed)
        assert wait_until(lambda: not is_alive(child))
    finally:
        crew.close()
