"""A long fuzz run: hurt files of every container, measured one after the other. Prints what went wrong, if anything.

    python tools/fuzz.py [--minutes 10] [--seed N]

A file that brings the process down is kept as fuzz-crash.bin in the temporary folder that is named at the start.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from deep_tally.measure.job import measure_entry
from deep_tally.model.files import Entry, Role
from mutations import mutated, seeds


def main() -> int:
    """Run; returns 1 when anything but a reading or a sentence came back."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=10.0)
    parser.add_argument("--seed", type=int, default=0)
    chosen = parser.parse_args()
    folder = Path(tempfile.mkdtemp())
    path = folder / "fuzz-crash.bin"
    sys.stdout.write(f"{folder}\n")
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # decoders print their worries
    kinds = sorted(set(seeds()) - {"zip", "midi"})
    ends: Counter[str] = Counter()
    wrong = 0
    slowest = 0.0
    number = chosen.seed
    until = time.monotonic() + chosen.minutes * 60
    while time.monotonic() < until:
        random = np.random.default_rng(number)
        kind = kinds[number % len(kinds)]
        path.write_bytes(mutated(seeds()[kind], random))
        entry = Entry(path="x.wav", source=path, role=Role.TRACKOUT, bytes=path.stat().st_size)
        started = time.monotonic()
        try:
            track = measure_entry(lambda done, total: None, entry)
        except Exception as error:  # noqa: BLE001 - that is what is looked for
            wrong += 1
            sys.stdout.write(f"{kind} {number}: {error!r}\n")
        else:
            if track.damage is not None and "reading it failed" in track.damage.problem:
                wrong += 1
                sys.stdout.write(f"{kind} {number}: {track.damage.problem}\n")
            ends[track.damage.problem.split(",")[0][:60] if track.damage else "measured"] += 1
        slowest = max(slowest, time.monotonic() - started)
        number += 1
    sys.stdout.write(f"{sum(ends.values())} files, slowest {slowest:.2f} s, {wrong} wrong\n")
    for end, count in ends.most_common(20):
        sys.stdout.write(f"{count:6} {end}\n")
    path.unlink(missing_ok=True)
    return int(wrong > 0)


if __name__ == "__main__":
    sys.exit(main())
