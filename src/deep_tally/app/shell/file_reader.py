"""Samples and pictures of files, read on demand by workers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from deep_tally.measure.excerpt import read_excerpts
from deep_tally.measure.pictures import count_values, read_spectrogram, read_stereo_field
from deep_tally.work.crew import Crew, Progress, Returned

PICTURES: dict[str, Callable[..., object]] = {
    "Spectrogram": read_spectrogram,
    "Stereo": read_stereo_field,
    "Histogram": count_values,
}
"""What pictures of a file there are, and the jobs that make them."""


class FileReader(QObject):
    """Asked for samples and pictures; the owner polls it."""

    excerpts_read = Signal(str, object)
    """(who asked, {path: Excerpt}): samples that were asked for; a file that could not be read is missing."""
    picture_read = Signal(str, str, object)
    """(kind, path, value): a picture of a file that was asked for; None where it cannot be read."""
    started = Signal()
    """There is something to poll for."""

    def __init__(self, sources: Callable[[], dict[str, Path]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._sources = sources
        self.readers = Crew(workers=1, preload="deep_tally.intake.reading")
        # Beside the readers: what is seen of a waveform must not wait for a picture of a whole file.
        self.painters = Crew(workers=1, preload="deep_tally.measure.pictures")
        self._pictures: dict[str, tuple[str, str]] = {}

    def request_excerpts(self, who: str, wanted: Iterable[tuple[str, int, int]]) -> None:
        """Ask for samples of files: (path, first frame, frames) each; `excerpts_read` brings them.

        A newer request of the same asker replaces one that still waits.
        """
        sources = self._sources()
        jobs = [(path, sources[path], start, frames) for path, start, frames in wanted if path in sources]
        if jobs:
            self.readers.forget_waiting(who)
            self.readers.submit(who, read_excerpts, jobs)
            self.started.emit()

    def request_picture(self, kind: str, path: str, arguments: tuple[object, ...]) -> None:
        """Ask for a picture of a file (see `PICTURES`); `picture_read` brings it. The newest of a kind counts."""
        source = self._sources().get(path)
        if source is not None:
            for waiting in [job for job in self._pictures if self._pictures[job][0] == kind]:
                self.painters.forget_waiting(waiting)
            job = f"{kind}, {path}"
            self._pictures[job] = kind, path
            self.painters.submit(job, PICTURES[kind], source, *arguments)
            self.started.emit()

    def poll(self) -> None:
        """Hand on what the workers brought."""
        for report in self.readers.poll():
            if not isinstance(report, Progress):
                self.excerpts_read.emit(report.job, report.value if isinstance(report, Returned) else {})
        for report in self.painters.poll():
            if not isinstance(report, Progress):
                self.picture_read.emit(*self._pictures[report.job], getattr(report, "value", None))

    @property
    def is_busy(self) -> bool:
        """Whether something that was asked for is still to come."""
        return self.readers.is_busy or self.painters.is_busy

    def close(self) -> None:
        """End the workers."""
        self.readers.close()
        self.painters.close()
