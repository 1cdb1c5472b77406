"""Run one piece of work in a process that may die: what decoders written in C are trusted to.

The process is forked from a worker that has everything loaded already, so it costs milliseconds; it has limits of
time and memory, and it ends with the worker.
"""

from __future__ import annotations

import ctypes
import os
import resource
import signal
from collections.abc import Callable
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, NoReturn, ParamSpec, TypeVar

from deep_tally.model.errors import DeepTallyError, NotCheckedHere, UnreadableSound
from deep_tally.model.phrase import Phrase

P = ParamSpec("P")
R = TypeVar("R")
OnProgress = Callable[[int, int], None]

_MEMORY_MORE = 1 << 30
"""What a decoder may take beyond what the worker has: files are decoded in pieces or to disk, so it needs little."""

_CPU_SECONDS = 900
_SILENT_SECONDS = 60.0
_PR_SET_PDEATHSIG = 1  # prctl(2)
_CRASHES = frozenset({signal.SIGSEGV, signal.SIGBUS, signal.SIGABRT, signal.SIGFPE, signal.SIGILL, signal.SIGTRAP})


def end_with_parent(parent: int) -> None:
    """Have this process killed when the one that started it ends, however that ends (prctl(2)).

    `parent` is the process that started it: where that has ended before this was called, this one ends at once.
    """
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


def limit(resource_kind: int, most: int) -> bool:
    """Limit this process to `most`, or to what the system allows it where that is less; returns whether it is less."""
    hard = resource.getrlimit(resource_kind)[1]
    allowed = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(resource_kind, (allowed, allowed))
    return allowed < most


def no_memory(subject: str) -> NotCheckedHere:
    """Reading a file takes more memory than there is for it here."""
    return NotCheckedHere(subject, Phrase("here.memory"), Phrase("do.close-programs"))


def our_fault(subject: str, error: Exception) -> NotCheckedHere:
    """An error that nobody foresaw: ours, since whatever is wrong with a file has words of its own."""
    problem = Phrase("here.our-error", kind=type(error).__name__, why=str(error))
    return NotCheckedHere(subject, problem, Phrase("do.report"))


def run_isolated(
    function: Callable[..., R],
    progress: OnProgress,
    path: Path,
    *arguments: Any,
    silent_s: float = _SILENT_SECONDS,
    memory_more: int = _MEMORY_MORE,
) -> R:
    """What `function(progress, path, *arguments)` returns, run in a process of its own.

    A process that dies is started once more: memory may have been short for a moment.

    Raises
    ------
    UnreadableSound
        The one that `function` raised; or its decoder crashed on the file twice.
    NotCheckedHere
        Memory, time or the system ended it.
    """
    try:
        return _run_once(function, progress, path, *arguments, silent_s=silent_s, memory_more=memory_more)
    except _Died:
        pass
    try:
        return _run_once(function, progress, path, *arguments, silent_s=silent_s, memory_more=memory_more)
    except _Died as died:
        raise died.meaning(path.name) from died


class _Died(Exception):
    """The process ended without an answer, by this signal; `was_cramped` when it had less memory than it may need."""

    def __init__(self, by: int, *, was_cramped: bool) -> None:
        super().__init__(by)
        self.by, self.was_cramped = by, was_cramped

    def meaning(self, subject: str) -> UnreadableSound | NotCheckedHere:
        """A crash speaks of the file, unless memory was short; everything else of this machine."""
        if self.by == signal.SIGXCPU:
            return NotCheckedHere(subject, Phrase("here.too-slow"), Phrase("do.convert"))
        if self.by in _CRASHES and not self.was_cramped:
            return UnreadableSound(subject, Phrase("sound.crashes-decoder"), Phrase("ask.as-wav"))
        return NotCheckedHere(subject, Phrase("here.killed"), Phrase("do.free-memory"))


def _run_once(
    function: Callable[..., R],
    progress: OnProgress,
    path: Path,
    *arguments: Any,
    silent_s: float,
    memory_more: int,
) -> R:
    try:
        ours, theirs = Pipe(duplex=False)
        parent, child = os.getpid(), os.fork()
    except OSError as error:
        problem = Phrase("here.no-process-to-read", why=error.strerror)
        raise NotCheckedHere(path.name, problem, Phrase("do.close-programs")) from error
    if child == 0:
        ours.close()
        _live(parent, theirs, memory_more, function, path, *arguments)
    theirs.close()
    ended: int | None = None
    was_cramped = False
    try:
        while ours.poll(silent_s):
            try:
                kind, *said = ours.recv()
            except (EOFError, OSError) as error:
                ended = os.waitpid(child, 0)[1]
                by = os.WTERMSIG(ended) if os.WIFSIGNALED(ended) else 0
                raise _Died(by, was_cramped=was_cramped) from error
            if kind == "progress":
                progress(*said)
            elif kind == "value":
                value: R = said[0]
                return value
            elif kind == "cramped":
                was_cramped = True
            else:
                raise {"file": UnreadableSound, "here": NotCheckedHere}[kind](*said)
        raise NotCheckedHere(path.name, Phrase("here.too-slow"), Phrase("do.convert"))
    finally:
        ours.close()
        if ended is None:
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)


def _live(
    parent: int, pipe: Connection, memory_more: int, function: Callable[..., Any], path: Path, *arguments: Any
) -> NoReturn:
    """The life of the child; it leaves without running anything the worker has set up for its own end."""
    try:
        end_with_parent(parent)
        if limit(resource.RLIMIT_AS, address_space() + memory_more):
            pipe.send(("cramped",))
        limit(resource.RLIMIT_CPU, _CPU_SECONDS)
        limit(resource.RLIMIT_CORE, 0)

        def progress(done: int, total: int) -> None:
            pipe.send(("progress", done, total))

        try:
            answer: tuple[Any, ...] = ("value", function(progress, path, *arguments))
        except UnreadableSound as error:
            answer = ("file", error.subject, error.problem, error.remedy)
        except DeepTallyError as error:
            answer = ("here", error.subject, error.problem, error.remedy)
        except MemoryError:
            answer = ("here", *no_memory(path.name).args)
        except Exception as error:  # noqa: BLE001 - whatever a hostile file provokes costs one file
            answer = ("here", *our_fault(path.name, error).args)
        pipe.send(answer)
    finally:
        os._exit(0)


def address_space() -> int:
    """Bytes of this process's address space (proc(5), statm)."""
    return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
