"""Through the real window: a film's finding holds a load, a new film opens the gate, and the next session's sheet says so."""

from __future__ import annotations

import shutil
from datetime import timedelta
from pathlib import Path

from pypdf import PdfReader
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from deepmirror.services.films.reference_marks import marks_of_machine
from deepmirror.services.training.training_file import Gate, LoadChange
from deepmirror.ui.rooms.plan.lift_card import LiftCard
from deepmirror.ui.widgets.sheet_dialog import SheetDialog
from deepmirror.ui.window import MainWindow
from tests.conftest import DEMO
from tests.gui.ui_driver import key, opened, solved

DATA = Path(__file__).parent.parent / "data"
PATIENCE = 60000


def curl(window: MainWindow) -> LiftCard:
    """The lying curl's card of the session in a week."""
    room = window.plan_room
    assert room.file is not None
    room.show_day(room.file.today + timedelta(days=7))
    return next(c for c in room.cards if c.lift.movement == "lying_leg_curl")


def test_from_a_films_finding_to_the_next_sessions_sheet(window: MainWindow, qtbot: QtBot) -> None:
    library = window.library
    first = next(f for f in library.films() if f.movement == "lying_leg_curl")
    opened(window, qtbot, first.id)
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    assert window.review is not None and window.review.analysis is not None
    assert "hip_lift_off" in [f.code for f in window.review.analysis.judgement.findings]

    key(window, "go_plan")
    assert window.plan_room.file is not None and window.plan_room.file.name == "Ines Okonkwo", "the open film's client"
    held = curl(window)
    assert (held.lift.gate.gate, held.load.text()) == (Gate.CLOSED, "22 kg")
    assert held.lift.film.ask and held.lift.cue
    assert any("hip lift off" in r for r in held.lift.reasons)

    # her next film comes; the bench's marks of the last one are taken over, as for every film on a known machine
    film = library.import_film(DEMO / "arrivals" / "ines_lying_curl_week2.mp4", first.client_id, "lying_leg_curl", "side-left", 22)
    marks = marks_of_machine(library.store, film.id, "Curl bench, boat shed", "side-left")
    assert marks is not None
    library.store.update_film(film.id, brief=library.store.film(film.id).brief | marks.fields(), state="ready")
    shutil.copyfile(DATA / "ines_lying_curl_week2.npz", library.store.evidence_path(film.id))
    done = library.store.training.done_of_film(film.id)
    assert done is not None
    library.store.training.renew_done(done.id, day="2026-03-05", rir=2.0)
    opened(window, qtbot, film.id)
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    qtbot.waitUntil(lambda: bool((d := library.store.training.done_of_film(film.id)) and d.form.get("told")), timeout=PATIENCE)

    key(window, "go_plan")
    free = curl(window)
    assert free.lift.gate.gate is Gate.OPEN and free.lift.change in (LoadChange.HOLD, LoadChange.RAISE)
    assert not any("hip lift off" in r for r in free.lift.reasons)

    window.plan.page()
    sheet = next(d for d in window.findChildren(SheetDialog) if d.isVisible())
    sheet.save_both()
    QTest.qWait(20)
    folder = window.plan_room.file.pages_folder()
    text = PdfReader(folder / "session.pdf").pages[0].extract_text()
    assert "Lying leg curl" in text and "22 kg" in text and (folder / "session.html").exists()
    sheet.reject()
