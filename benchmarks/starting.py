"""What starting costs: a whole command on few files, known ones and long ones; and when the first finding is there."""

from __future__ import annotations

import os
import shutil
import statistics
import subprocess
import sys
import time
from pathlib import Path

import soundfile
from PySide6.QtWidgets import QApplication

from common import decode_seconds, make_files
from deep_tally.app.shell.making import make_window
from deep_tally.engine.check_run import Assessed, CheckRun, Listed, Refused
from deep_tally.model.brief import DEFAULT_BRIEF
from window import TimedApplication, _run

_KERNELS = "from deep_tally.engine.preparing import all_kernels\nfor kernel in all_kernels(): kernel.make_ready()"
_CLIPPED_LEAST = 12


def _seconds(*command: str, cache: Path) -> float:
    started = time.perf_counter()
    environment = {**os.environ, "XDG_CACHE_HOME": str(cache)}
    subprocess.run([sys.executable, *command], env=environment, check=False, capture_output=True)
    return time.perf_counter() - started


def commands(folder: Path, rounds: int) -> None:
    """Whole commands, the start of Python included, against loading the kernels alone and against decoding."""
    few, long = make_files(folder / "few", 5, 0.05), make_files(folder / "long", 12, 4.0)
    check = ("-m", "deep_tally", "check", "--quiet")
    _seconds("-m", "deep_tally", "prepare", cache=folder)
    loading, new, known = [], [], []
    for number in range(rounds):
        cache = folder / f"cache {number}"
        loading.append(_seconds("-c", _KERNELS, cache=cache))
        new.append(_seconds(*check, str(few), cache=cache))
        known.append(_seconds(*check, str(few), cache=cache))
    kernels = statistics.median(loading)
    for words, seconds, most in (("five short files", new, 1.5), ("the same, known", known, 0.5)):
        middle = statistics.median(seconds)
        print(
            f"{words}: {middle:.2f} s, {middle / kernels:.2f} of loading all kernels alone, {kernels:.2f} s"
            f" (asked: {most}, when numba had to be loaded for them)"
        )
    decode_seconds(long)  # into the page cache
    for number in range(rounds):
        decoding = decode_seconds(long)
        whole = _seconds(*check, str(long), cache=folder / f"long {number}")
        print(
            f"12 files of 4 min, round {number + 1}: decoding {decoding:.2f} s, the whole command {whole:.2f} s,"
            f" ratio {whole / decoding:.2f} (asked: at most 0.8)"
        )
    shutil.rmtree(long)


def first_findings(folder: Path) -> None:
    """When the first finding is there, and when all are, in the window and for the command, on unknown files."""
    os.environ["XDG_CONFIG_HOME"] = str(folder / "config")
    if not os.environ.get("DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    application = TimedApplication()
    for files in (5, 60, 300):
        made = make_files(folder / f"{files} of 96 BPM", files, 0.5)
        _clip(sorted(made.iterdir())[0])
        os.environ["XDG_CACHE_HOME"] = str(folder / f"cache of {files}")
        first, last = _of_the_run(made)
        os.environ["XDG_CACHE_HOME"] = str(folder / f"window cache of {files}")
        seen, shown = _of_the_window(application, made)
        print(
            f"{files} files of 30 s, first finding and last: command {first:.2f} and {last:.2f} s after its imports,"
            f" window {seen:.2f} and {shown:.2f} s"
        )
        shutil.rmtree(made)


def _clip(path: Path) -> None:
    """Plant what a file shows by itself, and make it the largest, which is measured first."""
    samples, rate = soundfile.read(path, dtype="float32")
    samples[:: len(samples) // (2 * _CLIPPED_LEAST)] = 0.0
    for at in range(rate, _CLIPPED_LEAST * rate, rate):
        samples[at : at + 6] = 1.0
    soundfile.write(path, samples, rate, subtype="PCM_32")


def _of_the_run(folder: Path) -> tuple[float, float]:
    started = time.perf_counter()
    first = 0.0
    with CheckRun([folder], DEFAULT_BRIEF) as run:
        for event in run:
            if isinstance(event, Refused):
                raise event.error
            if not first and not isinstance(event, Listed | Assessed) and (found := run.so_far()) and found.findings:
                first = time.perf_counter() - started
    return first, time.perf_counter() - started


def _of_the_window(application: TimedApplication, folder: Path) -> tuple[float, float]:
    _, window = make_window()
    window.show()
    window.state.warm_up()
    _run(application, lambda: True, seconds=3.0)
    try:
        started = time.perf_counter()
        window.open([folder])
        tallies = window.band.tallies.values()
        _run(application, lambda: any(t.counted is not None and t.counted.findings for t in tallies))
        first = time.perf_counter() - started
        _run(application, lambda: window.state.delivery is not None)
        return first, time.perf_counter() - started
    finally:
        window.close()
        QApplication.processEvents()
