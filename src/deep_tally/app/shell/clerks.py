"""Work on the disk that nobody waits for: pages that are saved, what was unpacked removed, the demo made."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from platformdirs import user_cache_path
from PySide6.QtCore import QObject, Signal

from deep_tally import __version__
from deep_tally.engine.opening import Opened
from deep_tally.engine.round_sides import Joining
from deep_tally.engine.saving import PackedCheck, write_packed
from deep_tally.intake.unpacked import UnpackFolder, sweep
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import ClientFiles
from deep_tally.reply.formats.eml import Sender
from deep_tally.reply.page import Page
from deep_tally.reply.save import save_reply
from deep_tally.session.saved_checks import SavedAs
from deep_tally.work.atomic import sweep_unfinished
from deep_tally.work.crew import Crew, Failed, Progress, Report, Returned
from deep_tally.work.isolated import OnProgress

_DEMO = "the demo delivery"
_TIDYING = "tidying up"
_SAVING = "saving a page"
_SAVING_CHECK = "saving the check "
_JOINING = "joining a round"
_UNFINISHED = "unfinished-demo-"
_ABANDONED_AFTER_S = 600.0


class Clerks(QObject):
    """Two workers; the owner polls them."""

    saved = Signal(str, bool)
    """(one sentence for the user, whether it worked): a page was written, or could not be."""
    check_saved = Signal(object, object, str)
    """(whose, SavedAs or None, one sentence where it could not be): the open check was saved."""
    joined = Signal(object, str)
    """(Opened or None, one sentence where it could not be): a delivery was joined to a saved check."""
    demo_made = Signal(object, object)
    """The demo's folders are there: its first sending and, where that was wanted, the second."""
    demo_failed = Signal(str)
    """The demo cannot be made; one sentence for the user."""
    page_saved = Signal(object)
    """The path of a page that was written."""
    started = Signal()
    """There is something to poll for."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        # What the user sees must not wait for a page that is written, nor that for gigabytes that are deleted.
        self._crew = Crew(workers=2, preload="deep_tally.work.atomic")
        self._saving = 0
        self._left_folders: list[UnpackFolder] = []

    def save_page(self, page: Page, path: Path, client: ClientFiles, writer: Sender) -> None:
        """Write a page, which takes a second for a PDF; `saved` says how it went.

        Where it lies in the client's folder, the user agreed to that.
        """
        self._saving += 1
        self._submit(_SAVING, _save_page, page, path, client, writer)

    @property
    def is_saving(self) -> bool:
        """Whether a page is being written."""
        return self._saving > 0

    def save_check(self, whose: int, packed: PackedCheck, client: ClientFiles) -> None:
        """Write the open check; `check_saved` says how it went."""
        self._submit(f"{_SAVING_CHECK}{whose}", write_packed, packed, client)

    def join(self, joining: Joining) -> None:
        """Join a delivery to a saved check; `joined` carries the result."""
        self._submit(_JOINING, _join, joining)

    def make_demo(self, rounds: int = 1) -> None:
        """Make the demo delivery with one or two rounds, unless it is there already."""
        self._submit(_DEMO, _make_demo, rounds)

    def tidy(self, folder: UnpackFolder | None = None) -> None:
        """Remove what was unpacked, for it may be gigabytes, and what crashed windows left."""
        if folder is not None:
            self._left_folders.append(folder)
        self._submit(_TIDYING, _tidy, tuple(f.path for f in self._left_folders))

    def _submit(self, job: str, function: Callable[..., object], *arguments: object) -> None:
        self._crew.submit(job, function, *arguments)
        self.started.emit()

    def poll(self) -> None:
        """Hand on what the workers did."""
        for report in self._crew.poll():
            if report.job == _TIDYING:
                for folder in [f for f in self._left_folders if not f.path.exists()]:
                    folder.remove()
                    self._left_folders.remove(folder)
            elif report.job.startswith(_SAVING_CHECK):
                self._take_check(report)
            elif report.job == _JOINING:
                self._take_joined(report)
            elif not isinstance(report, Progress):
                self._take_made(report) if report.job == _DEMO else self._take_saved(report)

    def _take_made(self, report: Returned | Failed) -> None:
        if isinstance(report, Returned):
            self.demo_made.emit(*report.value)
        else:
            self.demo_failed.emit(f"The demo cannot be made: {report.problem}; {report.remedy}.")

    def _take_saved(self, report: Returned | Failed) -> None:
        self._saving -= 1
        if isinstance(report, Returned):
            words, path = report.value
            self.saved.emit(words, path is not None)
            if path is not None:
                self.page_saved.emit(path)
        else:
            self.saved.emit(f"The page cannot be written: {report.problem}; {report.remedy}.", False)

    def _take_check(self, report: Report) -> None:
        whose = int(report.job.removeprefix(_SAVING_CHECK))
        if isinstance(report, Failed):
            trouble = f"The check cannot be saved: {report.problem}; {report.remedy}."
            self.check_saved.emit(whose, None, trouble)
        elif isinstance(report, Returned):
            at = report.value
            self.check_saved.emit(
                whose, at if isinstance(at, SavedAs) else None, "" if isinstance(at, SavedAs) else str(at)
            )

    def _take_joined(self, report: Report) -> None:
        if isinstance(report, Failed):
            self.joined.emit(None, f"The rounds cannot be compared: {report.problem}; {report.remedy}.")
        elif isinstance(report, Returned):
            refused = isinstance(report.value, DeepTallyError)
            self.joined.emit(None if refused else report.value, str(report.value) if refused else "")

    @property
    def is_busy(self) -> bool:
        """Whether something is still to be done."""
        return self._crew.is_busy

    def close(self) -> None:
        """End the workers; what they did not remove is removed now."""
        self._crew.close()
        for folder in self._left_folders:
            folder.remove()


def _save_page(
    progress: object, page: Page, path: Path, client: ClientFiles, writer: Sender
) -> tuple[str, Path | None]:
    """In a worker: write a page; returns a sentence about it, and where it lies, if it worked."""
    try:
        save_reply(page, path, sender=writer, client=client, into_delivery=True)
    except DeepTallyError as error:
        return str(error), None
    return f"Saved: {path}", path


def _join(progress: OnProgress, joining: Joining) -> Opened | DeepTallyError:
    from deep_tally.engine.joining import join  # reads audio: only workers load what that needs

    return join(progress, joining)


def _tidy(progress: object, folders: tuple[Path, ...]) -> None:
    """In a worker: delete what is no longer needed, and what crashed windows left."""
    for folder in folders:
        shutil.rmtree(folder, ignore_errors=True)
    sweep()
    sweep_unfinished()


def _make_demo(progress: object, rounds: int) -> tuple[Path, Path | None]:
    from deep_tally.demo.delivery import FOLDER_NAME, is_current, write_demo
    from deep_tally.demo.round_two import FOLDER_NAME as SECOND
    from deep_tally.demo.round_two import write_round_two

    home = user_cache_path("deep-tally") / f"demo-{__version__}"
    again = home.with_name(f"{home.name}-round-2")
    if not is_current(home):
        _make_whole(write_demo, home)
        shutil.rmtree(again, ignore_errors=True)
    if rounds > 1 and not again.is_dir():
        _make_whole(write_round_two, again)
    return home / FOLDER_NAME, again / SECOND if rounds > 1 else None


def _make_whole(write: Callable[[Path], Path], home: Path) -> None:
    """Made beside and renamed: a demo that was interrupted is never taken for a whole one."""
    home.parent.mkdir(parents=True, exist_ok=True)
    for left in home.parent.glob(f"{_UNFINISHED}*"):
        if time.time() - left.stat().st_mtime > _ABANDONED_AFTER_S:
            shutil.rmtree(left, ignore_errors=True)
    made = Path(tempfile.mkdtemp(dir=home.parent, prefix=_UNFINISHED))
    write(made)
    shutil.rmtree(home, ignore_errors=True)  # an earlier demo, with other things planted in it
    made.rename(home)
