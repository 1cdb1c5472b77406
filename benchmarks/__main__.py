"""All figures of docs/performance.md in one run. Prints; nothing here passes or fails.

python benchmarks [--files 24] [--minutes 4] [--rounds 3] [--only PART]
"""

from __future__ import annotations

import argparse
import platform
import tempfile
from datetime import UTC, datetime
from pathlib import Path

from common import make_files
from measuring import (
    against_a_loudness_filter,
    against_decoding,
    comparing_against_measuring,
    memory_by_length,
    time_by_length,
)

_PARTS = ("starting", "speed", "memory", "time", "matching", "ready", "window", "lanes", "playing", "soak")
_KNOWN_FILES = 100
_SOAK_FILES, _SOAK_CYCLES = 24, 60
_MANY_FILES, _MANY_MINUTES = 80, 2.0
_MATCHED = ((20, 30.0), (80, 120.0))
"""Files of four minutes that are looked for in their mix, and the seconds that are asked."""


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--files", type=int, default=24)
    parser.add_argument("--minutes", type=float, default=4.0)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--only", choices=_PARTS)
    chosen = parser.parse_args()
    parts = (chosen.only,) if chosen.only else _PARTS
    print(f"{datetime.now(UTC):%Y-%m-%d}, {_processor()}, Python {platform.python_version()}")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        if "starting" in parts:
            from starting import commands, first_findings

            commands(folder / "starting", chosen.rounds)
            first_findings(folder / "first")
        if "speed" in parts:
            made = make_files(folder / "speed", chosen.files, chosen.minutes)
            against_decoding(made, chosen.rounds)
            against_a_loudness_filter(next(made.iterdir()))
            comparing_against_measuring(make_files(folder / "many", _MANY_FILES, _MANY_MINUTES))
        if "memory" in parts:
            memory_by_length(folder / "memory", chosen.files, (chosen.minutes, 4 * chosen.minutes))
        if "time" in parts:
            time_by_length(folder / "time", (1, 2, 4, 8))
        if "matching" in parts:
            from matching import match_files

            for files, asked_s in _MATCHED:
                match_files(folder / f"matching {files}", files, chosen.minutes, asked_s)
        if "ready" in parts:
            from ready import write_against_copying

            write_against_copying(folder / "ready", chosen.files, chosen.minutes, chosen.rounds)
        if "window" in parts:
            from window import feel

            feel(make_files(folder / "Song 96 BPM", _KNOWN_FILES, 0.5), folder / "home")
        if "lanes" in parts:
            from line_up import frame_times

            frame_times(folder / "lanes")
        if "playing" in parts:
            from line_up import play_many

            play_many(folder / "playing")
        if "soak" in parts:
            from soak import soak

            soak(make_files(folder / "Soak 96 BPM", _SOAK_FILES, 0.5), folder / "soak home", _SOAK_CYCLES)


def _processor() -> str:
    lines = Path("/proc/cpuinfo").read_text().splitlines()
    names = [line.partition(":")[2].strip() for line in lines if line.startswith("model name")]
    return f"{len(names)} cores of {names[0] if names else platform.machine()}"


if __name__ == "__main__":
    main()
