"""The letter as the client will read it: whom and what it asks on the left, the page to edit on the right.

What the user writes is kept block by block with the delivery (`model.letter_edits`); every other block follows the
findings.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from PySide6.QtCore import QPoint, Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.buttons import plain_button
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.settings import Settings
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.pages.newer_words import NewerWords
from deep_tally.app.pages.paper import PageView, ask_where
from deep_tally.app.pages.paragraph_buttons import ParagraphButtons
from deep_tally.model.brief import DEFAULT_BRIEF, Brief
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.findings import Action
from deep_tally.model.language import languages, name_of_language
from deep_tally.model.letter_edits import NO_EDITS, LetterEdits
from deep_tally.model.paper import PAPERS, Paper
from deep_tally.model.rounds import Rounds
from deep_tally.reply.action_words import readable
from deep_tally.reply.edits import AGAIN, edits_between, with_edits, without_newer, without_reworded
from deep_tally.reply.formats.eml import Sender
from deep_tally.reply.letter import written
from deep_tally.reply.letter_options import LENGTHS, TONES, LetterOptions
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.page import Block, Page
from deep_tally.reply.requests import Request, group_requests
from deep_tally.session.engineer import engineer_at_hand, keep_engineer, language_of

_KINDS = (
    ("Web page with pictures", ".html"),
    ("PDF with pictures", ".pdf"),
    ("Mail draft", ".eml"),
    ("Text", ".txt"),
    ("Markdown", ".md"),
)
_LENGTH_WORDS = {"short": "First part only", "full": "With the details"}
_TONE_WORDS = {"brief": "Brief", "friendly": "Friendly", "formal": "Formal"}
_OF_DELIVERY = (
    ("client", "Client", "The name in the greeting; it belongs to this delivery"),
    ("deadline", "Needed by", "The day by which you need the files, as it is to read"),
    ("upload", "Upload to", "Where the files are to be sent"),
)
_LIST_WIDTH = 372
_PAGE_WIDTH = 900
_TYPING_MS = 400


class ReplyView(PageView):
    """Everything about the reply. `corrected` carries what the user said of it, and the words for undoing that."""

    what = "reply"
    corrected = Signal(object, str)
    decide_wanted = Signal(object, QPoint)
    """(findings, where on the screen): the menu of decisions about a request is wanted."""

    def __init__(self, theme: Theme, settings: Settings) -> None:
        super().__init__(theme, settings)
        self._delivery: Delivery | None = None
        self._said: Corrections = NO_CORRECTIONS
        self._brief: Brief = DEFAULT_BRIEF
        self._renamed: Mapping[str, str] = {}
        self._rounds: Rounds | None = None
        self._written = Page(())
        self._shown_blocks: tuple[Block, ...] = ()
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(_TYPING_MS)
        self._typing.timeout.connect(self.keep_edits)
        self._known = engineer_at_hand()
        if not self._known.name:  # where earlier versions kept it
            self._known = replace(self._known, name=settings.text("engineer"))
        self._is_engineer_kept = True
        self._boxes: dict[str, QCheckBox] = {}
        self.engineer = self._field("Your name", "The name under the letter", self._known.name)
        self.engineer.textEdited.connect(lambda text: self._keep_engineer(name=text))
        self.address = self._field("Your address", "Your mail address, for mail drafts", self._known.address)
        self.address.textEdited.connect(lambda text: self._keep_engineer(address=text))
        self.of_delivery = {key: self._of_delivery(key, name, tip) for key, name, tip in _OF_DELIVERY}
        self.client = self.of_delivery["client"]
        self.length = self._choice("Length", _LENGTH_WORDS, settings.text("letter.length") or "short", "letter.length")
        self.tone = self._choice("Tone", _TONE_WORDS, settings.text("letter.tone") or "friendly", "letter.tone")
        self.language = self._language_choice()
        self.paper_box = self._paper_choice()
        self._list = QVBoxLayout()
        self._list.setSpacing(0)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(24, 12, 12, 12)
        column.addLayout(self._names())
        column.addLayout(self._list)
        column.addStretch()
        left = QScrollArea()
        left.setWidget(inside)
        left.setWidgetResizable(True)
        left.setFixedWidth(_LIST_WIDTH)
        left.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        left.setFocusPolicy(Qt.FocusPolicy.NoFocus)

        buttons = self._bar()
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
        self._show_edited()

    def _names(self) -> QFormLayout:
        """Who writes to whom, and how."""
        names = QFormLayout()
        names.setContentsMargins(0, 0, 0, 8)
        for words, field in (
            ("&Client", self.client),
            ("Nee&ded by", self.of_delivery["deadline"]),
            ("&Upload to", self.of_delivery["upload"]),
            ("Your &name", self.engineer),
            ("Your &address", self.address),
            ("&Length", self.length),
            ("&Tone", self.tone),
            ("Lan&guage", self.language),
            ("&Paper", self.paper_box),
        ):
            names.addRow(words, field)
        return names

    def _bar(self) -> QHBoxLayout:
        """Over the page: whether it was edited, and what is done with it."""
        self.text.setAccessibleName("The letter; it can be edited")
        self.text.document().contentsChanged.connect(self._typed)
        self.copy = self.button("Copy", "Copy the whole letter (Ctrl+Shift+C)", self.copy_text)
        self.discard = self.button(
            "Discard my wording", "Write every paragraph from the findings again; Ctrl+Z takes that back", self.rewrite
        )
        self.edited = PlainLabel("Edited by you")
        self.paragraph = ParagraphButtons(self.text)
        buttons = QHBoxLayout()
        buttons.setContentsMargins(0, 8, 0, 8)
        buttons.addLayout(self.paragraph)
        buttons.addStretch()
        buttons.addWidget(self.edited)
        buttons.addSpacing(12)
        buttons.addWidget(self.discard)
        buttons.addSpacing(8)
        buttons.addWidget(self.copy)
        return buttons

    def _field(self, name: str, tip: str, text: str = "") -> QLineEdit:
        field = QLineEdit(text)
        field.setAccessibleName(name)
        field.setToolTip(as_plain(tip))
        return field

    def _of_delivery(self, key: str, name: str, tip: str) -> QLineEdit:
        field = self._field(name, tip)
        field.textEdited.connect(
            lambda text: self._correct(lambda edits: replace(edits, **{key: text}), f"{name} in the reply")
        )
        return field

    def _choice(self, name: str, words: Mapping[str, str], chosen: str, key: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for value, said in words.items():
            box.addItem(said, value)
        box.setCurrentIndex(max(0, box.findData(chosen)))

        def remember() -> None:
            self._settings.set_text(key, box.currentData())
            self.keep_edits()
            self._write()

        box.activated.connect(remember)
        return box

    def _language_choice(self) -> QComboBox:
        """The delivery's: the next client may speak another one."""
        box = QComboBox()
        box.setAccessibleName("Language of the letter")
        for language in languages():
            box.addItem(name_of_language(language), language)
        box.setCurrentIndex(box.findData(language_of(self._edits)))
        box.activated.connect(
            lambda: self._correct(lambda edits: replace(edits, language=box.currentData()), "Language of the reply")
        )
        return box

    def _paper_choice(self) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName("Paper of PDFs")
        box.addItems(PAPERS)
        box.setCurrentText(self._known.paper_at_hand)
        box.textActivated.connect(lambda text: self._keep_engineer(paper=text))
        return box

    def _keep_engineer(self, **said: str) -> None:
        """Shown at once, and written when typing pauses: a disk may take its time."""
        self.keep_edits()
        self._known, self._is_engineer_kept = replace(self._known, **said), False
        self._write()
        self._typing.start()

    @property
    def paper(self) -> Paper:
        """What PDFs are made for."""
        return self._known.paper_at_hand

    @property
    def _edits(self) -> LetterEdits:
        return self._said.letter

    @property
    def _options(self) -> LetterOptions:
        return LetterOptions(
            length=next(one for one in LENGTHS if one == self.length.currentData()),
            tone=next(one for one in TONES if one == self.tone.currentData()),
            language=self.language.currentData(),
            engineer=self.engineer.text(),
            signature=self._known.signature,
            edits=self._edits,
            renamed=self._renamed,
            rounds=self._rounds,
        )

    def show_all(
        self,
        delivery: Delivery,
        said: Corrections,
        brief: Brief,
        *,
        renamed: Mapping[str, str] | None = None,
        rounds: Rounds | None = None,
    ) -> None:
        """Show the letter to a delivery as things are now; what was typed a moment ago is kept first."""
        self._rounds = rounds
        same = self._delivery is not None and self._delivery.source == delivery.source
        if same and self._typing.isActive():
            # Typed into the letter as it was: with the changes that follow, all is shown again.
            self._delivery, self._brief, self._renamed = delivery, brief, renamed or {}
            self.keep_edits()
            return
        self._typing.stop()
        self._delivery, self._said, self._brief, self._renamed = delivery, said, brief, renamed or {}
        for key, field in self.of_delivery.items():
            text = getattr(self._edits, key)
            if field.text() != text:
                field.setText(text)
        self.language.setCurrentIndex(self.language.findData(language_of(self._edits)))
        self._write()

    def _write(self) -> None:
        """Show the letter, where it is another than the one that is shown."""
        self.writer = Sender(name=self.engineer.text(), address=self.address.text(), paper=self.paper)
        if self._delivery is None:
            return
        self._written = written(self._delivery, self._options, self._brief)
        page = with_edits(self._written, self._edits)
        if page.blocks != self._shown_blocks or page != self.text.page:
            self.text.show_page(page)
        self._shown_blocks = page.blocks
        self._typing.stop()
        self._fill_list(self._delivery)
        self._show_edited()

    def _typed(self) -> None:
        if self.text.document().isModified():
            self._typing.start()

    def keep_edits(self) -> None:
        """Keep what was typed: the letter's words with the delivery, the user's own name and address with the user."""
        self._typing.stop()
        if not self._is_engineer_kept:
            self._is_engineer_kept = True
            try:
                keep_engineer(self._known)
            except DeepTallyError as error:
                self.said.emit(str(error))
        if self._delivery is None or not self.text.document().isModified():
            return
        self.text.document().setModified(False)
        shown = self.text.page
        self._correct(lambda edits: edits_between(self._written, shown, edits), "Wording of the reply")

    def _correct(self, change: Callable[[LetterEdits], LetterEdits], words: str) -> None:
        """Change what is said of the letter, once what was typed a moment ago is part of it."""
        self.keep_edits()
        self._said = replace(self._said, letter=change(self._edits))
        self.corrected.emit(self._said, words)

    def rewrite(self) -> None:
        """Write the letter from the findings: the user's wording is put away, and can be taken back."""
        self._typing.stop()
        self.text.document().setModified(False)
        kept = {key: getattr(self._edits, key) for key in ("language", *(key for key, _, _ in _OF_DELIVERY))}
        self._correct(lambda edits: replace(NO_EDITS, **kept, left_out=edits.left_out), "Discard the wording")

    def save_as(self) -> None:
        """Ask where, and save in the form the ending names."""
        path = ask_where(self, self._settings, "Save the letter", self._proposed_name(), _KINDS)
        if path is not None:
            self.save_to(path)

    def _proposed_name(self) -> str:
        return f"Letter {self._delivery.name}" if self._delivery is not None else "Letter"

    def _show_edited(self) -> None:
        is_edited = bool(self._edits.reworded or self._edits.own or self._edits.removed or self._edits.order)
        self.edited.setVisible(is_edited)
        self.discard.setVisible(is_edited)

    def _fill_list(self, delivery: Delivery) -> None:
        focused = next((key for key, box in self._boxes.items() if box.hasFocus()), None)
        self._boxes = {}
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
        changed = [block for block in self._shown_blocks if block.newer]
        if changed:
            words = PlainLabel(f"Changed since you worded it: {count(len(changed), 'paragraph')}")
            words.setFont(font(13, 600))
            words.setStyleSheet(f"color: {self._theme.colours.ask}")
            words.setContentsMargins(0, 8, 0, 0)
            self._list.addWidget(words)
            for block in changed:
                self._list.addWidget(self._newer(block))
        requests = group_requests(delivery.findings)
        title = PlainLabel("What the client is asked, most urgent first" if requests else "Nothing to ask")
        title.setFont(font(13, 600))
        title.setContentsMargins(0, 8, 0, 8)
        self._list.addWidget(title)
        for request in requests:
            self._list.addWidget(self._request(request))
        if focused in self._boxes:
            self._boxes[focused].setFocus()  # with the keyboard, one request after the other is ticked
        fixed = {path for f in delivery.findings if f.action is Action.FIX for path in f.files}
        if fixed:
            mended = PlainLabel(f"Fixed here, no need to ask: {count(len(fixed), 'file')}")
            mended.setFont(font(13, 600))
            mended.setStyleSheet(f"color: {self._theme.colours.fix}")
            mended.setContentsMargins(0, 12, 0, 0)
            self._list.addWidget(mended)

    def _newer(self, block: Block) -> QWidget:
        frame = NewerWords(self._theme, block)
        frame.kept.connect(lambda: self._correct(lambda e: without_newer(e, block), "Keep the wording"))
        frame.taken.connect(lambda: self._correct(lambda e: without_reworded(e, block.key), "Take the new wording"))
        return frame

    def _request(self, request: Request) -> QWidget:
        box = QCheckBox(request.task.short)
        box.setFont(font(14, 600))
        box.setChecked(request.task.key not in self._edits.left_out)
        box.setToolTip("Part of the reply")
        box.toggled.connect(lambda asked: self._ask(request.task.key, asked))
        self._boxes[request.task.key] = box
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
        more = plain_button("…", "Decide: meant so, fixed here, asked already, answered", "quiet")
        more.setAccessibleName(f"Decide about: {request.task.short}")
        more.clicked.connect(
            lambda: self.decide_wanted.emit(request.findings, more.mapToGlobal(more.rect().bottomLeft()))
        )
        line = QHBoxLayout()
        line.addWidget(box, 1)
        line.addWidget(more)
        column.addLayout(line)
        if request.task.place == "again" and len(request.files) > 1:
            for path in request.files:
                column.addWidget(self._file(path, is_asked=box.isChecked()))
        elif names:
            column.addWidget(files)
        return frame

    def _file(self, path: str, *, is_asked: bool) -> QWidget:
        """One file of a request: without it, it is not asked for again at all."""
        name = readable(path.rpartition("/")[2])
        key = f"{AGAIN}{path}"
        box = QCheckBox(name)
        box.setFont(font(12))
        box.setChecked(is_asked and key not in self._edits.left_out)
        box.setEnabled(is_asked)
        box.setAccessibleName(f"Ask for {name} again")
        box.setContentsMargins(28, 0, 0, 0)
        box.setStyleSheet("margin-left: 28px")
        box.toggled.connect(lambda asked: self._ask(key, asked))
        self._boxes[key] = box
        return box

    def _ask(self, key: str, asked: bool) -> None:
        def change(edits: LetterEdits) -> LetterEdits:
            rest = tuple(k for k in edits.left_out if k != key)
            return replace(edits, left_out=rest if asked else (*rest, key))

        self._correct(change, "Ask it" if asked else "Leave a request out")

    def _colour(self) -> None:
        self.edited.setStyleSheet(f"color: {self._theme.colours.soft}")
        if self._delivery is not None:
            self._fill_list(self._delivery)
