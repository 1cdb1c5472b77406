"""Idle workers that outlive their crew: each test that makes its own would wait two seconds for them to be ready."""

from __future__ import annotations

import os
from typing import Any

from deep_tally.engine.check_run import KERNELS
from deep_tally.work.crew import Crew, Returned

_IDLE: list[Any] = []
_HIRE, _CLOSE = Crew.hire, Crew.close
_HOME = ("XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME")


def take_home(progress: object, home: dict[str, str]) -> None:
    """What a worker is told first: where this test's settings and cache lie."""
    os.environ.update(home)


def hire(crew: Crew) -> Any:
    """A worker out of the stable, or a new one."""
    if crew.preload != KERNELS:
        return _HIRE(crew)
    worker = _IDLE.pop() if _IDLE else _HIRE(crew)
    worker.pipe.send(("", take_home, ({name: os.environ[name] for name in _HOME},)))
    while not isinstance(worker.pipe.recv(), Returned):
        pass
    worker.listens = True
    return worker


def close(crew: Crew) -> None:
    """End a crew; its idle workers go back into the stable."""
    if crew.preload == KERNELS:
        for worker in [w for w in crew.workers if w.job is None and w.process.is_alive()]:
            crew.workers.remove(worker)
            _IDLE.append(worker)
    _CLOSE(crew)
