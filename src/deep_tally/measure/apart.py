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

from deep_tally.model.errors import DeepTallyError, UnreadableSound

P = ParamSpec("P")
R = TypeVar("R")
OnProgress = Callable[[int, int], None]

_MEMORY_MORE = 1 << 30
"""What a decoder may take beyond what the worker has: files are decoded in pieces or to disk, so it needs little."""

_CPU_SECONDS = 900
_SILENT_SECONDS = 60.0
_PR_SET_PDEATHSIG = 1  # prctl(2)


def end_with_parent() -> None:
    """Have this process killed when the one that started it ends, however that ends (prctl(2))."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGKILL)


def run_apart(
    function: Callable[..., R],
    progress: OnProgress,
    path: Path,
    *arguments: Any,
    silent_s: float = _SILENT_SECONDS,
    memory_more: int = _MEMORY_MORE,
) -> R:
    """What `function(progress, path, *arguments)` returns, run in a process of its own.

    Raises
    ------
    DeepTallyError
        The one that `function` raised; UnreadableSound when it crashed, took too much memory or stood still.
    """
    ours, theirs = Pipe(duplex=False)
    child = os.fork()
    if child == 0:
        ours.close()
        _live(theirs, memory_more, function, path, *arguments)
    theirs.close()
    try:
        while ours.poll(silent_s):
            kind, *told = ours.recv()
            if kind == "progress":
                progress(*told)
            elif kind == "value":
                value: R = told[0]
                return value
            else:
                raise UnreadableSound(*told)
        raise UnreadableSound(path.name, "reading it takes too long", "ask for the file again, as WAV")
    except (EOFError, OSError) as error:
        raise UnreadableSound(path.name, "its decoder crashed on it", "ask for the file again, as WAV") from error
    finally:
        ours.close()
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)


def _live(pipe: Connection, memory_more: int, function: Callable[..., Any], path: Path, *arguments: Any) -> NoReturn:
    """The life of the child; it leaves without running anything the worker has set up for its own end."""
    try:
        end_with_parent()
        most = _address_space() + memory_more
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
        resource.setrlimit(resource.RLIMIT_CPU, (_CPU_SECONDS, _CPU_SECONDS))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))

        def progress(done: int, total: int) -> None:
            pipe.send(("progress", done, total))

        try:
            answer: tuple[Any, ...] = ("value", function(progress, path, *arguments))
        except DeepTallyError as error:
            answer = ("error", error.subject, error.problem, error.remedy)
        except MemoryError:
            answer = ("error", path.name, "it takes more memory than a sound file should", "ask for it again, as WAV")
        except Exception as error:  # noqa: BLE001 - whatever a hostile file provokes costs one file
            problem = f"reading it failed ({type(error).__name__}: {error})"
            answer = ("error", path.name, problem, "ask for the file again, as WAV")
        pipe.send(answer)
    finally:
        os._exit(0)


def _address_space() -> int:
    """Bytes of this process's address space (proc(5), statm)."""
    return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
