"""A crew of worker processes: jobs go in, reports come out, a crash costs no more than one job.

No threads: whoever owns the crew polls it (the window from a timer, the command line in a loop), and no
call waits for a process. Killing a process is how work is cancelled; jobs only read, so nothing can be left
half done.
"""

from __future__ import annotations

import errno
import importlib
import multiprocessing
import os
import resource
import signal
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from multiprocessing.process import BaseProcess
from multiprocessing.reduction import ForkingPickler
from pathlib import Path
from typing import Any

from deep_tally.model.errors import DeepTallyError
from deep_tally.model.phrase import Phrase
from deep_tally.work.isolated import end_with_parent, limit, no_memory, our_fault

_MEMORY_MOST = 4 << 30
_ADDRESSES_LEAST = 550 << 20
"""Of address space: what a worker takes with everything loaded. With less, libraries that load may never end."""

_MEMORY_PER_WORKER = 400 << 20
"""What is allowed for each worker: it takes less than a third of that, whatever the length of its file."""

_REPORT_EVERY_S = 0.05
_NICENESS = 5
_STUCK_AFTER_S = 120.0
_TRIES = 2
_HOPELESS_AFTER = 6
"""Deaths in a row, with no job done between them, after which no more processes are started."""

_SMALL_JOB = 32 << 10
"""Bytes that fit a pipe's buffer in any case (64 KiB by pipe(7)): more is only sent to a worker that listens."""


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
    """A job could not be done here: `problem` and `remedy` as in `DeepTallyError`. It says nothing about any file."""

    job: str
    problem: Phrase
    remedy: Phrase


Report = Progress | Returned | Failed


@dataclass(frozen=True, slots=True)
class _Ready:
    """A new worker has imported what it needs, and listens."""


@dataclass(slots=True, eq=False)
class _Job:
    name: str
    function: Callable[..., Any]
    arguments: tuple[Any, ...]
    tries: int = 0
    message: bytes = b""

    def pickled(self) -> bytes:
        """What a worker is sent; made once, also where the job has to wait."""
        if not self.message:
            self.message = bytes(ForkingPickler.dumps((self.name, self.function, self.arguments)))
        return self.message


@dataclass(slots=True, eq=False)
class Worker:
    process: BaseProcess
    pipe: Connection
    job: _Job | None = None
    heard: float = 0.0
    listens: bool = False


