"""The player's process: takes commands, mixes ahead of the output, reports what is heard.

It is a process of its own because Python threads beside the window would make it wait (docs/performance.md), and
because a decoder may crash on a hostile file: then the sound stops, and the window goes on.
"""

from __future__ import annotations

import os
import signal
import sys
import time
from multiprocessing.connection import Connection

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.outputs import NoDevice, Output, SimulatedOutput, open_output
from deep_tally.listen.plan import Begun, Change, Command, Controls, Ended, Halt, Heard, Play
from deep_tally.listen.ring import Ring
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.phrase import Phrase
from deep_tally.work.isolated import end_with_parent

_BLOCK = 2048
_AHEAD_S = 0.5
_KEEP_S = 0.06
"""What is mixed already and goes out as it is when something changes: less could run dry before the next block."""
_REPORT_S = 0.04


class PlayedPlan:
    """One turn of playing."""

    def __init__(self, pipe: Connection, play: Play) -> None:
        self._pipe, self._controls = pipe, play.controls
        output, why = open_output(play.plan.rate_hz, record_to=play.plan.record_to, simulated=play.simulated)
        self._output: Output = output
        rate = output.rate_hz
        self._mixer = Mixer(play.plan.voices, rate, pipe.send)
        self._next = round(play.at_s * rate)
        self._end = round(play.plan.end_s * rate)
        self._ring = Ring(rate, self._next)
        self._stated_by_file = 0.0
        self._fill(_BLOCK * 4)
        try:
            output.start(self._ring.take)
        except NoDevice as none:
            self._output, why = SimulatedOutput(rate, record_to=play.plan.record_to), str(none)
            self._output.start(self._ring.take)
        pipe.send(Begun(output=self._output.name, is_simulated=self._output.is_simulated, rate_hz=rate, why=why))

    def change(self, controls: Controls) -> None:
        """Go on with other controls, heard as soon as what is under way is out."""
        self._controls = controls
        again = self._ring.drop_after(round(_KEEP_S * self._output.rate_hz))
        if again is not None:
            self._next = again

    def step(self) -> bool:
        """Mix one block if there is room, report if it is time; False when it is over."""
        if not self._output.is_alive:
            self._stop(Phrase("play.device-gone"))
            return False
        if self._mixer.is_empty:
            self._stop(Phrase("play.unreadable"))
            return False
        if self._ring.is_drained:
            self._stop("", at_once=False)
            return False
        wanted = round(_AHEAD_S * self._output.rate_hz)
        if self._ring.ready_frames < wanted:
            self._fill(_BLOCK)
        else:
            time.sleep(_BLOCK / self._output.rate_hz / 4)
        now = time.monotonic()
        if now - self._stated_by_file >= _REPORT_S:
            self._stated_by_file = now
            self._report()
        return True

    def _fill(self, frames: int) -> None:
        loop = self._controls.loop
        while frames > 0:
            if loop is not None and loop[0] < loop[1] and self._next >= loop[1]:
                self._next = loop[0]
            end = loop[1] if loop is not None and loop[0] < loop[1] else self._end
            count = min(frames, _BLOCK, end - self._next)
            if count <= 0:
                self._ring.end()
                return
            samples, over = self._mixer.mix(self._next, count, self._controls)
            self._ring.put(self._next, samples, over)
            self._next += count
            frames -= count

    def _report(self) -> None:
        frame, peaks, rms, gaps, over = self._ring.heard()
        seconds = frame / self._output.rate_hz - self._output.latency_s
        self._pipe.send(Heard(seconds=seconds, peak_dbfs=peaks, rms_dbfs=rms, gaps=gaps, over_frames=over))

    def stop(self) -> None:
        """On request."""
        self._stop("")

    def _stop(self, trouble: str, *, at_once: bool = True) -> None:
        self._output.stop(at_once=at_once)
        self._report()
        self._mixer.close()
        self._pipe.send(Ended(trouble=trouble))


def run_player(pipe: Connection, parent: int) -> None:
    """The life of the player's process."""
    end_with_parent(parent)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # The sound system prints its worries about devices that are not there: what matters comes through the pipe.
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
    # The output's thread must get its turn within a millisecond, whatever the mixer is at.
    sys.setswitchinterval(0.001)
    playing: PlayedPlan | None = None
    try:
        while True:
            if pipe.poll(None if playing is None else 0):
                playing = _obey(pipe, pipe.recv(), playing)
            elif playing is not None and not playing.step():
                playing = None
    except (EOFError, OSError):
        return


def _obey(pipe: Connection, command: Command, playing: PlayedPlan | None) -> PlayedPlan | None:
    """Carry out a command; what plays then. Every turn that began ends with one `Ended`."""
    if isinstance(command, Change):
        if playing is not None:
            playing.change(command.controls)
        return playing
    if playing is not None:
        playing.stop()
    if isinstance(command, Halt):
        return None
    try:
        return PlayedPlan(pipe, command)
    except DeepTallyError as error:
        pipe.send(Ended(trouble=str(error)))
    except Exception as error:  # noqa: BLE001 - whatever a file or a device provokes costs this turn, not the player
        pipe.send(Ended(trouble=Phrase("play.failed", kind=type(error).__name__, why=str(error))))
    return None
