"""Samples and pictures of files, read on demand by workers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from deep_tally.app.base.file_requests import PictureKind, PictureRequest, SamplesRequest
from deep_tally.measure.excerpt import read_excerpts
from deep_tally.measure.pictures import count_values, read_spectrogram, read_stereo_field
from deep_tally.work.crew import Crew, Progress, Returned

_JOBS: dict[PictureKind, Callable[..., object]] = {
    "spectrogram": read_spectrogram,
    "stereo field": read_stereo_field,
    "histogram": count_values,
}


class FileReader(QObject):
    """Reads what views request and answers them; the owner polls it."""

    started = Signal()
    """There is something to poll for."""

    def __init__(self, sources: Callable[[], dict[str, Path]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._sources = sources
        self.readers = Crew(workers=1, preload="deep_tally.intake.reading")
        # Beside the readers: what is seen of a waveform must not wait for a picture of a whole file.
        self.painters = Crew(workers=1, preload="deep_tally.measure.pictures")
        self._samples: dict[str, SamplesRequest] = {}
        self._pictures: dict[str, PictureRequest] = {}

    def request_samples(self, request: SamplesRequest) -> None:
        """Read samples; files that are not in the delivery are left out."""
        sources = self._sources()
        jobs = [(path, sources[path], start, frames) for path, start, frames in request.stretches if path in sources]
        if jobs:
            self.readers.forget_waiting(request.asker)
            self._samples[request.asker] = request
            self.readers.submit(request.asker, read_excerpts, jobs)
            self.started.emit()

    def request_picture(self, request: PictureRequest) -> None:
        """Work a picture out."""
        source = self._sources().get(request.path)
        if source is not None:
            for job, earlier in self._pictures.items():
                if earlier.kind == request.kind:
                    self.painters.forget_waiting(job)
            job = f"{request.kind}, {request.path}"
            self._pictures[job] = request
            self.painters.submit(job, _JOBS[request.kind], source, *request.arguments)
            self.started.emit()

    def poll(self) -> None:
        """Answer with what the workers have finished."""
        for report in self.readers.poll():
            if not isinstance(report, Progress):
                self._samples[report.job].answer(report.value if isinstance(report, Returned) else {})
        for report in self.painters.poll():
            if not isinstance(report, Progress):
                request = self._pictures[report.job]
                request.answer(request.path, getattr(report, "value", None))

    @property
    def is_busy(self) -> bool:
        """Whether a request is still to be answered."""
        return self.readers.is_busy or self.painters.is_busy

    def close(self) -> None:
        """End the workers."""
        self.readers.close()
        self.painters.close()
