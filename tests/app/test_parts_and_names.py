"""Parts and new names in the window: dragged, typed, undone, remembered; the client's files keep their names."""

from __future__ import annotations

import csv
import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QAbstractItemView, QApplication, QLineEdit, QTreeWidgetItem
from pytestqt.qtbot import QtBot

from app.conftest import end, wait
from deep_tally.app.shell.making import make_window
from deep_tally.app.shell.window import Window
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.files import Role
from deep_tally.views.cell_texts import cell_text, tooltip
from deep_tally.views.columns import Column
from said import said_of
from sounds_to_name import write_delivery

CTRL = Qt.KeyboardModifier.ControlModifier
LIST = [
    {"part": "kick in"},
    {"part": "bass"},
    {"part": "lead voice", "variants": ["dry", "wet"]},
    {"part": "organ", "channels": 2},
]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_delivery(tmp_path_factory.mktemp("names"))


@pytest.fixture
def named(fresh: Window, folder: Path) -> Window:
    """A small delivery of badly named files, with a list of parts asked."""
    fresh.resize(1280, 800)
    fresh.open([folder])
    wait(lambda: fresh.state.delivery is not None)
    fresh.state.briefs.edit("parts", LIST, "Parts")
    fresh.activateWindow()
    wait(fresh.isActiveWindow)
    return fresh


def rows_of(window: Window) -> dict[str, tuple[str, list[str]]]:
    """Asked part -> (what came, its files)."""
    tree = window.parts.tree
    found = {}
    for index in range(tree.topLevelItemCount()):
        item = tree.topLevelItem(index)
        assert item is not None
        files = [item.child(i).text(0) for i in range(item.childCount())]
        found[item.text(0)] = item.text(2), files
    return found


def part_item(window: Window, part: str) -> QTreeWidgetItem:
    (item,) = window.parts.tree.findItems(part, Qt.MatchFlag.MatchExactly, 0)
    return item


def others(window: Window) -> list[str]:
    return [window.parts.files.item(i).text() for i in range(window.parts.files.count())]


