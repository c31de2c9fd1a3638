"""The Plan room by its own keys, cells and dialogs."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import TypeVar

import pytest
from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog, QLineEdit, QPushButton, QTableWidget, QWidget
from pytestqt.qtbot import QtBot

from deepmirror.services.training import carry, schedule
from deepmirror.services.training.training_file import Gate
from deepmirror.ui.rooms.plan.dialogs import (
    ColumnsDialog,
    EquipmentDialog,
    OverrideDialog,
    PainDialog,
    RulesDialog,
    ScreenDialog,
)
from deepmirror.ui.rooms.plan.log_dialog import CLEAN, LOAD, REPS, RESERVE, LogDialog
from deepmirror.ui.widgets.asking import ClientDialog
from deepmirror.ui.widgets.sheet_dialog import SheetDialog
from deepmirror.ui.widgets.week_strip import WeekCard, WeekColumn
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import key

D = TypeVar("D", bound=QDialog)


def open_plan(window: MainWindow, name: str) -> None:
    window.plan.open(next(c.id for c in window.library.clients() if c.name.startswith(name)))


def dialog(window: MainWindow, kind: type[D]) -> D:
    found = [d for d in window.findChildren(kind) if d.isVisible()]
    assert found, f"no {kind.__name__} is open"
    return found[-1]


def turns() -> None:
    """Two turns of the loop, however long the first takes."""
    QTest.qWait(20)
    QTest.qWait(20)


def until(ready: Callable[[], object]) -> None:
    """Let the loop turn until something is so."""
    for _ in range(500):
        if ready():
            return
        QTest.qWait(20)
    raise AssertionError("it did not come to that")


def editors(table: QTableWidget) -> list[QLineEdit]:
    return [] if sip.isdeleted(table) else [e for e in table.findChildren(QLineEdit) if e.isVisible()]


def typed(table: QTableWidget, row: int, column: int, text: str) -> None:
    """Go to a cell and type over it."""
    table.setCurrentCell(row, column)
    item = table.item(row, column)
    assert item is not None
    until(table.isVisible)
    table.setFocus()
    table.editItem(item)
    until(lambda: editors(table))
    edit = editors(table)[0]
    edit.selectAll()
    QTest.keyClicks(edit, text)
    QTest.keyClick(edit, Qt.Key.Key_Return)
    until(lambda: not editors(table))
    turns()  # Qt takes what was typed, and shows what was drawn anew, a turn later


def fill(edit: QLineEdit, text: str) -> None:
    edit.selectAll()
    QTest.keyClicks(edit, text)


def press(parent: QWidget, words: str) -> None:
    button = next(b for b in parent.findChildren(QPushButton) if b.text().replace("&", "") == words)
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    turns()  # a dialog that closes gives the keys back a turn later


def test_weeks_next_session_and_reasons_are_on_show(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_plan")
    open_plan(window, "Nuru")
    room = window.plan_room
    assert window.stack.currentWidget() is room and "week 3 of 6" in room.words.text()
    states = [card.state for card, _ in room.strip.boxes()]
    assert "next" in states and states.count("done") == 5
    squat = room.cards[0]
    assert squat.load.text() == "12 kg" and squat.lift.gate.gate is Gate.CLOSED
    assert not squat.why.isVisible()
    key(window, "all_reasons")
    turns()
    assert squat.why.isVisible() and "stage 2" in squat.why.text()
    key(window, "next_client")
    assert room.file is not None and room.file.name == "Oren Halvorsen"


def test_a_done_day_is_shown_by_the_arrow_keys_and_corrected(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Tove")
    room = window.plan_room
    room.strip.setFocus()
    QTest.keyClick(room.strip, Qt.Key.Key_Left)
    assert room.pages.currentWidget() is room.done and room.done.table.rowCount() == 6
    QTest.mouseClick(room.done.correct, Qt.MouseButton.LeftButton)
    log = dialog(window, LogDialog)
    typed(log.table, 1, REPS, "3")
    typed(log.table, 1, CLEAN, "5")
    press(log, "Save")
    assert "more clean" in log.trouble.text(), "it stays open and says what is wrong"
    typed(log.table, 1, CLEAN, "3")
    press(log, "Save")
    assert room.done.table.item(1, 2).text() == "3"  # type: ignore[union-attr]
    room.done.table.setCurrentCell(1, 0)
    assert "correct a set" in room.done.history.text()
    key(window, "undo")
    assert room.done.table.item(1, 2).text() == "5"  # type: ignore[union-attr]


def test_a_session_is_logged_by_keys_alone(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Tove")
    room = window.plan_room
    assert room.file is not None
    before, day = len(room.file.done), room.heading.text()
    key(window, "log_session")
    log = dialog(window, LogDialog)
    keys = 1
    for word in ("9", "", "", "8", ""):  # what is offered is as it was done, or is typed over
        QTest.keyClicks(log.focusWidget(), word)
        before_key = log.table.currentIndex()
        QTest.keyClick(log.focusWidget(), Qt.Key.Key_Return)
        until(lambda was=before_key: log.table.currentIndex() != was and not editors(log.table))
        keys += len(word) + 1
    QTest.keyClick(log.focusWidget(), Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    keys += 1
    turns()
    assert [d.reps for d in room.file.done[-4:]] == [9, 8, 12, 12]
    assert len(room.file.done) == before + 4 and keys <= 20
    assert room.heading.text() != day, "the next session is worked out"
    key(window, "go_desk")
    key(window, "go_plan")  # and back: what was logged can still be taken back
    key(window, "undo")
    assert len(room.file.done) == before and room.heading.text() == day


def test_cells_of_the_plan_are_edited_in_place_and_undone(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Tove")
    room = window.plan_room
    key(window, "edit_plan")
    assert room.pages.currentWidget() is room.editor and not room.beside.isVisible()
    typed(room.editor.tables[0].table, 0, 2, "5-7")
    assert room.file is not None and room.file.must_have_plan().sessions[0].exercises[0].reps == (5, 7)
    complaints: list[str] = []
    room.complained.disconnect()
    room.complained.connect(complaints.append)
    typed(room.editor.tables[0].table, 0, 4, "slow")
    assert complaints and "tempo" in complaints[0]
    assert room.editor.tables[0].table.item(0, 4).text() == "2-0-1-0"  # type: ignore[union-attr]
    room.editor.tables[1].further.setCurrentIndex(room.editor.tables[1].further.findData("lying_leg_curl"))
    press(room.editor.tables[1], "Add")
    assert len(room.file.must_have_plan().sessions[1].exercises) == 3
    room.setFocus()
    key(window, "undo")
    key(window, "undo")
    assert room.file.must_have_plan().sessions[0].exercises[0].reps == (4, 8)
    assert room.editor.tables[0].table.item(0, 2).text() == "4-8"  # type: ignore[union-attr]


def test_deciding_otherwise_than_the_gate_is_kept_and_shown(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Oren")
    room = window.plan_room
    card = next(c for c in room.cards if c.lift.movement == "seated_leg_curl")
    press(card, "Decide…")
    ask = dialog(window, OverrideDialog)
    press(ask, "Save")
    assert "needs a name and a reason" in ask.trouble.text()
    fill(ask.why, "watched it in the room")
    press(ask, "Save")
    card = next(c for c in room.cards if c.lift.movement == "seated_leg_curl")
    assert card.lift.gate.gate is Gate.OPEN and card.load.text() == "35 kg with the sled's own".replace(" with the sled's own", "")
    assert "watched it in the room" in card.why.text()


def test_pain_changes_the_session_at_once(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Oren")
    room = window.plan_room
    key(window, "note_pain")
    ask = dialog(window, PainDialog)
    press(ask, "Save")
    assert "where it hurts" in ask.trouble.text()
    fill(ask.place, "left knee")
    ask.level.setValue(6)
    press(ask, "Save")
    squat = room.cards[0]
    assert squat.lift.instead_of == "belt_squat" and "stage 3" in squat.why.text()


def test_equipment_screen_and_rules_are_asked_in_dialogs(window: MainWindow, qtbot: QtBot) -> None:
    open_plan(window, "Tove")
    room = window.plan_room
    assert room.file is not None
    window.plan.equipment()
    ask = dialog(window, EquipmentDialog)
    fill(ask.plates, "heavy")
    press(ask, "Save")
    assert "Plates are written" in ask.trouble.text()
    fill(ask.plates, "20 × 2, 5 × 2")
    press(ask, "Save")
    assert room.file.part.equipment.plates_kg == [(20, 2), (5, 2)]
    assert room.cards[0].load.text() == "30 kg", "60 kg less a lighter week: what these plates can build"
    window.plan.screen()
    screen = dialog(window, ScreenDialog)
    screen.answers["disease"].setCurrentIndex(2)
    press(screen, "Save")
    assert room.file.part.screen.answers == {"disease": True}
    window.plan.rules()
    rules = dialog(window, RulesDialog)
    row = next(i for i in range(rules.table.rowCount()) if rules.table.item(i, 0).text() == "lighter load share")  # type: ignore[union-attr]
    typed(rules.table, row, 2, "0.9")
    press(rules, "Save")
    assert room.file.part.rules == {"lighter_load_share": 0.9}


def test_pages_calendars_tables_and_records_go_out_and_in(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    open_plan(window, "Nuru")
    room = window.plan_room
    key(window, "session_page")
    sheet = dialog(window, SheetDialog)
    sheet.reject()
    window.plan.write(carry.export_record, tmp_path / "nuru.json")
    window.plan.write(carry.export_table, tmp_path / "nuru.csv")
    window.plan.write(schedule.client_calendar, tmp_path / "nuru.ics")
    assert all((tmp_path / f"nuru.{kind}").stat().st_size > 500 for kind in ("json", "csv", "ics"))
    window.plan.take_record(tmp_path / "nuru.json")
    assert room.file is not None and len([c for c in window.library.clients() if c.name == "Nuru Castellan"]) == 2
    done = len(room.file.done)
    window.plan.ask_columns(tmp_path / "nuru.csv")
    columns = dialog(window, ColumnsDialog)
    assert columns.boxes["load"].currentData() == "load_kg" and columns.meanings["leg_extension"].currentData() == "leg_extension"
    press(columns, "Save")
    assert len(room.file.done) > done


def test_the_desk_says_what_is_due_and_opens_the_plan(window: MainWindow, qtbot: QtBot) -> None:
    due = window.desk_room.due
    qtbot.waitUntil(lambda: due.isVisible() and bool(due.rows), timeout=20000)
    assert due.rows[0].client == "Bram Achterberg"
    press(due, "Plan")
    assert window.plan_room.file is not None and window.plan_room.file.name == "Bram Achterberg"


def test_a_new_client_is_planned_trained_for_three_sessions_and_progressed(window: MainWindow, qtbot: QtBot) -> None:
    """As a new user would; each key and click counts as one action, a word typed as one."""
    key(window, "go_plan")
    key(window, "new_client")
    ask = dialog(window, ClientDialog)
    fill(ask.name, "Ulla Brandt")
    press(ask, "Save")
    actions = 4
    room = window.plan_room
    assert room.file is not None and room.file.name == "Ulla Brandt" and room.session is None
    window.plan.equipment()
    gear = dialog(window, EquipmentDialog)
    fill(gear.bar, "20")
    fill(gear.plates, "20 × 2, 10 × 2, 5 × 2, 2.5 × 2, 1.25 × 2")
    press(gear, "Save")
    key(window, "edit_plan")
    day = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")[room.file.today.weekday()]
    editor = room.editor
    editor.new_day.setCurrentIndex(editor.new_day.findData(day))
    editor.new_movement.setCurrentIndex(editor.new_movement.findData("back_squat"))
    QTest.mouseClick(editor.begin, Qt.MouseButton.LeftButton)
    turns()
    typed(editor.tables[0].table, 0, 2, "5-8")
    key(window, "edit_plan")
    actions += 12
    assert room.session is not None and room.cards[0].load.text() == "20 kg"
    for week, load in enumerate(("40", "40", "42.5")):
        key(window, "log_session")
        log = dialog(window, LogDialog)
        log.day.setDate(log.day.date().addDays(7 * (week - 2)))
        for row in range(3):
            for column, text in ((LOAD, load), (REPS, "8"), (RESERVE, "2")):
                typed(log.table, row, column, text)
        press(log, "Save")
        actions += 12
    sets = room.file.done
    assert len(sets) == 9 and {s.load_kg for s in sets} == {40, 42.5}
    held = room.cards[0]
    assert held.load.text() == "42.5 kg" and held.lift.film.ask, "no film yet: the load is held and one is asked for"
    press(held, "Decide…")
    decide = dialog(window, OverrideDialog)
    fill(decide.who, "Marit")
    fill(decide.why, "seen in the room")
    press(decide, "Save")
    actions += 4
    assert room.cards[0].load.text() == "45 kg", "progressed"
    assert actions <= 60


def test_a_week_of_many_sessions_stays_inside_the_strip(window: MainWindow, qtbot: QtBot) -> None:
    strip = window.plan_room.strip
    cards = tuple(WeekCard(date(2026, 3, d), "done", 6 if d < 4 else 1, 6 if d < 4 else 1, (), "") for d in range(2, 7))
    strip.resize(1100, 168)
    strip.show_weeks([WeekColumn("week 1", "", False, True, cards), WeekColumn("week 2", "", False, False, cards[:1])], None)
    boxes = [box for _, box in strip.boxes()]
    assert len(boxes) == 6 and max(box.bottom() for box in boxes) <= strip.height()


@pytest.mark.parametrize("scale", [1.0, 2.0])
def test_the_room_fits_its_window_at_both_scales(window: MainWindow, qtbot: QtBot, scale: float) -> None:
    window.resize(int(1280 / scale), int(800 / scale))
    open_plan(window, "Tove")
    room = window.plan_room
    assert room.minimumSizeHint().height() <= 800 and room.log.isVisible()
    assert all(box.width() > 20 for _, box in room.strip.boxes())
    assert room.session is not None and room.session.day > date(2026, 3, 2)
