"""A real window, offscreen, on the demo library."""

from __future__ import annotations

import hashlib
import pickle
from collections.abc import Iterator

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from deepmirror.exchange.brief import Brief
from deepmirror.media.film import FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.concluding import ConcludeHere
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.window import USUAL_SIZE, MainWindow

CONCLUDED: dict[str, Analysis] = {}  # what was worked out once for these tests, by everything it hangs on


@pytest.fixture(autouse=True)
def concluded_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """The same film with the same brief and evidence has the same numbers: the interface's tests work them out once."""

    def remembered(self: ConcludeHere, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
        told = pickle.dumps((facts, brief.file.model_dump_json(), sorted(catalogue.movements), evidence))
        name = hashlib.sha256(told).hexdigest()
        if name not in CONCLUDED:
            CONCLUDED[name] = conclude(facts, brief, catalogue, evidence)
        return CONCLUDED[name]

    monkeypatch.setattr(ConcludeHere, "__call__", remembered)


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
