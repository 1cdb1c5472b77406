"""A window that is killed (SIGKILL) while it is edited loses at most the last second, and no saved check is broken."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.engine.check_run import CheckRun
from deep_tally.session.saved_checks import home, read_check

MOMENTS = int(os.environ.get("DEEP_TALLY_KILLS", "3"))
"""How many windows are killed; 40 were when this was written."""


@pytest.mark.parametrize("seed", range(MOMENTS))
def test_a_killed_window_loses_at_most_the_last_second(tmp_path: Path, seed: int) -> None:
    folder = tmp_path / "Ferry"
    folder.mkdir()
    for name in ("Cello", "Voice"):
        soundfile.write(folder / f"{name}.wav", 0.1 * np.random.default_rng(1).standard_normal(24_000), 48_000)
    command = [sys.executable, str(Path(__file__).with_name("killed_window.py")), str(folder)]
    window = subprocess.Popen(
        command, stdout=subprocess.PIPE, text=True, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    )
    assert window.stdout is not None
    assert window.stdout.readline().startswith("1 ")
    time.sleep(1.2 + 2 * random.Random(seed).random())
    window.send_signal(signal.SIGKILL)
    killed_at = time.time()
    said = [(int(number), float(at)) for number, at in (line.split() for line in window.stdout if line.count(" ") == 1)]
    window.wait()
    kept_least = max((number for number, at in said if at < killed_at - 1.0), default=1)
    (path,) = home().glob("*.deeptally")
    read_check(path)  # whole, whenever it was
    with CheckRun([path], None, is_cached=False) as run:
        for _ in run:
            pass
    assert int(run.corrections.letter.client or 0) >= kept_least
    assert not list(home().glob(".deep-tally-unfinished-*")) or path.exists()
