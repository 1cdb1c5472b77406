"""The player as its owner sees it: commands go in, reports come out, nobody waits."""

from __future__ import annotations

import multiprocessing
import os
import time
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess

from deep_tally.listen.plan import Change, Command, Controls, Ended, Halt, Plan, Play, PlayerReport
from deep_tally.model.phrase import Phrase

_PATIENCE_S = 0.5


class Player:
    """Starts the player's process when it is needed. The owner polls.

    `simulated` never uses a device.
    """

    def __init__(self, *, simulated: bool = False) -> None:
        self.simulated = simulated
        self.process: BaseProcess | None = None
        self._pipe: Connection | None = None
        self._turns = 0

    @property
    def is_playing(self) -> bool:
        """From the command to play until the report that it ended."""
        return self._turns > 0

    def warm_up(self) -> None:
        """Start the process while nobody waits for it."""
        if self.process is None or not self.process.is_alive():
            context = multiprocessing.get_context("spawn")
            self._pipe, theirs = context.Pipe()
            self.process = context.Process(target=_run, args=(theirs, os.getpid()), daemon=True)
            self.process.start()
            theirs.close()

    def play(self, plan: Plan, controls: Controls, at_s: float) -> None:
        """Play from a moment of the song on; what played before ends."""
        self.warm_up()
        self._turns += 1
        self._send(Play(plan, controls, at_s, self.simulated))

    def change(self, controls: Controls) -> None:
        """Other controls for what plays."""
        if self.is_playing:
            self._send(Change(controls))

    def halt(self) -> None:
        """Stop; `Ended` tells when it did."""
        if self.is_playing:
            self._send(Halt())

    def _send(self, command: Command) -> None:
        try:
            if self._pipe is not None:
                self._pipe.send(command)
        except (BrokenPipeError, ConnectionResetError):
            pass  # `poll` tells of it

    def poll(self) -> list[PlayerReport]:
        """Reports since the last call. Of a turn that another one followed, only trouble is reported."""
        reports: list[PlayerReport] = []
        try:
            while self._pipe is not None and self._pipe.poll():
                report = self._pipe.recv()
                if isinstance(report, Ended):
                    self._turns -= 1
                    if self.is_playing and not report.trouble:
                        continue
                reports.append(report)
        except (EOFError, OSError):
            was_playing = self.is_playing
            self._turns = 0
            self.close()
            if was_playing:
                reports.append(Ended(trouble=Phrase("play.crashed")))
        return reports

    def close(self) -> None:
        """End the process; what is being recorded is made whole first, if that takes no longer than half a second."""
        if self.process is not None and self._pipe is not None and self.is_playing and self.process.is_alive():
            self._send(Halt())
            deadline = time.monotonic() + _PATIENCE_S
            while self.is_playing and time.monotonic() < deadline:
                self.poll()
                time.sleep(0.005)
        if self.process is not None:
            self.process.kill()
            self.process.join()
        if self._pipe is not None:
            self._pipe.close()
        self.process = self._pipe = None
        self._turns = 0


def _run(pipe: Connection, parent: int) -> None:
    # Imported there: the window that only sends commands needs neither readers nor their machine code.
    from deep_tally.listen.player import run_player

    run_player(pipe, parent)
