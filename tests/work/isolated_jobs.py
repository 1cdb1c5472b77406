"""Jobs that run apart; each is what a hostile file could make a decoder do."""

from __future__ import annotations

import faulthandler
import os
import resource
import signal
import time
from pathlib import Path
from typing import NoReturn

from deep_tally.model.errors import UnreadableSound
from deep_tally.work.isolated import OnProgress, run_isolated


def process_id(progress: OnProgress, path: Path) -> int:
    progress(1, 2)
    return os.getpid()


def crash(progress: OnProgress, path: Path) -> NoReturn:
    faulthandler.disable()  # its traceback would stand among what the tests print
    os.abort()


def devour(progress: OnProgress, path: Path) -> int:
    return len(bytearray(2 << 30))


def stand_still(progress: OnProgress, path: Path) -> None:
    time.sleep(60)


def refuse(progress: OnProgress, path: Path) -> NoReturn:
    raise UnreadableSound(path.name, "it is broken", "mend it")


def fail(progress: OnProgress, path: Path) -> NoReturn:
    raise ZeroDivisionError("one")


def be_killed(progress: OnProgress, path: Path) -> NoReturn:
    os.kill(os.getpid(), signal.SIGKILL)
    raise AssertionError


def use_up_time(progress: OnProgress, path: Path) -> NoReturn:
    resource.setrlimit(resource.RLIMIT_CPU, (1, 900))
    while True:
        progress(1, 2)


def leave(progress: OnProgress, path: Path) -> NoReturn:
    os._exit(3)


def die_the_first_time(progress: OnProgress, path: Path) -> str:
    tries = path.read_text() if path.exists() else ""
    path.write_text(f"{tries}{len(tries) + 1}")
    if not tries:
        faulthandler.disable()
        os.abort()
    return "done"


def tell_child_and_wait(progress: OnProgress, path: Path) -> None:
    """Runs in a worker: its child writes its process id to `path` and stands still."""
    run_isolated(_write_id_and_wait, progress, path)


def _write_id_and_wait(progress: OnProgress, path: Path) -> None:
    path.write_text(str(os.getpid()))
    time.sleep(60)
