"""Words in another language are longer: nothing may be cut, and every word must go through the translation."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator

import pytest
from pypdf import PdfReader
from PyQt6.QtCore import Qt, QTranslator
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractButton, QApplication, QDialog, QLabel, QScrollArea, QToolButton
from pytestqt.qtbot import QtBot

from deepmirror.reply.page import render_page, render_request
from deepmirror.reply.pdf import render_pdf
from deepmirror.reply.sheet import render_sheet
from deepmirror.services.clients.sheets import make_sheet
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.retake_request import draft_request
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.translation import load_language, speak
from deepmirror.ui.window import ROOMS, USUAL_SIZE, MainWindow
from deepmirror.words import speak_with
from tests.gui.pseudo_language import PseudoLanguage, english_in, shown_on
from tests.gui.ui_driver import PATIENCE, open_film


@pytest.fixture
def foreign(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary) -> Iterator[MainWindow]:
    """The window in a language that is a third longer."""
    apply_theme(qapp)
    translator = PseudoLanguage()
    speak(qapp, translator)
    window = MainWindow(demo_library)
    window.resize(USUAL_SIZE)
    window.show()
    qtbot.waitUntil(lambda: not window.jobs and not window.desk_room.missing_strips(), timeout=20000)
    yield window
    window.close()
    window.deleteLater()
    qapp.removeTranslator(translator)
    speak_with(None)


def test_buttons_and_words_have_room_for_a_longer_language(foreign: MainWindow, qtbot: QtBot) -> None:
    open_film(foreign, qtbot, "Bram")
    foreign.follow_up.compare()
    qtbot.waitUntil(lambda: foreign.compare.pair is not None and not foreign.jobs, timeout=PATIENCE)
    foreign.reply_control.compose()
    qtbot.waitUntil(lambda: foreign.reply_room.canvas.image() is not None, timeout=PATIENCE)
    foreign.client_control.open(None)
    qtbot.waitUntil(lambda: not foreign.jobs, timeout=PATIENCE)
    for room in ROOMS:
        foreign.go(room)
        qtbot.wait(30)
        assert foreign.width() == 1280, room  # the window did not have to grow
        seen = [b for b in foreign.findChildren(QAbstractButton) if b.isVisible() and b.text() and not isinstance(b, QToolButton)]
        assert len(seen) > 5
        for button in seen:
            assert "«" in button.text() or "…" in button.text() or not button.text().strip().isalpha(), button.text()
            assert button.sizeHint().width() <= button.width() + 3, f"{room}: {button.text()} is cut"
        for area in (a for a in foreign.findChildren(QScrollArea) if a.isVisible()):
            inside, shown = area.widget(), area.viewport()
            scrolls = area.horizontalScrollBarPolicy() != Qt.ScrollBarPolicy.ScrollBarAlwaysOff
            assert scrolls or inside is None or shown is None or inside.width() <= shown.width() + 2, f"{room}: a panel is cut"
    said = [label.text() for label in foreign.findChildren(QLabel) if "«" in label.text()]
    assert len(said) > 40
    assert {a.text()[0] for a in foreign.actions_by_id.values()} == {"«"}


def test_a_language_that_does_not_ship_is_left_out() -> None:
    assert not load_language(QTranslator(), "xx_YY")


class Reader:
    """Reads all that a window shows, drawn texts too, and keeps what no translator could have reached."""

    def __init__(self, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
        self._window, self._qtbot = window, qtbot
        self._drawn: set[str] = set()
        self.english: dict[str, str] = {}
        self.texts = 0
        really = QPainter.drawText

        def spy(painter: QPainter, *about: object) -> object:
            self._drawn |= {a for a in about if isinstance(a, str)}
            return really(painter, *about)  # type: ignore[call-overload]

        monkeypatch.setattr(QPainter, "drawText", spy)

    def read(self, where: str) -> None:
        """Everything that is on the screen now."""
        self._qtbot.waitUntil(lambda: not self._window.jobs, timeout=PATIENCE)
        self._window.repaint()
        self._qtbot.wait(60)
        found = [*shown_on(self._window), *(("drawn", text) for text in self._drawn)]
        self._drawn.clear()
        self.texts += len(found)
        self.english |= {text: f"{where}: {what}" for what, text in found if english_in(text)}


def test_every_text_on_the_screens_can_be_translated(foreign: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    reader = Reader(foreign, qtbot, monkeypatch)
    for room in ("desk", "plan", "floor"):
        foreign.go(room)
        reader.read(room)
    for client in ("Bram", "Oren", "Tove", "Ines", "Nuru", "Yuna"):
        open_film(foreign, qtbot, client)
        reader.read(f"the film of {client}")
        foreign.mirror.toggle_placing()
        reader.read(f"placing points of {client}")
        foreign.mirror.toggle_placing()
    foreign.reply_control.compose()
    qtbot.waitUntil(lambda: foreign.reply_room.canvas.image() is not None, timeout=PATIENCE)
    reader.read("the reply")
    foreign.follow_up.compare()
    reader.read("comparing")
    foreign.client_control.open(None)
    reader.read("the client")
    assert reader.texts > 1000
    assert not reader.english


DIALOGS = {
    "mirror": ("settings", "change_keys", "caution", "new_client", "refilm", "sheet"),
    "person": ("rename_client",),
    "plan": ("log_session", "note_pain", "session_page"),
}


def test_dialogs_too(foreign: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    reader = Reader(foreign, qtbot, monkeypatch)
    open_film(foreign, qtbot, "Nuru")
    into: dict[str, Callable[[], object]] = {
        "mirror": lambda: foreign.go("mirror"),
        "person": lambda: foreign.client_control.open(None),
        "plan": lambda: foreign.plan.open(None),
    }
    for room, actions in DIALOGS.items():
        for name in actions:
            into[room]()
            qtbot.waitUntil(lambda: not foreign.jobs, timeout=PATIENCE)
            foreign.actions_by_id[name].trigger()
            qtbot.waitUntil(lambda: any(d.isVisible() for d in foreign.findChildren(QDialog)), timeout=PATIENCE)
            reader.read(name)
            for dialog in foreign.findChildren(QDialog):
                dialog.close()
    assert not reader.english


def test_what_a_client_gets_can_be_translated(foreign: MainWindow, qtbot: QtBot) -> None:
    library, english = foreign.library, dict[str, str]()
    for who in ("Oren", "Ines", "Nuru", "Yuna"):
        open_film(foreign, qtbot, who)
        assert foreign.review is not None and foreign.review.analysis is not None
        reply, record = draft_reply(foreign.review.analysis, coach="Marit Oduya, the boat shed"), foreign.review.record
        request = draft_request(library, record.id, foreign.review.analysis)
        sheet = make_sheet(library, record.client_id, record.movement, foreign.review.analysis)
        printed = PdfReader(io.BytesIO(render_pdf(reply, {}))).pages[0].extract_text()
        pages = (render_page(reply, {}, None, ""), printed, render_request(request, b""), request.text(), render_sheet(sheet))
        for page in pages:
            body = page.partition("<body>")[2] or page
            assert "«" in body
            english |= {" ".join(english_in(body)): who} if english_in(body) else {}
    assert not english
