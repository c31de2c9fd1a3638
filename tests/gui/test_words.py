"""Words in another language are longer: nothing may be cut, and every word must go through the translation."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtCore import QTranslator
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QToolButton
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.translation import load_language
from deepmirror.ui.window import ROOMS, USUAL_SIZE, MainWindow
from tests.gui.ui_driver import PATIENCE, open_film

LONGER = 1.35  # German against English runs about a third longer; common practice, no source


class Longer(QTranslator):
    """Every word a third longer, and marked."""

    def isEmpty(self) -> bool:
        return False

    def translate(self, context: str | None, words: str | None, disambiguation: str | None = None, n: int = -1) -> str:
        if context != "deepmirror" or not words:
            return words or ""
        return "«" + words + "~" * round(len(words) * (LONGER - 1)) + "»"


@pytest.fixture
def foreign(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary) -> Iterator[MainWindow]:
    """The window in a language that is a third longer."""
    apply_theme(qapp)
    translator = Longer()
    qapp.installTranslator(translator)
    window = MainWindow(demo_library)
    window.resize(USUAL_SIZE)
    window.show()
    qtbot.waitUntil(lambda: not window.jobs and not window.desk_room.missing_strips(), timeout=20000)
    yield window
    window.close()
    window.deleteLater()
    qapp.removeTranslator(translator)


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
    said = [label.text() for label in foreign.findChildren(QLabel) if "«" in label.text()]
    assert len(said) > 40
    assert {a.text()[0] for a in foreign.actions_by_id.values()} == {"«"}


def test_a_language_that_does_not_ship_is_left_out() -> None:
    assert not load_language(QTranslator(), "xx_YY")
