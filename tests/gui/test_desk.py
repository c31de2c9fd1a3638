"""The Desk by its own controls: finding, filtering, arrivals, requests, thousands of films."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from deepmirror.exchange.mailbox import FolderMailbox
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.ui.rooms.desk.films import FilmsModel, days_words
from deepmirror.ui.widgets.request_dialog import RequestDialog
from deepmirror.ui.window import MainWindow
from tests.conftest import DEMO, NOON
from tests.gui.ui_driver import PATIENCE, asked, key


def shown(window: MainWindow) -> list[str]:
    return [f.client_name.split()[0] for f in window.desk_room.model.films]


def test_the_desk_finds_filters_and_sorts(window: MainWindow, qtbot: QtBot) -> None:
    room = window.desk_room
    assert room.state.currentData() == "to answer" and len(shown(window)) == 8
    assert room.summary.text() == "9 films · 8 to answer"
    room.search.setText("squat wobbly")
    assert shown(window) == ["Yuna"]
    room.search.setText("boat shed")  # the machine's name counts as well
    assert sorted(shown(window)) == ["Ines", "Nuru"]
    room.search.clear()
    room.state.setCurrentIndex(room.state.findData("answered"))
    assert shown(window) == ["Bram"]
    room.show_all()
    room.sort.setCurrentIndex(room.sort.findData("by client"))
    assert shown(window) == sorted(shown(window)) and len(shown(window)) == 9
    room.sort.setCurrentIndex(room.sort.findData("newest first"))
    came = [f.arrived_at for f in room.model.films]
    assert came == sorted(came, reverse=True)
    room.sort.setCurrentIndex(room.sort.findData("answer due first"))
    qtbot.mouseClick(room.next, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.review is not None, timeout=PATIENCE)
    assert window.review is not None and window.review.record.client_name.startswith("Oren")
    days = {
        "2026-03-02": "today",
        "2026-03-03": "tomorrow",
        "2026-03-05": "in 3 days",
        "2026-02-27": "3 days late",
        "2026-03-01": "1 day late",
    }
    assert {day: days_words(f"{day}T20:00+00:00", NOON) for day in days} == days


def test_the_bar_stays_on_its_film_when_the_list_changes(window: MainWindow) -> None:
    room = window.desk_room
    room.list.setCurrentIndex(room.model.index(3))
    film = room.selected()
    assert film is not None
    room.sort.setCurrentIndex(room.sort.findData("by client"))
    again = room.selected()
    assert again is not None and again.id == film.id
    room.refresh()
    assert room.selected() == window.library.store.film(film.id)


def test_thousands_of_films_read_only_the_pictures_that_are_seen(window: MainWindow, qtbot: QtBot) -> None:
    films = window.library.films()
    many = [
        replace(films[i % len(films)], id=1000 + i, client_id=1000 + i, client_name=f"Client {i:04d}", state="ready") for i in range(5000)
    ]
    model = FilmsModel()
    asked: list[int] = []
    model.strip_wanted.connect(asked.append)
    model.set_films(many)
    assert model.rowCount() == 5000 and asked == []
    model.needle = "client 4321"
    model.arrange()
    assert [f.client_name for f in model.films] == ["Client 4321"]
    model.needle = ""
    model.arrange()
    room = window.desk_room
    room.model.set_films(many)
    window.repaint()
    qtbot.wait(50)
    assert 0 < len(room.model.wanted | set(room.model.strips)) < 30


def test_pictures_of_rows_are_read_while_the_desk_is_seen_and_not_beside_other_work(window: MainWindow, qtbot: QtBot) -> None:
    desk = window.desk_room
    qtbot.waitUntil(lambda: not desk.missing_strips(), timeout=PATIENCE)
    window.go("plan")
    film_id = desk.model.everything[0].id
    desk.model.strips.pop(film_id, None)
    desk.model.strip(film_id)
    qtbot.wait(200)
    assert film_id in desk.model.wanted and film_id not in desk.model.strips
    window.go("desk")
    qtbot.waitUntil(lambda: bool(desk.model.strips.get(film_id)), timeout=PATIENCE)


def test_a_watched_folder_brings_a_film_that_is_given_a_name_with_one_key(
    window: MainWindow, qtbot: QtBot, tmp_path: Path, short_film: Path
) -> None:
    inbox = tmp_path / "inbox"
    inbox.mkdir()
    shutil.copyfile(short_film, inbox / "tove back_squat.mp4")
    window.inbox.watch(Arrivals(window.library, FolderMailbox(inbox)))
    post = window.desk_room.post
    qtbot.waitUntil(lambda: bool(post.arrivals), timeout=20000)
    window.inbox.rest()
    assert post.isVisible() and len(post.buttons) == 1
    window.desk_room.list.setFocus()
    key(window, "place_arrival")
    dialog = asked(window, qtbot)
    assert dialog.client.currentText() == "Tove Lindqvist" and dialog.movement.currentData() == "back_squat"
    buttons = dialog.findChild(QDialogButtonBox)
    assert buttons is not None
    qtbot.mouseClick(buttons.button(QDialogButtonBox.StandardButton.Ok), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not post.isVisible(), timeout=PATIENCE)
    assert window.library.films()[0].client_name == "Tove Lindqvist"
    window.stop_job()  # what is tested here is that it came in, not how it is measured
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)


def test_refused_letters_stand_there_until_they_are_set_aside(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    broken = tmp_path / "broken.zip"
    broken.write_bytes(b"PK\x03\x04 no")
    window.film_import.bring(broken)
    post = window.desk_room.post
    qtbot.waitUntil(lambda: bool(post.arrivals), timeout=20000)
    assert post.arrivals[0].state == "refused" and "broken.zip" in post.arrivals[0].sentence
    window.inbox.set_aside(post.arrivals[0])
    assert not post.isVisible() and window.library.store.arrivals.newest()[0].state == "aside"


def test_a_new_film_is_asked_for_in_two_keys(window: MainWindow, qtbot: QtBot) -> None:
    room = window.desk_room
    film = room.selected()
    assert film is not None
    room.list.setFocus()
    key(window, "refilm")
    qtbot.waitUntil(lambda: window.findChild(RequestDialog) is not None, timeout=20000)
    dialog = window.findChild(RequestDialog)
    assert dialog is not None and film.client_name.split()[0] in dialog.words.toPlainText()
    QTest.keyClick(dialog, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.library.store.film(film.id).state == "asked", timeout=20000)
    qtbot.waitUntil(lambda: not window.jobs, timeout=20000)
    assert film.id not in [f.id for f in room.model.films] and "1 wait for a new one" in room.summary.text()
    sent = window.library.store.replies.of_film(film.id)[0]
    assert sent.kind == "refilm" and sent.state == "handed" and (window.library.store.folder / "outbox").is_dir()


def test_the_side_is_guessed_from_the_picture_until_it_is_said(window: MainWindow, qtbot: QtBot) -> None:
    window.film_import.bring(DEMO / "yuna_back_squat_front.mp4")
    dialog = asked(window, qtbot)
    qtbot.waitUntil(lambda: dialog.view.currentData() == "front", timeout=20000)
    assert "Guessed" in dialog.view.toolTip()
    dialog.view.setCurrentIndex(dialog.view.findData("rear"))
    dialog.offer(("front", None))
    assert dialog.view.currentData() == "rear" and dialog.view.toolTip() == ""
    dialog.reject()
