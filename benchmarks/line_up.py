"""How the line-up feels with 100 lanes of five minutes, and whether 80 files play at once without a gap."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import soundfile
from PySide6.QtCore import QEventLoop
from PySide6.QtWidgets import QApplication

from deep_tally.app.base.theme import Theme
from deep_tally.app.line_up.lane_canvas import LaneCanvas
from deep_tally.listen.plan import Begun, Controls, Heard, Plan, Voice
from deep_tally.listen.player_process import Player
from deep_tally.measure.job import measure_entry
from deep_tally.model.files import Entry, Role
from deep_tally.model.timeline import steady
from deep_tally.views.lanes import Lane, Slot
from window import TimedApplication

_LANES, _MINUTES, _RATE = 100, 5, 48_000
_SIZES = ((1280, 640, 16.7), (1920, 900, 33.0))
_FRAMES = 300
_VOICES, _PLAYED_S = 80, 20.0


def frame_times(folder: Path) -> None:
    """Zoom and pan over all lanes as a hand would; the time of each frame."""
    application = TimedApplication()
    lanes = _lanes(folder)
    canvas = LaneCanvas(Theme("day"))
    canvas.mode = "bars"
    for width, height, asked_ms in _SIZES:
        canvas.resize(width, height)
        canvas.show()
        tall = (height - 24) // _LANES
        canvas.show_lanes(lanes, rate_hz=_RATE, common_s=60.0 * _MINUTES, timeline=steady(96.0), same=False)
        canvas.show_slots([Slot(lane, number * tall, tall) for number, lane in enumerate(lanes)])
        application.processEvents()
        application.forget()
        took = [_frame(application, canvas, step) for step in _moves(canvas)]
        events = [ms for ms, _ in application.lasted]
        ordered = sorted([*took, *events])
        print(
            f"{_LANES} lanes of {_MINUTES} min at {width}x{height}, zooming and panning: median frame"
            f" {statistics.median(took):.1f} ms (asked: {asked_ms}), 99 % under"
            f" {ordered[int(0.99 * len(ordered))]:.0f}, worst {ordered[-1]:.0f} ms, finer tiles among it (asked: 50)"
        )
    canvas.close()


def _frame(application: QApplication, canvas: LaneCanvas, step: Callable[[], None]) -> float:
    """One step and its picture, in milliseconds; what gets finer then comes in events of its own."""
    started = time.perf_counter()
    step()
    canvas.repaint()
    took = (time.perf_counter() - started) * 1000
    application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)
    return took


def _moves(canvas: LaneCanvas) -> list[Callable[[], None]]:
    third = _FRAMES // 3
    zoom_in = [lambda: canvas.zoom(0.96, 400.0)] * third
    pan = [lambda: canvas.pan(24.0)] * third
    zoom_out = [lambda: canvas.zoom(1 / 0.96, 700.0)] * third
    return [*zoom_in, *pan, *zoom_out]


def _lanes(folder: Path) -> list[Lane]:
    """One file of music-like noise, measured once, under a hundred names."""
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / "lane.wav"
    random = np.random.default_rng(1)
    frames = 60 * _MINUTES * _RATE
    swell = np.abs(np.sin(np.arange(frames) / _RATE * np.pi * 1.6)) ** 3
    soundfile.write(path, random.standard_normal((frames, 2)) * (0.1 * swell)[:, None], _RATE, "PCM_24")
    entry = Entry(path=path.name, source=path, role=Role.TRACKOUT, bytes=path.stat().st_size)
    measured = measure_entry(lambda done, total: None, entry)
    path.unlink()
    tracks = [replace(measured, path=f"{number:02d} Part.wav") for number in range(_LANES)]
    return [Lane(t, str(n), t.path, "other", 0.0, 60.0 * _MINUTES, None, 0, "", None, ()) for n, t in enumerate(tracks)]


def play_many(folder: Path) -> None:
    """Play 80 files at once into the simulated output; at the song's rate, and where all must be converted."""
    folder.mkdir(parents=True, exist_ok=True)
    random = np.random.default_rng(2)
    for rate in (_RATE, 44_100):
        voices = []
        for number in range(_VOICES):
            path = folder / f"{number}-{rate}.wav"
            samples = random.uniform(-0.01, 0.01, (round((_PLAYED_S + 5) * rate), 2))
            soundfile.write(path, samples, rate, "PCM_24")
            voices.append(Voice(path=path.name, source=path))
        _play(voices, f"{_VOICES} files of {rate} Hz played at once at {_RATE} Hz")
        for path in folder.iterdir():
            path.unlink()


def _play(voices: list[Voice], what: str) -> None:
    player = Player(simulated=True)
    player.warm_up()
    time.sleep(3.0)
    started = time.perf_counter()
    player.play(Plan(rate_hz=_RATE, voices=tuple(voices), end_s=_PLAYED_S + 5), Controls(), 0.0)
    begun_s, heard, memory = 0.0, None, 0
    while time.perf_counter() - started < _PLAYED_S:
        for report in player.poll():
            if isinstance(report, Begun):
                begun_s = time.perf_counter() - started
            elif isinstance(report, Heard):
                heard = report
        assert player.process is not None
        memory = max(memory, _pss_kb(player.process.pid))
        time.sleep(0.25)
    player.close()
    assert heard is not None
    print(
        f"{what}: {heard.gaps} gaps in {heard.seconds:.1f} s (asked: none), begun after {begun_s * 1000:.0f} ms,"
        f" memory {memory / 1024:.0f} MB (asked: under 300)"
    )


def _pss_kb(pid: int | None) -> int:
    lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("Pss:"))
