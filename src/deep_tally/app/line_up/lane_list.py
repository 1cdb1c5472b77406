"""The names beside the lanes: a real list, so that choosing, the keyboard and screen readers work."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import (
    QAbstractListModel,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from deep_tally.app.base.marks import draw_shape
from deep_tally.app.base.plain import PlainLabel, as_plain
from deep_tally.app.base.theme import Theme, font
from deep_tally.reply.action_words import ACTION_WORDS
from deep_tally.reply.numbers import count
from deep_tally.views.lanes import Head, Lane, Slot, end_words

Index = QModelIndex | QPersistentModelIndex
WIDTH, HEAD_PX = 236, 24
NAME_FROM_PX, _LINES_FROM_PX, _BUTTONS_FROM_PX = 12, 36, 16
_PAD, _SHAPE_X, _BUTTON = 26, 13.0, 18
_ROOT = QModelIndex()


class LaneModel(QAbstractListModel):
    """Lanes and the heads over their groups."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[Lane | Head, ...] = ()
        self.solo: frozenset[str] = frozenset()
        self.muted: frozenset[str] = frozenset()
        self.trims_db: dict[str, float] = {}

    def show(self, rows: Sequence[Lane | Head]) -> bool:
        """Show other rows; returns whether they are the same files in the same places."""
        same = [_key(r) for r in rows] == [_key(r) for r in self.rows]
        if same:
            self.rows = tuple(rows)
            self.touch()
        else:
            self.beginResetModel()
            self.rows = tuple(rows)
            self.endResetModel()
        return same

    def touch(self) -> None:
        """Something of the rows changed, but not which there are."""
        if self.rows:
            self.dataChanged.emit(self.index(0), self.index(len(self.rows) - 1))

    def row_of(self, path: str) -> int | None:
        """Where a file stands."""
        rows = enumerate(self.rows)
        return next((n for n, r in rows if isinstance(r, Lane) and any(c.path == path for c in r.files)), None)

    def rowCount(self, parent: Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def flags(self, index: Index) -> Qt.ItemFlag:
        if index.isValid() and isinstance(self.rows[index.row()], Head):
            return Qt.ItemFlag.ItemIsEnabled
        return super().flags(index)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if isinstance(row, Head):
            return row.words if role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{row.number}  {row.title}".strip()
        if role == Qt.ItemDataRole.ToolTipRole:
            return as_plain("\n".join(self.lines(row)))
        if role == Qt.ItemDataRole.AccessibleDescriptionRole:
            return "\n".join(self.lines(row))
        return None

    def lines(self, lane: Lane) -> list[str]:
        """All that is known of a lane here, line by line."""
        lines = [lane.title]
        if lane.action is not None:
            lines.append(f"{ACTION_WORDS[lane.action]}: {lane.says}" if lane.says else ACTION_WORDS[lane.action])
        elif lane.says:
            lines.append(lane.says)
        if words := end_words(lane):
            lines.append(words)
        if lane.marks:
            lines.append(count(len(lane.marks), "marked place"))
        lines += ["plays alone"] if lane.path in self.solo else []
        lines += ["is silent"] if lane.path in self.muted else []
        if trim := self.trims_db.get(lane.path):
            lines.append(f"plays {trim:+.1f} dB".replace("-", "\N{MINUS SIGN}"))
        return lines


def _key(row: Lane | Head) -> str:
    return row.path if isinstance(row, Lane) else f"\0{row.words}"


class LaneList(QListView):
    """The names. Keys that are not about rows are sent as `key_pressed`; its taker accepts or ignores them."""

    key_pressed = Signal(QKeyEvent)
    chosen = Signal()
    """Another lane is current, or others are selected."""
    solo_pressed = Signal(str)
    mute_pressed = Signal(str)
    laid_out = Signal()
    """Rows have other places or heights."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.lane_model = LaneModel()
        self._theme = theme
        self.lane_px = 24
        self._clip = ""
        self.setModel(self.lane_model)
        self.setItemDelegate(_LaneDelegate(self, theme))
        self.setFixedWidth(WIDTH)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setMouseTracking(True)
        self.setAccessibleName("Files of the line-up")
        self.hint = PlainLabel(parent=self.viewport())
        self.hint.setContentsMargins(6, 1, 6, 1)
        self.hint.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hint.hide()
        self.selectionModel().selectionChanged.connect(lambda: self._choose())
        self.selectionModel().currentChanged.connect(lambda: self._choose())
        theme.follow(self, self._colour)
        self._colour()

    def show_rows(self, rows: Sequence[Lane | Head]) -> None:
        """Show lanes and heads; the same file stays current."""
        current = self.current_path
        if not self.lane_model.show(rows):
            self.go_to(current)
        if self.current_path == "":
            first = next((r.path for r in rows if isinstance(r, Lane)), "")
            self.go_to(first)
        self.laid_out.emit()

    def set_lane_px(self, pixels: int) -> None:
        """How tall lanes are."""
        if pixels != self.lane_px:
            self.lane_px = pixels
            self.scheduleDelayedItemsLayout()
            self.executeDelayedItemsLayout()  # its scroll bar must know the new heights now
            self.laid_out.emit()
        self._show_label()

    def slots_of(self) -> list[Slot]:
        """The lanes with their places, from the top of all rows."""
        found, top = [], 0
        for row in self.lane_model.rows:
            height = self.lane_px if isinstance(row, Lane) else HEAD_PX
            if isinstance(row, Lane):
                found += [Slot(clip, top, height) for clip in row.files]
            top += height
        return found

    @property
    def current_lane(self) -> Lane | None:
        """The lane the user is at."""
        index = self.currentIndex()
        row = self.lane_model.rows[index.row()] if index.isValid() and index.row() < len(self.lane_model.rows) else None
        if not isinstance(row, Lane):
            return None
        return next((clip for clip in row.files if clip.path == self._clip), row.files[0])

    @property
    def current_path(self) -> str:
        """The file the user is at; empty when at none."""
        lane = self.current_lane
        return lane.path if lane is not None else ""

    @property
    def chosen_lanes(self) -> list[Lane]:
        """The selected lanes in their order; the current one when none is."""
        rows = sorted(index.row() for index in self.selectedIndexes())
        lanes = [clip for n in rows if isinstance(row := self.lane_model.rows[n], Lane) for clip in row.files]
        return lanes or ([self.current_lane] if self.current_lane is not None else [])

    def go_to(self, path: str, *, also: bool = False) -> None:
        """Make a file current; `also` keeps what is selected."""
        row = self.lane_model.row_of(path)
        if row is not None:
            is_other_clip = self._clip != path and row == self.currentIndex().row()
            self._clip = path
            if is_other_clip:
                self._choose()
            how = QItemSelectionModel.SelectionFlag.Toggle if also else QItemSelectionModel.SelectionFlag.ClearAndSelect
            self.selectionModel().setCurrentIndex(self.lane_model.index(row), how)
            self.scrollTo(self.lane_model.index(row))

    def next_clip(self) -> None:
        """Make the next clip of the current row current, where it has several."""
        row = self.lane_model.rows[self.currentIndex().row()] if self.currentIndex().isValid() else None
        if isinstance(row, Lane) and row.clips:
            paths = [clip.path for clip in row.clips]
            self.go_to(paths[(paths.index(self.current_path) + 1) % len(paths)])

    def _choose(self) -> None:
        self._show_label()
        self.chosen.emit()

    def _show_label(self) -> None:
        """Where lanes are too low for names, the current one's name lies over them."""
        lane, index = self.current_lane, self.currentIndex()
        if lane is None or self.lane_px >= NAME_FROM_PX:
            self.hint.hide()
            return
        self.hint.setText(lane.title)
        self.hint.adjustSize()
        box = self.visualRect(index)
        y = min(max(0, box.center().y() - self.hint.height() // 2), self.viewport().height() - self.hint.height())
        self.hint.move(8, y)
        self.hint.show()

    def _colour(self) -> None:
        c = self._theme.colours
        self.hint.setStyleSheet(f"background: {c.raised}; color: {c.ink}; border: 1px solid {c.soft}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.laid_out.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        event.ignore()
        self.key_pressed.emit(event)
        if not event.isAccepted():
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        if index.isValid() and isinstance(lane := self.lane_model.rows[index.row()], Lane):
            for box, signal in zip(
                button_boxes(self.visualRect(index)), (self.solo_pressed, self.mute_pressed), strict=True
            ):
                if self.lane_px >= _BUTTONS_FROM_PX and box.contains(event.position()):
                    for clip in lane.files:
                        signal.emit(clip.path)
                    return
        super().mousePressEvent(event)


def button_boxes(row: QRect) -> tuple[QRectF, QRectF]:
    """Where a row has its buttons: alone, silent."""
    top = row.top() + (min(row.height(), _LINES_FROM_PX) - _BUTTON) / 2
    alone, silent = (QRectF(row.right() - (2 - n) * (_BUTTON + 2) - 4, top, _BUTTON, _BUTTON) for n in range(2))
    return alone, silent


class _LaneDelegate(QStyledItemDelegate):
    def __init__(self, view: LaneList, theme: Theme) -> None:
        super().__init__(view)
        self._view, self._theme = view, theme

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        is_head = isinstance(self._view.lane_model.rows[index.row()], Head)
        return QSize(WIDTH, HEAD_PX if is_head else self._view.lane_px)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        colours, row = self._theme.colours, self._view.lane_model.rows[index.row()]
        box: QRect = option.rect
        state = option.state
        if isinstance(row, Head):
            painter.setFont(font(12, 700))
            painter.setPen(QColor(colours.soft))
            painter.drawText(QRectF(box).adjusted(_PAD, 0, -4, -2), Qt.AlignmentFlag.AlignBottom, row.words)
            return
        is_current = index == self._view.currentIndex()
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor(colours.raised))
            painter.fillRect(QRectF(box.left(), box.top(), 3, box.height()), QColor(colours.ink))
        if box.height() >= NAME_FROM_PX:
            painter.setPen(QColor(colours.rule))
            painter.drawLine(box.bottomLeft(), box.bottomRight())
        self._draw_name(painter, box, row)
        self._draw_buttons(painter, box, row, shown=bool(state & QStyle.StateFlag.State_MouseOver) or is_current)
        if is_current and self._view.hasFocus():
            painter.setPen(QPen(QColor(colours.fix), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(box).adjusted(0.5, 0.5, -0.5, -1.5))

    def _draw_name(self, painter: QPainter, box: QRect, lane: Lane) -> None:
        colours = self._theme.colours
        first_px = min(box.height(), _LINES_FROM_PX // 2 if box.height() >= _LINES_FROM_PX else box.height())
        has_lines = box.height() >= _LINES_FROM_PX and bool(lane.says)
        middle = box.top() + (first_px / 2 + 2 if has_lines else min(box.height(), _LINES_FROM_PX + 8) / 2)
        if lane.action is not None:
            size = 11 if box.height() >= 16 else max(3, box.height() - 4)
            draw_shape(painter, lane.action, QPointF(_SHAPE_X, middle), size, QColor(colours.action(lane.action)))
        if box.height() < NAME_FROM_PX:
            return
        used = font(13 if box.height() >= 18 else 11, 600)
        painter.setFont(used)
        is_heard = not all(c.path in self._view.lane_model.muted for c in lane.files)
        painter.setPen(QColor(colours.ink if is_heard else colours.soft))
        room = WIDTH - _PAD - 2 * (_BUTTON + 2) - 8
        name = QFontMetricsF(used).elidedText(f"{lane.number}  {lane.title}".strip(), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(_PAD, middle - 12, room, 24), Qt.AlignmentFlag.AlignVCenter, name)
        if has_lines:
            small = font(12)
            painter.setFont(small)
            painter.setPen(QColor(colours.soft))
            says = QFontMetricsF(small).elidedText(lane.says, Qt.TextElideMode.ElideRight, WIDTH - _PAD - 6)
            painter.drawText(QRectF(_PAD, middle + 6, WIDTH - _PAD, 20), Qt.AlignmentFlag.AlignVCenter, says)

    def _draw_buttons(self, painter: QPainter, box: QRect, lane: Lane, *, shown: bool) -> None:
        if box.height() < _BUTTONS_FROM_PX:
            return
        model, colours = self._view.lane_model, self._theme.colours
        are_on = [all(clip.path in paths for clip in lane.files) for paths in (model.solo, model.muted)]
        for area, letter, on in zip(button_boxes(box), "SM", are_on, strict=True):
            if not shown and not on:
                continue
            painter.setPen(QPen(QColor(colours.ink if on else colours.soft), 1))
            painter.setBrush(QColor(colours.ink) if on else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(area.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
            painter.setFont(font(11, 600))
            painter.setPen(QColor(colours.raised if on else colours.soft))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, letter)
