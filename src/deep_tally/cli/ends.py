"""How the command ends: what went wrong in one sentence, with a status that means nothing else.

A signal that ends the process unwinds it like Ctrl+C does, so that what was unpacked is removed.
"""

from __future__ import annotations

import contextlib
import errno
import os
import signal
import sys
import time
import traceback
from pathlib import Path
from types import FrameType

import click
from platformdirs import user_state_path

from deep_tally.model.errors import DeepTallyError, InsideDelivery
from deep_tally.reply.action_words import readable

OK, ASKED, WRONG_USE, OUR_ERROR, CANCELLED = 0, 1, 2, 70, 130
INCOMPLETE = WRONG_USE
"""Not all could be checked here. 70 is EX_SOFTWARE of sysexits.h, 130 what shells give a command that Ctrl+C ended."""

_OF_OUTPUT = frozenset({errno.ENOSPC, errno.EPIPE, errno.EIO, errno.EFBIG, errno.EDQUOT, errno.EBADF})
_ENDING_SIGNALS = (signal.SIGTERM, signal.SIGHUP)


class Ended(BaseException):
    """The system asked the process to end, by this signal."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.number = number


def end_on_signals() -> None:
    """From now on SIGTERM and SIGHUP raise `Ended`, unless they are ignored, as under nohup(1)."""

    def end(number: int, frame: FrameType | None) -> None:
        for each in _ENDING_SIGNALS:
            signal.signal(each, signal.SIG_IGN)  # a second one must not interrupt the tidying up
        raise Ended(number)

    for each in _ENDING_SIGNALS:
        if signal.getsignal(each) is not signal.SIG_IGN:
            signal.signal(each, end)


def status_of(error: BaseException) -> int:
    """Say what an error means, in one sentence on standard error; returns the exit status."""
    if isinstance(error, click.ClickException):
        error.show()
        return WRONG_USE
    if isinstance(error, DeepTallyError):
        _say(readable(str(error)))
        if isinstance(error, InsideDelivery):
            _say("to write there all the same, add --into-delivery.")
        return WRONG_USE
    if isinstance(error, (click.Abort, KeyboardInterrupt)):
        _say("cancelled.")
        return CANCELLED
    if isinstance(error, Ended):
        _say(f"ended by {signal.Signals(error.number).name}.")
        return 128 + error.number
    if isinstance(error, MemoryError):
        _say("there is not enough memory; close other programs and try again.")
        return WRONG_USE
    if isinstance(error, SystemExit):
        return WRONG_USE  # click's way of saying that nobody reads its output any more
    if isinstance(error, OSError):
        if error.filename is None and error.errno in _OF_OUTPUT:
            return _give_up_output(error)  # files that are written have sentences of their own
        where = f" at {error.filename}" if error.filename else ""
        _say(readable(f"the system failed{where}: {error.strerror or error}; free what it lacks and try again."))
        return WRONG_USE
    _say_our_error(error)
    return OUR_ERROR


def flush() -> int:
    """Write out what was printed; the status for output that cannot be written, else 0."""
    try:
        sys.stdout.flush()
    except OSError as error:
        return _give_up_output(error)
    return OK


def _give_up_output(error: OSError) -> int:
    # What is left in the buffer must not raise once more when the interpreter ends.
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    if error.errno != errno.EPIPE:  # a reader that has seen enough is no trouble
        _say(f"standard output cannot be written ({error.strerror}); free some space and try again.")
    return WRONG_USE


def _say_our_error(error: BaseException) -> None:
    """An error of the program itself: what it was, and where the report lies that helps to mend it."""
    report = "".join(traceback.format_exception(error))
    what = f"an error of this program ({type(error).__name__}: {error})"
    try:
        folder = user_state_path("deep-tally")
        folder.mkdir(parents=True, exist_ok=True)
        path = folder / f"error-{time.strftime('%Y%m%d-%H%M%S')}.txt"
        Path(path).write_text(report, "utf-8", errors="surrogateescape")
    except OSError:
        _say(f"{what}; report it with the text below (README says how).")
        click.echo(report, err=True)
    else:
        _say(readable(f"{what}; report it with {path} (README says how)."))


def _say(words: str) -> None:
    with contextlib.suppress(OSError):  # else there is nobody to say it to
        click.echo(f"deep-tally: {words}", err=True)
