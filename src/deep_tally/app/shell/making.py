"""Makes the application and its window."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication

    from deep_tally.app.shell.window import Window


def make_window() -> tuple[QApplication, Window]:
    """The application and its whole window, not shown yet."""
    application, window = make_bare_window()
    window.furnish()
    return application, window


def make_bare_window() -> tuple[QApplication, Window]:
    """The application and its window with the first page only: all that the first picture needs."""
    from PySide6.QtWidgets import QApplication

    from deep_tally.app.base.settings import Settings
    from deep_tally.app.base.theme import Theme, load_fonts
    from deep_tally.app.shell.window import Window

    existing = QApplication.instance()
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    if application.applicationName() != "Deep Tally":
        application.setApplicationName("Deep Tally")
        application.setDesktopFileName("deep-tally")
        application.setStyle("Fusion")
        load_fonts()
    settings = Settings()
    return application, Window(Theme(settings.theme), settings)
