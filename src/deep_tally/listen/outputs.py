"""Where sound goes: a device through PortAudio, or a simulated one that keeps time and can write what it was given."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

Pull = Callable[[int], NDArray[np.float32]]
"""Gives the next frames, float32 [shape=(frames, 2)]; always as many as asked for."""

_PERIOD_S = 0.01


class NoDevice(Exception):
    """There is no library or no device that plays; the message says which."""


class Output(Protocol):
    """Takes frames as time goes by."""

    name: str
    is_simulated: bool
    rate_hz: int

    def start(self, pull: Pull) -> None:
        """Begin to take frames."""

    def stop(self, *, at_once: bool = True) -> None:
        """Take no more frames; those that were taken are heard to their end, unless it is to be silent at once."""

    @property
    def latency_s(self) -> float:
        """How long after it was taken a frame is heard."""

    @property
    def is_alive(self) -> bool:
        """Whether frames are still taken: a device that was unplugged takes none."""


class SimulatedOutput:
    """Takes frames in real time, ten milliseconds at a time; `record_to` gets them as a WAV of 32-bit float."""

    def __init__(self, rate_hz: int, *, record_to: Path | None = None) -> None:
        self.name, self.is_simulated, self.rate_hz = "simulated", True, rate_hz
        self._record_to = record_to
        self._ending = threading.Event()
        self._thread: threading.Thread | None = None

    def start(self, pull: Pull) -> None:
        """Begin to take frames."""
        self._ending.clear()
        self._thread = threading.Thread(target=self._run, args=(pull,), daemon=True)
        self._thread.start()

    def stop(self, *, at_once: bool = True) -> None:
        """Take no more frames; what was recorded is whole then."""
        self._ending.set()
        if self._thread is not None:
            self._thread.join()

    @property
    def latency_s(self) -> float:
        """None: there is nothing between it and no ear."""
        return 0.0

    @property
    def is_alive(self) -> bool:
        """Always, until it is stopped."""
        return True

    def _run(self, pull: Pull) -> None:
        frames = round(self.rate_hz * _PERIOD_S)
        file = None
        if self._record_to is not None:
            import soundfile

            file = soundfile.SoundFile(self._record_to, "w", self.rate_hz, 2, "FLOAT", format="WAV")
        begun, taken = time.monotonic(), 0
        try:
            while not self._ending.is_set():
                block = pull(frames)
                if file is not None:
                    file.write(block)
                taken += frames
                self._ending.wait(max(0.0, begun + taken / self.rate_hz - time.monotonic()))
        finally:
            if file is not None:
                file.close()


class DeviceOutput:
    """The system's usual sound device.

    Raises
    ------
    NoDevice
        PortAudio is not installed, there is no device, or it takes neither this rate nor its own.
    """

    def __init__(self, rate_hz: int) -> None:
        try:
            import sounddevice
        except OSError as error:
            raise NoDevice("the PortAudio library is not installed") from error
        self._library: Any = sounddevice
        device = self._find()
        self.name, self.is_simulated = str(device["name"]), False
        own_hz = round(float(device["default_samplerate"]))
        self.rate_hz = rate_hz if self._takes(rate_hz) else own_hz
        if not self._takes(self.rate_hz):
            raise NoDevice(f"{self.name} takes no stereo sound")
        self._stream: Any = None

    def _find(self) -> Any:
        library = self._library
        try:
            return library.query_devices(kind="output")
        except (library.PortAudioError, ValueError):
            pass
        try:
            # PortAudio looks for devices once, when it begins: what was plugged in since then is only found anew.
            library._terminate()
            library._initialize()
            return library.query_devices(kind="output")
        except (library.PortAudioError, ValueError) as error:
            raise NoDevice("no sound device was found") from error

    def _takes(self, rate_hz: int) -> bool:
        try:
            self._library.check_output_settings(channels=2, dtype="float32", samplerate=rate_hz)
        except (self._library.PortAudioError, ValueError):
            return False
        return True

    def start(self, pull: Pull) -> None:
        """Begin to take frames."""

        def give(outdata: NDArray[np.float32], frames: int, when: object, status: object) -> None:
            outdata[:] = pull(frames)

        try:
            self._stream = self._library.OutputStream(
                samplerate=self.rate_hz, channels=2, dtype="float32", latency="low", callback=give
            )
            self._stream.start()
        except self._library.PortAudioError as error:
            raise NoDevice(f"{self.name} cannot be opened ({error})") from error

    def stop(self, *, at_once: bool = True) -> None:
        """Take no more frames; those that were taken are heard to their end, unless it is to be silent at once."""
        if self._stream is not None:
            try:
                if at_once:
                    self._stream.abort()
                else:
                    self._stream.stop()
                self._stream.close()
            except self._library.PortAudioError:
                pass  # it was unplugged: there is nothing left to close

    @property
    def latency_s(self) -> float:
        """As the device states it."""
        return float(self._stream.latency) if self._stream is not None else 0.0

    @property
    def is_alive(self) -> bool:
        """Whether the device still asks for frames."""
        return self._stream is not None and bool(self._stream.active)


def open_output(rate_hz: int, *, record_to: Path | None = None, simulated: bool = False) -> tuple[Output, str]:
    """The device, or the simulated output and why there is no other."""
    if simulated:
        return SimulatedOutput(rate_hz, record_to=record_to), "as chosen"
    try:
        return DeviceOutput(rate_hz), ""
    except NoDevice as none:
        return SimulatedOutput(rate_hz, record_to=record_to), str(none)
