"""Marks of machines, far clicks, another person, and the set-up sheet, by the window's own controls."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from deepmirror.ui.widgets.sheet_dialog import SheetDialog
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import PATIENCE, choose_mark, click_film, key, open_film, opened, settle


def test_machine_marks_are_placed_kept_by_machine_and_questioned_when_taken_over(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Ines")
    mirror = window.mirror
    mirror.toggle_placing()
    assert window.review is not None
    first = mirror.placing.marks.item(0)
    assert first.text() == "◆  Pad edge: lift and slide of hip or thigh"
    choose_mark(mirror, "pivot")
    click_film(mirror, (700.0, 380.0))
    assert window.review.brief.file.marks.pivot == pytest.approx((700.0, 380.0), abs=1.5)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    choose_mark(mirror, "platform")
    mirror.placing.width_cm.setValue(80.0)
    click_film(mirror, (500.0, 400.0), (700.0, 400.0), (720.0, 520.0), (480.0, 520.0))
    assert window.review.brief.file.marks.platform_cm == (80.0, 60.0)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert not mirror.placing.take_over.isEnabled()
    mirror.toggle_placing()
    path = window.library.store.film(window.review.film_id).path
    again = window.library.import_film(_other_copy(path), window.review.record.client_id, "lying_leg_curl", "side-left")
    opened(window, qtbot, again.id)
    settle(window, qtbot)
    mirror.toggle_placing()
    mirror.placing.machine.setCurrentText("Curl bench, boat shed")
    mirror.placing.machine_named.emit("Curl bench, boat shed")
    assert mirror.placing.take_over.isEnabled()
    qtbot.mouseClick(mirror.placing.take_over, Qt.MouseButton.LeftButton)
    file = window.review.brief.file
    assert file.marks.pivot == pytest.approx((700.0, 380.0), abs=1.5) and file.marks_taken_over
    assert "do they lie" in mirror.placing.questions.text()
    qtbot.mouseClick(mirror.placing.fit, Qt.MouseButton.LeftButton)
    assert not window.review.brief.file.marks_taken_over and window.review.questions() == []


def _other_copy(path: Path) -> Path:
    """The same film with another hash: a byte behind its end changes nothing that is shown."""
    copy = path.with_name("other.mp4")
    copy.write_bytes(path.read_bytes() + b"\0\0\0\x08free")
    return copy


def test_a_click_far_from_the_joint_is_asked_about(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    assert window.review is not None and window.review.questions() == []
    x, y = window.review.seed(0)["hip_right"]
    window.review.place(0, "hip_right", (x + 90, y))
    assert "hip right" in window.review.questions()[0] and "frame 1" in window.review.questions()[0]
    window.mirror.annotator.show_marks()
    assert "Look again" in window.mirror.placing.questions.text()


def test_another_person_is_followed_from_a_click(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Bram")
    mirror = window.mirror
    mirror.toggle_placing()
    qtbot.mouseClick(mirror.placing.subject, Qt.MouseButton.LeftButton)
    with qtbot.waitSignal(mirror.wants_measuring):
        click_film(mirror, (640.0, 300.0))
    assert window.review is not None and window.review.brief.file.subject is not None
    assert window.review.brief.seeds == () and window.review.needs_following()
    window.stop_job()
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert window.library.store.film(window.review.film_id).state == "new"


def test_the_set_up_sheet_fits_this_client_and_is_written(window: MainWindow, qtbot: QtBot) -> None:
    open_film(window, qtbot, "Nuru")
    key(window, "sheet")
    dialog = window.findChild(SheetDialog)
    assert dialog is not None
    words = dialog.page.toPlainText()
    assert "Roller's middle below the knee" in words and "does not diagnose" in words and "from the pivot: move it" in words
    qtbot.mouseClick(dialog.save, Qt.MouseButton.LeftButton)
    assert window.review is not None
    folder = window.library.store.folder / "sheets" / f"client-{window.review.record.client_id}"
    assert {p.suffix for p in folder.iterdir()} == {".html", ".pdf"}
    assert next(folder.glob("*.pdf")).read_bytes().startswith(b"%PDF")
    dialog.close()
