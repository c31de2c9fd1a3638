"""Drives the program with the demo data and writes the current picture of every main view to docs/screenshots/."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from importlib import resources
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QElapsedTimer, QEventLoop, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QDialog

from deepmirror.bootstrap import cameras_for
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.demo import fill_demo
from deepmirror.standins.simulated_post import SimulatedMailbox
from deepmirror.ui.rooms.reply.preview import PreviewDialog
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.widgets.request_dialog import RequestDialog
from deepmirror.ui.widgets.sheet_dialog import SheetDialog
from deepmirror.ui.window import MainWindow

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
GUIDE = Path(__file__).resolve().parent.parent / "src" / "deepmirror" / "assets" / "guide"
GUIDE_WIDTH = 800
PATIENCE_MS = 120000  # a busy machine takes its time


def wait(ready: Callable[[], bool], patience_ms: int = PATIENCE_MS) -> None:
    """Run the event loop until something is so."""
    loop, clock = QEventLoop(), QElapsedTimer()
    clock.start()
    timer, there = QTimer(), [False]

    def look() -> None:
        there[0] = bool(ready())  # once is enough: some things are so only for a moment
        if there[0] or clock.elapsed() > patience_ms:
            loop.quit()

    timer.timeout.connect(look)
    timer.start(20)
    loop.exec()
    if not there[0]:
        raise TimeoutError("the program did not get there")


def solved(window: MainWindow) -> bool:
    """The open film's numbers are there."""
    return window.review is not None and window.review.analysis is not None and not window.jobs and not window.mirror.turns.waiting()


def shoot(window: MainWindow, name: str, out: Path) -> None:
    """Write the window as it is drawn now."""
    settled = QElapsedTimer()
    settled.start()
    wait(lambda: settled.elapsed() > 300)
    wait(lambda: not window.jobs and window.mirror.frame == window.mirror.playback.wanted)
    window.grab().save(str(out / f"{name}.png"))
    print(out / f"{name}.png")


def opened(window: MainWindow, film_id: int) -> None:
    """Open a film and wait until it is on show."""
    window.open_film(film_id)
    wait(lambda: window.review is not None and window.review.film_id == film_id)


def machine_views(window: MainWindow, machines: dict[str, int], out: Path) -> None:
    """Press, hinge, the marks being placed, and the set-up sheet."""
    for name, movement, placing in (
        ("mirror-press", "leg_press", False),
        ("mirror-hinge", "romanian_deadlift", False),
        ("placing-marks", "leg_extension", True),
    ):
        opened(window, machines[movement])
        wait(lambda: window.mirror.film.image() is not None and solved(window))
        window.mirror.next_finding()
        if placing:
            window.mirror.toggle_placing()
        shoot(window, name, out)
    window.mirror.toggle_placing()
    window.client_control.sheet()
    dialog = window.findChild(SheetDialog)
    assert dialog is not None
    dialog.grab().save(str(out / "sheet.png"))
    dialog.close()


def post_views(window: MainWindow, folder: Path, out: Path) -> None:
    """Films arrive and are measured; the follow-up, then and now, the whole reply, a request for a new film."""
    clock = [13.0]
    plan = Path(str(resources.files("deepmirror"))) / "assets" / "demo" / "arrivals" / "plan.json"
    window.inbox.watch(Arrivals(window.library, SimulatedMailbox(plan, folder / "letters", lambda: clock[0])))
    wait(lambda: window.library.films()[0].state == "ready" and not window.jobs, 180000)
    clock[0] = 60.0
    wait(lambda: len(window.library.films()) == 12, 60000)
    window.inbox.rest()
    wait(lambda: not window.jobs and not window.desk_room.missing_strips(), 180000)
    shoot(window, "desk", out)
    films = {f.client_name.split()[0]: f.id for f in reversed(window.library.films())}
    opened(window, films["Bram"])
    wait(lambda: window.stack.currentWidget() is window.compare and window.compare.view.image() is not None and not window.jobs)
    shoot(window, "compare", out)
    window.go("mirror")
    window.mirror.next_finding()
    shoot(window, "mirror-follow", out)
    window.reply_control.compose()
    wait(lambda: not window.jobs and window.reply_control.drawn)
    window.reply_control.preview()
    wait(lambda: window.findChild(PreviewDialog) is not None, 60000)
    preview = window.findChild(PreviewDialog)
    assert preview is not None
    wait(lambda: preview.at.value() > 5)
    preview._toggle()
    grab(preview, "preview", out)
    opened(window, films["Nuru"])
    wait(lambda: solved(window))
    window.reply_control.ask_again()
    wait(lambda: window.findChild(RequestDialog) is not None)
    request = window.findChild(RequestDialog)
    assert request is not None
    grab(request, "request", out)


