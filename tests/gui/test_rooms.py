"""Each room by its own controls: what one does is what one sees."""

from __future__ import annotations

import gc
import re
import weakref
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialog, QLabel, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from deepmirror.commands.table import ACTIONS, Need
from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.widgets.findings import Folded
from deepmirror.ui.widgets.number_list import NumberList
from deepmirror.ui.widgets.rep_table_view import SHOWN
from deepmirror.ui.widgets.sheet_dialog import SheetDialog
from deepmirror.ui.widgets.verdict_mark import VerdictMark
from deepmirror.ui.widgets.why_dialog import WhyDialog
from deepmirror.ui.window import ROOMS, MainWindow
from tests.gui.ui_driver import PATIENCE, choose_mark, key, open_film, settle, solved


def test_every_action_has_words_a_key_and_a_deed(window: MainWindow) -> None:
    assert len({a.id for a in ACTIONS}) == len(ACTIONS)
    for room in ROOMS:
        keys = [a.key for a in ACTIONS if a.works(room, dict.fromkeys(Need, True))]
        assert len(keys) == len(set(keys)), f"a key of the {room} does two things"
    for entry in ACTIONS:
        action = window.actions_by_id[entry.id]
        assert action.shortcut() == QKeySequence(entry.key) and not action.shortcut().isEmpty()
        shut = ("go_mirror", "go_reply", "go_compare", "undo", "redo")
        assert action.isEnabled() == (bool({"desk", "all"} & set(entry.rooms.split())) and entry.id not in shut)


