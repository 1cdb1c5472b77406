"""Saves the picture that is shown, on the bench or the line-up, as a PNG."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QWidget

from deep_tally.app.base.client_folder import may_save
from deep_tally.app.base.export import png_of
from deep_tally.model.errors import DeepTallyError
from deep_tally.work.atomic import write_atomically

if TYPE_CHECKING:
    from deep_tally.app.shell.window import Window


class PictureSaver:
    """Asks where, and writes it there."""

    def __init__(self, window: Window) -> None:
        self._window = window

    def ask_and_save(self) -> None:
        """Ask where to save the line-up, or the picture on the bench, as a PNG."""
        page = self._window.pages.currentWidget()
        shown = self._window.bench.stage.currentWidget() if page is self._window.desk else page
        if (
            not self._window.state.intake is not None
            or shown is None
            or page not in (self._window.desk, self._window.line_up)
        ):
            self._window.say("There is no picture to save here: go to the sheet or the line-up.")
            return
        name = self._window.bench.view_name if page is self._window.desk else "Line-up"
        file = self._window.sheet.current_row
        named = f"{file.title} {name}" if page is self._window.desk and file is not None else name
        proposed = self._window.settings.folder("pictures") / f"{named.replace('/', '-')}.png"
        chosen, _ = QFileDialog.getSaveFileName(self._window, "Save the picture", str(proposed), "PNG (*.png)")
        if chosen:
            self.save_to(Path(chosen), self._window.line_up.picture if page is self._window.line_up else shown)

    def save_to(self, path: Path, widget: QWidget) -> None:
        """Save a widget as a PNG of twice its size, and say what happened."""

        path = path if path.suffix.casefold() == ".png" else path.with_name(f"{path.name}.png")
        if not may_save(self._window.pages.currentWidget() or self._window, path, self._window.state.client):
            return
        try:
            write_atomically(png_of(widget), path, client=self._window.state.client, into_delivery=True)
        except DeepTallyError as error:
            self._window.say(str(error))
            return
        self._window.settings.set_folder("pictures", path.parent)
        self._window.say(f"Saved: {path}")
