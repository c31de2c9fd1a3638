"""The Reply room and Compare by their own controls."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from deepmirror.services.replies.composing import Correction
from deepmirror.ui.rooms.reply.preview import PreviewDialog
from deepmirror.ui.widgets.settings_dialog import SettingsDialog
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import PATIENCE, key, open_film, opened, solved


@pytest.fixture
def composing(window: MainWindow, qtbot: QtBot) -> MainWindow:
    """The reply to a film with several findings, its first picture drawn."""
    open_film(window, qtbot, "Nuru")
    window.mirror.film.setFocus()
    key(window, "compose")
    settle_picture(window, qtbot)
    return window


def settle_picture(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: not window.jobs and window.reply_control.drawn, timeout=30000)


def first(window: MainWindow) -> Correction:
    item = window.reply_room.item()
    assert item is not None
    return item


def kept(window: MainWindow) -> dict[str, object]:
    assert window.review is not None
    window.library.saver.wait()
    draft = window.library.store.film(window.review.film_id).draft
    return next((c for c in draft.get("corrections", ()) if c["code"] == first(window).code), {})


def test_words_ticks_and_order_are_saved_as_they_change(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    assert room.reply is not None
    severities = [c.severity for c in room.reply.corrections]
    assert severities == sorted(severities, key=("safety", "range", "tension", "polish").index) and len(room.reply.chosen()) <= 3
    room.words.edits["cue"].setPlainText("Pad stays\nwhere it is.")
    qtbot.waitUntil(lambda: kept(composing).get("cue") == "Pad stays where it is.")
    room.list.setFocus()
    before = len(room.reply.chosen())
    QTest.keyClick(room.list, Qt.Key.Key_Space)
    assert len(room.reply.chosen()) == before - 1 and str(before - 1) in room.send.text() and kept(composing)["chosen"] is False
    code = first(composing).code
    key(composing, "later")
    assert [c.code for c in room.reply.corrections].index(code) == 1 and first(composing).code == code
    key(composing, "earlier")
    assert [c.code for c in room.reply.corrections].index(code) == 0
    room.greeting.setPlainText("Hello Nuru.")
    key(composing, "go_mirror")  # leaving keeps what was typed at once
    composing.library.saver.wait()
    assert composing.library.store.film(composing.review.film_id).draft["greeting"] == "Hello Nuru."  # type: ignore[union-attr]
    composing.mirror.film.setFocus()
    key(composing, "compose")  # comes back as it was left
    settle_picture(composing, qtbot)
    assert room.greeting.toPlainText() == "Hello Nuru." and room.words.edits["cue"].toPlainText() == "Pad stays where it is."


def test_phrases_are_offered_and_put_in(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    suggested = first(composing).cue
    composing.library.store.phrases.used("cue", "other_fault", "Slow is smooth.")
    room.words.edits["cue"].setPlainText("something else")
    room.words.offer("cue")
    menu = room.words.menu()
    assert menu is not None
    actions = {a.text(): a for a in menu.actions()}
    assert list(actions) == [suggested, "Slow is smooth."]
    actions["Slow is smooth."].trigger()
    menu.close()
    assert first(composing).cue == "Slow is smooth."
    settle_picture(composing, qtbot)


def test_the_tag_is_dragged_and_nudged(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    canvas, tag = room.canvas, room.canvas.tag()
    assert tag is not None and first(composing).tag_at is None
    start = canvas.to_view(tag.center()).toPoint()
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(canvas, start - QPoint(60, 40))
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start - QPoint(60, 40))
    placed = first(composing).tag_at
    assert placed is not None
    settle_picture(composing, qtbot)
    moved = canvas.tag()
    assert moved is not None and moved.left() == pytest.approx(placed[0] * 1280, abs=1.5) and moved.left() < tag.left() - 60
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    nudged = first(composing).tag_at
    assert nudged is not None and nudged[0] == pytest.approx(placed[0] + 0.01, abs=1e-3)
    settle_picture(composing, qtbot)


def test_lines_arrows_angles_and_words_are_drawn_by_clicks(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    canvas = room.canvas

    def click(*shares: tuple[float, float]) -> None:
        for x, y in shares:
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=canvas.to_view(QPointF(x * 1280, y * 720)).toPoint())

    for kind, spots in (
        ("line", [(0.4, 0.4), (0.6, 0.4)]),
        ("arrow", [(0.2, 0.2), (0.4, 0.4)]),
        ("angle", [(0.4, 0.3), (0.5, 0.5), (0.7, 0.5)]),
    ):
        qtbot.mouseClick(room.tools[kind], Qt.MouseButton.LeftButton)
        assert room.hint.text()
        click(*spots)
        assert first(composing).strokes[-1].kind == kind
        settle_picture(composing, qtbot)
    qtbot.mouseClick(room.tools["text"], Qt.MouseButton.LeftButton)
    click((0.1, 0.1))
    dialog = composing.findChild(QInputDialog)
    assert dialog is not None
    dialog.setTextValue("here")
    dialog.accept()
    assert [s.kind for s in first(composing).strokes] == ["line", "arrow", "angle", "text"] and first(composing).strokes[-1].text == "here"
    assert len(kept(composing)["strokes"]) == 4  # type: ignore[arg-type]
    for _ in range(4):
        qtbot.mouseClick(room.undraw, Qt.MouseButton.LeftButton)
    assert first(composing).strokes == [] and not room.undraw.isEnabled()
    qtbot.mouseClick(room.tools["line"], Qt.MouseButton.LeftButton)
    click((0.4, 0.4))
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    click((0.6, 0.6), (0.7, 0.7))
    assert first(composing).strokes == []
    settle_picture(composing, qtbot)


def test_choices_change_the_picture(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room

    def picture() -> bytes:
        settle_picture(composing, qtbot)
        image = room.canvas.image()
        assert image is not None
        bits = image.constBits()
        assert bits is not None
        return bytes(bits.asarray(image.sizeInBytes()))

    seen = {picture()}
    for box in (room.lines, room.zoom, room.blur):
        box.click()
        seen.add(picture())
    room.frame.setValue(room.frame.value() + 20)
    seen.add(picture())
    assert len(seen) == 5 and not room.pair.isEnabled()  # nothing to stand beside it yet


def test_the_preview_shows_the_written_files_and_sends_them(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    assert room.reply is not None and composing.review is not None
    for item in room.reply.corrections[1:]:
        item.chosen = False
    key(composing, "preview")
    qtbot.waitUntil(lambda: composing.findChild(PreviewDialog) is not None, timeout=PATIENCE)
    dialog = composing.findChild(PreviewDialog)
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.at.value() > 3, timeout=10000)
    film = composing.library.store.reply_folder(composing.review.film_id) / "reply.mp4"
    written = film.read_bytes()
    QTest.keyClick(dialog, Qt.Key.Key_Return)
    composing.reply_control.send()  # a second press while it is on its way sends nothing twice
    qtbot.waitUntil(lambda: not composing.jobs, timeout=PATIENCE)
    assert len(composing.library.store.replies.of_film(composing.review.film_id)) == 1
    sent = composing.library.store.replies.of_film(composing.review.film_id)[0]
    assert (sent.folder / "reply.mp4").read_bytes() == written and sent.state == "handed"
    assert "Sent" in room.state.text() and str(len(sent.files)) in room.state.text()


def test_two_reps_of_one_film_are_compared_by_keys(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    window.mirror.film.setFocus()
    key(window, "compare")
    room = window.compare
    qtbot.waitUntil(lambda: room.pair is not None and not window.jobs and room.view.image() is not None, timeout=30000)
    assert room.pair is not None and (room.pair.rep_a, room.pair.rep_b) == (1, 4) and room.phase() == 1.0
    key(window, "step_on")
    on = room.phase()
    assert 1.0 < on < 1.2
    key(window, "step_back")
    assert room.phase() == pytest.approx(1.0)
    key(window, "play")
    qtbot.waitUntil(lambda: room.phase() > 1.3, timeout=5000)
    key(window, "play")
    room.rep_b.setCurrentIndex(2)
    room.rep_b.activated.emit(2)
    assert room.pair.rep_b == 3
    assert room.numbers.rowCount() > 4 and "not distinguishable" in room.numbers.item(room.numbers.rowCount() - 1, 3).text()  # type: ignore[union-attr]
    room.signal.setCurrentIndex(room.signal.findData("knee_flexion"))
    room.signal.activated.emit(room.signal.currentIndex())
    QTest.mouseClick(room.plot, Qt.MouseButton.LeftButton, pos=QPoint(round(room.plot.x_of(2.5)), 80))
    assert room.phase() == pytest.approx(2.5, abs=0.01)
    qtbot.wait(100)


def test_a_client_is_deleted_only_after_a_yes(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Nuru")
    window.client_control.open(None)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    for answer in ("Cancel", "Delete for good"):
        window.settings_control.delete_client()
        box = next(b for b in window.findChildren(QMessageBox) if b.isVisible())
        assert "films" in box.informativeText() and "Nuru" in box.text()
        button = next(b for b in box.findChildren(QPushButton) if b.text().replace("&", "") == answer)
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
        assert any(f.client_name.startswith("Nuru") for f in window.library.films()) == (answer == "Cancel")
    assert window.review is None and window.stack.currentWidget() is window.desk_room


def test_the_coachs_name_is_kept_and_stands_under_replies(window: MainWindow, qtbot: QtBot) -> None:
    window.settings_control.settings()
    dialog = window.findChild(SettingsDialog)
    assert dialog is not None
    dialog.coach.setText("Ina Varga")
    dialog.blur.setChecked(True)
    dialog._keep()
    open_film(window, qtbot, "Oren")
    window.reply_control.compose()
    settle_picture(window, qtbot)
    assert window.reply_room.reply is not None and window.reply_room.reply.coach == "Ina Varga" and window.reply_room.reply.blur


def test_changes_are_taken_back_and_brought_again_without_limit(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    start = first(composing).cue
    for words in ("one", "two", "three"):
        room.words.edits["cue"].setPlainText(words)
        qtbot.waitUntil(lambda words=words: kept(composing).get("cue") == words)
    room.canvas.tag_moved.emit(0.1, 0.1)
    room.list.setFocus()
    for expected in ("three", "two", "one", start):
        key(composing, "undo")
        assert first(composing).cue == expected and first(composing).tag_at is None
    assert not composing.actions_by_id["undo"].isEnabled()
    for _ in range(4):
        key(composing, "redo")
    assert first(composing).cue == "three" and first(composing).tag_at == (0.1, 0.1) and kept(composing).get("cue") == "three"
    settle_picture(composing, qtbot)


def test_the_coach_adds_what_the_program_did_not_find(composing: MainWindow, qtbot: QtBot) -> None:
    room = composing.reply_room
    assert room.reply is not None
    before = len(room.reply.corrections)
    room.list.setFocus()
    key(composing, "own_correction")
    assert (
        len(room.reply.corrections) == before + 1 and first(composing).code == "own-1" and first(composing).frame == composing.mirror.frame
    )
    room.words.edits["title"].setPlainText("Hands let go of the handles")
    settle_picture(composing, qtbot)
    assert room.canvas.tag() is None  # no number, no tag
    key(composing, "go_mirror")
    composing.mirror.film.setFocus()
    key(composing, "compose")
    settle_picture(composing, qtbot)
    assert [c.title for c in room.reply.corrections][-1] == "Hands let go of the handles"


def test_one_key_says_the_other_answer_and_it_is_saved(window: MainWindow, qtbot: QtBot) -> None:
    press = next(f for f in window.library.films() if f.brief["movement"] == "leg_press")
    opened(window, qtbot, press.id)
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    key(window, "compose")
    settle_picture(window, qtbot)
    room, item = window.reply_room, first(window)
    stop, open_knees = item.answers
    assert room.answers.isVisibleTo(room) and "1 of 2" in room.answers.text() and item.change == stop
    key(window, "other_answer")
    assert first(window).change == open_knees == room.words.edits["change"].toPlainText() and "2 of 2" in room.answers.text()
    qtbot.waitUntil(lambda: kept(window).get("change") == open_knees)
    key(window, "other_answer")
    assert first(window).change == stop
    room.words.edits["change"].setPlainText("My own words.")
    key(window, "other_answer")
    assert first(window).change == stop, "from the coach's own words the first answer comes"


def test_a_correction_with_one_answer_says_so(composing: MainWindow) -> None:
    before = first(composing).change
    key(composing, "other_answer")
    assert first(composing).change == before and "one answer" in composing.reply_room.state.text()
