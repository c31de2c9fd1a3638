"""The floor in the real window: from the plan's exercise through three sets to the log."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.services.common.jobs import WORK_APART
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.live.floor_engine import Said
from deepmirror.services.live.floor_link import CameraChoice, FloorHere
from deepmirror.services.live.session import Summary, only_counted
from deepmirror.standins.simulated_camera import SimulatedCamera
from deepmirror.ui.control.floor_controller import Cameras, DemoSession
from deepmirror.ui.control.floor_rest import difference
from deepmirror.ui.rooms.floor.figures import TempoBar
from deepmirror.ui.rooms.floor.room import READY, REST, SET
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.theme.tokens import COPPER, COPPER_LIGHT
from deepmirror.ui.window import MainWindow
from tests.gui.ui_driver import PATIENCE, key

SIMULATED = CameraChoice("simulated", "simulated camera")


@pytest.fixture
def window(qtbot: QtBot, qapp: QApplication, demo_library: FilmLibrary, short_film: Path) -> Iterator[MainWindow]:
    apply_theme(qapp)
    film = lambda choice, take: FloorHere(SimulatedCamera([short_film] * 3, rest_s=3.0, before_s=1.5, speed=0.8), take)
    demo = DemoSession("Tove Lindqvist", "back_squat", "side-left", "", SIMULATED)
    window = MainWindow(demo_library, cameras=Cameras(lambda: [SIMULATED], film, demo))
    window.measured_in_test = []  # type: ignore[attr-defined]
    window.films.measure = window.measured_in_test.append  # type: ignore[attr-defined,method-assign]
    window.show()
    qtbot.waitUntil(lambda: not window.jobs and not window.desk_room.missing_strips(), timeout=20000)
    yield window
    window.close()
    window.deleteLater()


def test_three_sets_from_the_plan_to_the_log(window: MainWindow, qtbot: QtBot) -> None:
    floor, control = window.floor, window.floor_control
    before = len(window.library.films())
    key(window, "floor_demo")
    assert floor.face() == READY and floor.who.text() == "Tove Lindqvist" and window.stack.currentWidget() is floor
    qtbot.waitUntil(lambda: floor.ready.view.image() is not None, timeout=PATIENCE)
    session = control.session
    assert session is not None
    planned = session.present()
    assert planned is not None and planned.movement == "back_squat" and planned.title in floor.ready.what.text()
    load = planned.load_kg
    qtbot.waitUntil(lambda: bool(floor.ready.framing.count()), timeout=PATIENCE)
    for number in range(1, 4):
        if floor.face() == READY:
            assert floor.ready.go.isEnabled()
            key(window, "floor_press")  # begins, if the client did not already
        qtbot.waitUntil(lambda: floor.face() == SET and floor.lifting.count.words() == "1", timeout=PATIENCE)
        assert floor.lifting.tempo.words().count("–") == 3
        qtbot.wait(500)  # nobody ends a set in the very instant in which its rep is counted
        key(window, "floor_press")
        qtbot.waitUntil(
            lambda: floor.face() == REST and control.rest.set is not None and control.rest.set.told is not None, timeout=PATIENCE
        )
        shown = control.rest.set
        qtbot.waitUntil(lambda shown=shown: shown.film_id is not None, timeout=PATIENCE)
        key(window, "floor_reserve_2")
        if number == 1:
            key(window, "floor_heavier")
            rest_of_the_first(window, qtbot)
        assert floor.rest.numbers.words().startswith("1 reps") and floor.rest.cue.words() not in ("", "…")
        assert floor.rest.clock.seconds() > 0 and "Next:" in floor.rest.next.text()
        if number < 3 and floor.face() == REST:
            key(window, "floor_press")
    done = session.done_today()
    assert len(window.library.films()) == before + 3 and len(done) == 3
    assert done[0].load_kg == load + 2.5 and {d.rir for d in done} == {2.0}, "what she told is in the log"
    assert [d.kind for d in done] == [s.kind for s in session.planned[:3]] or all(d.movement == "back_squat" for d in done)
    assert sorted(window.measured_in_test) == sorted(d.film_id for d in done)  # type: ignore[attr-defined]
    assert not list(session.recordings().glob("*")) or all(p.suffix == ".json" for p in session.recordings().glob("*"))


def rest_of_the_first(window: MainWindow, qtbot: QtBot) -> None:
    """The loop plays, takes a drawing, and is wiped; light and dark; the tick."""
    loop = window.floor.rest.loop
    qtbot.waitUntil(lambda: loop.loop is not None and loop.image() is not None, timeout=PATIENCE)
    middle = QPoint(loop.width() // 2, loop.height() // 2)
    QTest.mousePress(loop, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(loop, middle + QPoint(30, 20))
    QTest.mouseRelease(loop, Qt.MouseButton.LeftButton, pos=middle + QPoint(30, 20))
    assert len(loop.strokes) == 1
    key(window, "floor_wipe")
    assert loop.strokes == []
    first = loop.frame
    qtbot.waitUntil(lambda: loop.frame != first, timeout=PATIENCE)
    dark = window.floor.rest.clock.usual_colour
    key(window, "floor_light")
    assert window.floor.rest.clock.usual_colour != dark
    cue = window.floor.rest.cue
    cue.say("down", COPPER_LIGHT)
    assert cue._seen_colour() == COPPER, "an accent stays readable on the light ground"
    key(window, "floor_light")


def test_what_the_full_analysis_says_otherwise_is_said() -> None:
    assert difference(only_counted(3), Summary(3, 1, None, "well")) == "", "clean reps that nobody had told are not corrected"
    first = Summary(4, 3, None, "well")
    assert difference(first, Summary(4, 3, None, "well, said anew")) == "" and difference(None, first) == ""
    words = difference(first, Summary(5, 3, "heels", "keep them down"))
    assert "5 reps, not 4" in words and "another cue" in words and "clean" not in words


def test_while_a_set_is_filmed_measuring_stands_still(window: MainWindow) -> None:
    assert not WORK_APART._held
    control = window.floor_control
    key(window, "floor_demo")
    from deepmirror.services.live.floor_engine import Begun

    control.message.emit(Begun(1.0))
    assert WORK_APART._held
    control.close_camera()
    assert not WORK_APART._held, "a camera that goes lets it go on"


def test_what_the_engine_says_after_the_window_is_closed_is_heard_by_nobody(window: MainWindow) -> None:
    key(window, "floor_demo")
    message = window.floor_control.message
    message.emit(Said("said in time"))
    window.close()
    message.emit(Said("said too late"))
    assert window.floor.said.text() == "said in time"


def test_the_bar_moves_with_the_asked_tempo(qtbot: QtBot) -> None:
    bar = TempoBar()
    qtbot.addWidget(bar)
    bar.begin(parse_tempo("3-1-X-0"), "eccentric", gone_s=1.5)
    assert bar.place()[0] == "eccentric" and 0.45 < bar.place()[1] < 0.75
    bar.begin(parse_tempo("3-1-X-0"), "eccentric", gone_s=3.4)
    assert bar.place()[0] == "bottom"
    bar.begin(parse_tempo("3-1-X-0"), "concentric", gone_s=0.1)
    assert bar.place()[0] == "concentric", "a curl begins with its lift"
    with qtbot.waitSignal(bar.ticked, timeout=3000):
        bar.begin(parse_tempo("1-0-1-0"), "eccentric")
    bar.begin(None, "eccentric")
    assert not bar.running()


def test_the_tick_sounds_or_says_why_not(window: MainWindow) -> None:
    key(window, "floor_demo")
    key(window, "floor_tick")
    if window.floor.tick.isChecked():
        window.floor_control._ticked()
        key(window, "floor_tick")
        assert window.floor_control._tick is None
    else:
        assert "libpulse0" in window.floor.said.text()
