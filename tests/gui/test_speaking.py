"""Speaking over the reply's film: recorded, played again, written down, sent with the reply, and left out again."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
import pytest
import webvtt
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from deepmirror.media.writer import write_film
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.replies.rendering import Reply
from deepmirror.services.replies.spoken_take import ABOUT, FILM, HAND, VOICE, mark_of, new_take, read_take, takes_of
from deepmirror.standins.simulated_microphone import SimulatedMicrophone
from deepmirror.store.sweep import sweep
from deepmirror.ui.control import speak_controller
from deepmirror.ui.rooms.reply.speak_dialog import SpeakDialog
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.window import USUAL_SIZE, MainWindow
from tests.gui.ui_driver import PATIENCE, key, open_film


class Deaf(SimulatedMicrophone):
    """One that another program holds."""

    name = "deaf microphone"

    def start(self, take) -> None:  # type: ignore[no-untyped-def]
        from deepmirror.errors import NoSound

        raise NoSound("“deaf microphone” cannot be heard.")


@pytest.fixture
def window(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary) -> Iterator[MainWindow]:
    apply_theme(qapp)
    window = MainWindow(demo_library, microphones=lambda: [SimulatedMicrophone(), Deaf(), SimulatedMicrophone(dead=True)])
    window.resize(USUAL_SIZE)
    window.show()
    open_film(window, qtbot, "Nuru")
    key(window, "compose")
    qtbot.waitUntil(lambda: window.stack.currentWidget() is window.reply_room, timeout=PATIENCE)
    yield window
    window.close()
    window.deleteLater()


@pytest.fixture
def plain_film(monkeypatch: pytest.MonkeyPatch) -> None:
    """The film to speak over is two grey seconds: drawing the real one takes longer than all that is tested with it."""

    def write(library: FilmLibrary, film_id: int, path: Path, analysis: object, reply: Reply, progress: object) -> Path:
        take = new_take(library, film_id)
        write_film(take / FILM, (np.full((180, 320, 3), 3 * k, np.uint8) for k in range(60)), 30.0)
        (take / ABOUT).write_text(mark_of(reply))
        return take

    monkeypatch.setattr(speak_controller, "film_to_speak_over", write)


def speaking(window: MainWindow, qtbot: QtBot) -> SpeakDialog:
    """The dialog, with its first picture."""
    settled(window, qtbot)
    key(window, "speak")
    return on_show(window, qtbot)


def settled(window: MainWindow, qtbot: QtBot) -> None:
    """The dialog before is gone, and the window has the keys."""
    qtbot.waitUntil(lambda: not window.findChildren(SpeakDialog) and QApplication.activeWindow() is window)


def on_show(window: MainWindow, qtbot: QtBot) -> SpeakDialog:
    qtbot.waitUntil(lambda: any(d.isVisible() and d.view.image() is not None for d in window.findChildren(SpeakDialog)), timeout=PATIENCE)
    return next(d for d in window.findChildren(SpeakDialog) if d.isVisible())


def press(dialog: SpeakDialog, key: Qt.Key) -> None:
    QTest.keyClick(dialog.view, key)


def draw(dialog: SpeakDialog) -> None:
    middle = QPoint(dialog.view.width() // 2, dialog.view.height() // 2)
    QTest.mousePress(dialog.view, Qt.MouseButton.LeftButton, pos=middle)
    for k in range(1, 5):
        QTest.mouseMove(dialog.view, middle + QPoint(12 * k, 4 * k))
    QTest.mouseRelease(dialog.view, Qt.MouseButton.LeftButton, pos=middle + QPoint(48, 16))


def draft(window: MainWindow) -> dict[str, object]:
    assert window.review is not None
    window.reply_control.save_now()
    window.library.saver.wait()
    return window.library.store.film(window.review.film_id).draft


def test_a_comment_is_spoken_drawn_heard_again_and_sent_with_the_reply(window: MainWindow, qtbot: QtBot) -> None:
    library, review = window.library, window.review
    assert review is not None
    dialog = speaking(window, qtbot)
    assert not dialog.without.isEnabled() and dialog.record.isEnabled() and "Speak" in dialog.record.text()
    press(dialog, Qt.Key.Key_R)
    take = takes_of(library, review.film_id) / str(draft(window)["spoken"])
    assert take.is_dir() and "Stop" in dialog.record.text(), "what is being spoken belongs to the reply at once"
    press(dialog, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: dialog.at.value() > 15, timeout=PATIENCE)
    draw(dialog)
    assert not dialog.playing() and len(dialog.view.strokes) == 1, "the film stands while the hand draws on it"
    stood = dialog.at.value()
    qtbot.wait(300)
    assert dialog.length.text().startswith("0:0") and (take / VOICE).stat().st_size > 10000, "it is kept as it is spoken"
    dialog.at.setValue(stood + 20)
    assert dialog.view.strokes == []
    qtbot.wait(200)
    press(dialog, Qt.Key.Key_R)
    found = read_take(take)
    assert found.length_s > 0.9 and dialog.loudest.text() == f"−{-found.peak_db:.0f} dB" and "well heard" in dialog.state.text()
    assert (take / HAND).read_text().count('"at"') >= 5 and stood + 20 in [getattr(e, "picture", None) for e in found.events]
    assert dialog.at.maximum() + 1 == pytest.approx(found.length_s * 30, abs=2) and not dialog.view.takes_drawing
    press(dialog, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: dialog.at.value() == dialog.at.maximum() and not dialog.playing(), timeout=PATIENCE)
    dialog.words.setPlainText("Look at the pad. It sits too high.")
    dialog.close_button.click()
    assert window.reply_room.speak.text() == "Spoken over" and draft(window)["spoken_words"] == "Look at the pad. It sits too high."

    settled(window, qtbot)
    key(window, "send")
    qtbot.waitUntil(lambda: bool(library.sent(review.film_id)), timeout=PATIENCE)
    folder = Path(library.store.folder) / library.sent(review.film_id)[0].folder
    with av.open(str(folder / "reply.mp4")) as film:
        assert float(film.streams.video[0].duration * film.streams.video[0].time_base) == pytest.approx(found.length_s, abs=0.1)
        heard = max(float(abs(f.to_ndarray()).max()) for f in film.decode(audio=0))
    assert heard > 0.1, "her voice, not silence"
    assert [c.text for c in webvtt.read(str(folder / "reply.vtt"))] == ["Look at the pad.", "It sits too high."]
    assert "What is said in the film" in (folder / "reply.html").read_text("utf-8")
    assert (take / FILM).exists()


def test_it_can_be_left_out_taken_back_and_spoken_anew(plain_film: None, window: MainWindow, qtbot: QtBot) -> None:
    review, room = window.review, window.reply_room
    assert review is not None
    dialog = speaking(window, qtbot)
    press(dialog, Qt.Key.Key_R)
    qtbot.wait(400)
    dialog.close_button.click()
    first = str(draft(window)["spoken"])
    assert first and read_take(takes_of(window.library, review.film_id) / first).length_s > 0.2, "closing ends it and keeps it"
    dialog = speaking(window, qtbot)
    assert dialog.without.isEnabled() and "changed" not in dialog.state.text()
    dialog.without.click()
    assert draft(window)["spoken"] == "" and room.speak.text() == "Speak over it"
    settled(window, qtbot)
    key(window, "undo")
    assert draft(window)["spoken"] == first and room.speak.text() == "Spoken over"
    room.words.edits["cue"].setPlainText("Other words than those in the film.")
    window.reply_control.save_now()
    dialog = speaking(window, qtbot)
    assert "changed since" in dialog.state.text()
    press(dialog, Qt.Key.Key_R)
    qtbot.waitUntil(lambda: not any(d.isVisible() for d in window.findChildren(SpeakDialog)), timeout=PATIENCE)
    again = on_show(window, qtbot)
    assert "Speak (R)" in again.record.text() and draft(window)["spoken"] == first, "the first stays till then"
    press(again, Qt.Key.Key_R)
    qtbot.wait(300)
    again.close_button.click()
    second = str(draft(window)["spoken"])
    assert second and second != first
    places = takes_of(window.library, review.film_id)
    assert {p.name for p in places.glob("spoken-*")} >= {first, second}
    with window.library.store.transaction() as session:
        sweep(window.library.store.folder, session)
    assert {p.name for p in places.glob("spoken-*")} == {second}, "at the next start only what the reply has is kept"


def test_a_microphone_that_cannot_be_heard_says_so_and_changes_nothing(plain_film: None, window: MainWindow, qtbot: QtBot) -> None:
    dialog = speaking(window, qtbot)
    dialog.microphone.setCurrentIndex(1)
    press(dialog, Qt.Key.Key_R)
    assert "cannot be heard" in dialog.state.text() and "Speak (R)" in dialog.record.text() and draft(window).get("spoken", "") == ""
    dialog.microphone.setCurrentIndex(2)
    press(dialog, Qt.Key.Key_R)
    qtbot.waitUntil(lambda: "nothing was heard" in dialog.state.text(), timeout=PATIENCE)
    press(dialog, Qt.Key.Key_R)
    assert draft(window)["spoken"] == "" and "Speak (R)" in dialog.record.text()
    dialog.close_button.click()
    window.speak_control._microphones = list
    dialog = speaking(window, qtbot)
    assert not dialog.record.isEnabled() and ("libpulse0" in dialog.state.text() or "plugged in" in dialog.state.text())
    dialog.close_button.click()
