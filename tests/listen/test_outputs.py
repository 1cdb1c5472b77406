"""The device, and what stands in for it."""

from __future__ import annotations

import sys
import types
from typing import Any

import numpy as np
import pytest

from deep_tally.listen.outputs import DeviceOutput, NoDevice, open_output
from deep_tally.listen.plan import Begun, Change, Controls, Ended, Plan, Play, PlayerReport, Voice
from deep_tally.listen.player import PlayedPlan
from listen.playing import RATE, sum_by_hand


class FakeLibrary(types.ModuleType):
    """PortAudio as its Python library shows it, without any device or with one."""

    class PortAudioError(Exception):
        pass

    def __init__(self, *, rates: tuple[int, ...] = (), opens: bool = True) -> None:
        super().__init__("sounddevice")
        self.rates, self.opens = rates, opens
        self.streams: list[Any] = []

    def _terminate(self) -> None: ...

    def _initialize(self) -> None: ...

    def query_devices(self, kind: str) -> dict[str, object]:
        if not self.rates:
            raise self.PortAudioError("Error querying device -1")
        return {"name": "Desk speakers", "default_samplerate": float(self.rates[0])}

    def check_output_settings(self, *, channels: int, dtype: str, samplerate: float) -> None:
        if samplerate not in self.rates:
            raise self.PortAudioError("Invalid sample rate")

    def OutputStream(self, **options: Any) -> Any:  # noqa: N802 - the library's own name
        if not self.opens:
            raise self.PortAudioError("Device unavailable")
        stream = types.SimpleNamespace(options=options, active=True, latency=0.02, done=[])
        for name in ("start", "stop", "abort", "close"):
            setattr(stream, name, lambda name=name: stream.done.append(name))
        self.streams.append(stream)
        return stream


def test_without_a_device_the_output_is_simulated_and_says_why(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary())
    output, why = open_output(RATE)
    assert (output.is_simulated, why) == (True, "no sound device was found")


def test_a_device_is_used_at_the_songs_rate_or_at_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(44_100, RATE)))
    output, why = open_output(RATE)
    assert (output.name, output.is_simulated, output.rate_hz, why) == ("Desk speakers", False, RATE, "")
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(44_100,)))
    assert open_output(RATE)[0].rate_hz == 44_100


class Pipe(list[PlayerReport]):
    """What the player would send."""

    def send(self, report: PlayerReport) -> None:
        self.append(report)


def test_a_device_that_was_unplugged_ends_playing_with_a_sentence(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    pipe = Pipe()
    plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=0.5)
    playing = PlayedPlan(pipe, Play(plan, Controls(), 0.0))  # type: ignore[arg-type]
    assert playing.step()
    out = np.zeros((480, 2), np.float32)
    library.streams[0].options["callback"](out, 480, None, None)
    assert np.array_equal(out, sum_by_hand(files, 480).astype(np.float32))
    library.streams[0].active = False
    assert not playing.step()
    assert isinstance(pipe[-1], Ended)
    assert pipe[-1].trouble.startswith("The sound device is gone.")


def test_the_last_sound_is_heard_to_its_end_and_stopping_is_silent_at_once(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    for told_to_stop, last in ((False, "stop"), (True, "abort")):
        plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=0.05)
        playing = PlayedPlan(Pipe(), Play(plan, Controls(), 0.0))  # type: ignore[arg-type]
        playing.step()
        if told_to_stop:
            playing.stop()
        else:
            library.streams[-1].options["callback"](np.zeros((4_800, 2), np.float32), 4_800, None, None)
            assert not playing.step()
        assert library.streams[-1].done == ["start", last, "close"]


def test_a_device_that_does_not_open_gives_way_to_the_simulated_output(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(RATE,), opens=False))
    with pytest.raises(NoDevice, match="cannot be opened"):
        DeviceOutput(RATE).start(lambda frames: np.zeros((frames, 2), np.float32))
    pipe = Pipe()
    playing = PlayedPlan(pipe, Play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.5), Controls(), 0.0))  # type: ignore[arg-type]
    playing.stop()
    begun = next(r for r in pipe if isinstance(r, Begun))
    assert (begun.is_simulated, begun.why) == (True, "Desk speakers cannot be opened (Device unavailable)")


def test_a_change_is_heard_after_what_is_under_way(files: list[Voice], monkeypatch: pytest.MonkeyPatch) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    pipe = Pipe()
    playing = PlayedPlan(pipe, Play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.6), Controls(), 0.0))  # type: ignore[arg-type]
    for _ in range(20):
        playing.step()
    playing.change(Change(Controls(is_swapped=True)).controls)
    for _ in range(20):
        playing.step()
    out = np.zeros((24_000, 2), np.float32)
    library.streams[0].options["callback"](out, 24_000, None, None)
    straight = sum_by_hand(files, 24_000).astype(np.float32)
    swapped = (out == straight[:, ::-1]).all(axis=1)
    at = int(np.flatnonzero(~(out == straight).all(axis=1))[0])
    assert 0.06 * RATE <= at < 0.11 * RATE
    assert swapped[at:].all()
    playing.stop()
