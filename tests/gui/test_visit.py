"""One answer for the day, by keys: from the Desk's row of a visit to one sent reply."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QCheckBox
from pytestqt.qtbot import QtBot

from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmState
from deepmirror.services.films.two_views import Companion, Match
from deepmirror.ui.control import film_controller
from deepmirror.ui.widgets.panel_helpers import PlainLabel
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import PATIENCE, key, open_film, opened, solved


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
    hurried = {c.code for c in room.reply.corrections}
    assert "tempo_fast_eccentric" in hurried
    brief = window.library.film(rows[0].id).brief | {"tempo": "0.4-0-0.4-0"}
    window.library.store.update_film(rows[0].id, brief=brief)  # the other film is edited meanwhile
    window.reply_control.compose()
    qtbot.waitUntil(lambda: room.reply is not None and {c.code for c in room.reply.corrections} != hurried, timeout=PATIENCE)
    assert "tempo_fast_eccentric" not in {c.code for c in room.reply.corrections}, "its numbers are today's"
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    key(window, "send")
    keys += 1
    qtbot.waitUntil(lambda: all(window.library.film(f.id).state == FilmState.SENT for f in mine) and not window.jobs, timeout=PATIENCE)
    assert keys <= 20


def test_two_films_of_one_set_are_read_in_one_table(
    window: MainWindow, qtbot: QtBot, analyses: dict[str, Analysis], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The demo has no set that was filmed twice: two of its films stand in for one, with the match that the reps would have told."""
    film = next(f for f in window.library.films() if f.original_name.startswith("yuna_back_squat"))
    pair = Companion(film, analyses["yuna_back_squat_front"], Match(0, 1.2, 0.02, True))
    monkeypatch.setattr(film_controller, "companion_of", lambda library, film_id, *_: pair if film_id != film.id else None)
    open_film(window, qtbot, "Bram")
    table = window.mirror.reading.table
    titles = lambda: [table.verticalHeaderItem(i).text() for i in range(table.rowCount())]  # type: ignore[union-attr]
    qtbot.waitUntil(lambda: any("(other film)" in title for title in titles()), timeout=PATIENCE)
    assert any("Thigh above level" in title for title in titles()), "the depth from the side stays"
    words = [label.text() for label in window.mirror.reading.findChildren(PlainLabel)]
    assert any(w.startswith("Read together with the film from the front") for w in words)
    row = next(i for i, title in enumerate(titles()) if "Left knee inside" in title)
    table.cellClicked.emit(row, 3)
    qtbot.waitUntil(lambda: window.review is not None and window.review.film_id == film.id and solved(window), timeout=PATIENCE)
    rep = window.mirror.playback.rep_here
    qtbot.waitUntil(lambda: (found := rep()) is not None and found.number == 4, timeout=PATIENCE)
    assert window.mirror.film.drawing.tag.endswith("cm"), "and the number is drawn there"