def floor_views(window: MainWindow, out: Path) -> None:
    """The three faces of the demo's session."""
    floor = window.floor
    window.films.measure = lambda film_id: None  # type: ignore[method-assign]  # the pictures do not wait for the full analysis
    window.floor_control.start_demo()
    wait(lambda: bool(floor.ready.marks.text()) and floor.ready.framing.count() > 0)
    grab_window(window, "floor-ready", out)
    wait(lambda: floor.face() == "set" and floor.lifting.count.words() == "3")
    grab_window(window, "floor-set", out)
    window.floor_control.press()
    wait(lambda: floor.rest.loop.image() is not None and floor.rest.loop.loop is not None)
    window.floor.rest.choose_reserve(2)
    wait(lambda: floor.rest.loop.loop is not None and floor.rest.loop.frame > floor.rest.loop.loop.frames // 3)
    grab_window(window, "floor-rest", out)
    window.floor_control.close_camera()


def grab_window(window: MainWindow, name: str, out: Path) -> None:
    """Write the window as it is, once what was just put into it is laid out."""
    settled = QElapsedTimer()
    settled.start()
    wait(lambda: settled.elapsed() > 150)
    window.grab().save(str(out / f"{name}.png"))
    print(out / f"{name}.png")


def grab(dialog: QDialog, name: str, out: Path) -> None:
    """Write a dialog's picture and close it."""
    dialog.grab().save(str(out / f"{name}.png"))
    print(out / f"{name}.png")
    dialog.close()


def main() -> None:
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    out.mkdir(parents=True, exist_ok=True)
    app = QApplication([])
    apply_theme(app)
    with tempfile.TemporaryDirectory() as folder:
        library = FilmLibrary(Path(folder))
        fill_demo(library)
        window = MainWindow(library, cameras=cameras_for(Path(folder), demo=True))
        window.resize(1280, 800)
        window.show()
        wait(lambda: not window.jobs and not window.desk_room.missing_strips())
        post_views(window, Path(folder), out)
        first = sorted(
            library.films(), key=lambda f: f.id, reverse=True
        )  # of two films of a client the demo's own, not the one that arrived
        films = {f.brief["view"] + f.client_name[:4]: f.id for f in first if f.brief["movement"] == "back_squat"}
        machines = {f.brief["movement"]: f.id for f in library.films()}
        opened(window, films["side-rightBram"])
        wait(lambda: window.mirror.film.image() is not None and solved(window))
        window.mirror.next_finding()
        shoot(window, "mirror-side", out)
        window.mirror.toggle_ghost()
        shoot(window, "mirror-ghost", out)
        window.mirror.toggle_ghost()
        window.client_control.open(next(c.id for c in library.clients() if c.name.startswith("Bram")))
        wait(lambda: not window.jobs)
        shoot(window, "person-long", out)
        opened(window, machines["leg_extension"])
        wait(lambda: solved(window))
        window.reply_control.compose()
        wait(lambda: not window.jobs and window.reply_control.drawn)
        shoot(window, "reply", out)
        opened(window, films["frontYuna"])
        wait(lambda: solved(window))
        window.mirror.next_finding()
        shoot(window, "mirror-front", out)
        opened(window, films["side-leftTove"])
        wait(lambda: solved(window))
        window.mirror.seek(0)
        window.mirror.toggle_placing()
        shoot(window, "placing", out)
        window.mirror.toggle_placing()
        machine_views(window, machines, out)
        window.plan.open(next(c.id for c in library.clients() if c.name.startswith("Nuru")))
        window.plan_room.cards[0].asks.setChecked(True)
        shoot(window, "plan", out)
        floor_views(window, out)
        window.close()
    if out == OUT:
        guide_pictures()


def guide_pictures() -> None:
    """The pictures of the coach's guide: four of the views, small."""
    for view, name in (("mirror-side", "mirror"), ("reply", "reply"), ("plan", "plan"), ("floor-set", "floor")):
        small = QImage(str(OUT / f"{view}.png")).scaledToWidth(GUIDE_WIDTH, Qt.TransformationMode.SmoothTransformation)
        small.save(str(GUIDE / f"{name}.jpg"), "JPG", 84)


if __name__ == "__main__":
    main()
