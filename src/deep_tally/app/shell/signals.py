"""Signals that end the program close its window: what was unpacked is removed, and a page that is being written is
written to its end.

Qt's event loop keeps Python's handlers waiting; the number of the signal comes through a socket that the loop watches.
"""

from __future__ import annotations

import signal
import socket
from collections.abc import Callable

from PySide6.QtCore import QObject, QSocketNotifier

ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


class EndingSignals(QObject):
    """Calls `end` in the event loop when the process is asked to end; `number` is the signal then, else 0."""

    def __init__(self, end: Callable[[], object], parent: QObject) -> None:
        super().__init__(parent)
        self.number = 0
        self._end = end
        self._ours, self._theirs = socket.socketpair()
        for each in (self._ours, self._theirs):
            each.setblocking(False)
        signal.set_wakeup_fd(self._theirs.fileno())
        self._notifier = QSocketNotifier(self._ours.fileno(), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(self._came)
        for number in ENDING:
            if signal.getsignal(number) is not signal.SIG_IGN:
                signal.signal(number, lambda *_: None)  # what counts comes through the socket

    def _came(self) -> None:
        for number in self._ours.recv(64):
            if number in ENDING:
                self.number = number
                self._end()
