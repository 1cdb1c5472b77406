"""A window that is edited without a pause, for tests that kill it: each edit is printed with the time it was made."""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QApplication

from deep_tally.app.shell.making import make_window


def main(folder: Path) -> None:
    """Open a delivery and change the client's name to 1, 2, 3… until killed."""
    _, window = make_window()
    window.show()
    window.open([folder])
    while window.state.delivery is None or window.state.autosave.is_busy:
        QApplication.processEvents()
        time.sleep(0.005)
    number = 0
    while True:
        number += 1
        said = window.state.corrections
        window.state.correct(replace(said, letter=replace(said.letter, client=str(number))), "Client")
        sys.stdout.write(f"{number} {time.time()}\n")
        sys.stdout.flush()
        ends = time.monotonic() + 0.04 + 0.4 * (number % 40 == 0)  # now and then the user pauses
        while time.monotonic() < ends:
            QApplication.processEvents()
            time.sleep(0.002)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