def drop(window: Window, paths: list[str], view: QAbstractItemView, place: QPoint) -> None:
    """What Qt sends to a view when files are let go over it."""
    index = next(i for i in range(window.parts.files.count()) if window.parts.files.item(i).text() == paths[0])
    data: QMimeData = window.parts.files.mimeData([window.parts.files.item(index)])
    event = QDropEvent(
        QPointF(place), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    view.dropEvent(event)
    assert event.isAccepted()


# -- parts ------------------------------------------------------------------------------------


def test_asked_parts_stand_with_their_files_and_what_is_missing(named: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(named, Qt.Key.Key_4, CTRL)
    assert named.pages.currentWidget() is named.parts
    assert rows_of(named) == {
        "kick in": ("1 file", ["01 Kick In.wav"]),
        "bass": ("1 file", ["02 bs.wav"]),
        "lead voice": ("missing: dry", ["04 LdVox wet.wav"]),
        "organ": ("missing", []),
    }
    assert others(named) == ["03 vx3.wav", "05 Gtr L.wav", "06 Gtr R.wav", "07 Zithering.wav"]
    assert named.parts.summary.text() == "2 of 4 requested parts received"
    assert part_item(named, "bass").child(0).text(2) == "sure"
    assert "content.part-missing" in {f.code for f in named.state.delivery.findings}  # type: ignore[union-attr]


def test_a_file_is_dragged_to_a_part_undone_and_remembered(named: Window, folder: Path) -> None:
    named.navigator.show_parts()
    tree = named.parts.tree
    place = tree.visualItemRect(part_item(named, "organ")).center()
    drop(named, ["07 Zithering.wav"], tree, place)
    assert rows_of(named)["organ"] == ("1 file", ["07 Zithering.wav"])
    assert part_item(named, "organ").child(0).text(2) == "set by you"
    wait(lambda: said_of(folder).parts == {"07 Zithering.wav": ("organ",)})
    named.state.undo_stack.undo()
    assert rows_of(named)["organ"] == ("missing", [])
    named.state.undo_stack.redo()
    named.open([folder])
    wait(lambda: named.state.delivery is not None)
    named.navigator.show_parts()
    assert rows_of(named)["organ"][1] == ["07 Zithering.wav"]
    named.state.put_corrections(NO_CORRECTIONS)


def test_a_correction_is_offered_as_a_word_and_understood_from_then_on(named: Window, qtbot: QtBot) -> None:
    named.navigator.show_parts()
    named.parts.assign(["07 Zithering.wav"], "organ")
    assert named.parts.offer.isVisible()
    assert named.parts.offer.text() == "Keep “zithering” as a word for organ"
    qtbot.mouseClick(named.parts.offer, Qt.MouseButton.LeftButton)
    assert not named.parts.offer.isVisible()
    assert "“zithering” is recognised as organ from now on." in named.said.text()
    named.state.correct(NO_CORRECTIONS, "as the names say")
    assert rows_of(named)["organ"][1] == ["07 Zithering.wav"]
    assert part_item(named, "organ").child(0).text(2) == "sure"
    assert named.state.delivery is not None
    assert named.state.delivery.sets[0].names["07 Zithering.wav"].part == "organ"


def test_a_word_of_ones_own_that_fits_two_parts_is_reported_when_the_window_opens(
    qapp: QApplication, own_home: Path
) -> None:
    path = own_home / "data" / "deep-tally" / "words.json"
    path.parent.mkdir(parents=True)
    path.write_text('{"schema": 1, "parts": {"organ": ["pno"]}}')
    _, window = make_window()
    assert "it stands for piano already, not for organ; choose another word." in window.said.text()
    end(window)
    window.deleteLater()


def test_a_name_that_was_understood_offers_no_word(named: Window) -> None:
    named.navigator.show_parts()
    named.parts.assign(["05 Gtr L.wav"], "organ")
    assert not named.parts.offer.isVisible()


def test_parts_are_reported_with_the_keyboard_alone(named: Window, qtbot: QtBot) -> None:
    qtbot.keyClick(named, Qt.Key.Key_4, CTRL)
    files = named.parts.files
    files.setFocus()
    files.setCurrentRow(0)
    qtbot.keyClick(files, Qt.Key.Key_Return)
    menu = named.parts.menu
    wait(menu.isVisible)
    assert [a.text() for a in menu.actions() if a.text()] == [
        *(str(p["part"]) for p in LIST),
        "not on the list",
        "as its name says",
    ]
    qtbot.keyClick(menu, Qt.Key.Key_Down)
    qtbot.keyClick(menu, Qt.Key.Key_Down)
    qtbot.keyClick(menu, Qt.Key.Key_Down)
    qtbot.keyClick(menu, Qt.Key.Key_Return)
    assert rows_of(named)["lead voice"] == ("2 files", ["04 LdVox wet.wav", "03 vx3.wav"])
    tree = named.parts.tree
    tree.setFocus()
    tree.setCurrentItem(part_item(named, "bass").child(0))
    qtbot.keyClick(tree, Qt.Key.Key_Delete)
    assert rows_of(named)["bass"] == ("missing", [])
    assert "02 bs.wav" in others(named)


def test_parts_are_put_on_the_list_changed_and_taken_off(named: Window, qtbot: QtBot) -> None:
    named.navigator.show_parts()
    view = named.parts
    view.part.setFocus()
    view.part.selectAll()
    qtbot.keyClicks(view.part, "gtr left")
    view.forms.clear()
    view.channels.setCurrentIndex(1)
    view.printed.setCurrentIndex(2)
    qtbot.keyClick(view.part, Qt.Key.Key_Return)
    made = next(p for p in named.state.brief.parts if p.part == "gtr left")
    assert (made.channels, made.printed.insert_processing if made.printed else None) == (1, "in")
    assert rows_of(named)["gtr left"] == ("1 file", ["05 Gtr L.wav"])
    named.parts.tree.setCurrentItem(part_item(named, "organ"))
    assert (view.part.text(), view.channels.currentText()) == ("organ", "stereo")
    qtbot.mouseClick(view.remove, Qt.MouseButton.LeftButton)
    assert "organ" not in rows_of(named)
    named.state.undo_stack.undo()
    assert "organ" in rows_of(named)


def test_what_was_asked_besides_parts_stands_there_too(named: Window) -> None:
    named.state.briefs.edit("needs.midi", True, "x")
    named.navigator.show_parts()
    told = named.parts.besides.text()
    assert "MIDI" in told
    assert "rough mix" in told
    named.state.briefs.edit("needs", {"rough_mix": False}, "x")
    assert named.parts.besides.isHidden()
    named.state.sorter.set_roles(dict.fromkeys(["06 Gtr R.wav"], Role.GROUP))
    wait(lambda: named.state.delivery is not None)
    named.navigator.show_parts()
    assert "06 Gtr R.wav  (group)" in others(named)


def test_an_example_list_is_taken(named: Window) -> None:
    named.navigator.show_parts()
    band = next(a for a in named.parts.lists.menu().actions() if a.text().startswith("Band"))
    band.trigger()
    assert len(named.state.brief.parts) > 15
    assert named.brief_panel.parts_button.text() == f"{len(named.state.brief.parts)} parts"
    next(a for a in named.parts.lists.menu().actions() if a.text() == "No list").trigger()
    assert named.parts.summary.text().startswith("No parts are requested by name.")
    assert named.parts.rest.text() == "7 files"


def test_two_songs_stand_under_their_names(fresh: Window, folder: Path, tmp_path: Path) -> None:
    for song in ("Tidewrack 96 BPM", "Saltmarsh 120 BPM"):
        shutil.copytree(folder, tmp_path / "Two" / song)
    fresh.open([tmp_path / "Two"])
    wait(lambda: fresh.state.delivery is not None)
    fresh.state.briefs.edit("parts", LIST[:2], "Parts")
    fresh.navigator.show_parts()
    tree = fresh.parts.tree
    heads = [tree.topLevelItem(i).text(0) for i in range(tree.topLevelItemCount())]  # type: ignore[union-attr]
    assert heads == ["Saltmarsh 120 BPM", "kick in", "bass", "Tidewrack 96 BPM", "kick in", "bass"]
    assert fresh.parts.summary.text() == "4 of 4 requested parts received"
    item = tree.topLevelItem(1)
    assert item is not None
    assert item.child(0).text(0) == "01 Kick In.wav"
    assert item.child(0).toolTip(0).startswith("Saltmarsh 120 BPM/01 Kick In.wav")


# -- names ------------------------------------------------------------------------------------


def new_names(window: Window) -> dict[str, str]:
    return {r.old: r.new for r in window.names.model.plan}


def test_new_names_stand_beside_the_old_ones(named: Window, qtbot: QtBot, folder: Path) -> None:
    before = sorted(p.name for p in folder.iterdir())
    qtbot.keyClick(named, Qt.Key.Key_5, CTRL)
    assert named.pages.currentWidget() is named.names
    assert new_names(named) == {
        "01 Kick In.wav": "01 Kick In.wav",
        "02 bs.wav": "02 Bass.wav",
        "03 vx3.wav": "03 Voice 3.wav",
        "04 LdVox wet.wav": "04 Lead voice wet.wav",
        "05 Gtr L.wav": "05 Guitar L.wav",
        "06 Gtr R.wav": "06 Guitar R.wav",
        "07 Zithering.wav": "07 Zithering.wav",
    }
    model = named.names.model
    assert model.index(6, 2).data() == "stays as it is"
    assert "LdVox: part, lead voice" in model.index(3, 0).data(Qt.ItemDataRole.ToolTipRole)
    assert "5 names of 7 change in the ready copy" in named.names.summary.text()
    assert sorted(p.name for p in folder.iterdir()) == before


def test_a_pattern_is_typed_seen_at_once_and_undone_as_one(named: Window, qtbot: QtBot) -> None:
    named.navigator.show_names()
    field = named.names.pattern
    field.selectAll()
    qtbot.keyClicks(field, "{part}")
    clashing = {r.old: r.trouble for r in named.names.model.plan if r.trouble}
    assert clashing == {"05 Gtr L.wav": "clash", "06 Gtr R.wav": "clash"}
    assert named.names.model.index(4, 2).data() == "the same name as 06 Gtr R.wav"
    assert named.names.summary.text().startswith("2 names cannot be used yet.")
    assert named.names.trouble.isHidden()
    qtbot.mouseClick(named.names.apart, Qt.MouseButton.LeftButton)
    assert new_names(named)["05 Gtr L.wav"] == "Guitar 1.wav"
    assert not named.names.apart.isEnabled()
    named.state.undo_stack.undo()
    named.state.undo_stack.undo()
    assert new_names(named)["05 Gtr L.wav"] == "05 Guitar L.wav"


def test_a_pattern_that_cannot_be_used_says_why_and_keeps_the_names(named: Window, qtbot: QtBot) -> None:
    named.navigator.show_names()
    before = new_names(named)
    field = named.names.pattern
    field.clear()
    qtbot.keyClicks(field, "{part} {oops}")
    assert "it has no field called {oops}" in named.names.trouble.text()
    assert named.names.trouble.isVisible()
    field.clear()
    qtbot.keyClicks(field, "x")
    qtbot.keyClick(field, Qt.Key.Key_Backspace)
    assert "it is empty" in named.names.trouble.text()
    assert set(new_names(named)) == set(before)


def test_a_field_is_added_from_the_menu(named: Window) -> None:
    named.navigator.show_names()
    named.names.pattern.setText("")
    actions = named.names.fields.menu().actions()
    next(a for a in actions if a.text().startswith("{family}")).trigger()
    next(a for a in actions if a.text().startswith("{number}")).trigger()
    assert named.names.pattern.text() == "{family}{number}"
    assert new_names(named)["02 bs.wav"] == "bass02.wav"


def test_a_name_of_ones_own_is_written_and_given_back_with_keys(named: Window, qtbot: QtBot, folder: Path) -> None:
    named.navigator.show_names()
    table = named.names.table
    table.setFocus()
    table.setCurrentIndex(named.names.model.index(6, 0))
    qtbot.keyClick(table, Qt.Key.Key_Return)
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    assert editor.text() == "07 Zithering"
    editor.selectAll()
    qtbot.keyClicks(editor, "Saw: soft?")
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    wait(lambda: named.state.corrections.names)
    assert new_names(named)["07 Zithering.wav"] == "Saw- soft-.wav"  # what some systems refuse is replaced
    assert named.names.model.index(6, 2).data() == "written by you"
    wait(lambda: said_of(folder).names == {"07 Zithering.wav": "Saw: soft?"})
    table.setFocus()
    table.selectRow(6)
    qtbot.keyClick(table, Qt.Key.Key_Delete)
    assert new_names(named)["07 Zithering.wav"] == "07 Zithering.wav"
    named.state.undo_stack.undo()
    assert new_names(named)["07 Zithering.wav"] == "Saw- soft-.wav"


def test_the_order_by_family_counts_anew(named: Window, qtbot: QtBot) -> None:
    named.navigator.show_names()
    box = named.names.order
    box.setFocus()
    qtbot.keyClick(box, Qt.Key.Key_Down)
    assert list(new_names(named).values())[:4] == [
        "01 Kick In.wav",
        "02 Bass.wav",
        "03 Guitar L.wav",
        "04 Guitar R.wav",
    ]


def test_names_go_into_the_reply_and_out_as_csv(named: Window, qtbot: QtBot, tmp_path: Path, folder: Path) -> None:
    named.navigator.show_names()
    assert "my copies are called" not in named.reply.text.toPlainText()
    named.names.in_reply.setFocus()
    qtbot.keyClick(named.names.in_reply, Qt.Key.Key_Space)
    named.navigator.show_reply()
    assert "04 LdVox wet.wav → 04 Lead voice wet.wav" in named.reply.text.toPlainText()
    named.names.save_csv_to(tmp_path / "names.csv")
    rows = list(csv.reader((tmp_path / "names.csv").open(encoding="utf-8", newline="")))
    assert rows[1] == ["01 Kick In.wav", "01 Kick In.wav", ""]
    named.names.save_csv_to(folder / "02 bs.wav")
    assert "it is one of the client's files" in named.said.text()


# -- the sheet --------------------------------------------------------------------------------


def test_the_sheet_shows_what_was_understood_and_ties_pairs(named: Window) -> None:
    sheet = named.sheet.sheet_model.sheet
    rows = {r.track.path: r for r in sheet.rows}
    assert rows["05 Gtr L.wav"].sibling_key == rows["06 Gtr R.wav"].sibling_key != ""
    assert rows["02 bs.wav"].sibling_key == ""
    told = tooltip(rows["04 LdVox wet.wav"], Column.NAME, None)
    assert "LdVox: part, lead voice\nwet: form\nFamily: voices" in told
    assert cell_text(rows["02 bs.wav"], Column.NAME) == "02 bs.wav"


def test_the_sheet_is_sorted_by_family(named: Window) -> None:
    next(a for a in named.menus.view_menu.sort_menu.actions() if a.text() == "Family").trigger()
    proxy = named.sheet.proxy
    shown = [str(proxy.index(r, 0).data()) for r in range(proxy.rowCount())]
    assert shown == [
        "01 Kick In.wav",
        "02 bs.wav",
        "05 Gtr L.wav",
        "06 Gtr R.wav",
        "04 LdVox wet.wav",
        "03 vx3.wav",
        "07 Zithering.wav",
    ]


def test_underlines_and_weight_are_drawn_and_no_colour(named: Window) -> None:
    """What was understood is told by weight and underline: colour means action."""
    view = named.sheet
    image = view.grab().toImage()
    proxy = view.proxy
    row = next(r for r in range(proxy.rowCount()) if proxy.index(r, 0).data() == "05 Gtr L.wav")
    rect = view.visualRect(proxy.index(row, 0))
    top = view.viewport().y()
    colours = named.theme.colours
    seen = set()
    for x in range(rect.left() + 60, rect.right()):
        for y in range(rect.top() + top, rect.bottom() + top):
            colour = image.pixelColor(x, y)
            seen.add(
                max(colour.red(), colour.green(), colour.blue()) - min(colour.red(), colour.green(), colour.blue())
            )
    # Ink, soft ink and paper are nearly grey; every action's colour is far from it.
    assert max(seen) < 60
    assert colours.name in ("day", "night")


def test_a_delivery_with_names_of_all_kinds_opens(fresh: Window, folder: Path, tmp_path: Path) -> None:
    """Right-to-left and combining letters, 255 bytes: nothing is lost, nothing is cut in the middle of a letter."""
    awkward = tmp_path / "Tidewrack 96 BPM"
    awkward.mkdir()
    names = ["צליל 2.wav", "Go\u0308ngchen.wav", f"{'ä' * 125}.wav", "🥁 Snare.wav", "l.wav"]
    for name in names:
        shutil.copy(folder / "02 bs.wav", awkward / name)
    fresh.open([awkward])
    wait(lambda: fresh.state.delivery is not None)
    for show in (fresh.navigator.show_parts, fresh.navigator.show_names, fresh.navigator.show_sheet):
        show()
        fresh.grab()
    assert {r.old for r in fresh.names.model.plan} == set(names)
    assert next(r.new for r in fresh.names.model.plan if r.old.startswith("🥁")).endswith("Snare.wav")
