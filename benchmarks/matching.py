"""How long does it take to look for all files of a song in its rough mix, and how much memory?"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import soundfile

from common import RATE_HZ, PeakMemory, decode_seconds, make_files
from deep_tally.engine.check_run import KERNELS, Assessed, CheckRun
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.work.crew import Crew

_IMPORTS_S = 4.0


def match_files(folder: Path, files: int, minutes: float, asked_s: float) -> None:
    """A plain sum as the rough mix, at gains of its own."""
    made = make_files(folder / "Song 96 BPM A minor", files, minutes)
    decoding = decode_seconds(made)
    _write_mix(made)
    crew = Crew(preload=KERNELS)
    try:
        crew.warm_up()
        time.sleep(_IMPORTS_S)
        memory = PeakMemory()
        base = memory.megabytes()
        began: dict[str, float] = {}
        with CheckRun([made], DEFAULT_BRIEF, crew=crew, is_cached=False, is_fresh=True) as run:
            match = None
            for event in run:
                if isinstance(event, Assessed):
                    match = event.delivery.sets[0].mix_match
                if run.stage not in began:
                    began[run.stage] = time.perf_counter()
                    if run.stage == "matching":
                        memory.start()
            done = time.perf_counter()
            most = memory.stop()
    finally:
        crew.close()
    seconds = done - began["matching"]
    print(
        f"{files} files of {minutes:g} min in their rough mix ({match.verdict if match is not None else 'no match'}):"
        f" {seconds:.1f} s (asked: under {asked_s:.0f}), {seconds / decoding:.2f} of decoding them,"
        f" memory +{most - base:.0f} MB (asked: under 600)"
    )


def _write_mix(folder: Path) -> None:
    total = None
    for number, path in enumerate(sorted(folder.iterdir())):
        samples, _ = soundfile.read(path, dtype="float32")
        gain = np.float32(0.2 + 0.05 * (number % 5))
        total = samples * gain if total is None else total + samples * gain
    if total is None:
        return
    soundfile.write(
        folder / "Song rough mix.wav", total / max(1.0, 1.1 * float(np.abs(total).max())), RATE_HZ, "PCM_24"
    )
