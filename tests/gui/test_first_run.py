"""A library with nothing in it, clients without films, several films at once, and movements chosen by typing."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMessageBox
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.ui import deeds
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.widgets.asking import ClientDialog, RenameDialog
from deepmirror.ui.widgets.import_table import ImportTable
from deepmirror.ui.widgets.movement_box import MovementBox
from deepmirror.ui.window import MainWindow
from tests.conftest import DEMO
from tests.gui.ui_driver import key

PATIENCE = 60000


@pytest.fixture
def empty(qtbot: QtBot, qapp: QApplication, library: FilmLibrary, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    """A window on a library that was just made; films are taken in and never measured."""
    apply_theme(qapp)
    window = MainWindow(library)
    monkeypatch.setattr(window.films, "measure", lambda film_id: None)
    window.show()
    yield window
    window.close()
    window.deleteLater()


def named(window: MainWindow, name: str) -> None:
    dialog = next(d for d in window.findChildren(ClientDialog) if d.isVisible())
    dialog.name.setText(name)
    dialog._keep()


def test_an_empty_library_greets_with_three_ways_in_and_no_room_is_a_dead_end(empty: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    begun: list[str] = []
    monkeypatch.setattr(deeds.QProcess, "startDetached", lambda program, words: begun.append(" ".join(words)))
    assert empty.desk_room.welcome.isVisibleTo(empty) and not empty.desk_room.list.isVisibleTo(empty)
    for room in ("go_person", "go_plan", "go_floor"):
        key(empty, room)
        assert empty.stack.currentWidget() is empty.desk_room and "no client yet" in empty.refusal.text()
    assert empty.findChild(QMessageBox) is None
    empty.desk_room.welcome.buttons["demo"].click()
    assert begun == ["-m deepmirror window --demo"], "in a window of its own: nothing invented among a coach's clients"
    empty.desk_room.welcome.buttons["new_client"].click()
    named(empty, "Sunniva")
    assert empty.stack.currentWidget() is empty.person_room and empty.person_room.clients.currentText() == "Sunniva"
    key(empty, "go_desk")
    assert not empty.desk_room.welcome.isVisibleTo(empty) and empty.desk_room.list.isVisibleTo(empty)


def test_a_client_is_added_renamed_and_archived_without_a_film(empty: MainWindow) -> None:
    for name in ("Sunniva", "Kaspar"):
        key(empty, "new_client")
        named(empty, name)
    key(empty, "rename_client")
    rename = empty.findChild(RenameDialog)
    assert rename is not None and rename.name.text() == "Kaspar"
    rename.name.setText("  ")
    rename._keep()
    assert "needs a name" in rename.trouble.text()
    rename.name.setText("Kaspar Ode")
    rename._keep()
    assert [c.name for c in empty.library.clients()] == ["Kaspar Ode", "Sunniva"]
    key(empty, "archive_client")
    assert [c.name for c in empty.library.clients()] == ["Sunniva"]
    assert empty.person_room.clients.currentText() == "Kaspar Ode (archived)"
    key(empty, "archive_client")
    assert [c.name for c in empty.library.clients()] == ["Kaspar Ode", "Sunniva"]
    person = empty.person_room.person
    assert person is not None and any("is now Kaspar Ode" in label for _, label in empty.library.store.client_changes(person.client_id))


def test_films_of_archived_clients_leave_the_desk_and_come_back(window: MainWindow) -> None:
    desk = window.desk_room
    before = len(desk.model.films)
    client = next(c for c in window.library.clients() if c.name.startswith("Ines"))
    window.library.set_archived(client.id, True)
    desk.refresh()
    assert len(desk.model.films) < before and all(f.client_id != client.id for f in desk.model.films)
    desk.state.setCurrentIndex(desk.state.findData("of archived clients"))
    assert desk.model.films and {f.client_id for f in desk.model.films} == {client.id}
    window.library.set_archived(client.id, False)
    desk.refresh()
    assert desk.model.films == []


def test_several_films_are_brought_in_by_one_table(empty: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    torn = tmp_path / "torn.mp4"
    torn.write_bytes(b"no film")
    empty.film_import.bring_all([DEMO / "oren_leg_press_side.mp4", DEMO / "yuna_back_squat_front.mp4", torn])
    table = empty.findChild(ImportTable)
    assert table is not None and len(table.rows) == 3
    qtbot.waitUntil(lambda: not empty.jobs, timeout=PATIENCE)
    press, squat, broken = table.rows
    assert (press.view.currentData(), press.movement.movement()) == ("side-right", "leg_press"), "proposed from the pictures"
    assert squat.view.currentData() == "front" and "Guessed" in squat.view.toolTip() and squat.picture.pixmap().width() > 50
    assert "torn.mp4" in broken.state.text()
    table._add()
    assert press.state.text() == "Whose film is it?" and empty.library.films() == []
    line = press.client.lineEdit()
    assert line is not None
    QTest.keyClicks(line, "Oren")
    assert [row.client.currentText() for row in table.rows] == ["Oren"] * 3, "what is said of one holds for those below"
    table._add()
    qtbot.waitUntil(lambda: not empty.jobs, timeout=PATIENCE)
    assert [row.done for row in table.rows] == [True, True, False] and table.isVisible(), "what cannot be read stays, with its reason"
    films = empty.library.films()
    assert {(f.client_name, f.movement, f.view) for f in films} == {
        ("Oren", "leg_press", "side-right"),
        ("Oren", str(squat.movement.movement()), "front"),
    }
    assert len(empty.library.clients()) == 1, "one new client, not one a film"
    model, bar = empty.desk_room.model, empty.desk_room.list.currentIndex
    newest = max(f.id for f in films)
    qtbot.waitUntil(lambda: model.row_of(newest) >= 0 and not empty.film_import._turns.waiting(), timeout=PATIENCE)  # read in turns
    assert bar().row() == model.row_of(newest) == 0 and len(model.visits) == 1, "the bar stands on the newest, in its visit"
    table.reject()


def test_a_movement_is_chosen_by_typing_a_part_of_its_name(qtbot: QtBot) -> None:
    box = MovementBox(
        [("Used last", [("hip_thrust", "Hip thrust")]), ("Free squat", [("box_squat", "Box squat"), ("goblet_squat", "Goblet squat")])]
    )
    qtbot.addWidget(box)
    assert box.movement() == "hip_thrust" and not box.model().index(0, 0).flags() & Qt.ItemFlag.ItemIsSelectable
    line, completer = box.lineEdit(), box.completer()
    assert line is not None and completer is not None
    line.setText("gob")
    assert box.movement() is None
    completer.setCompletionPrefix("squat")
    assert completer.completionCount() == 2
    line.editingFinished.emit()
    assert box.movement() == "goblet_squat" and line.text() == "Goblet squat"
    line.setText("squat")
    line.editingFinished.emit()
    assert box.movement() is None, "two have it: neither is taken"
