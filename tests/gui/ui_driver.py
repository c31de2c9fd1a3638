"""What a coach's hands do in the window."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from deepmirror.commands.table import ACTIONS
from deepmirror.ui.rooms.mirror.room import MirrorRoom
from deepmirror.ui.widgets.import_dialog import ImportDialog
from deepmirror.ui.window import MainWindow

PATIENCE = 60000  # ms; generous for a busy machine: no wait lasts longer than the work it waits for


def solved(window: MainWindow) -> bool:
    """True when the open film's numbers are worked out and shown."""
    return window.review is not None and window.review.analysis is not None and not window.jobs and not window.mirror.turns.waiting()


def opened(window: MainWindow, qtbot: QtBot, film_id: int) -> None:
    """Open a film and wait until it is on show."""
    window.open_film(film_id)
    qtbot.waitUntil(lambda: window.review is not None and window.review.film_id == film_id, timeout=PATIENCE)


def open_film(window: MainWindow, qtbot: QtBot, client: str) -> None:
    mine = [f for f in window.library.films() if f.client_name.startswith(client)]
    film = next((f for f in mine if f.brief["movement"] == "back_squat"), mine[0])
    opened(window, qtbot, film.id)
    qtbot.waitUntil(lambda: window.review is not None and (window.review.evidence is None or solved(window)), timeout=PATIENCE)
    qtbot.waitUntil(lambda: window.mirror.film.image() is not None and window.mirror.frame == window.mirror.playback.wanted, timeout=10000)


def asked(window: MainWindow, qtbot: QtBot) -> ImportDialog:
    """The dialog that asks about a film, once its first picture was read and it is shown."""
    qtbot.waitUntil(lambda: any(d.isVisible() for d in window.findChildren(ImportDialog)), timeout=PATIENCE)
    return next(d for d in window.findChildren(ImportDialog) if d.isVisible())


def settle(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.mirror.frame == window.mirror.playback.wanted, timeout=10000)


def key(window: MainWindow, action_id: str) -> None:
    """Press an action's own key in the window."""
    entry = next(a for a in ACTIONS if a.id == action_id)
    combination = QKeySequence(entry.key)[0]
    QTest.keyClick(QApplication.focusWidget() or window, combination.key(), combination.keyboardModifiers())


def choose_mark(mirror: MirrorRoom, kind: str) -> None:
    """Click a row of the marks' list."""
    marks = mirror.placing.marks
    row = next(marks.item(i) for i in range(marks.count()) if marks.item(i).data(Qt.ItemDataRole.UserRole) == kind)
    marks.scrollToItem(row)
    QTest.mouseClick(marks.viewport(), Qt.MouseButton.LeftButton, pos=marks.visualItemRect(row).center())


def click_film(mirror: MirrorRoom, *spots: tuple[float, float]) -> None:
    for x, y in spots:
        QTest.mouseClick(mirror.film, Qt.MouseButton.LeftButton, pos=mirror.film.to_view(QPointF(x, y)).toPoint())
