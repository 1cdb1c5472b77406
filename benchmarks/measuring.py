"""How fast is complete measuring against merely decoding, and how much memory does it take?"""

from __future__ import annotations

import math
import shutil
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

from common import PeakMemory, decode_seconds, make_files, worker_count
from deep_tally.engine.check_run import KERNELS, CheckRun
from deep_tally.intake.reading import open_sound
from deep_tally.measure.one_pass import measure_sound
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.work.crew import Crew

_IMPORTS_S = 4.0


def measure_seconds(folder: Path, *, with_memory: bool = False) -> tuple[float, float]:
    """(seconds, megabytes of summed PSS above the idle crew with all libraries loaded)."""
    crew = Crew(preload=KERNELS)
    try:
        crew.warm_up()
        time.sleep(_IMPORTS_S)  # the interpreter with its libraries is the base of memory
        memory = PeakMemory()
        base = memory.megabytes()
        if with_memory:
            memory.start()  # takes a share of a core itself, so never while seconds count
        measuring, _ = _stages(folder, crew)
        return measuring, memory.stop() - base if with_memory else 0.0
    finally:
        crew.close()


def _stages(folder: Path, crew: Crew) -> tuple[float, float]:
    """Seconds of measuring and of comparing the files."""
    began = {"done": 0.0}
    with CheckRun([folder], DEFAULT_BRIEF, crew=crew, is_cached=False, is_fresh=True) as run:
        for _ in run:
            began.setdefault(run.stage, time.perf_counter())
        began["done"] = time.perf_counter()
    return began["comparing"] - began["measuring"], began["done"] - began["comparing"]


def against_decoding(folder: Path, rounds: int) -> None:
    """Complete measuring on all cores against reading one file after the other."""
    files = len(list(folder.iterdir()))
    decode_seconds(folder)  # into the page cache
    for number in range(rounds):
        single, double = decode_seconds(folder), decode_seconds(folder, "float64")
        measuring, _ = measure_seconds(folder)
        print(
            f"{files} files, round {number + 1}: measuring on {worker_count()} cores {measuring:.2f} s;"
            f" soundfile.read {double:.2f} s, ratio {measuring / double:.2f} (asked: under 0.75);"
            f" into float32 {single:.2f} s, ratio {measuring / single:.2f} (asked: at most 1.0)"
        )


def comparing_against_measuring(folder: Path) -> None:
    """Comparing all files with each other, against measuring them."""
    crew = Crew(preload=KERNELS)
    try:
        crew.warm_up()
        time.sleep(_IMPORTS_S)
        measuring, comparing = _stages(folder, crew)
    finally:
        crew.close()
    files = len(list(folder.iterdir()))
    print(
        f"{files} files: measuring {measuring:.2f} s, comparing them with each other {comparing:.2f} s,"
        f" {comparing / measuring:.2f} of it (asked: under a third)"
    )


def against_a_loudness_filter(path: Path) -> None:
    """One core against the loudness and true peak filter of a common command-line tool."""
    tool = shutil.which("ffmpeg")
    if tool is None:
        print("ffmpeg is not installed: left out.")
        return
    command = [tool, "-nostdin", "-v", "quiet", "-threads", "1", "-filter_threads", "1", "-i", str(path)]
    theirs = ours = math.inf
    for _ in range(3):
        started = time.perf_counter()
        subprocess.run([*command, "-af", "ebur128=peak=true", "-f", "null", "-"], check=True)
        theirs = min(theirs, time.perf_counter() - started)
        ours = min(ours, _one_file(path))
    print(
        f"one core, best of three: ffmpeg ebur128=peak=true {theirs:.2f} s, all our measures {ours:.2f} s,"
        f" {theirs / ours:.1f}x faster (asked: at least 6x)"
    )


def _one_file(path: Path) -> float:
    with open_sound(path) as reader:
        started = time.perf_counter()
        measure_sound(reader)
        return time.perf_counter() - started


def memory_by_length(folder: Path, files: int, minutes: Sequence[float]) -> None:
    """Memory above the start must not follow the files' length."""
    for length in minutes:
        made = make_files(folder / f"{length:g}", files, length)
        _, memory = measure_seconds(made, with_memory=True)
        print(
            f"{files} files of {length:g} min: memory +{memory:.0f} MB (asked: under 250, the same for 4x the length)"
        )
        shutil.rmtree(made)


def time_by_length(folder: Path, minutes: Sequence[float]) -> None:
    """Time must follow the length, and no more."""
    for length in minutes:
        made = make_files(folder / f"{length:g}", 1, length)
        path = next(made.iterdir())
        _one_file(path)
        seconds = min(_one_file(path) for _ in range(3))
        print(f"{length:g} min: {seconds:.2f} s, {seconds / length * 1000:.0f} ms a minute")
        shutil.rmtree(made)
