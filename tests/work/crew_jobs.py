"""Jobs for the crew's tests; module-level, so that a worker process can import them."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn

from deep_tally.model.errors import UnreadableSound

OnProgress = Callable[[int, int], None]


def double(progress: OnProgress, number: int) -> int:
    progress(1, 2)
    return 2 * number


def refuse(progress: OnProgress) -> NoReturn:
    raise UnreadableSound("x.wav", "it is broken", "mend it")


def fail(progress: OnProgress) -> NoReturn:
    raise ZeroDivisionError("one")


def crash(progress: OnProgress, tries: Path) -> NoReturn:
    with tries.open("a") as file:
        file.write("x")
    os.abort()


def crash_the_first_time(progress: OnProgress, tries: Path) -> str:
    if not tries.exists():
        crash(progress, tries)
    return "done"


def size_of(progress: OnProgress, data: bytes) -> int:
    return len(data)


def sleep(progress: OnProgress, seconds: float) -> None:
    time.sleep(seconds)


def devour(progress: OnProgress) -> int:
    return len(bytearray(16 << 30))


OWNER: list[str] = []
"""What the owner of a crew leaves here, only a fork of it can see."""


def look_around(progress: object) -> tuple[list[str], bool]:
    """What the owner left, and whether the process still ends on SIGTERM as the system has it."""
    return OWNER, signal.getsignal(signal.SIGTERM) == signal.SIG_DFL
