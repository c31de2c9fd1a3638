"""The Person room and the ghost by their own controls."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import key, open_film

PATIENCE = 60000


def idle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)


def retype(window: MainWindow, name: str, text: str) -> None:
    edit = window.person_room.lengths[name][0]
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text)
    QTest.keyClick(edit, Qt.Key.Key_Return)


def test_a_length_typed_in_the_person_room_moves_the_ghost_in_the_mirror(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    key(window, "ghost")
    before = window.mirror.film.drawing.ghost
    assert len(before) == 4 and window.mirror.ghost_button.isChecked()
    key(window, "go_person")
    idle(window, qtbot)
    room = window.person_room
    assert room.person is not None and room.person.name.startswith("Bram")
    assert "Films showed" in room.solver.films.text() and len(room.solver.live._drawing.film) == 4
    retype(window, "thigh", "54 cm")
    idle(window, qtbot)
    assert room.person.client.segments_cm["thigh"] == 54
    key(window, "go_mirror")
    window.mirror._redraw()
    assert [p for line in window.mirror.film.drawing.ghost for p in line] != [p for line in before for p in line]
    key(window, "go_person")
    key(window, "undo")
    idle(window, qtbot)
    assert room.person.client.segments_cm["thigh"] == pytest.approx(49.4, abs=0.1)


def test_sliders_solve_at_once_and_say_what_binds(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_person")
    idle(window, qtbot)
    room = window.person_room
    room.solver.thigh.setValue(30)
    assert (
        room.solver.answer is not None
        and room.solver.answer.feasible
        and room.solver.verdict.text().startswith("Within reach: thighs 30° above level")
    )
    room.limits["ankle_dorsiflexion"].setValue(5.0)
    idle(window, qtbot)
    room.solver.thigh.setValue(-20)
    assert not room.solver.answer.feasible and room.solver.verdict.text().startswith("Out of reach: thighs 20° below level")
    shallow = room.solver.answer.posture.thigh_from_horizontal
    room.solver.lift.setValue(40)
    assert room.solver.answer.posture.thigh_from_horizontal < shallow


def test_nonsense_is_refused_in_words(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_person")
    idle(window, qtbot)
    retype(window, "shank", "3 cm")
    box = window.findChild(QMessageBox)
    assert box is not None and "shank" in box.text()
    box.close()
    assert window.person_room.person is not None and window.person_room.person.can_undo() is None


def test_the_ribbon_shows_the_chosen_signal_and_walks_doubtful_frames(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror
    mirror.signal.setCurrentIndex(mirror.signal.findData("trunk_lean"))
    mirror._show_signal()
    assert mirror.review is not None and mirror.review.analysis is not None
    assert mirror.ribbon._data.values is mirror.review.analysis.scene.angles["trunk_lean"].values
    mirror._doubtful[:] = False
    mirror._doubtful[[50, 51, 200]] = True
    mirror.seek(0)
    for frame in (50, 200, 50):
        key(window, "doubt")
        assert mirror._wanted == frame
