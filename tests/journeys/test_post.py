"""The remote coach's day through the real window, keyboard only: a bundle arrives, is measured by itself, last week's
corrections are told, a reply goes out; and the next film speaks on it."""

from __future__ import annotations

import shutil
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from pytestqt.qtbot import QtBot

from deepmirror.exchange.brief import Brief
from deepmirror.media.film import Film
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.standins.simulated_post import SimulatedMailbox, SimulatedOutbox
from deepmirror.ui.rooms.reply.preview import PreviewDialog
from deepmirror.ui.window import MainWindow
from tests.conftest import DEMO
from tests.gui.ui_driver import PATIENCE, key, opened, solved

DATA = Path(__file__).parent.parent / "data"


def looked_at_before(
    film: Film, brief: Brief, movement: Movement, progress: Progress, what: str, before: Evidence | None = None
) -> Evidence:
    """What the networks saw of the demo's second films when they were looked at once; the networks have tests of their own."""
    progress.report(0.5, "looking")
    names = {"lying_leg_curl": "ines_lying_curl_week2", "leg_extension": "nuru_leg_extension_askew"}
    return Evidence.load(DATA / f"{names.get(movement.id, 'bram_back_squat_week2')}.npz")


def test_from_an_arrival_to_a_sent_reply_and_what_became_of_it(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    library = window.library
    library.look = looked_at_before
    window.outbox = SimulatedOutbox(tmp_path / "out")
    clock = [5.0]
    mailbox = SimulatedMailbox(DEMO / "arrivals" / "plan.json", tmp_path / "post", lambda: clock[0])
    window.inbox.watch(Arrivals(library, mailbox))
    qtbot.waitUntil(lambda: library.films()[0].client_name.startswith("Bram") and library.films()[0].state == "ready", timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    window.inbox.rest()
    film = library.films()[0]
    assert film.line == "4 reps · Lowered faster than asked" and len(film.turns) == 4

    actions = 0

    def press(action: str) -> None:
        nonlocal actions
        key(window, action)
        actions += 1

    for other in library.films():  # the others have been answered today
        if other.id != film.id and other.state == "ready":
            library.store.update_film(other.id, state="sent")
    window.desk_room.refresh()
    window.desk_room.list.setFocus()
    press("next_film")
    qtbot.waitUntil(lambda: solved(window), timeout=PATIENCE)
    assert window.review is not None and window.review.film_id == film.id
    rows = {r.baseline.code: r for r in window.follow_up.rows}
    assert rows["shallow_depth"].outcome.verdict == "real change" and rows["tempo_fast_eccentric"].outcome.verdict == "not distinguishable"
    room = window.compare  # a film that speaks on earlier corrections opens with then and now
    qtbot.waitUntil(lambda: window.stack.currentWidget() is room and room.view.image() is not None, timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    assert "Stops above the agreed depth" in room.told.text() and "clearly better" in room.told.text()
    assert room.pair is not None and room.pair.first.record.id != film.id == room.pair.second.record.id
    press("close_watched")
    qtbot.waitUntil(lambda: "Lowered faster" in room.told.text() and not window.jobs, timeout=PATIENCE)
    press("keep_watched")
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    press("compose")
    qtbot.waitUntil(lambda: window.reply_room.canvas.image() is not None, timeout=PATIENCE)
    press("preview")
    qtbot.waitUntil(lambda: window.findChild(PreviewDialog) is not None, timeout=PATIENCE)
    dialog = window.findChild(PreviewDialog)
    assert dialog is not None
    QTest.keyClick(dialog, Qt.Key.Key_Return)
    actions += 1
    qtbot.waitUntil(lambda: library.store.film(film.id).state == "sent" and not window.jobs, timeout=PATIENCE)
    assert actions == 6  # of at most 25, and not a word typed
    out = next(p for p in (tmp_path / "out").iterdir() if not p.name.startswith("."))
    page = (out / "reply.html").read_text()
    assert "Since last time: Stops above the agreed depth" in page and "clearly better" in page and "Last time" in page
    states = {(w.item["code"], w.state) for w in library.store.watches.of_client(film.client_id)}
    assert states == {("shallow_depth", "closed"), ("tempo_fast_eccentric", "changed"), ("tempo_fast_eccentric", "open")}


def test_the_week_after_speaks_on_the_correction_and_it_is_said_anew(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    library = window.library
    film = next(f for f in library.films() if f.client_name.startswith("Bram"))
    third = tmp_path / "third.mp4"
    shutil.copyfile(DEMO / "bram_back_squat_side.mp4", third)
    with third.open("ab") as handle:
        handle.write(b"\x00" * 8)  # another file by its hash, the same film to look at
    library.look = lambda *rest: Evidence.load(DEMO / "bram_back_squat_side.npz")
    record = library.import_film(third, film.client_id, "back_squat", "side-right", 80, "2-0-1-0")
    window.measure_film(record.id)
    qtbot.waitUntil(lambda: not window.jobs, timeout=PATIENCE)
    opened(window, qtbot, record.id)
    qtbot.waitUntil(lambda: window.stack.currentWidget() is window.compare and not window.jobs, timeout=PATIENCE)
    said = {r.baseline.code: r.outcome.verdict for r in window.follow_up.rows}
    assert said == {"shallow_depth": "not distinguishable", "tempo_fast_eccentric": "not distinguishable"}
    key(window, "next_watched")
    key(window, "change_watched")  # while then and now of the next one are still being opened: that does not fetch her back
    qtbot.waitUntil(lambda: window.stack.currentWidget() is window.reply_room, timeout=PATIENCE)
    qtbot.waitUntil(lambda: not window.jobs and not window.follow_up._turns.waiting(), timeout=PATIENCE)
    assert window.stack.currentWidget() is window.reply_room
    item = window.reply_room.item()
    assert item is not None and item.code == "tempo_fast_eccentric" and item.chosen
    qtbot.waitUntil(lambda: not window.reply_control._drawing, timeout=PATIENCE)
