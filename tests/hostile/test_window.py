"""The window with a mistake planted in it: it goes on, says one sentence, and keeps what was entered."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication, QLabel, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.observation_runner import SubprocessObserver
from deepmirror.ui.opening import open_desk
from deepmirror.ui.window import MainWindow
from tests.conftest import NOON
from tests.gui.ui_driver import PATIENCE, asked, key, open_film, opened, settle, solved
from tests.hostile.conftest import said
from tests.hostile.test_library import locked

pytestmark = pytest.mark.qt_no_exception_capture  # the program's own guard is what is tested


def still_works(window: MainWindow, qtbot: QtBot) -> None:
    """Close the box, open a film, step through it."""
    for box in window.findChildren(QMessageBox):
        box.close()
    open_film(window, qtbot, "Bram")
    before = window.mirror.frame
    key(window, "step_on")
    settle(window, qtbot)
    assert window.mirror.frame == before + 1 and window.isVisible()


def reported(window: MainWindow, kind: str) -> bool:
    return any(kind in p.read_text() for p in window.library.store.state_folder().glob("crash-*.txt"))


def test_a_mistake_in_a_slot(guarded: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    def slot(*_: object) -> None:
        raise ZeroDivisionError("in a slot")

    monkeypatch.setattr(guarded.mirror, "toggle_lines", slot)
    guarded.desk_room.sort.activated.connect(slot)
    for _ in range(5):  # a mistake that comes again and again is told once
        guarded.desk_room.sort.activated.emit(0)
    qtbot.waitUntil(lambda: bool(said(guarded)), timeout=PATIENCE)
    assert len(said(guarded)) == 1 and "went wrong" in said(guarded)[0] and reported(guarded, "ZeroDivisionError")
    still_works(guarded, qtbot)


def test_a_mistake_in_a_job(guarded: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(*_: object) -> None:
        raise KeyError("in a job")

    monkeypatch.setattr(guarded.library, "conclude", breaks)
    opened(guarded, qtbot, guarded.library.films()[0].id)
    qtbot.waitUntil(lambda: bool(said(guarded)) and not guarded.jobs, timeout=PATIENCE)
    assert len(said(guarded)) == 1 and reported(guarded, "KeyError")
    assert guarded.review is not None and "could not be worked out" in guarded.review.problem
    monkeypatch.undo()
    still_works(guarded, qtbot)
    qtbot.waitUntil(lambda: solved(guarded), timeout=PATIENCE)


def test_a_mistake_in_the_frame_thread(guarded: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    open_film(guarded, qtbot, "Tove")
    assert guarded.review is not None

    def breaks(_: int) -> None:
        raise IndexError("in the frame thread")

    monkeypatch.setattr(guarded.review, "picture", breaks)
    for _ in range(3):
        key(guarded, "step_on")
        qtbot.wait(30)
    qtbot.waitUntil(lambda: bool(said(guarded)), timeout=PATIENCE)
    assert len(said(guarded)) == 1 and reported(guarded, "IndexError")
    monkeypatch.undo()
    still_works(guarded, qtbot)


@pytest.mark.parametrize("how", ["a mistake in the child", "a killed child"])
def test_a_child_that_ends_makes_a_failed_film_that_a_key_tries_again(
    guarded: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, how: str
) -> None:
    film = guarded.library.films()[0]
    code = "raise OverflowError('of ' + 'Tove Lindqvist')" if how.startswith("a mistake") else "os.kill(os.getpid(), 9)"
    script = f"import os, sys; from deepmirror import bootstrap\ndef f(): {code}\nsys.exit(bootstrap.ending(f))"
    real, real_look = subprocess.Popen, guarded.library.look
    monkeypatch.setattr("deepmirror.services.common.jobs.subprocess.Popen", lambda words, **k: real([words[0], "-c", script], **k))
    guarded.library.look = SubprocessObserver(None, guarded.library.store.work_folder())
    guarded.go("desk")
    guarded.desk_room.show_all()
    guarded.desk_room._select(film.id)
    key(guarded, "measure")
    qtbot.waitUntil(lambda: guarded.library.store.film(film.id).state == "failed" and not guarded.jobs, timeout=PATIENCE)
    line = guarded.library.store.film(film.id).line
    assert ("signal 9" in line) == (how == "a killed child") and said(guarded) == []
    if how.startswith("a mistake"):
        assert reported(guarded, "OverflowError") and not reported(guarded, "Tove Lindqvist")
    assert list(guarded.library.store.work_folder().iterdir()) == []
    monkeypatch.undo()
    good = guarded.library.evidence(film.id, film_frames(guarded.library, film.id))
    guarded.library.look = lambda *_: good
    guarded.desk_room._select(film.id)
    key(guarded, "measure")
    qtbot.waitUntil(lambda: guarded.library.store.film(film.id).state == "ready" and not guarded.jobs, timeout=PATIENCE)
    guarded.library.look = real_look
    still_works(guarded, qtbot)


def film_frames(library: FilmLibrary, film_id: int) -> int:
    film, _, _ = library.open_analysis(film_id)
    with film:
        return len(film.times)


def test_an_edit_a_locked_library_does_not_take_is_told_kept_and_saved(guarded: MainWindow, qtbot: QtBot) -> None:
    open_film(guarded, qtbot, "Tove")
    qtbot.waitUntil(lambda: solved(guarded), timeout=PATIENCE)
    assert guarded.review is not None
    with locked(guarded.library.store.folder):
        guarded.mirror.annotator.set_field(tempo="3-1-1-0")
        qtbot.waitUntil(lambda: bool(said(guarded)), timeout=PATIENCE)
        assert len(said(guarded)) == 1 and "is kept in the window" in said(guarded)[0] and guarded.edits.sign.isVisible()
        assert not guarded.close() and guarded.isVisible(), "it asks before an edit is lost"
        qtbot.waitUntil(lambda: not guarded.jobs, timeout=PATIENCE)
    guarded.library.saver.retry()
    qtbot.waitUntil(lambda: not guarded.edits.sign.isVisible(), timeout=PATIENCE)  # its own thread may have been first, and tells later
    assert guarded.library.store.film(guarded.review.film_id).brief["tempo"] == "3-1-1-0"


def test_what_was_answered_of_a_film_is_not_lost_when_it_cannot_be_taken_in(
    guarded: MainWindow, qtbot: QtBot, short_film: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    guarded.film_import.bring(short_film)
    dialog = asked(guarded, qtbot)
    dialog.fill("Ulla Brandt", "back_squat", "side-left", 45, "felt easy")

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("deepmirror.store.library.copy_part", full)
    ok = next(b for b in dialog.findChildren(QPushButton) if b.objectName() == "accent")
    qtbot.mouseClick(ok, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "No space left" in dialog.problem.text(), timeout=PATIENCE)
    assert (
        dialog.isVisible() and dialog.name.text() == "Ulla Brandt" and not any(c.name == "Ulla Brandt" for c in guarded.library.clients())
    )
    monkeypatch.undo()
    qtbot.mouseClick(ok, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: any(f.client_name == "Ulla Brandt" for f in guarded.library.films()), timeout=PATIENCE)
    guarded.stop_job()
    qtbot.waitUntil(lambda: not guarded.jobs, timeout=PATIENCE)


def test_evidence_that_is_gone_is_made_again_when_the_film_is_opened(guarded: MainWindow, qtbot: QtBot) -> None:
    film = guarded.library.films()[0]
    good = guarded.library.evidence(film.id, film_frames(guarded.library, film.id))
    guarded.library.look = lambda *_: good
    guarded.library.store.evidence_path(film.id).write_bytes(b"PK torn")
    opened(guarded, qtbot, film.id)
    qtbot.waitUntil(lambda: solved(guarded), timeout=PATIENCE)
    assert guarded.library.store.film(film.id).state == film.state


def test_names_are_words_and_never_markup(guarded: MainWindow, qtbot: QtBot) -> None:
    name = "<img src=/etc/x.png><b>Ann</b> & Co"
    film = next(f for f in guarded.library.films() if f.client_name.startswith("Bram"))
    with guarded.library.store.transaction() as s:
        s.connection().exec_driver_sql("UPDATE client SET name = ? WHERE id = ?", (name, film.client_id))
    arrivals = guarded.library.store.arrivals
    arrivals.add(letter="x", name="<h1>big</h1>.zip", sha256="0", came_at="2026", state="refused", sentence="<u>why</u>")
    guarded.desk_room.refresh()
    opened(guarded, qtbot, film.id)
    qtbot.waitUntil(lambda: solved(guarded), timeout=PATIENCE)
    guarded.reply_control.compose()
    qtbot.waitUntil(lambda: guarded.reply_room.canvas.image() is not None, timeout=PATIENCE)
    guarded.client_control.open(None)
    guarded.show_error(f"{name} could not be read.")
    labels = [label for widget in QApplication.topLevelWidgets() for label in widget.findChildren(QLabel)]
    odd = [label for label in labels if "<" in label.text() and label.textFormat() != Qt.TextFormat.PlainText]
    assert [label for label in odd if "<img" in label.text() or "<h1" in label.text() or "<u" in label.text()] == []
    assert any(name in label.text() for label in labels) and any("<h1>" in label.text() for label in labels)
    tips = [label.toolTip() for label in labels if "why" in label.toolTip()]
    assert tips == ["<span>&lt;u&gt;why&lt;/u&gt;</span>"]
    qtbot.waitUntil(lambda: not guarded.jobs, timeout=PATIENCE)


@pytest.mark.parametrize(("choice", "opened"), [("Open it for reading only", True), ("Close", False)])
def test_a_library_that_is_open_elsewhere_can_be_read(
    qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary, choice: str, opened: bool
) -> None:
    folder = demo_library.store.folder
    QTimer.singleShot(200, lambda: answer(choice))
    library = open_desk(folder, lambda reading: FilmLibrary(folder, NOON, read_only=reading))
    assert (library is not None) == opened
    if library is not None:
        window = MainWindow(library)
        window.show()
        assert "reading only" in window.windowTitle()
        open_film(window, qtbot, "Tove")
        qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
        window.mirror.annotator.set_field(tempo="3-1-1-0")
        assert "for reading only" in said(window)[0] and window.mirror.tempo.text() != "3-1-1-0"
        window.close()
        window.deleteLater()


def test_a_damaged_library_goes_back_to_a_backup_when_the_coach_says_so(qtbot: QtBot, demo_library: FilmLibrary) -> None:
    folder, count = demo_library.store.folder, len(demo_library.films())
    demo_library.close()
    (folder / "library.db").write_bytes(b"")
    QTimer.singleShot(200, lambda: answer("Go back to"))
    QTimer.singleShot(900, lambda: answer("Go on"))
    library = open_desk(folder, lambda reading: FilmLibrary(folder, NOON, read_only=reading))
    assert library is not None and len(library.films()) == count
    library.close()


def answer(words: str) -> None:
    """Press a button of the box that is open."""
    box = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible())
    next(b for b in box.buttons() if b.text().startswith(words)).click()


def test_the_real_program_outlives_a_mistake_and_ends_when_it_is_asked_to(tmp_path: Path) -> None:
    """The program itself in a process of its own, on an empty library: a mistake in a slot, then SIGTERM."""
    script = f"""
import sys
from PyQt6.QtCore import QTimer
from deepmirror.ui import app, window
real = window.MainWindow.show
def show(self):
    real(self)
    QTimer.singleShot(100, lambda: 1 / 0)
    QTimer.singleShot(600, tell)
def tell():
    box = app.QApplication.activeModalWidget()
    print("goes on", box.text() if box else "no box", flush=True)
window.MainWindow.show = app.MainWindow.show = show
from deepmirror import bootstrap
from pathlib import Path
sys.exit(bootstrap.run_window(Path({str(tmp_path / "library")!r}), False))
"""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True, env=environment) as process:
        assert process.stdout is not None
        line = process.stdout.readline()
        assert line.startswith("goes on") and "went wrong" in line
        process.send_signal(signal.SIGTERM)
        started = time.monotonic()
        assert process.wait(timeout=60) == 0 and time.monotonic() - started < 30
    state = tmp_path / "library" / "state"
    assert "ZeroDivisionError" in next(state.glob("crash-*.txt")).read_text()
    log = (state / "log.txt").read_text()
    assert "started" in log and log.strip().endswith("ended") and (state / "hard-faults.txt").exists()
    assert not [p for p in (tmp_path / "library").rglob("*") if p.stat().st_mode & 0o077]
