"""The check that is open in the window: what came, what is measured so far, what was found.

Holds the crews and polls them from a timer; the event loop never waits for a process, and no thread runs
beside it.
"""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QObject, QTimer, Signal

from deep_tally import __version__
from deep_tally.check.judge import judge
from deep_tally.intake.walk import take_in, tell_rough_mix
from deep_tally.measure.crew import Crew, Failed, Progress, Returned
from deep_tally.measure.excerpt import read_excerpt
from deep_tally.measure.run import Measuring
from deep_tally.model.brief import DEFAULT_BRIEF, Brief, read_brief
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Intake

_POLL_MS = 15
_DEMO = "the demo delivery"
_UNFINISHED = "unfinished-demo-"
_ABANDONED_AFTER_S = 600.0
_INTAKE = "what came"


class CheckState(QObject):
    """The open check. All signals are sent after the change they tell of."""

    opening = Signal(str)
    """Work before the list of files is known; the words say what is being done."""
    opened = Signal()
    """`intake` and `tracks` are new; nothing is measured yet."""
    measured = Signal(object)
    """One more Track is measured."""
    progressed = Signal()
    """`measuring` moved on."""
    judged = Signal()
    """`delivery` is new: measuring ended or was cancelled, or the brief changed."""
    brief_changed = Signal()
    """`brief` is another one; a judged delivery is judged anew right after."""
    abandoned = Signal()
    """Opening was cancelled before a list of files was there; what was open before still is."""
    refused = Signal(str)
    """Something could not be done; one sentence for the user."""
    excerpt_came = Signal(str, object)
    """(path, Excerpt): samples that were asked for."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.brief: Brief = DEFAULT_BRIEF
        self.intake: Intake | None = None
        self.measuring: Measuring | None = None
        self.delivery: Delivery | None = None
        self._crew = Crew()
        self._readers = Crew(workers=1, preload="deep_tally.intake.reading")
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)

    def warm_up(self) -> None:
        """Start the worker processes while nobody waits for them."""
        self._crew.warm_up()
        self._readers.warm_up()

    def close(self) -> None:
        """End all work."""
        self._timer.stop()
        self._crew.close()
        self._readers.close()

    @property
    def is_measuring(self) -> bool:
        """Whether files are being measured."""
        return self.measuring is not None and not self.measuring.is_done

    @property
    def tracks(self) -> tuple[Track, ...]:
        """All audio files, measured or not."""
        return self.measuring.tracks if self.measuring is not None else ()

    def open(self, paths: Sequence[Path], *, rough_mix: Path | None = None) -> None:
        """List and measure a delivery; the one open before is put away once the new one is found."""
        self._stop_measuring()
        self.opening.emit("Looking through the files")
        self._crew.submit(_INTAKE, _take_in, tuple(paths), rough_mix)
        self._timer.start()

    def open_demo(self) -> None:
        """Make the demo delivery, unless it is there already, and open it."""
        self._stop_measuring()
        self.opening.emit("Making the demo delivery")
        self._crew.submit(_DEMO, _make_demo)
        self._timer.start()

    def cancel(self) -> None:
        """Stop measuring; what was measured is kept and judged."""
        if self.is_measuring:
            self._stop_measuring()
        else:
            self._crew.cancel()
            self.abandoned.emit()

    def _stop_measuring(self) -> None:
        self._crew.cancel()
        if self.measuring is not None and self.is_measuring:
            self.measuring.cancel()
            self._judge()

    def choose_brief(self, path: Path) -> None:
        """Judge anew with another brief; no file is read again."""
        try:
            self.brief = read_brief(path)
        except DeepTallyError as error:
            self.refused.emit(str(error))
            return
        self.brief_changed.emit()
        if not self.is_measuring:
            self._judge()

    def tell_rough_mix(self, path: str) -> None:
        """Say which file is the rough mix; judged anew, no file is read again."""
        if self.intake is not None and self.measuring is not None and not self.is_measuring:
            self.intake = replace(self.intake, entries=tuple(tell_rough_mix(self.intake.entries, path)))
            self.measuring.take_roles(self.intake)
            self._judge()

    def request_excerpt(self, track: Track, start: int, frames: int) -> None:
        """Ask for samples of a file; `excerpt_came` brings them. A newer request replaces waiting ones."""
        entry = next((e for e in self.intake.entries if e.path == track.path), None) if self.intake else None
        if entry is not None:
            self._readers.forget_waiting()
            self._readers.submit(track.path, read_excerpt, entry.source, start, frames)
            self._timer.start()

    def _poll(self) -> None:
        for report in self._readers.poll():
            if isinstance(report, Returned):
                self.excerpt_came.emit(report.job, report.value)
        moved = False
        for report in self._crew.poll():
            moved = True
            if report.job == _INTAKE and not isinstance(report, Progress):
                self._start(report)
            elif report.job == _DEMO and not isinstance(report, Progress):
                self._open_made(report)
            elif self.measuring is not None and (track := self.measuring.take(report)) is not None:
                self.measured.emit(track)
        if moved and self.measuring is not None:
            self.progressed.emit()
            if self.measuring.is_done and self.delivery is None:
                self._judge()
        if not self._crew.is_busy and not self._readers.is_busy:
            self._timer.stop()

    def _start(self, report: Returned | Failed) -> None:
        value = report.value if isinstance(report, Returned) else f"{report.problem}; {report.remedy}."
        if not isinstance(value, Intake):
            self.refused.emit(str(value))
            return
        self.intake = value
        self.delivery = None
        self.measuring = Measuring(self.intake, self._crew)
        self.opened.emit()

    def _open_made(self, report: Returned | Failed) -> None:
        if isinstance(report, Returned):
            self.open([report.value])
        else:
            self.refused.emit(f"The demo cannot be made: {report.problem}; {report.remedy}.")

    def _judge(self) -> None:
        if self.intake is not None and self.measuring is not None:
            self.delivery = judge(self.intake, self.measuring.tracks, self.brief)
            self.judged.emit()


def _take_in(progress: object, paths: tuple[Path, ...], rough_mix: Path | None) -> Intake | str:
    """In a worker: a slow drive must not hold the window. A refusal comes back as its sentence."""
    try:
        return take_in(paths, rough_mix=rough_mix)
    except DeepTallyError as error:
        return str(error)


def _make_demo(progress: object) -> Path:
    from deep_tally.demo.delivery import FOLDER_NAME, write_demo

    home = user_cache_path("deep-tally") / f"demo-{__version__}"
    if (home / "planted.json").is_file():
        return home / FOLDER_NAME
    home.parent.mkdir(parents=True, exist_ok=True)
    for left in home.parent.glob(f"{_UNFINISHED}*"):
        if time.time() - left.stat().st_mtime > _ABANDONED_AFTER_S:
            shutil.rmtree(left, ignore_errors=True)
    # Made beside and renamed: a demo that was interrupted is never taken for a whole one.
    made = Path(tempfile.mkdtemp(dir=home.parent, prefix=_UNFINISHED))
    write_demo(made)
    made.rename(home)
    return home / FOLDER_NAME
