"""A crew of worker processes: jobs go in, reports come out, a crash costs one job.

No threads: whoever owns the crew polls it (the window from a timer, the command line in a loop), and no
call waits for a process. Killing a process is how work is cancelled; jobs only read, so nothing can be left
half done.
"""

from __future__ import annotations

import importlib
import multiprocessing
import os
import resource
import signal
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import Any

from deep_tally.measure.apart import end_with_parent
from deep_tally.model.errors import DeepTallyError

_MEMORY_MOST = 4 << 30
_MEMORY_PER_WORKER = 400 << 20
"""What a worker is reckoned with: it takes less than a third of that, whatever the length of its file."""

_REPORT_EVERY_S = 0.05
_NICENESS = 5
_STUCK_AFTER_S = 120.0
_MEASURING = "deep_tally.measure.one_pass"


@dataclass(frozen=True, slots=True)
class Progress:
    """A job is at work; `done` of `total`, both 0 when it has just begun."""

    job: str
    done: int
    total: int


@dataclass(frozen=True, slots=True)
class Returned:
    """A job is done."""

    job: str
    value: Any


@dataclass(frozen=True, slots=True)
class Failed:
    """A job ended without a result: `problem` and `remedy` as in `DeepTallyError`."""

    job: str
    problem: str
    remedy: str


Report = Progress | Returned | Failed


@dataclass(slots=True)
class _Worker:
    process: BaseProcess
    pipe: Connection
    job: str | None = None
    heard: float = 0.0


class Crew:
    """Runs jobs in up to `workers` processes, first come, first served.

    A job is a module-level function whose first argument is a progress callback `(done, total)`; `preload` is
    the module with the jobs, imported by a new process before its first one arrives.
    """

    def __init__(
        self, *, workers: int | None = None, preload: str = _MEASURING, stuck_after_s: float = _STUCK_AFTER_S
    ) -> None:
        self._most = workers or max(1, min(len(os.sched_getaffinity(0)), _memory_available() // _MEMORY_PER_WORKER))
        self._stuck_after_s = stuck_after_s
        # Several BLAS threads in each of several processes only get in each other's way.
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        self._context = multiprocessing.get_context("spawn")
        self._preload = preload
        self._waiting: deque[tuple[str, Callable[..., Any], tuple[Any, ...]]] = deque()
        self._workers: list[_Worker] = []

    def warm_up(self) -> None:
        """Start the processes before there is work, so that the first job need not wait for imports."""
        while len(self._workers) < self._most:
            self._workers.append(self._hire())

    def submit(self, job: str, function: Callable[..., Any], *arguments: Any) -> None:
        """Put a job in the queue; `job` names it in reports."""
        self._waiting.append((job, function, arguments))

    @property
    def is_busy(self) -> bool:
        """Whether any job waits or is at work."""
        return bool(self._waiting) or any(w.job is not None for w in self._workers)

    def poll(self, timeout_s: float = 0.0) -> list[Report]:
        """Hand out waiting jobs and collect what the workers report within `timeout_s`."""
        self._hand_out()
        ready = wait([w.pipe for w in self._workers if w.job is not None], timeout_s)
        reports: list[Report] = []
        for worker in [w for w in self._workers if w.pipe in ready]:
            reports += self._listen(worker)
        for worker in [w for w in self._workers if w.job is not None]:
            if time.monotonic() - worker.heard > self._stuck_after_s:
                reports.append(
                    Failed(worker.job or "", "reading it takes too long", "copy it to this machine and try again")
                )
                self._dismiss(worker)
        self._hand_out()
        return reports

    def forget_waiting(self, job: str) -> None:
        """Drop the jobs of this name that no worker has begun."""
        self._waiting = deque(waiting for waiting in self._waiting if waiting[0] != job)

    def cancel(self) -> None:
        """Forget all waiting jobs and end those at work; nothing more is reported of them."""
        self._waiting.clear()
        for worker in [w for w in self._workers if w.job is not None]:
            self._dismiss(worker)

    def close(self) -> None:
        """End all work and all processes."""
        self._waiting.clear()
        for worker in list(self._workers):
            self._dismiss(worker)

    def _hand_out(self) -> None:
        while self._waiting:
            idle = next((w for w in self._workers if w.job is None), None)
            if idle is None:
                if len(self._workers) >= self._most:
                    return
                idle = self._hire()
                self._workers.append(idle)
            job, function, arguments = self._waiting[0]
            try:
                idle.pipe.send((job, function, arguments))
            except (BrokenPipeError, ConnectionResetError):
                self._dismiss(idle)
                continue
            self._waiting.popleft()
            idle.job, idle.heard = job, time.monotonic()

    def _listen(self, worker: _Worker) -> list[Report]:
        reports: list[Report] = []
        try:
            while worker.job is not None and worker.pipe.poll():
                report = worker.pipe.recv()
                worker.heard = time.monotonic()
                reports.append(report)
                if not isinstance(report, Progress):
                    worker.job = None
        except (EOFError, OSError):
            reports.append(Failed(worker.job or "", "its decoder crashed on it", "ask for the file again, as WAV"))
            self._dismiss(worker)
        return reports

    def _hire(self) -> _Worker:
        ours, theirs = self._context.Pipe()
        process = self._context.Process(target=_work, args=(theirs, self._preload), daemon=True)
        process.start()
        theirs.close()
        return _Worker(process, ours)

    def _dismiss(self, worker: _Worker) -> None:
        self._workers.remove(worker)
        worker.pipe.close()
        worker.process.kill()
        worker.process.join()


def _memory_available() -> int:
    """Bytes that can be had without swapping (proc(5), meminfo)."""
    for line in Path("/proc/meminfo").read_text().splitlines():
        if line.startswith("MemAvailable:"):
            return int(line.split()[1]) * 1024
    return _MEMORY_MOST


def _work(pipe: Connection, preload: str) -> None:
    """The life of a worker process."""
    end_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the owner decides what an interrupt means
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY_MOST, _MEMORY_MOST))
    os.nice(_NICENESS)  # the window comes first, also where every core is at work
    # Decoders written in C print their worries: errors come back through the pipe, not through the terminal.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    # What a first job needs it imports itself, and some need next to nothing: only an idle worker makes ready.
    if not pipe.poll():
        importlib.import_module(preload)
    while True:
        try:
            job, function, arguments = pipe.recv()
        except (EOFError, OSError):
            return
        last = 0.0

        def progress(done: int, total: int, job: str = job) -> None:
            nonlocal last
            now = time.monotonic()
            if now - last >= _REPORT_EVERY_S:
                last = now
                pipe.send(Progress(job, done, total))

        try:
            progress(0, 0)
            report: Report = Returned(job, function(progress, *arguments))
        except DeepTallyError as error:
            report = Failed(job, error.problem, error.remedy)
        except MemoryError:
            report = Failed(job, "it takes more memory than a sound file should", "ask for the file again, as WAV")
        except Exception as error:  # noqa: BLE001 - whatever a hostile file provokes costs one job, not the check
            report = Failed(
                job, f"reading it failed ({type(error).__name__}: {error})", "ask for the file again, as WAV"
            )
        try:
            pipe.send(report)
        except (BrokenPipeError, ConnectionResetError):
            return
