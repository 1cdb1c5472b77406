"""The reply as the client will read it: what to ask on the left, the page to edit on the right."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.pages.paper import PageView, ask_where
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action
from deep_tally.reply.action_words import readable
from deep_tally.reply.letter import write_letter
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.requests import Request, group_requests

_KINDS = (("Web page with pictures", ".html"), ("PDF with pictures", ".pdf"), ("Text", ".txt"), ("Markdown", ".md"))
_LIST_WIDTH = 372
_PAGE_WIDTH = 900


class ReplyView(PageView):
    """Everything about the reply."""

    what = "reply"

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__(theme, settings)
        self._delivery: Delivery | None = None
        self._left_out: set[str] = set()
        self._renamed: Mapping[str, str] = {}
        self.engineer = self._field("Your name", "engineer", "The name under the reply")
        self.client = self._field("Client", "client", "The name in the greeting")
        names = QFormLayout()
        names.setContentsMargins(0, 0, 0, 8)
        names.addRow("Your &name", self.engineer)
        names.addRow("&Client", self.client)
        self._list = QVBoxLayout()
        self._list.setSpacing(0)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(24, 12, 12, 12)
        column.addLayout(names)
        column.addLayout(self._list)
        column.addStretch()
        left = QScrollArea()
        left.setWidget(inside)
        left.setWidgetResizable(True)
        left.setFixedWidth(_LIST_WIDTH)
        left.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        left.setFocusPolicy(Qt.FocusPolicy.NoFocus)

        self.text.setAccessibleName("The reply; it can be edited")
        self.text.document().modificationChanged.connect(self._tell_edited)
        self.copy = self.button("Copy as text", "Copy the whole reply as plain text (Ctrl+Shift+C)", self.copy_text)
        self.anew = self.button(
            "Write it again", "Discard your changes and write the reply from the findings", self.rewrite
        )
        self.edited = PlainLabel("Edited by you")
        buttons = QHBoxLayout()
        buttons.setContentsMargins(0, 8, 0, 8)
        buttons.addWidget(self.edited)
        buttons.addWidget(self.anew)
        buttons.addStretch()
        buttons.addWidget(self.copy)
        paper = QWidget()
        paper.setMaximumWidth(_PAGE_WIDTH)
        right = QVBoxLayout(paper)
        right.setContentsMargins(16, 0, 24, 16)
        right.setSpacing(0)
        right.addLayout(buttons)
        right.addWidget(self.text, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(left)
        whole.addWidget(paper, 1)
        whole.addStretch(0)
        theme.follow(self, self._colour)
        self._colour()
        self._tell_edited(False)

    def _field(self, name: str, key: str, tip: str) -> QLineEdit:
        field = QLineEdit(self._settings.text(key))
        field.setAccessibleName(name)
        field.setToolTip(as_plain(tip))

        def remember(text: str) -> None:
            self._settings.set_text(key, text)
            self._write_if_unedited()

        field.textEdited.connect(remember)
        return field

    def show_delivery(self, delivery: Delivery, *, same: bool, renamed: Mapping[str, str] | None = None) -> None:
        """Show the reply to a delivery, with a list of new names; your changes to the same one's reply are kept."""
        self._delivery, self._renamed = delivery, renamed or {}
        if not same:
            self._left_out.clear()
            self.text.document().setModified(False)
        self._fill_list(delivery)
        self._write_if_unedited()

    def rewrite(self) -> None:
        """Write the reply from the findings; edits are put away."""
        if self._delivery is not None:
            page = write_letter(
                self._delivery,
                engineer=self.engineer.text(),
                client=self.client.text(),
                left_out=frozenset(self._left_out),
                renamed=self._renamed,
            )
            self.text.show_page(page)
            self._tell_edited(False)

    def save_as(self) -> None:
        """Ask where, and save in the form the ending names."""
        path = ask_where(self, self._settings, "Save the reply", self.page.title or "Reply", _KINDS)
        if path is not None:
            self.save_to(path)

    def _write_if_unedited(self) -> None:
        if not self.text.document().isModified():
            self.rewrite()

    def _tell_edited(self, edited: bool) -> None:
        self.edited.setVisible(edited)
        self.anew.setVisible(edited)

    def _fill_list(self, delivery: Delivery) -> None:
        while (item := self._list.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()  # else it would stand as a window of its own for a moment
                widget.setParent(None)
                widget.deleteLater()
        unchecked = {path for i in delivery.incomplete if i.what not in ("comparing", "matching") for path in i.files}
        if unchecked:
            yet = PlainLabel(f"Not checked here, so not asked: {count(len(unchecked), 'file')}")
            yet.setFont(font(13, 600))
            yet.setWordWrap(True)
            yet.setContentsMargins(0, 8, 0, 0)
            self._list.addWidget(yet)
        requests = group_requests(delivery.findings)
        title = PlainLabel("What the client is asked, most urgent first" if requests else "Nothing to ask")
        title.setFont(font(13, 600))
        title.setContentsMargins(0, 8, 0, 8)
        self._list.addWidget(title)
        for request in requests:
            self._list.addWidget(self._request(request))
        fixed = {path for f in delivery.findings if f.action is Action.FIX for path in f.files}
        if fixed:
            mended = PlainLabel(f"Fixed here, no need to ask: {count(len(fixed), 'file')}")
            mended.setFont(font(13, 600))
            mended.setStyleSheet(f"color: {self._theme.colours.fix}")
            mended.setContentsMargins(0, 12, 0, 0)
            self._list.addWidget(mended)

    def _request(self, request: Request) -> QWidget:
        box = QCheckBox(request.task.short)
        box.setFont(font(14, 600))
        box.setChecked(request.task.key not in self._left_out)
        box.setToolTip("Part of the reply")
        box.toggled.connect(lambda asked: self._ask(request.task.key, asked))
        names = listed([path.rpartition("/")[2] for path in request.files], most=3)
        files = PlainLabel(readable(names))
        files.setFont(font(12))
        files.setStyleSheet(f"color: {self._theme.colours.soft}")
        files.setContentsMargins(28, 0, 0, 0)
        files.setWordWrap(True)
        box.setAccessibleName(f"{request.task.short}: {readable(names)}" if names else request.task.short)
        frame = QFrame()
        frame.setObjectName("request")
        frame.setStyleSheet(f"#request {{ border-top: 1px solid {self._theme.colours.rule}; }}")
        column = QVBoxLayout(frame)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(2)
        column.addWidget(box)
        if names:
            column.addWidget(files)
        return frame

    def _ask(self, key: str, asked: bool) -> None:
        (self._left_out.discard if asked else self._left_out.add)(key)
        if self.text.document().isModified():
            self.said.emit("You edited the reply: press “Write it again” to leave this in or out.")
        self._write_if_unedited()

    def _colour(self) -> None:
        self.edited.setStyleSheet(f"color: {self._theme.colours.soft}")
        if self._delivery is not None:
            self._fill_list(self._delivery)
