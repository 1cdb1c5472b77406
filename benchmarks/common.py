"""Files to measure, and the memory of a process and its children."""

from __future__ import annotations

import os
import threading
import time
from pathlib import Path

import numpy as np
import soundfile

RATE_HZ = 48_000
MEGABYTE = 1e6
_SAMPLE_EVERY_S = 0.1


def make_files(folder: Path, files: int, minutes: float) -> Path:
    """Music-like noise: strokes that die away, different on both sides, no digital silence to make it easy."""
    folder.mkdir(parents=True, exist_ok=True)
    random = np.random.default_rng(7)
    frames = round(minutes * 60 * RATE_HZ)
    beat = np.exp(-5 * ((np.arange(frames) / RATE_HZ) % 0.625))[:, None]
    for number in range(files):
        signal = random.standard_normal((frames, 2), dtype=np.float32)
        signal *= (0.08 * beat + 0.002).astype(np.float32)
        soundfile.write(folder / f"{number + 1:02d} Part.wav", signal, RATE_HZ, subtype="PCM_24")
    return folder


def decode_seconds(folder: Path, dtype: str = "float32") -> float:
    """Reading all files with the usual library, one after the other."""
    started = time.perf_counter()
    for path in sorted(folder.iterdir()):
        soundfile.read(path, dtype=dtype)
    return time.perf_counter() - started


def worker_count() -> int:
    """One worker per core."""
    return len(os.sched_getaffinity(0))


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
        for pid in _family(os.getpid()):
            try:
                rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
            except OSError:
                continue
            total += sum(int(line.split()[1]) for line in rollup.splitlines() if line.startswith("Pss:"))
        return total * 1024 / MEGABYTE

    def _watch(self) -> None:
        while not self._done.wait(_SAMPLE_EVERY_S):
            self._highest = max(self._highest, self.megabytes())


def _family(pid: int) -> list[int]:
    try:
        children = Path(f"/proc/{pid}/task/{pid}/children").read_text().split()
    except OSError:
        children = []
    return [pid, *(member for child in children for member in _family(int(child)))]
