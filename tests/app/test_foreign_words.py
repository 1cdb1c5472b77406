"""A delivery whose every foreign word is markup: it is shown as it stands, and nothing it names is read."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QAbstractItemModel, QAbstractListModel, QModelIndex, Qt
from PySide6.QtGui import Qt as GuiQt
from PySide6.QtGui import QTextDocument
from PySide6.QtWidgets import QAbstractItemView, QApplication, QLabel, QTextEdit, QTreeWidget

from app.conftest import wait
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.shell.window import Window
from sounds import RATE, chunk, pcm_fmt, riff, sine

MARKUP = "<img src=trap.png> <b>"
"""A tag without a slash or quotes can be a file's name in a folder and in a zip."""


def _song_file(hz: float, *, text: bytes = b"") -> bytes:
    samples = np.rint(sine(hz, 1.0, peak=9000.0)).astype("<i2").tobytes()
    bext = chunk(b"bext", text.ljust(256, b"\0") + text[:32].ljust(32, b"\0") + b"\0" * 314)
    marks = chunk(b"cue ", struct.pack("<I", 1) + struct.pack("<II4sIII", 1, RATE // 2, b"data", 0, 0, RATE // 2))
    labels = chunk(b"LIST", b"adtl" + chunk(b"labl", struct.pack("<I", 1) + text + b"\0"))
    return riff(bext, chunk(b"fmt ", pcm_fmt()), chunk(b"data", samples), marks, labels)


@pytest.fixture
def delivery(tmp_path: Path) -> Path:
    path = tmp_path / f"{MARKUP} 96 BPM.zip"
    with zipfile.ZipFile(path, "w") as archive:
        for song in ("A", "B"):
            folder = f"{MARKUP} {song} 96 BPM"
            for number in range(3):
                raw = _song_file(110.0 * (number + 1), text=MARKUP.encode())
                archive.writestr(f"{folder}/0{number} {MARKUP} kick.wav", raw)
            archive.writestr(f"{folder}/{MARKUP} rough mix.wav", _song_file(60, text=MARKUP.encode()))
            archive.writestr(f"{folder}/{MARKUP}.txt", f"Song: {MARKUP}\nTempo: 96 BPM\n")
            archive.writestr(f"{folder}/{MARKUP} snare.wav", b"RIFF but not for long")
        archive.writestr(f"{MARKUP}.rar", b"Rar!\x1a\x07\x01\x00 a closed archive")
    return path


def _tips_of(model: QAbstractItemModel, parent: QModelIndex) -> Iterator[str]:
    for row in range(model.rowCount(parent)):
        for column in range(1 if isinstance(model, QAbstractListModel) else model.columnCount(parent)):
            index = model.index(row, column, parent)
            yield str(index.data(Qt.ItemDataRole.ToolTipRole) or "")
            yield from _tips_of(model, index) if column == 0 else ()


def _guessed(window: Window) -> Iterator[str]:
    """Every text of the window whose format Qt guesses: tooltips of widgets, items and pictures."""
    for widget in window.findChildren(QLabel):
        is_plain = widget.textFormat() is Qt.TextFormat.PlainText
        assert is_plain or not GuiQt.mightBeRichText(widget.text()), widget.text()
    for widget in QApplication.allWidgets():
        yield widget.toolTip()
        if isinstance(widget, QAbstractItemView) and widget.model() is not None:
            yield from _tips_of(widget.model(), QModelIndex())
        if isinstance(widget, QTreeWidget):
            yield from _tips_of(widget.model(), QModelIndex())
        if isinstance(widget, QTextEdit):
            yield from _tips_in(widget.document())


def _tips_in(document: QTextDocument) -> Iterator[str]:
    block = document.begin()
    while block.isValid():
        for fragment in block:  # type: ignore[attr-defined]
            yield fragment.fragment().charFormat().toolTip()
        block = block.next()


def _names_of_images(html: str) -> list[str]:
    document = QTextDocument()
    document.setHtml(html)
    names = []
    block = document.begin()
    while block.isValid():
        names += [
            f.fragment().charFormat().toImageFormat().name() for f in block if f.fragment().charFormat().isImageFormat()
        ]
        block = block.next()
    return names


def test_markup_in_every_foreign_word_is_shown_as_it_stands(fresh: Window, delivery: Path, tmp_path: Path) -> None:
    brief = tmp_path / "brief.json"
    brief.write_text(f'{{"schema": 1, "name": "{MARKUP}", "parts": [{{"part": "{MARKUP}"}}, {{"part": "kick"}}]}}')
    fresh.state.briefs.choose_file(brief)
    fresh.open([delivery])
    wait(lambda: fresh.state.delivery is not None)
    fresh.navigator.open_brief(True)
    seen: list[str] = []
    labels: list[str] = []
    for show in (
        fresh.navigator.show_sheet,
        fresh.navigator.show_line_up,
        fresh.navigator.show_parts,
        fresh.navigator.show_names,
        fresh.navigator.show_reply,
        fresh.navigator.show_paper,
    ):
        show()
        QApplication.processEvents()
        for row in range(fresh.sheet.proxy.rowCount() if show == fresh.navigator.show_sheet else 1):
            if show == fresh.navigator.show_sheet:
                fresh.sheet.selectRow(row)
            QApplication.processEvents()
            seen += [tip for tip in _guessed(fresh) if tip]
            labels += [label.text() for label in fresh.findChildren(QLabel)]
    assert sum(MARKUP in text for text in labels) > 10
    risky = [tip for tip in set(seen) if GuiQt.mightBeRichText(tip)]
    assert len(risky) > 10  # the words are there, escaped
    assert not [tip for tip in risky if _names_of_images(tip)]
    assert MARKUP in fresh.said.text() or "left out" in fresh.steps.troubles_button.text()


def test_a_label_shows_markup_as_text(qapp: QApplication) -> None:
    label = PlainLabel(MARKUP)
    assert label.textFormat() is Qt.TextFormat.PlainText
    assert label.text() == MARKUP


@pytest.mark.parametrize("text", [MARKUP, "<b>bold</b>", "a < b", "Kick & Snare", "two\nlines", "<p>\n\n<img src=x>"])
def test_a_tip_reads_as_the_text_it_was(qapp: QApplication, text: str) -> None:
    shown = as_plain(text)
    if not GuiQt.mightBeRichText(shown):
        assert shown == text
        return
    document = QTextDocument()
    document.setHtml(shown)
    assert document.toPlainText() == text
    assert not _names_of_images(shown)
