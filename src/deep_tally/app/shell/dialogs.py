"""The page of keys and the page about the program with all licences."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QGridLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

from deep_tally import __version__
from deep_tally.app.base.buttons import dialog_buttons
from deep_tally.app.base.plain import PlainLabel
from deep_tally.app.base.theme import Theme, font

KEYS: tuple[tuple[str, tuple[tuple[str, str], ...]], ...] = (
    (
        "Anywhere",
        (
            ("Ctrl+O", "Open a folder"),
            ("Ctrl+Shift+O", "Open zips or files"),
            ("F5", "Read the delivery again"),
            ("Ctrl+1 / 2 / 3", "Sheet / line-up / mix match"),
            ("Ctrl+4 / 5 / 6", "Parts / names / reply"),
            ("Alt+Up / Alt+Down", "In the reply: move the paragraph"),
            ("Ctrl+B", "The brief beside the view"),
            ("Alt+B", "Another brief, when it is open"),
            ("Ctrl+7 / 8 / 9", "The client's page / the rounds / the ready copy"),
            ("Ctrl+Shift+N", "Open the next round"),
            ("Ctrl+Shift+S", "Save the check somewhere else"),
            ("Ctrl+Alt+S", "Save the session sheet"),
            ("Ctrl+Shift+D", "All decisions"),
            ("Ctrl+Z", "Undo a change"),
            ("Esc", "Cancel measuring"),
            ("Ctrl+Shift+P", "Save the picture that is shown"),
            ("F1", "This page"),
            ("Ctrl+Q", "Quit"),
        ),
    ),
    (
        "Sheet",
        (
            ("Up, Down", "Go to another file"),
            ("Enter", "To the waveform"),
            ("Ctrl+F", "Find a file by its name"),
            ("Alt+1 / 2 / 3", "Only: ask / fix here / worth knowing"),
            ("Alt+0", "Show everything"),
            ("Alt+S", "Sort by…"),
            ("Ctrl+C", "Copy the selected rows as text"),
            ("Ctrl+M", "The selected file is the rough mix"),
            ("Ctrl+R", "What the selected files are for…"),
            ("Ctrl+Shift+R", "The selected files are what they seem to be (marked with “?”)"),
            ("Ctrl+G", "Which song they belong to…"),
        ),
    ),
    (
        "Waveform",
        (
            ("+ / -, wheel", "Zoom"),
            ("Left, Right, drag", "Move"),
            ("Home, End", "Start, end of the file"),
            ("N / P", "Next / previous mark"),
            ("0, double click", "Whole file"),
            ("F6 / F7", "Waveform / both sides overlaid"),
            ("F8 / F9", "Spectrum / bits in use"),
            ("F10 / F11 / F12", "Spectrogram / stereo / histogram"),
            ("Space", "Play or stop"),
            ("Ctrl+D", "Turned down: do the tops come back?"),
            ("D", "On a finding: decide about it"),
        ),
    ),
    (
        "Line-up",
        (
            ("+ / -, wheel", "Zoom"),
            ("Left, Right, drag", "Move along the song"),
            ("Ctrl++ / Ctrl+- / Ctrl+0", "Taller, lower lanes, all lanes"),
            ("0, double click", "Whole song"),
            ("N / P", "Next / previous mark of the file"),
            ("E / Shift+E", "The common end / start, sample by sample"),
            ("R / O", "Ruler: minutes, samples, bars / order of the files"),
            ("T", "Set the song's tempo"),
            ("G, Alt and drag", "Move files to where they belong"),
            ("F2", "Type where the file belongs"),
            ("Alt+Left, Right", "Move it by a sample (with Shift by a millisecond)"),
            ("Delete", "Put it back"),
            ("Enter", "To the file in the sheet"),
        ),
    ),
    (
        "Mix match",
        (
            ("Left, Right", "To the stretches that no file gives"),
            ("Space", "Play the stretch, or from where the strip was clicked; stop"),
            ("Enter", "To the file in the sheet"),
        ),
    ),
    (
        "Listening",
        (
            ("Space, Ctrl+Space", "Play or stop (with several files selected: only these)"),
            ("Shift+Space", "The file alone"),
            ("L", "Loop the finding"),
            ("B", "Sum or rough mix"),
            ("S / M", "Only this file / not this file"),
            ("[ / ]", "Selected files down / up by half a decibel"),
            ("\\", "Selected files back to their own level"),
        ),
    ),
    (
        "Parts and names",
        (
            ("Enter", "Which part a file is / write a name"),
            ("Delete", "Not this part / the pattern's name"),
        ),
    ),
    (
        "Rounds",
        (
            ("Enter", "Which earlier file this one replaces"),
            ("Delete", "It is a new file"),
        ),
    ),
    (
        "Reply",
        (
            ("Ctrl+S", "Save"),
            ("Ctrl+Shift+C", "Copy as text"),
            ("Ctrl+Z", "Undo a change"),
        ),
    ),
)


# What is shipped or needed to run, by the name of its distribution.
class KeysPage(QDialog):
    """All keys on one page."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        super().__init__(parent)
        theme.style(self)
        self.setWindowTitle("Keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(24)
        grid.setVerticalSpacing(6)
        row = 0
        for place, keys in KEYS:
            head = PlainLabel(place)
            head.setFont(font(15, 700))
            head.setContentsMargins(0, 10 if row else 0, 0, 2)
            grid.addWidget(head, row, 0, 1, 2)
            row += 1
            for key, what in keys:
                name = PlainLabel(key)
                name.setFont(font(14, 600))
                grid.addWidget(name, row, 0)
                grid.addWidget(PlainLabel(what), row, 1)
                row += 1
        finish(self, grid)


class LeftOutPage(QDialog):
    """Everything that was not checked, a sentence each: by this machine's doing, and by what was sent.

    `again` is pressed to try once more what this machine kept from being checked.
    """

    def __init__(self, parent: QWidget, theme: Theme, incomplete: Sequence[str], troubles: Sequence[str]) -> None:
        super().__init__(parent)
        theme.style(self)
        self.setWindowTitle("Not checked")
        self.resize(680, 480)
        inside = QVBoxLayout()
        parts = (
            ("These could not be checked on this machine. None of this is up to the client.", incomplete),
            ("These could not be opened as sent. Everything else was checked without them.", troubles),
        )
        for head, sentences in parts:
            if sentences:
                words = PlainLabel(head)
                words.setWordWrap(True)
                words.setFont(font(14, 600))
                text = QTextBrowser()
                text.setAccessibleName(head)
                text.setPlainText("\n\n".join(sentences))
                inside.addWidget(words)
                inside.addWidget(text, 1)
        self.again = QPushButton("Try again")
        self.again.setToolTip("Read the delivery again; what is measured is kept (F5)")
        self.again.setVisible(bool(incomplete))
        self.again.clicked.connect(self.accept)
        finish(self, inside, self.again)


class AboutPage(QDialog):
    """Version, licence, and the licences of everything the program is built of."""

    def __init__(self, parent: QWidget, theme: Theme) -> None:
        from deep_tally.views.licences import licence_page  # reads the metadata of every package

        super().__init__(parent)
        theme.style(self)
        self.setWindowTitle("About Deep Tally")
        self.resize(620, 560)
        title = PlainLabel(f"Deep Tally {__version__}")
        title.setFont(font(22, 700))
        words = PlainLabel(
            "Checks a delivery of trackouts before the mix begins.\n"
            "Your client's files are never changed, and nothing leaves this machine."
        )
        words.setWordWrap(True)
        text = QTextBrowser()
        text.setAccessibleName("Licences")
        text.setPlainText(licence_page())
        inside = QVBoxLayout()
        inside.addWidget(title)
        inside.addWidget(words)
        inside.addWidget(text, 1)
        finish(self, inside)


def finish(dialog: QDialog, inside: QVBoxLayout | QGridLayout, *more: QPushButton) -> None:
    """What all pages have: their margins, a Close button, and that they are gone when they are closed."""
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    buttons = dialog_buttons(QDialogButtonBox.StandardButton.Close)
    for button in more:
        buttons.addButton(button, QDialogButtonBox.ButtonRole.ActionRole)
    buttons.rejected.connect(dialog.reject)
    column = QVBoxLayout(dialog)
    column.setContentsMargins(24, 20, 24, 16)
    column.setSpacing(16)
    column.addLayout(inside, 1)
    column.addWidget(buttons, 0, Qt.AlignmentFlag.AlignRight)
