"""A real window, offscreen, on the demo library."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.window import USUAL_SIZE, MainWindow


@pytest.fixture(autouse=True)
def _numbers_once(concluded_once: None) -> None:
    """The interface's tests work the same numbers out once."""


@pytest.fixture
def window(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary) -> Iterator[MainWindow]:
    apply_theme(qapp)
    window = MainWindow(demo_library)
    window.resize(USUAL_SIZE)  # the screen that is none is smaller
    window.show()
    qtbot.waitUntil(lambda: not window.jobs and not window.desk_room.missing_strips(), timeout=20000)
    yield window
    window.close()
    window.deleteLater()
