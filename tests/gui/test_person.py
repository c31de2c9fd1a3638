"""The Person room and the ghost by their own controls."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QSlider
from pytestqt.qtbot import QtBot

from deepmirror.core.body.squat_setup import Answer
from deepmirror.ui.rooms.person.solver import SolverPanel
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import key, open_film

PATIENCE = 60000


def idle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    qtbot.wait(50)  # the turns of the event loop in which a room is filled
    room = window.person_room
    qtbot.waitUntil(lambda: not room._turns.waiting() and room.solver.up_to_date(), timeout=PATIENCE)


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


def slide(solver: SolverPanel, slider: QSlider, value: int, qtbot: QtBot) -> Answer:
    """Move a slider; the answer to it."""
    slider.setValue(value)
    qtbot.waitUntil(solver.up_to_date, timeout=PATIENCE)
    assert solver.answer is not None
    return solver.answer


def test_sliders_solve_at_once_and_say_what_binds(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_person")
    idle(window, qtbot)
    room, solver = window.person_room, window.person_room.solver
    reached = slide(solver, solver.thigh, 30, qtbot)
    assert reached.feasible and solver.verdict.text().startswith("Within reach: thighs 30° above level")
    room.limits["ankle_dorsiflexion"].setValue(5.0)
    idle(window, qtbot)
    missed = slide(solver, solver.thigh, -20, qtbot)
    assert not missed.feasible and solver.verdict.text().startswith("Out of reach: thighs 20° below level")
    lifted = slide(solver, solver.lift, 40, qtbot)
    assert lifted.posture.thigh_from_horizontal < missed.posture.thigh_from_horizontal


def test_a_hand_that_slides_on_leaves_the_newest_answer_on_show(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_person")
    idle(window, qtbot)
    solver = window.person_room.solver
    for degrees in range(59, 29, -1):
        solver.thigh.setValue(degrees)
    answer = slide(solver, solver.thigh, 25, qtbot)
    assert answer.posture.thigh_from_horizontal == pytest.approx(25, abs=0.5)
    assert solver.verdict.text().startswith("Within reach: thighs 25° above level")


def test_nonsense_is_refused_in_words(window: MainWindow, qtbot: QtBot) -> None:
    key(window, "go_person")
    idle(window, qtbot)
    retype(window, "shank", "3 cm")
    assert "shank" in window.refusal.text()
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
        assert mirror.playback.wanted == frame


def test_a_school_is_chosen_for_one_exercise_with_its_reason(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    key(window, "go_person")
    idle(window, qtbot)
    room = window.person_room
    room.usual.setCurrentIndex(room.usual.findData("back_squat"))
    room._show_default()
    rows = room.exercise_schools
    assert "Enough range" in rows.reasons["shallow_depth"].text()
    box = rows.boxes["shallow_depth"]
    box.setCurrentIndex(box.findData("box"))
    box.activated.emit(box.currentIndex())
    idle(window, qtbot)
    assert room.person is not None and room.person.client.schools == {"back_squat/shallow_depth": "box"}
    assert "without pain" in rows.reasons["shallow_depth"].text() and room.schools.boxes["shallow_depth"].currentData() == ""
    qtbot.waitUntil(lambda: window.review is not None and window.review.analysis is not None and not window.jobs, timeout=PATIENCE)
    assert window.review is not None and window.review.analysis is not None
    assert window.review.analysis.judgement.schools["shallow_depth"] == "box"
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert room.person.client.schools == {}


def test_the_solver_opens_as_the_newest_film_was_lifted(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    key(window, "go_person")
    idle(window, qtbot)
    solver = window.person_room.solver
    assert solver.load.value() == 80 and solver.bar.currentData() == "high" and 5 <= solver.open.value() <= 35
    assert "usual" in solver.films.text()
    solver.load.setValue(30)
    window.person_room.refresh()
    assert solver.load.value() == 30, "what a hand has moved stays"