def test_stepping_is_frame_exact_and_the_ribbon_follows(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    mirror = window.mirror
    start = mirror.frame
    for action, change in (("step_on", 1), ("step_on", 1), ("step_back", -1), ("leap_on", 10), ("leap_back", -10)):
        before = mirror.frame
        key(window, action)
        settle(window, qtbot)
        assert mirror.frame == before + change
    assert mirror.frame == start + 1
    assert window.review is not None
    assert mirror.ribbon._now == pytest.approx(float(window.review.film.times[mirror.frame]))
    x = round(mirror.ribbon.x_of(5.0))
    QTest.mouseClick(mirror.ribbon, Qt.MouseButton.LeftButton, pos=QPoint(x, 60))
    settle(window, qtbot)
    assert float(window.review.film.times[mirror.frame]) == pytest.approx(5.0, abs=0.05)
    key(window, "next_turn")
    settle(window, qtbot)
    rep = mirror.playback.rep_here()
    assert rep is not None and abs(rep.bottom_s - float(window.review.film.times[mirror.frame])) < 0.04


def test_playing_moves_on_and_stops(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    before = window.mirror.frame
    key(window, "play")
    qtbot.waitUntil(lambda: window.mirror.frame > before + 5, timeout=5000)
    key(window, "play")
    settle(window, qtbot)
    stopped = window.mirror.frame
    qtbot.wait(120)
    assert window.mirror.frame == stopped


def test_a_finding_leads_to_its_frame_and_says_why(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror
    cards = list(mirror.reading.cards.values())
    assert cards[0].key == "shallow_depth"
    qtbot.mouseClick(cards[0], Qt.MouseButton.LeftButton)
    settle(window, qtbot)
    rep = mirror.playback.rep_here()
    assert rep is not None and rep.number == 3
    assert cards[0].property("picked") and not cards[1].property("picked")
    key(window, "next_finding")
    settle(window, qtbot)
    assert cards[1].property("picked") and not cards[0].property("picked")


def test_a_finding_gone_to_before_its_card_is_there_stands_out_when_it_is(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror
    assert mirror.review is not None and mirror.review.analysis is not None
    mirror._show_numbers(mirror.review.analysis)
    key(window, "next_finding")
    assert mirror.turns.waiting()
    qtbot.waitUntil(lambda: not mirror.turns.waiting(), timeout=5000)
    first = mirror.review.analysis.judgement.findings[0].code
    assert [code for code, card in mirror.reading.cards.items() if card.property("picked")] == [first]


def test_why_opens_a_page_of_four_parts(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    card = next(iter(window.mirror.reading.cards.values()))
    assert card.ask is not None
    qtbot.mouseClick(card.ask, Qt.MouseButton.LeftButton)
    dialog = window.findChild(WhyDialog)
    assert dialog is not None
    words = [label.text() for label in dialog.findChildren(QLabel)]
    assert {"What was seen", "What is asked", "What may be the cause", "What would change it"} <= set(words)
    told = " ".join(words)
    assert "more than the doubt" in told and "school “" in told and "Say: “" in told and "_" not in told, "no internal names"
    qtbot.waitUntil(lambda: dialog.picture.image() is not None, timeout=PATIENCE)
    dialog.close()


def test_the_table_of_reps_is_there_and_leads_to_the_frame(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror
    table, analysis = mirror.reading.table, mirror.review.analysis  # type: ignore[union-attr]
    assert analysis is not None and table.isVisibleTo(window) and table.columnCount() == len(analysis.scene.reps) == 4
    titles = [table.verticalHeaderItem(i).text() for i in range(table.rowCount())]  # type: ignore[union-attr]
    assert 4 <= len(titles) - 1 <= 8 and titles[-2:] == ["Lowering, s", "Lifting, s"]
    depth = next(i for i, title in enumerate(titles) if "thigh" in title.lower())
    off = [table.item(depth, j).data(SHOWN).verdict is Verdict.OFF for j in range(4)]  # type: ignore[union-attr]
    assert off == [False, False, True, False], "rep 3 is the shallow one"
    table.cellClicked.emit(depth, 2)
    settle(window, qtbot)
    rep = mirror.playback.rep_here()
    assert rep is not None and rep.number == 3 and abs(mirror.review.film.times[mirror.frame] - rep.bottom_s) < 0.1  # type: ignore[union-attr]
    header = table.horizontalHeaderItem(2)
    assert header is not None and header.text() == "▾ 3"
    drawing = mirror.film.drawing
    cell = table.item(depth, 2)
    assert cell is not None and not drawing.sketch.empty() and drawing.tag.startswith(cell.data(SHOWN).number)
    shown = mirror.film.grab().toImage()
    tempo = titles.index("Lowering, s")
    table.cellClicked.emit(tempo, 2)
    settle(window, qtbot)
    assert [b.label for b in mirror.film.drawing.sketch.bars if b.chosen] == ["lowering"] and mirror.film.grab().toImage() != shown
    mirror.toggle_lines()
    assert mirror.film.drawing.sketch.empty(), "without its lines the film is bare"
    mirror.toggle_lines()
    table.cellClicked.emit(0, 0)
    settle(window, qtbot)
    assert mirror.playback.rep_here().number == 1  # type: ignore[union-attr]


def test_what_held_and_what_cannot_be_told_open_from_a_line(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")

    def lines() -> dict[str, Folded]:
        shown = [f for f in window.mirror.reading.findChildren(Folded) if f.isVisibleTo(window)]
        return {f.button.text().split("  ")[1].split(":")[0]: f for f in shown}

    qtbot.waitUntil(lambda: {"Held", "This film cannot tell"} <= set(lines()), timeout=PATIENCE)
    folds = lines()

    def seen() -> int:
        return sum(mark.isVisibleTo(window) for mark in folds["Held"].findChildren(VerdictMark))

    assert seen() == 0
    qtbot.mouseClick(folds["Held"].button, Qt.MouseButton.LeftButton)
    assert seen() == int(folds["Held"].button.text().split(":")[1]) > 0
    qtbot.mouseClick(folds["Held"].button, Qt.MouseButton.LeftButton)
    assert seen() == 0
    qtbot.mouseClick(folds["This film cannot tell"].button, Qt.MouseButton.LeftButton)
    told = [label.text() for label in folds["This film cannot tell"].findChildren(QLabel)]
    assert len(told) == len(set(told)), "said once, under what would tell it"


def test_the_numbers_of_the_rep_on_show_follow_the_film_and_are_there_after_an_edit(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror

    def told() -> dict[str, str]:
        lists = [dict(found.rows()) for found in mirror.reading.findChildren(NumberList) if found.rows()]
        return next(rows for rows in reversed(lists) if "Knee flexion, most" in rows)

    mirror.go_to_number("", 1)
    settle(window, qtbot)
    first = told()
    mirror.go_to_number("", 3)
    settle(window, qtbot)
    assert told().keys() == first.keys() and told() != first, "the third rep is a short one"
    shown = told()
    mirror.annotator.set_field(tempo="4-0-1-0")
    qtbot.waitUntil(lambda: solved(window) and "4-0-1-0" in mirror.reading.head.text(), timeout=PATIENCE)
    assert told() == shown, "a new tempo changes no angle, and the rep is still on show"


def test_numbers_that_say_nothing_of_a_movement_are_not_listed(window: MainWindow, qtbot: QtBot) -> None:
    listed = {}
    for name in ("Bram", "Nuru"):
        open_film(window, qtbot, name)
        window.mirror.go_to_number("", 2)
        settle(window, qtbot)
        lists = [dict(found.rows()) for found in window.mirror.reading.findChildren(NumberList) if found.rows()]
        listed[name] = {title: number for rows in lists for title, number in rows.items()}
    squat, seated = listed["Bram"], listed["Nuru"]
    assert "Heel rise" in squat and "Heel rise" not in seated and "Trunk swing" in seated
    assert "Step length" not in squat and "Control lost at" not in squat
    assert not [number for rows in listed.values() for number in rows.values() if re.match(r"-0(\.0*)? ", number)], "minus zero"


def test_rooms_nobody_has_seen_are_dressed_while_nothing_else_is_to_be_done(window: MainWindow, qtbot: QtBot) -> None:
    polished = Qt.WidgetAttribute.WA_WState_Polished
    qtbot.waitUntil(lambda: all(w.testAttribute(polished) for w in window.person_room.findChildren(QPushButton)), timeout=PATIENCE)
    assert not window.person_room.isVisible() and window.person_room.findChildren(QPushButton)


def test_points_are_placed_nudged_undone_and_kept(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    mirror = window.mirror
    mirror.seek(60)
    settle(window, qtbot)
    key(window, "place")
    assert mirror.placing.isVisibleTo(window) and mirror.placing.current() == "hip_left"
    spot = mirror.film.to_view(QPointF(200, 150)).toPoint()
    QTest.mouseClick(mirror.film, Qt.MouseButton.LeftButton, pos=spot)
    assert window.review is not None
    placed = window.review.seed(60)["hip_left"]
    assert abs(placed[0] - 200) < 1.5 and abs(placed[1] - 150) < 1.5
    assert mirror.placing.current() == "knee_left"
    mirror.annotator.selected = "hip_left"
    mirror.film.setFocus()
    key(window, "step_on")
    assert window.review.seed(60)["hip_left"][0] == pytest.approx(placed[0] + 0.25)
    window.library.saver.wait()
    assert window.library.store.film(window.review.film_id).brief["seeds"][-1]["frame"] == 60
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    for _ in range(2):
        window.actions_by_id["undo"].trigger()
    assert window.review.seed(60) == {}
    window.actions_by_id["redo"].trigger()
    assert window.review.seed(60)["hip_left"] == placed
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)


def test_a_known_length_is_marked(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    mirror = window.mirror
    mirror.toggle_placing()
    mirror.placing.length.setValue(60.0)
    choose_mark(mirror, "scale")
    for y in (500.0, 320.0):
        QTest.mouseClick(mirror.film, Qt.MouseButton.LeftButton, pos=mirror.film.to_view(QPointF(300, y)).toPoint())
    assert window.review is not None and window.review.brief.file.scale is not None
    assert window.review.brief.file.scale.length_cm == 60.0
    assert abs(window.review.brief.file.scale.points_px[0][1] - 500) < 1.5
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)


def test_a_wrong_tempo_is_told_and_the_old_one_stays(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    window.mirror.tempo.setText("fast")
    window.mirror.tempo.editingFinished.emit()
    assert "four parts" in window.refusal.text() and window.findChild(QMessageBox) is None
    assert window.mirror.tempo.text() == "2-0-1-0"


def test_the_keys_overlay_lists_every_action(window: MainWindow) -> None:
    key(window, "keys")
    dialog = next(d for d in window.findChildren(QDialog) if d.windowTitle() == "Keys")
    from PyQt6.QtWidgets import QLabel

    words = {label.text() for label in dialog.findChildren(QLabel)}
    assert {a.title for a in ACTIONS} <= words
    dialog.close()


def test_points_are_hidden_held_and_sides_swapped_and_undo_brings_them_back(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror, review = window.mirror, window.review
    assert review is not None and review.analysis is not None
    key(window, "place")
    mirror.annotator.choose_point("toe_right")
    mirror.annotator.show_points()
    for button in (mirror.placing.hide_point, mirror.placing.hold_point):
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert "toe_right" in review.brief.file.hidden and "toe_right" in review.brief.file.held
    assert review.analysis is not None and "toe_right" not in review.analysis.scene.track.names
    assert any(u.measure == "knee_past_toe_cm" for u in review.analysis.measured.unmeasurable)
    mirror.seek(40)
    settle(window, qtbot)
    qtbot.mouseClick(mirror.placing.swap, Qt.MouseButton.LeftButton)
    mirror.seek(60)
    settle(window, qtbot)
    qtbot.mouseClick(mirror.placing.swap, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert review.brief.file.swaps == [(40, 60)]
    while review.can_undo():
        key(window, "undo")
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert review.brief.file.swaps == [] and "toe_right" in review.analysis.scene.track.names


def test_one_and_a_half_reps_are_said_with_a_key_and_taken_back(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Tove")
    assert window.review is not None
    for pattern in ("one_and_a_half", None):
        window.mirror.film.setFocus()
        key(window, "halves")
        qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
        assert window.library.store.film(window.review.film_id).brief.get("pattern") == pattern
        assert ("one-and-a-half" in window.mirror.title.text()) == (pattern is not None)


def test_a_film_that_was_closed_is_let_go_with_its_pictures_and_numbers(window: MainWindow, qtbot: QtBot) -> None:
    """Each kept 13 MB for as long as the window stood, held by a job that had long been done."""
    open_film(window, qtbot, "Bram")
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    before = weakref.ref(window.review)
    open_film(window, qtbot, "Nuru")

    def gone() -> bool:
        gc.collect()
        return before() is None

    qtbot.waitUntil(lambda: not window.jobs and gone(), timeout=PATIENCE)


def test_a_painful_knee_brings_its_pathway_to_the_person_and_the_sheet(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Yuna")
    window.client_control.open(None)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    room = window.person_room
    assert room.caution.text() == ""
    QTest.keyClicks(room.pain, "right knee")
    room.pain.editingFinished.emit()
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert "heel slides" in room.caution.text() and "May take its place" in room.caution.text() and "clinician" in room.caution.text()
    window.client_control.sheet()
    sheet = next(d for d in window.findChildren(QDialog) if d.windowTitle() == "Set-up sheet")
    assert isinstance(sheet, SheetDialog) and "heel slides" in sheet.page.toPlainText()
    sheet.close()


def test_the_library_is_written_into_one_file_and_read_back_beside_the_open_one(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    window.settings_control.copy_out(tmp_path / "moved.zip")
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    window.settings_control.copy_in(tmp_path / "moved.zip", tmp_path / "there")
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert (tmp_path / "there" / "library.db").exists() and "Start with" in window.statusBar().currentMessage()  # type: ignore[union-attr]
    window.settings_control.copy_in(tmp_path / "moved.zip", tmp_path / "there")
    qtbot.waitUntil(lambda: any("something already" in box.text() for box in window.findChildren(QMessageBox)), timeout=PATIENCE)
    for box in window.findChildren(QMessageBox):
        box.close()
