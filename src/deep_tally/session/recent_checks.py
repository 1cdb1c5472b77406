"""The checks that were saved last, with what their rows on the first page say: a list beside the checks themselves.

The list is a help, never a need: it can be lost, and every check is still where it was saved.
"""

from __future__ import annotations

import fcntl
import json
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass
from pathlib import Path

from platformdirs import user_data_path

from deep_tally.model.errors import DeepTallyError
from deep_tally.work.atomic import write_atomically

_MOST = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class RecentCheck:
    """One row: where the check is saved, when (ISO 8601), whose it is, its tally, how many files and rounds."""

    path: str
    name: str
    saved_at: str
    client: str = ""
    ask: int = 0
    fix: int = 0
    note: int = 0
    files: int = 0
    rounds: int = 1


def recent_checks() -> tuple[RecentCheck, ...]:
    """The checks that are still there, the latest first."""
    return tuple(check for check in _listed() if Path(check.path).is_file())


def remember(check: RecentCheck) -> None:
    """Put a check first; a list that cannot be written is done without."""
    with _locked():
        others = [c for c in _listed() if c.path != check.path]
        _write([check, *others][:_MOST])


def forget(path: str) -> None:
    """Take a check off the list; the check itself stays where it is."""
    with _locked():
        _write([c for c in _listed() if c.path != path])


def _home() -> Path:
    return user_data_path("deep-tally") / "recent.json"


def _listed() -> tuple[RecentCheck, ...]:
    try:
        said = json.loads(_home().read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return ()
    return tuple(_rows(said)) if isinstance(said, list) else ()


def _rows(said: list[object]) -> Iterator[RecentCheck]:
    kinds = {name: type(value) for name, value in asdict(RecentCheck(path="", name="", saved_at="")).items()}
    for each in said:
        if isinstance(each, dict) and all(type(each.get(name)) is kind for name, kind in kinds.items()):
            yield RecentCheck(**{name: each[name] for name in kinds})


def _write(checks: list[RecentCheck]) -> None:
    with suppress(DeepTallyError, OSError):
        _home().parent.mkdir(parents=True, exist_ok=True)
        write_atomically(json.dumps([asdict(c) for c in checks], indent=1) + "\n", _home())


@contextmanager
def _locked() -> Iterator[None]:
    """Several windows write the list: one after the other."""
    try:
        _home().parent.mkdir(parents=True, exist_ok=True)
        lock = _home().with_suffix(".lock").open("w")
    except OSError:
        yield
        return
    with lock:
        with suppress(OSError):  # a drive that knows no locks
            fcntl.flock(lock, fcntl.LOCK_EX)
        yield
