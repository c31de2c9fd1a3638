"""The whole job through the real window: a film comes in, is measured, corrected, judged, and a reply goes out."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from deepmirror.ui.window import MainWindow
from tests.conftest import truth_of
from tests.gui.ui_driver import asked, opened, solved

PATIENCE = 120000


def drop(window: MainWindow, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    window.desk_room.dropEvent(event)


def test_from_a_dropped_film_to_a_written_reply(window: MainWindow, qtbot: QtBot, short_film: Path) -> None:
    drop(window, short_film)
    dialog = asked(window, qtbot)
    dialog.client.setCurrentIndex(dialog.client.count() - 1)
    dialog.name.setText("Ulla Brandt")
    dialog.stature.setValue(171)
    dialog.movement.setCurrentIndex(dialog.movement.findData("back_squat"))
    dialog.view.setCurrentIndex(dialog.view.findData("side-left"))
    dialog.tempo.setText("4-0-1-0")
    dialog.load.setValue(45)
    buttons = dialog.findChild(QDialogButtonBox)
    assert buttons is not None
    qtbot.mouseClick(buttons.button(QDialogButtonBox.StandardButton.Ok), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.library.films()[0].client_name == "Ulla Brandt", timeout=PATIENCE)
    film = window.library.films()[0]
    qtbot.waitUntil(lambda: window.library.store.film(film.id).state == "ready", timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)

    opened(window, qtbot, film.id)
    mirror = window.mirror
    qtbot.waitUntil(lambda: mirror.film.image() is not None and mirror.frame == mirror.playback.wanted, timeout=10000)
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    assert window.review is not None and window.review.analysis is not None
    assert len(window.review.analysis.scene.reps) == 1

    mirror.seek(0)
    qtbot.waitUntil(lambda: mirror.frame == 0, timeout=10000)
    mirror.toggle_placing()
    landmarks = truth_of("tove_back_squat_side")["landmarks_px"]
    for joint in ("hip", "knee", "ankle", "heel", "toe", "shoulder"):
        assert mirror.placing.current() == f"{joint}_left"
        spot = mirror.film.to_view(QPointF(*landmarks[f"{joint}_left"][0]))
        QTest.mouseClick(mirror.film, Qt.MouseButton.LeftButton, pos=QPoint(round(spot.x()), round(spot.y())))
    mirror.finish_placing()
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert not window.review.needs_following()
    findings = window.review.analysis.judgement.findings
    assert "tempo_fast_eccentric" in [f.code for f in findings]

    window.reply_control.compose()
    room = window.reply_room
    qtbot.waitUntil(lambda: room.canvas.image() is not None, timeout=20000)
    room.pick_code("tempo_fast_eccentric")
    room.words.edits["cue"].setPlainText("Four slow counts down.")
    qtbot.mouseClick(room.send, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.library.store.film(film.id).state == "sent", timeout=PATIENCE)
    folder = window.library.store.replies.of_film(film.id)[0].folder
    assert "Four slow counts down." in (folder / "reply.html").read_text()
    names = {p.name for p in folder.iterdir()}
    assert {
        "reply.mp4",
        "reply.html",
        "reply.pdf",
        "reply.vtt",
        "points.c3d",
        "points.trc",
        "reps.csv",
        "angles.csv",
        "measures.json",
    } <= names
    assert window.library.store.film(film.id).draft["corrections"]
