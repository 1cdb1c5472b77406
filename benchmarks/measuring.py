"""How fast is complete measuring against merely decoding, and how much memory does it take?

Makes files of four minutes (stereo, 24 bit, 48 kHz) in a temporary folder, reads them one after the other with
`soundfile.read(..., dtype="float32")`, then measures them all in worker processes, in the same run. Prints
ratios; nothing here passes or fails.

    python benchmarks/measuring.py [--files 20] [--minutes 4] [--rounds 2]
"""

from __future__ import annotations

import argparse
import os
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
import soundfile

from deep_tally.intake.walk import take_in
from deep_tally.measure.crew import Crew
from deep_tally.measure.run import Measuring

RATE_HZ = 48_000
SAMPLE_EVERY_S = 0.1
MEGABYTE = 1e6


def make_files(folder: Path, files: int, minutes: float) -> None:
    """Music-like noise: strokes that die away, different on both sides, no digital silence to make it easy."""
    random = np.random.default_rng(7)
    frames = round(minutes * 60 * RATE_HZ)
    beat = np.exp(-5 * ((np.arange(frames) / RATE_HZ) % 0.625))[:, None]
    for number in range(files):
        signal = random.standard_normal((frames, 2), dtype=np.float32)
        signal *= (0.08 * beat + 0.002).astype(np.float32)
        soundfile.write(folder / f"{number + 1:02d} Part.wav", signal, RATE_HZ, subtype="PCM_24")


def decode_seconds(folder: Path) -> float:
    """Reading all files with the usual library, one after the other."""
    started = time.perf_counter()
    for path in sorted(folder.iterdir()):
        soundfile.read(path, dtype="float32")
    return time.perf_counter() - started


def measure_seconds(folder: Path, workers: int) -> tuple[float, float]:
    """(seconds, megabytes of summed PSS above the idle crew with all libraries loaded)."""
    intake = take_in([folder])
    crew = Crew(workers=workers)
    try:
        crew.warm_up()
        time.sleep(4)  # the workers import their libraries: the interpreter with libraries is the base of memory
        memory = PeakMemory()
        base = memory.megabytes()
        memory.start()
        started = time.perf_counter()
        measuring = Measuring(intake, crew)
        while not measuring.is_done:
            measuring.poll(0.05)
        seconds = time.perf_counter() - started
        return seconds, memory.stop() - base
    finally:
        crew.close()


class PeakMemory:
    """The highest summed PSS of this process and its children, sampled ten times a second."""

    def __init__(self) -> None:
        self._done = threading.Event()
        self._highest = 0.0
        self._thread = threading.Thread(target=self._watch)

    def start(self) -> None:
        """Begin to watch."""
        self._thread.start()

    def stop(self) -> float:
        """End and give the highest sum in megabytes."""
        self._done.set()
        self._thread.join()
        return self._highest

    def megabytes(self) -> float:
        """The sum now."""
        total = 0
        for pid in (os.getpid(), *_children(os.getpid())):
            try:
                rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
            except OSError:
                continue
            total += sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Pss:"))
        return total * 1024 / MEGABYTE

    def _watch(self) -> None:
        while not self._done.wait(SAMPLE_EVERY_S):
            self._highest = max(self._highest, self.megabytes())


def _children(pid: int) -> list[int]:
    return [int(child) for child in Path(f"/proc/{pid}/task/{pid}/children").read_text().split()]


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--files", type=int, default=20)
    parser.add_argument("--minutes", type=float, default=4.0)
    parser.add_argument("--rounds", type=int, default=2)
    parser.add_argument("--workers", type=int, default=len(os.sched_getaffinity(0)))
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        make_files(folder, chosen.files, chosen.minutes)
        decode_seconds(folder)  # into the page cache
        print(f"{chosen.files} files of {chosen.minutes:g} min, stereo, 24 bit, 48 kHz; {chosen.workers} workers")
        for number in range(chosen.rounds):
            decoding = decode_seconds(folder)
            measuring, memory = measure_seconds(folder, chosen.workers)
            print(
                f"round {number + 1}: decoding {decoding:.2f} s, measuring {measuring:.2f} s,"
                f" ratio {measuring / decoding:.2f}, memory +{memory:.0f} MB"
            )


if __name__ == "__main__":
    main()
