"""Requested parts and the files received for them; a file can be dragged to the part it stands for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.app.parts.part_lists import FileList, PartTree, file_name, role_suffix, song_item, tip_of
from deep_tally.check.rules.parts import missing_in
from deep_tally.model.brief import Brief, Part
from deep_tally.model.corrections import NO_CORRECTIONS, Corrections
from deep_tally.model.delivery import Delivery
from deep_tally.model.findings import Action
from deep_tally.model.names import FAMILIES, ParsedName
from deep_tally.model.parts import Match, RequestedPart
from deep_tally.names.read import parse_part
from deep_tally.reply.action_words import readable
from deep_tally.reply.brief_words import part_words
from deep_tally.reply.numbers import count, listed
from deep_tally.reply.wording.speaker import Speaker
from deep_tally.session.brief_library import part_lists

_PATHS = "application/x-deep-tally-paths"


_PATH_ROLE = Qt.ItemDataRole.UserRole.value


_PART_ROLE = Qt.ItemDataRole.UserRole.value + 1


_CHANNELS: tuple[tuple[str, int | None], ...] = (("mono or stereo", None), ("mono", 1), ("stereo", 2))


_PRINTED: tuple[tuple[str, str | None], ...] = (
    ("effects: as for all", None),
    ("without its effects", "out"),
    ("with its effects", "in"),
)


_BESIDES = frozenset({"content.scope", "content.companion-missing", "content.no-rough-mix"})


def sure_words(match: Match) -> str:
    """How sure a match is, in words."""
    if match.is_set_by_user:
        return "set by you"
    if match.confidence >= 0.9:
        return "sure"
    return (
        f"likely, {match.confidence * 100:.0f} %"
        if match.confidence >= 0.7
        else f"maybe, {match.confidence * 100:.0f} %"
    )


class PartsView(QWidget):
    """The list, what was received for it, and what besides.

    `corrected` sends (the corrections now, words); `parts_edited` (requested parts JSON-ready, words);
    `word_taken` (part, phrase).
    """

    corrected = Signal(object, str)
    parts_edited = Signal(list, str)
    word_taken = Signal(str, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._delivery: Delivery | None = None
        self._brief: Brief | None = None
        self._corrections = NO_CORRECTIONS
        self._offer: tuple[str, str] | None = None
        self.tree = PartTree()
        self.tree.dropped.connect(self.assign)
        self.tree.taken_out.connect(self.take_out)
        self.tree.menu_wanted.connect(self.show_menu)
        self.tree.currentItemChanged.connect(self._load_part)
        self.files = FileList()
        self.files.dropped.connect(self._take_all_out)
        self.files.menu_wanted.connect(self.show_menu)
        self.summary = PlainLabel()
        self.summary.setFont(font(14, 600))
        self.rest = PlainLabel()
        self.rest.setFont(font(14, 600))
        self.besides = PlainLabel()
        self.besides.setWordWrap(True)
        self.besides.setAccessibleName("What else is requested")
        self.hint = PlainLabel("Drag a file to its part, or press Enter on it. Delete takes a file out of a part.")
        self.hint.setWordWrap(True)
        self.lists = QPushButton("&Example lists")
        self.lists.setToolTip("Start from a list for a band, a programmed song, groups…")
        self._fill_lists()
        self.offer = QPushButton()
        self.offer.setToolTip("So that names with this word are recognised from now on")
        self.offer.clicked.connect(self._take_offer)
        self.offer.hide()
        self._make_editor()
        self._lay_out()
        theme.follow(self, self._refresh)

    # -- building -----------------------------------------------------------------------------

    def _fill_lists(self) -> None:
        menu = QMenu(self)
        for name, parts in part_lists():
            documents = [p.model_dump(mode="json", exclude_unset=True) for p in parts]
            menu.addAction(f"{name}, {count(len(parts), 'part')}", self._list_taker(name, documents))
        menu.addSeparator()
        menu.addAction("No list", lambda: self.parts_edited.emit([], "No list of parts"))
        self.lists.setMenu(menu)

    def _list_taker(self, name: str, documents: list[dict[str, Any]]) -> Callable[[], None]:
        return lambda: self.parts_edited.emit(documents, f"Parts: {name}")

    def _make_editor(self) -> None:
        self.part = QLineEdit()
        self.part.setPlaceholderText("A part, such as kick in")
        self.part.setAccessibleName("Requested part")
        self.part.returnPressed.connect(self.put_part)
        self.forms = QLineEdit()
        self.forms.setPlaceholderText("forms: dry, wet")
        self.forms.setAccessibleName("Requested forms, separated by commas")
        self.forms.returnPressed.connect(self.put_part)
        self.channels, self.printed = QComboBox(), QComboBox()
        self.channels.addItems([words for words, _ in _CHANNELS])
        self.channels.setAccessibleName("Mono or stereo")
        self.printed.addItems([words for words, _ in _PRINTED])
        self.printed.setAccessibleName("Effects baked into this part")
        self.put = QPushButton("&Add to the list")
        self.put.clicked.connect(self.put_part)
        self.remove = QPushButton("&Remove from the list")
        self.remove.clicked.connect(self.remove_part)

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.summary, 1)
        top.addWidget(self.offer)
        top.addWidget(self.lists)
        what = QHBoxLayout()
        what.setSpacing(6)
        what.addWidget(self.part, 3)
        what.addWidget(self.forms, 2)
        what.addWidget(self.channels)
        how = QHBoxLayout()
        how.setSpacing(6)
        how.addWidget(self.printed)
        how.addStretch()
        how.addWidget(self.put)
        how.addWidget(self.remove)
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addLayout(top)
        left.addWidget(self.tree, 1)
        left.addLayout(what)
        left.addLayout(how)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addWidget(self.rest)
        right.addWidget(self.files, 1)
        right.addWidget(self.besides)
        right.addWidget(self.hint)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(24, 12, 24, 12)
        whole.setSpacing(24)
        whole.addLayout(left, 5)
        whole.addLayout(right, 2)

    # -- showing ------------------------------------------------------------------------------

    def show_all(self, delivery: Delivery, corrections: Corrections, brief: Brief) -> None:
        """Show the requested parts of a brief with what was received for them."""
        self._delivery, self._corrections, self._brief = delivery, corrections, brief
        self._refresh()

    def _refresh(self) -> None:
        if self._delivery is None or self._brief is None:
            return
        part, path = self.tree.part_at(self.tree.currentItem()), self._current_path()
        self.tree.clear()
        several = len(self._delivery.sets) > 1
        missing = 0
        for song in self._delivery.sets:
            if several and song.parts:
                head = song_item(song.name)
                self.tree.addTopLevelItem(head)
                head.setFirstColumnSpanned(True)  # only an item in its tree can be
            for requested in song.parts:
                lacks = missing_in(requested, song)
                missing += lacks is not None
                item = self._part_item(requested, lacks)
                self.tree.addTopLevelItem(item)
                for match in requested.matches:
                    item.addChild(self._file_item(requested, match, song.names.get(match.path)))
                item.setExpanded(True)
        total = sum(len(s.parts) for s in self._delivery.sets)
        matched = {p for s in self._delivery.sets for a in s.parts for p in a.paths}
        others = [t.path for s in self._delivery.sets for t in s.assessed if t.path not in matched]
        names = {p: n for s in self._delivery.sets for p, n in s.names.items()}
        roles = {t.path: t.role for t in self._delivery.tracks}
        self.files.clear()
        for other in others:
            listed_item = QListWidgetItem(file_name(other) + role_suffix(roles[other]))
            listed_item.setData(_PATH_ROLE, other)
            listed_item.setToolTip(as_plain(tip_of(other, names.get(other))))
            self.files.addItem(listed_item)
        if total:
            self.summary.setText(f"{total - missing} of {count(total, 'requested part')} received")
        else:
            self.summary.setText(
                "No parts are requested by name. Start from an example list, or add a part to the list."
            )
        self.rest.setText(f"Not on the list: {count(len(others), 'file')}" if total else count(len(others), "file"))
        self._show_besides(self._delivery)
        self._restore(part, path)

    def _show_besides(self, delivery: Delivery) -> None:
        """Groups where tracks were requested, and what should have come along."""
        speaker = Speaker(delivery)
        found = [f for f in delivery.findings if f.code in _BESIDES]
        lines = [readable(speaker.summary(f)) for f in found]
        self.besides.setText("\n".join(lines))
        self.besides.setVisible(bool(lines))
        self.besides.setStyleSheet(f"color: {self._theme.colours.ask}; font-weight: 600")

    def _part_item(self, requested: RequestedPart, lacks: str | None) -> QTreeWidgetItem:
        words = count(len(requested.matches), "file")
        if lacks is not None:
            rest = lacks.removeprefix(requested.requested.part).strip(" ()")
            words = f"missing: {rest}" if rest else "missing"
        described = part_words(requested.requested).removeprefix(requested.requested.part).strip(" ()")
        item = QTreeWidgetItem([readable(requested.requested.part), described, words])
        item.setData(0, _PART_ROLE, requested.requested.part)
        item.setFont(0, font(14, 700))
        item.setToolTip(1, as_plain(described))
        item.setForeground(1, QColor(self._theme.colours.soft))
        if lacks is not None:
            item.setForeground(2, self._theme.colours.action(Action.ASK))
            item.setFont(2, font(13, 700))
            item.setIcon(2, self._pennant())
        else:
            item.setForeground(2, QColor(self._theme.colours.soft))
        item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsDragEnabled)
        return item

    def _pennant(self) -> QIcon:
        pixmap = QPixmap(28, 28)
        pixmap.setDevicePixelRatio(2)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        draw_shape(painter, Action.ASK, QPointF(7, 7), 10, self._theme.colours.action(Action.ASK))
        painter.end()
        return QIcon(pixmap)

    def _file_item(self, requested: RequestedPart, match: Match, name: ParsedName | None) -> QTreeWidgetItem:
        item = QTreeWidgetItem([file_name(match.path), "", sure_words(match)])
        item.setData(0, _PATH_ROLE, match.path)
        item.setData(0, _PART_ROLE, requested.requested.part)
        item.setForeground(2, QColor(self._theme.colours.soft if match.confidence >= 0.9 else self._theme.colours.ink))
        item.setToolTip(0, as_plain(tip_of(match.path, name)))
        return item

    def _restore(self, part: str, path: str) -> None:
        """Go where the user was before the list was filled anew."""
        items = [item for i in range(self.tree.topLevelItemCount()) if (item := self.tree.topLevelItem(i)) is not None]
        requested = [item for item in items if self.tree.part_at(item)]
        here = next(
            (item for item in requested if self.tree.part_at(item) == part), requested[0] if requested else None
        )
        if here is None:
            return
        chosen = here
        for index in range(here.childCount()):
            child = here.child(index)
            if child is not None and child.data(0, _PATH_ROLE) == path:
                chosen = child
        self.tree.setCurrentItem(chosen)

    def _current_path(self) -> str:
        item = self.tree.currentItem()
        return str(item.data(0, _PATH_ROLE) or "") if item is not None else ""

    # -- saying which file is what ------------------------------------------------------------

    def assign(self, paths: Sequence[str], part: str) -> None:
        """Say that files stand for a part, besides what they stood for by your word before."""
        corrections = self._corrections
        for path in paths:
            kept = tuple(p for p in corrections.parts.get(path, ()) if p != part)
            corrections = corrections.with_part(path, (*kept, part))
        self.corrected.emit(corrections, f"{_named(paths)}: {readable(part)}")
        self._make_offer(paths[0], part)

    def take_out(self, path: str, part: str) -> None:
        """Say that a file does not stand for a part."""
        others = self._parts_of(path) - {part}
        corrections = self._corrections.with_part(path, tuple(sorted(others)))
        self.corrected.emit(corrections, f"{readable(path.rpartition('/')[2])} is not {readable(part)}")

    def _take_all_out(self, paths: Sequence[str]) -> None:
        corrections = self._corrections
        for path in paths:
            corrections = corrections.with_part(path, ())
        self.corrected.emit(corrections, f"{_named(paths)}: not on the list")

    def _parts_of(self, path: str) -> set[str]:
        sets = self._delivery.sets if self._delivery is not None else ()
        return {a.requested.part for s in sets for a in s.parts if path in a.paths}

    def chosen_paths(self) -> list[str]:
        """The files the user is at."""
        if self.files.hasFocus():
            return [str(item.data(_PATH_ROLE)) for item in self.files.selectedItems()]
        return [path for item in self.tree.selectedItems() if (path := item.data(0, _PATH_ROLE))]

    def show_menu(self) -> None:
        """Ask with a menu which part the chosen files stand for."""
        paths = self.chosen_paths()
        if not paths or self._brief is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for part in self._brief.parts:
            menu.addAction(readable(part.part), self._assigner(paths, part.part))
        menu.addSeparator()
        menu.addAction("not on the list", lambda: self._take_all_out(paths))
        menu.addAction("as its name says", lambda: self._forget(paths))
        self.menu = menu
        view: QWidget = self.files if self.files.hasFocus() else self.tree
        menu.popup(view.mapToGlobal(view.rect().center()))

    def _assigner(self, paths: Sequence[str], part: str) -> Callable[[], None]:
        return lambda: self.assign(paths, part)

    def _forget(self, paths: Sequence[str]) -> None:
        corrections = self._corrections
        for path in paths:
            corrections = corrections.with_part(path, None)
        self.corrected.emit(corrections, "As their names say")

    def _make_offer(self, path: str, part: str) -> None:
        """A name that was not understood offers its words for the part it stands for."""
        sets = self._delivery.sets if self._delivery is not None else ()
        name = next((s.names[path] for s in sets if path in s.names), None)
        phrase = name.own_words.casefold() if name is not None and name.part is None else ""
        known = parse_part(part).part or part
        self._offer = (known, phrase) if phrase else None
        self.offer.setVisible(self._offer is not None)
        if self._offer is not None:
            self.offer.setText(f"Keep “{readable(phrase)}” as a word for {readable(known)}".replace("&", "&&"))

    def _take_offer(self) -> None:
        if self._offer is not None:
            self.offer.hide()
            self.word_taken.emit(*self._offer)

    # -- the list -----------------------------------------------------------------------------

    def _load_part(self, item: QTreeWidgetItem | None) -> None:
        """The chosen part's values stand in the line under the list, to be changed."""
        name = self.tree.part_at(item)
        part = next((p for p in self._brief.parts if p.part == name), None) if self._brief is not None else None
        self.remove.setEnabled(part is not None)
        if part is None:
            return
        self.part.setText(part.part)
        self.forms.setText(", ".join(part.variants))
        self.channels.setCurrentIndex([value for _, value in _CHANNELS].index(part.channels))
        said = part.printed.insert_processing if part.printed is not None else None
        values = [value for _, value in _PRINTED]
        self.printed.setCurrentIndex(values.index(said) if said in values else 0)

    def put_part(self) -> None:
        """Put a part on the list, or change the one of its name."""
        name = " ".join(self.part.text().split())
        if not name or self._brief is None:
            return
        forms = [form.strip() for form in self.forms.text().split(",") if form.strip()]
        made: dict[str, Any] = {"part": name}
        if (channels := _CHANNELS[self.channels.currentIndex()][1]) is not None:
            made["channels"] = channels
        if forms:
            made["variants"] = forms
        documents = self._documents()
        before = next((d for d in documents if d["part"] == name), None)
        printed = dict(before.get("printed") or {}) if before is not None else {}
        printed.pop("insert_processing", None)
        if (said := _PRINTED[self.printed.currentIndex()][1]) is not None:
            printed["insert_processing"] = said
        if printed:
            made["printed"] = printed
        if before is not None:
            documents[documents.index(before)] = made
        else:
            documents.insert(self._place_of(name), made)
        self.parts_edited.emit(documents, f"Part: {name}")

    def remove_part(self) -> None:
        """Take the chosen part off the list."""
        name = self.tree.part_at(self.tree.currentItem())
        self.parts_edited.emit([d for d in self._documents() if d["part"] != name], f"Without {name}")

    def _documents(self) -> list[dict[str, Any]]:
        parts: tuple[Part, ...] = self._brief.parts if self._brief is not None else ()
        return [p.model_dump(mode="json", exclude_unset=True) for p in parts]

    def _place_of(self, name: str) -> int:
        """Where a new part stands: after the last one of its family."""
        family = FAMILIES.index(parse_part(name).family)
        families = [FAMILIES.index(parse_part(str(d["part"])).family) for d in self._documents()]
        return max((i + 1 for i, f in enumerate(families) if f <= family), default=0)


def _named(paths: Sequence[str]) -> str:
    return listed([readable(path.rpartition("/")[2]) for path in paths], most=1)
