"""One answer for the day, by keys: from the Desk's row of a visit to one sent reply."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmState
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import PATIENCE, key, opened, solved


def test_a_visit_is_one_row_stepped_through_and_answered_once(window: MainWindow, qtbot: QtBot) -> None:
    window.library.store.phrases.set("visit_hours", 48)
    desk = window.desk_room
    desk.refresh()
    mine = [f for f in window.library.films() if f.client_name.startswith("Yuna")]
    rows = [f for f in desk.model.films if f.client_name.startswith("Yuna")]
    assert len(mine) == 2 and len(rows) == 1 and "2 films" in desk.model.index(desk.model.row_of(mine[0].id)).data()
    assert desk.model.row_of(mine[0].id) == desk.model.row_of(mine[1].id)
    keys = 1  # N
    opened(window, qtbot, rows[0].id)
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    assert "film 1 of 2" in window.mirror.title.text()
    key(window, "visit_on")
    keys += 1
    qtbot.waitUntil(lambda: window.review is not None and window.review.film_id != rows[0].id and solved(window), timeout=PATIENCE)
    assert "film 2 of 2" in window.mirror.title.text()
    key(window, "compose")
    keys += 1
    room = window.reply_room
    qtbot.waitUntil(lambda: window.stack.currentWidget() is room and room.reply is not None and not window.jobs, timeout=PATIENCE)
    reply = room.reply
    assert reply is not None and reply.films == [rows[0].id] and 1 <= len(reply.chosen()) <= 3
    assert isinstance(room.whole_visit, QCheckBox) and room.whole_visit.isVisible() and "All 2 films" in room.whole_visit.text()
    other = next(i for i, c in enumerate(reply.corrections) if c.film_id is not None)
    room.list.setCurrentRow(len(reply.since) + other)
    qtbot.waitUntil(lambda: room.canvas.image() is not None, timeout=PATIENCE)
    assert room.frame.maximum() > 100
    room.whole_visit.setChecked(False)
    qtbot.waitUntil(lambda: room.reply is not None and room.reply.films == [], timeout=PATIENCE)
    room.whole_visit.setChecked(True)
    qtbot.waitUntil(lambda: room.reply is not None and room.reply.films == [rows[0].id] and not window.jobs, timeout=PATIENCE)
    key(window, "send")
    keys += 1
    qtbot.waitUntil(lambda: all(window.library.film(f.id).state == FilmState.SENT for f in mine) and not window.jobs, timeout=PATIENCE)
    assert keys <= 20
