"""Work in a process that may die: one sentence whatever happens, and nothing left behind."""

from __future__ import annotations

import errno
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from deep_tally.model.errors import NotCheckedHere, UnreadableSound
from deep_tally.work.crew import Crew, Failed
from deep_tally.work.isolated import end_with_parent, run_isolated
from work import isolated_jobs

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
    process = run_isolated(isolated_jobs.process_id, lambda done, total: told.append((done, total)), PATH)
    assert process != os.getpid()
    assert told == [(1, 2)]
    assert not is_alive(process)


@pytest.mark.parametrize(
    ("job", "kind", "words"),
    [
        (isolated_jobs.crash, UnreadableSound, "its decoder crashed on it; ask for the file again, as WAV"),
        (isolated_jobs.refuse, UnreadableSound, "it is broken; mend it"),
        (isolated_jobs.devour, NotCheckedHere, "there is not enough memory here to read it; close other programs"),
        (
            isolated_jobs.fail,
            NotCheckedHere,
            r"checking it failed with an error .* \(ZeroDivisionError: one\); report it",
        ),
        (isolated_jobs.stand_still, NotCheckedHere, "reading it takes too long here; convert it to WAV, or read the"),
        (isolated_jobs.be_killed, NotCheckedHere, "the system ended the process that read it, twice; free some memory"),
        (isolated_jobs.use_up_time, NotCheckedHere, "reading it takes too long here"),
        (isolated_jobs.leave, NotCheckedHere, "the system ended the process that read it, twice"),
    ],
)
def test_whatever_a_decoder_does_is_one_sentence_that_blames_the_right_side(
    job: object, kind: type[Exception], words: str
) -> None:
    begun = time.monotonic()
    with pytest.raises(kind, match=f"^x.mp3: {words}"):
        run_isolated(job, ignore, PATH, silent_s=1.0)  # type: ignore[arg-type]
    assert time.monotonic() - begun < 10


def test_a_process_that_died_once_is_tried_once_more(tmp_path: Path) -> None:
    assert run_isolated(isolated_jobs.die_the_first_time, ignore, tmp_path / "tries") == "done"
    assert (tmp_path / "tries").read_text() == "12"


def test_a_crash_where_memory_is_short_says_nothing_of_the_file() -> None:
    code = """
import resource
from pathlib import Path
from deep_tally.work.isolated import address_space, run_isolated
from work import isolated_jobs
hard = address_space() + (512 << 20)
resource.setrlimit(resource.RLIMIT_AS, (hard, hard))
try:
    run_isolated(isolated_jobs.crash, lambda done, total: None, Path("x.mp3"))
except Exception as error:
    print(type(error).__name__)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=_with_tests())
    assert done.stdout.strip() == "NotCheckedHere"


def _with_tests() -> dict[str, str]:
    return os.environ | {"PYTHONPATH": str(Path(__file__).parents[1])}


def test_without_a_process_to_start_it_is_this_machines_affair(monkeypatch: pytest.MonkeyPatch) -> None:
    def none() -> int:
        raise BlockingIOError(errno.EAGAIN, os.strerror(errno.EAGAIN))

    monkeypatch.setattr(os, "fork", none)
    with pytest.raises(NotCheckedHere, match=r"no process can be started to read it \(Resource temporarily"):
        run_isolated(isolated_jobs.process_id, ignore, PATH)


@pytest.mark.parametrize("how", ["cancelled", "killed"])
def test_a_worker_that_ends_takes_its_child_with_it(tmp_path: Path, how: str) -> None:
    crew = Crew(workers=1, preload="os")
    told = tmp_path / "id"
    try:
        crew.submit("job", isolated_jobs.tell_child_and_wait, told)
        assert wait_until(lambda: crew.poll(0.01) is None or (told.exists() and told.read_text()), 20)
        child = int(told.read_text())
        assert is_alive(child)
        if how == "cancelled":
            crew.cancel()
        else:
            reports = []
            for _ in range(2):  # a job whose worker died is begun once more
                child = int(told.read_text())
                told.write_text("")
                os.kill(int(Path(f"/proc/{child}/stat").read_text().rpartition(")")[2].split()[1]), signal.SIGKILL)
                assert wait_until(lambda: not is_alive(child))  # noqa: B023
                assert wait_until(lambda: reports.extend(crew.poll(0.01)) or told.read_text() or not crew.is_busy, 20)
            assert isinstance(reports[-1], Failed)
        assert wait_until(lambda: not is_alive(child))
    finally:
        crew.close()


def test_a_process_whose_parent_has_ended_already_ends_at_once(tmp_path: Path) -> None:
    # The system only tells of a parent's end to those who asked in time: a kill right after the start left an orphan.
    child = os.fork()
    if not child:
        end_with_parent(os.getpid())  # not the one that started it
        (tmp_path / "lives on").touch()
        os._exit(0)
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 1
    assert list(tmp_path.iterdir()) == []
