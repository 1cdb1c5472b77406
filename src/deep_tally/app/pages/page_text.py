"""A reply page as an editable Qt document, and back: every paragraph remembers what kind of block it is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from PySide6.QtCore import QByteArray, QUrl
from PySide6.QtGui import (
    QColor,
    QFont,
    QImage,
    QPainter,
    QTextBlock,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
    QTextImageFormat,
)
from PySide6.QtSvg import QSvgRenderer

from deep_tally.app.base.plain import as_plain
from deep_tally.app.base.theme import Colours, font
from deep_tally.reply.page import Block, BlockKind, Page
from deep_tally.reply.picture import HEIGHT, WIDTH, Picture

_KIND = QTextFormat.Property.UserProperty.value + 1
_NUMBER = QTextFormat.Property.UserProperty.value + 2
_KEY = QTextFormat.Property.UserProperty.value + 3
_PICTURE_WIDTH = 560
_SHARPNESS = 2
_CHANGED = "#FBEDE4"
_DASH = "\N{EN DASH}"
_OBJECT = "\N{OBJECT REPLACEMENT CHARACTER}"

_SIZES: dict[BlockKind, tuple[int, int, int, int]] = {
    # pixels, weight, space above, indent
    "title": (22, 700, 0, 0),
    "section": (17, 700, 26, 0),
    "heading": (15, 700, 22, 0),
    "text": (14, 400, 6, 0),
    "question": (14, 400, 6, 0),
    "item": (14, 400, 4, 24),
    "hint": (13, 400, 4, 24),
    "picture": (12, 400, 6, 24),
}


class PageText:
    """Puts pages into a QTextDocument and reads them out again as they were edited."""

    def __init__(self, document: QTextDocument) -> None:
        self._document = document
        self._pictures: dict[str, Picture] = {}
        self._language = Page(()).language

    def show(self, page: Page, colours: Colours) -> None:
        """Replace the document's text by a page."""
        self._document.clear()
        self._document.setDefaultFont(font(14))
        self._pictures, self._language = {}, page.language
        cursor = QTextCursor(self._document)
        for position, block in enumerate(page.blocks):
            formats = self._formats(block, colours)
            if position:
                cursor.insertBlock(*formats)
            else:
                cursor.setBlockFormat(formats[0])
                cursor.setCharFormat(formats[1])
                cursor.setBlockCharFormat(formats[1])
            if block.picture is not None:
                self._insert_picture(cursor, block.picture)
            else:
                cursor.insertText(f"{_sign(block)}{block.text}")
        self._document.clearUndoRedoStacks()
        self._document.setModified(False)

    def insert_line(self, cursor: QTextCursor, colours: Colours) -> None:
        """Begin a new, empty paragraph of the user's own at the cursor."""
        cursor.insertBlock(*self._formats(Block("text", ""), colours))

    def page(self) -> Page:
        """The document as a page; empty paragraphs are left out."""
        return Page(tuple(block for _, block in self._blocks()), self._language)

    def _blocks(self) -> Iterator[tuple[QTextBlock, Block]]:
        """Paragraphs as blocks; of one that was split, the first half keeps its key."""
        seen: set[str] = set()
        paragraph = self._document.begin()
        while paragraph.isValid():
            block = self._block(paragraph)
            if block is not None:
                key = str(paragraph.blockFormat().property(_KEY) or "")
                yield paragraph, replace(block, key="" if key in seen else key)
                seen.add(key)
            paragraph = paragraph.next()

    def key_at(self, cursor: QTextCursor) -> str:
        """The key of the block with the cursor; empty in a line of the user's own."""
        number = cursor.blockNumber()
        return next((block.key for p, block in self._blocks() if p.blockNumber() == number), "")

    def cursor_in(self, key: str, column: int) -> QTextCursor | None:
        """A cursor so far in the block with this key; None where it is gone."""
        found = next((p for p, block in self._blocks() if key and block.key == key), None)
        return self._cursor(found, column) if found is not None else None

    def index_at(self, cursor: QTextCursor) -> int:
        """Which block of the page the cursor is in; -1 in an empty paragraph."""
        number = cursor.blockNumber()
        return next((n for n, (p, _) in enumerate(self._blocks()) if p.blockNumber() == number), -1)

    def cursor_at(self, index: int, column: int) -> QTextCursor:
        """A cursor so far in a block of the page."""
        return self._cursor([p for p, _ in self._blocks()][index], column)

    def _cursor(self, paragraph: QTextBlock, column: int) -> QTextCursor:
        cursor = QTextCursor(paragraph)
        cursor.setPosition(paragraph.position() + min(column, max(0, paragraph.length() - 1)))
        return cursor

    def _block(self, paragraph: QTextBlock) -> Block | None:
        text = paragraph.text()
        kind: BlockKind = paragraph.blockFormat().property(_KIND) or "text"
        if _OBJECT in text:
            name = _image_name(paragraph)
            picture = self._pictures.get(name)
            return Block("picture", picture.words, picture=picture) if picture is not None else None
        text = text.replace("\N{LINE SEPARATOR}", " ").strip()
        if not text or kind == "picture":
            return Block("text", text) if text else None
        number = paragraph.blockFormat().property(_NUMBER) or None
        sign = _sign(Block(kind, "", number=number)).strip()
        if sign and text.startswith(sign):
            text = text.removeprefix(sign).strip()
        else:
            number = None
        return Block(kind, text, number=number)

    def _formats(self, block: Block, colours: Colours) -> tuple[QTextBlockFormat, QTextCharFormat]:
        pixels, weight, above, indent = _SIZES[block.kind]
        paragraph = QTextBlockFormat()
        paragraph.setTopMargin(above)
        paragraph.setBottomMargin(4)
        paragraph.setLeftMargin(indent)
        paragraph.setLineHeight(
            100 if block.kind == "picture" else 128, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value
        )
        paragraph.setProperty(_KIND, block.kind)
        paragraph.setProperty(_KEY, block.key)
        if block.number:
            paragraph.setProperty(_NUMBER, block.number)
        if block.newer:
            paragraph.setBackground(QColor(_CHANGED))
        letters = QTextCharFormat()
        used: QFont = font(pixels, weight)
        letters.setFont(used)
        colour = colours.soft if block.kind == "hint" else colours.ink
        letters.setForeground(QColor(colour))
        return paragraph, letters

    def _insert_picture(self, cursor: QTextCursor, picture: Picture) -> None:
        name = f"picture-{len(self._pictures)}"
        self._pictures[name] = picture
        height = _PICTURE_WIDTH * HEIGHT // WIDTH
        image = QImage(_PICTURE_WIDTH * _SHARPNESS, height * _SHARPNESS, QImage.Format.Format_ARGB32_Premultiplied)
        image.fill(QColor("#FFFFFF"))
        painter = QPainter(image)
        QSvgRenderer(QByteArray(picture.svg.encode())).render(painter)
        painter.end()
        self._document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(name), image)
        shown = QTextImageFormat()
        shown.setName(name)
        shown.setWidth(_PICTURE_WIDTH)
        shown.setHeight(height)
        shown.setToolTip(as_plain(picture.words))
        cursor.insertImage(shown)


def _sign(block: Block) -> str:
    """What stands before a block's words on paper."""
    if block.kind == "item":
        return f"{_DASH} "
    return f"{block.number}. " if block.number else ""


def _image_name(paragraph: QTextBlock) -> str:
    for fragment in paragraph:  # type: ignore[attr-defined]
        found = fragment.fragment().charFormat()
        if found.isImageFormat():
            return str(found.toImageFormat().name())
    return ""
