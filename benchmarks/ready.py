"""How fast is a ready copy written in which nothing is converted, against copying the same bytes?"""

from __future__ import annotations

import os
import shutil
import time
from pathlib import Path

from common import make_files
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.ready_run import CopyWritten, ReadyRun
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.ready.plan import plan_ready
from deep_tally.ready.write import sha256_of


def write_against_copying(folder: Path, files: int, minutes: float, rounds: int) -> None:
    """Written, read back, compared byte by byte and hashed twice; against copied, and brought to the disk."""
    made = make_files(folder / "Song 96 BPM A minor", files, minutes)
    megabytes = sum(path.stat().st_size for path in made.iterdir()) / 1e6
    with CheckRun([made], DEFAULT_BRIEF, is_fresh=True) as run:
        run.match_job = None
        for _ in run:
            pass
        assert run.delivery is not None
        assert run.intake is not None
        plan = plan_ready(run.delivery, run.brief)
        entries = {entry.path: entry for entry in run.intake.entries}
        copying, writing = [], []
        for number in range(rounds):
            copying.append(_copy(made, folder / f"copied {number}"))
            begin = end = 0.0
            with ReadyRun(
                plan,
                folder / f"ready {number}",
                entries=entries,
                delivery=run.delivery,
                contents=run.contents,
                client=run.client,
                brief=run.brief,
                is_just_measured=True,
            ) as ready:
                begin = time.perf_counter()
                while ready.stage != "checking":
                    if any(isinstance(event, CopyWritten) for event in ready.poll(0.05)):
                        end = time.perf_counter()
            writing.append(end - begin)
            shutil.rmtree(folder / f"ready {number}")
    exact = sum(copy.is_exact for copy in plan.copies)
    largest = max(made.iterdir(), key=lambda path: path.stat().st_size)
    began = time.perf_counter()
    sha256_of(largest)
    hashing = largest.stat().st_size / 1e6 / (time.perf_counter() - began)
    print(
        f"ready copy of {files} files, {megabytes:.0f} MB, {exact} of {len(plan.copies)} bit-equal:"
        f" {megabytes / min(writing):.0f} MB/s written and proved, copying {megabytes / min(copying):.0f} MB/s,"
        f" ratio {min(copying) / min(writing):.2f} (asked: 0.5);"
        f" SHA-256, of source and copy, takes {hashing:.0f} MB/s of a core here"
    )


def _copy(source: Path, target: Path) -> float:
    began = time.perf_counter()
    shutil.copytree(source, target)
    for path in target.iterdir():
        handle = os.open(path, os.O_RDONLY)
        os.fsync(handle)
        os.close(handle)
    taken = time.perf_counter() - began
    shutil.rmtree(target)
    return taken
