"""The window fits a small screen, comes back where it was, is worked by keys of the coach's own, and tells a screen reader what is what."""

from __future__ import annotations

import re
from importlib import resources
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QScrollBar,
    QTextBrowser,
    QWidget,
)
from pytestqt.qtbot import QtBot

from deepmirror.commands.table import ACTIONS, holder, keys_in_use
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.settings import own_keys
from deepmirror.ui.help import show_guide
from deepmirror.ui.widgets.keys_dialog import KeysDialog
from deepmirror.ui.window import ROOMS, USUAL_SIZE, MainWindow
from tests.gui.ui_driver import PATIENCE, open_film

SMALL = (1280, 720 - 48)  # a small screen less a window's title bar
WORKED = (QAbstractButton, QComboBox, QLineEdit, QPlainTextEdit, QAbstractSlider, QAbstractSpinBox, QAbstractItemView)


@pytest.fixture
def busy(window: MainWindow, qtbot: QtBot) -> MainWindow:
    """A window with a film, its numbers, a comparison, a reply and a person in its rooms."""
    open_film(window, qtbot, "Bram")
    window.follow_up.compare()
    qtbot.waitUntil(lambda: window.compare.pair is not None and not window.jobs, timeout=PATIENCE)
    window.reply_control.compose()
    qtbot.waitUntil(lambda: window.reply_room.canvas.image() is not None, timeout=PATIENCE)
    window.client_control.open(None)
    window.plan.open(next(c.id for c in window.library.clients() if c.name.startswith("Nuru")))
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    return window


def test_every_room_fits_a_small_screen_with_a_frame_around_it(busy: MainWindow, qtbot: QtBot) -> None:
    busy.resize(*SMALL)
    for room in ROOMS:
        busy.go(room)
        qtbot.wait(30)
        assert (busy.width(), busy.height()) == SMALL, f"{room} asks for {busy.minimumSizeHint()}"
        status = busy.statusBar()
        assert status is not None and status.geometry().bottom() < SMALL[1]
    busy.resize(1920, 1080)
    qtbot.wait(30)
    assert (busy.width(), busy.height()) == (1920, 1080)


def test_whatever_is_worked_can_be_named_by_a_screen_reader(busy: MainWindow, qtbot: QtBot) -> None:
    """A name of its own, its text, its place-holder, its tip, or the label that belongs to it."""
    nameless: list[str] = []
    for room in ROOMS:
        busy.go(room)
        qtbot.wait(20)
        for kind in WORKED:
            for widget in busy.findChildren(kind):
                if widget.isVisible() and not isinstance(widget, QScrollBar) and not _inner(widget) and not _name(widget):
                    nameless.append(f"{room}: {type(widget).__name__} in {type(widget.parent()).__name__}")
    assert nameless == []


def _inner(widget: QWidget) -> bool:
    """A part of a widget that is named as a whole."""
    parent = widget.parent()
    return isinstance(parent, (QComboBox, QAbstractSpinBox, QAbstractItemView)) or widget.objectName().startswith("qt_")


def _name(widget: QWidget) -> str:
    buddy = next((label.text() for label in widget.window().findChildren(QLabel) if label.buddy() is widget), "")
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    held = widget.placeholderText() if isinstance(widget, (QLineEdit, QPlainTextEdit)) else ""
    return widget.accessibleName() or buddy or text or held or widget.toolTip()


def test_the_window_comes_back_where_it_was(window: MainWindow, demo_library: FilmLibrary, qtbot: QtBot) -> None:
    assert window.width() <= USUAL_SIZE.width() and window.height() <= USUAL_SIZE.height()
    window.resize(1150, 690)  # a screen that is none is narrower than that: the height is what can come back here
    folder = demo_library.store.folder
    window.close()
    again = MainWindow(FilmLibrary(folder))
    qtbot.addWidget(again, before_close_func=lambda w: None)
    again.show()
    assert again.height() == 690
    again.close()


def test_a_key_of_the_coachs_own_holds_at_once_and_from_then_on(window: MainWindow, qtbot: QtBot) -> None:
    window.actions_by_id["change_keys"].trigger()
    dialog = window.findChild(KeysDialog)
    assert dialog is not None
    edit = dialog.edits["next_film"]
    edit.setKeySequence(QKeySequence("B"))
    edit.editingFinished.emit()
    assert "Say whose film this is" in dialog.trouble.text() and edit.keySequence().toString() == "N", "that key is another's here"
    edit.setKeySequence(QKeySequence("Ctrl+J"))
    edit.editingFinished.emit()
    assert own_keys(window.library) == {"next_film": "Ctrl+J"} and not dialog.trouble.text()
    dialog.search.setText("whole library")
    shown = [dialog.table.item(i, 0).text() for i in range(dialog.table.rowCount()) if not dialog.table.isRowHidden(i)]  # type: ignore[union-attr]
    assert shown == ["Write the whole library into one file…"]
    dialog.reject()
    opened: list[int] = []
    window.desk_room.opened.disconnect()
    window.desk_room.opened.connect(opened.append)
    window.desk_room.list.setFocus()
    QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_N)
    assert opened == [], "the usual key does nothing any more"
    QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
    assert len(opened) == 1
    dialog = KeysDialog(keys_in_use(own_keys(window.library)), lambda action, key: holder(action, key, keys_in_use({})), window)
    dialog.chosen.connect(window.settings_control._keep_key)
    dialog._reset()
    assert window.actions_by_id["next_film"].shortcut().toString() == "N"


def test_no_two_usual_keys_meet_in_one_room() -> None:
    keys = keys_in_use({})
    assert [(a.id, other.id) for a in ACTIONS if a.key and (other := holder(a, a.key, keys)) is not None] == []


def test_the_guide_is_in_the_program_with_its_pictures(window: MainWindow) -> None:
    page = show_guide(window).findChild(QTextBrowser)
    assert page is not None
    words = page.toPlainText()
    for chapter in ("The first film", "Good filming", "What the numbers mean", "What they cannot tell", "Planning", "Replying"):
        assert chapter in words
    named = {"Ctrl+O": "import", "Ctrl+Return": "send", "Ctrl+E": "preview", "W": "refilm", "Ctrl+Shift+A": "archive_client"}
    for key, action in named.items():
        assert key in words and keys_in_use({})[action] == key, "the guide names the usual keys"
    folder = Path(str(resources.files("deepmirror"))) / "assets" / "guide"
    pictures = re.findall(r"\]\((\w+\.jpg)\)", (folder / "guide.md").read_text("utf-8"))
    assert len(pictures) == 4 and all(not QImage(str(folder / p)).isNull() for p in pictures)
