"""A window whose mistakes nobody foresaw, with the program's own guard instead of the test runner's."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PyQt6.QtWidgets import QApplication, QMessageBox
from pytestqt.qtbot import QtBot

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.ui.failures import FailureGuard
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.window import USUAL_SIZE, MainWindow


@pytest.fixture
def guarded(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary) -> Iterator[MainWindow]:
    """The window as the program opens it, its failure guard installed."""
    apply_theme(qapp)
    guard = FailureGuard(demo_library.failures)
    guard.install()
    window = MainWindow(demo_library)
    guard.told.connect(window.show_error)
    window.resize(USUAL_SIZE)  # the screen that is none is smaller
    window.show()
    qtbot.waitUntil(lambda: not window.jobs and not window.desk_room.missing_strips(), timeout=20000)
    yield window
    window.edits._closing = True
    window.close()
    window.deleteLater()
    guard.uninstall()


def said(window: MainWindow) -> list[str]:
    """The sentences the window shows just now."""
    boxes = [box.text() for box in window.findChildren(QMessageBox) if box.isVisible()]
    return [*boxes, *([window.refusal.text()] if window.refusal.text() else [])]


@pytest.fixture(autouse=True)
def _numbers_once(concluded_once: None) -> None:
    """The same numbers are worked out once for these tests."""