class Crew:
    """Runs jobs in up to `workers` processes, first come, first served.

    A job is a module-level function whose first argument is a progress callback `(done, total)`; `preload` is
    the module with the jobs, imported by a new process before its first one arrives. A job whose worker dies is begun
    once more. With `forks` a worker begins with all that its owner has loaded, in milliseconds, as long as the owner
    has no threads: a fork of one that has may stand still for ever.
    """

    def __init__(
        self, *, preload: str, workers: int | None = None, stuck_after_s: float = _STUCK_AFTER_S, forks: bool = False
    ) -> None:
        self._most = workers or max(1, min(len(os.sched_getaffinity(0)), _memory_available() // _MEMORY_PER_WORKER))
        self._stuck_after_s = stuck_after_s
        # Several BLAS threads in each of several processes only get in each other's way.
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        self._forks = forks
        self.preload = preload
        self._waiting: deque[_Job] = deque()
        self.workers: list[Worker] = []
        self._deaths = 0

    def warm_up(self) -> None:
        """Start the processes before there is work, so that the first job need not wait for imports."""
        while len(self.workers) < self._most:
            try:
                self.workers.append(self.hire())
            except OSError:
                return  # the first job says so

    def submit(self, job: str, function: Callable[..., Any], *arguments: Any) -> None:
        """Put a job in the queue; `job` names it in reports."""
        self._waiting.append(_Job(job, function, arguments))

    @property
    def is_busy(self) -> bool:
        """Whether any job waits or is at work."""
        return bool(self._waiting) or any(w.job is not None for w in self.workers)

    def poll(self, timeout_s: float = 0.0) -> list[Report]:
        """Hand out waiting jobs and collect what the workers report within `timeout_s`."""
        reports = self._hand_out()
        ready = wait([w.pipe for w in self.workers], 0.0 if reports else timeout_s)
        for worker in [w for w in self.workers if w.pipe in ready]:
            reports += self._listen(worker)
        for worker in [w for w in self.workers if w.job is not None]:
            if worker.job is not None and time.monotonic() - worker.heard > self._stuck_after_s:
                reports.append(Failed(worker.job.name, Phrase("here.too-slow"), Phrase("do.again")))
                self._dismiss(worker)
        return reports + self._hand_out()

    def forget_waiting(self, job: str) -> None:
        """Drop the jobs of this name that no worker has begun."""
        self._waiting = deque(waiting for waiting in self._waiting if waiting.name != job)

    def cancel(self) -> None:
        """Forget all waiting jobs and end those at work; nothing more is reported of them."""
        self._waiting.clear()
        for worker in [w for w in self.workers if w.job is not None]:
            self._dismiss(worker)

    def close(self) -> None:
        """End all work and all processes."""
        self._waiting.clear()
        for worker in list(self.workers):
            self._dismiss(worker)

    def _hand_out(self) -> list[Report]:
        """Give jobs to idle workers; what cannot be given to any is reported."""
        reports: list[Report] = []
        while self._waiting:
            job = self._waiting[0]
            try:
                worker = self._idle_worker()
                message = job.pickled() if worker is not None else b""
            except OSError as error:
                if self.workers:
                    return reports  # those at work take it when they are done
                problem = Phrase("here.no-process", why=error.strerror)
                reports.append(Failed(job.name, problem, Phrase("do.close-programs")))
            except Exception as error:  # noqa: BLE001 - pickling raises whatever the arguments raise
                reports.append(_failed(job.name, our_fault(job.name, error)))
            else:
                if worker is None or (len(message) > _SMALL_JOB and not worker.listens):
                    return reports
                try:
                    worker.pipe.send_bytes(message)
                except OSError:
                    self._dismiss(worker)
                    continue
                worker.job, worker.heard = job, time.monotonic()
            self._waiting.popleft()
        return reports

    def _idle_worker(self) -> Worker | None:
        """A worker without a job, a new one where there may be more; None when all are at work."""
        idle = [w for w in self.workers if w.job is None]
        if not idle and len(self.workers) < self._most:
            idle = [self.hire()]
            self.workers += idle
        return max(idle, key=lambda w: w.listens, default=None)

    def _listen(self, worker: Worker) -> list[Report]:
        reports: list[Report] = []
        try:
            while worker.pipe.poll():
                report = worker.pipe.recv()
                worker.heard = time.monotonic()
                worker.listens = worker.listens or not isinstance(report, Progress)
                if isinstance(report, _Ready):
                    continue
                reports.append(report)
                if not isinstance(report, Progress):
                    worker.job = None
                    self._deaths = 0
        except (EOFError, OSError):
            reports += self._mourn(worker)
        return reports

    def _mourn(self, worker: Worker) -> list[Report]:
        """A worker died: its job is begun once more, by another; the second time it is given up."""
        job = worker.job
        self._dismiss(worker)
        self._deaths += 1
        if job is None:
            # It died before it had anything to do: whoever waits for a worker must not wait for ever.
            job = self._waiting.popleft() if self._waiting else None
        if job is None:
            return []
        job.tries += 1
        given_up = []
        if self._deaths >= _HOPELESS_AFTER:
            given_up = [job, *self._waiting]
            self._waiting.clear()
            self._deaths = 0
        elif job.tries < _TRIES:
            self._waiting.appendleft(job)
        else:
            given_up = [job]
        problem = Phrase("here.ended")
        return [Failed(j.name, problem, Phrase("do.free-memory")) for j in given_up]

    def hire(self) -> Worker:
        allowed = resource.getrlimit(resource.RLIMIT_AS)[0]
        if allowed != resource.RLIM_INFINITY and allowed < _ADDRESSES_LEAST:
            raise OSError(errno.ENOMEM, os.strerror(errno.ENOMEM))
        is_forked = self._forks and threading.active_count() == 1
        context = multiprocessing.get_context("fork") if is_forked else multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe()
        process = context.Process(target=_work, args=(theirs, self.preload, os.getpid()), daemon=True)
        try:
            process.start()
        except BaseException:
            ours.close()
            raise
        finally:
            theirs.close()
        return Worker(process, ours)

    def _dismiss(self, worker: Worker) -> None:
        self.workers.remove(worker)
        worker.pipe.close()
        worker.process.kill()
        worker.process.join()


def _failed(job: str, error: DeepTallyError) -> Failed:
    return Failed(job, error.problem, error.remedy)


def _memory_available() -> int:
    """Bytes that can be had without swapping (proc(5), meminfo)."""
    for line in Path("/proc/meminfo").read_text().splitlines():
        if line.startswith("MemAvailable:"):
            return int(line.split()[1]) * 1024
    return _MEMORY_MOST


def _work(pipe: Connection, preload: str, parent: int) -> None:
    """The life of a worker process."""
    end_with_parent(parent)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the owner decides what an interrupt means
    for ending in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(ending, signal.SIG_DFL)  # a fork has taken over its owner's ways to end
    limit(resource.RLIMIT_AS, _MEMORY_MOST)
    os.nice(_NICENESS)  # the window comes first, also where every core is at work
    # Decoders written in C print their worries: errors come back through the pipe, not through the terminal.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    # What a first job needs it imports itself, and some need next to nothing: only an idle worker makes ready.
    if not pipe.poll():
        importlib.import_module(preload)
        pipe.send(_Ready())
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
            report = _failed(job, error)
        except MemoryError:
            report = _failed(job, no_memory(job))
        except Exception as error:  # noqa: BLE001 - an error nobody foresaw costs one job, not the check
            report = _failed(job, our_fault(job, error))
        try:
            pipe.send(report)
        except (BrokenPipeError, ConnectionResetError):
            return
