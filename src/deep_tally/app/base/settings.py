"""What the window remembers between sessions, in one file of the XDG configuration folder."""

from __future__ import annotations

from pathlib import Path

from platformdirs import user_config_path
from PySide6.QtCore import QByteArray, QSettings

from deep_tally.app.base.theme import Choice


class Settings:
    """Typed access to the remembered things."""

    def __init__(self) -> None:
        path = user_config_path("deep-tally") / "window.ini"
        self._settings = QSettings(str(path), QSettings.Format.IniFormat)

    def text(self, key: str) -> str:
        """A remembered text; empty when there is none."""
        return str(self._settings.value(f"text/{key}", ""))

    def set_text(self, key: str, text: str) -> None:
        """Remember a text."""
        self._settings.setValue(f"text/{key}", text)

    def folder(self, key: str) -> Path:
        """The folder used last; the home folder when it is gone."""
        folder = Path(str(self._settings.value(f"folder/{key}", "")) or Path.home())
        return folder if folder.is_dir() else Path.home()

    def set_folder(self, key: str, folder: Path) -> None:
        """Remember a folder."""
        self._settings.setValue(f"folder/{key}", str(folder))

    def state(self, key: str) -> QByteArray | None:
        """A remembered geometry or splitter state."""
        value = self._settings.value(f"state/{key}")
        return value if isinstance(value, QByteArray) else None

    def set_state(self, key: str, state: QByteArray) -> None:
        """Remember a geometry or splitter state."""
        self._settings.setValue(f"state/{key}", state)

    @property
    def theme(self) -> Choice:
        """Day, night, or as the desktop has it."""
        value = str(self._settings.value("theme", "desktop"))
        return "day" if value == "day" else "night" if value == "night" else "desktop"

    def set_theme(self, choice: Choice) -> None:
        """Remember the choice."""
        self._settings.setValue("theme", choice)
