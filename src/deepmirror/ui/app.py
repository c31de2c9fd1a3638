"""Starts Qt and the main window."""

from __future__ import annotations

import gc
import sys
from collections.abc import Callable
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QLocale
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from deepmirror.errors import DeepMirrorError
from deepmirror.interpreter import share_the_interpreter, wait_with
from deepmirror.services.films.concluding import SubprocessConcluder
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.observation_runner import SubprocessObserver
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.demo import fill_demo
from deepmirror.services.replies.delivery import Outbox
from deepmirror.ui.control.floor_controller import Cameras
from deepmirror.ui.control.speak_controller import Microphones
from deepmirror.ui.failures import FailureGuard, Signals
from deepmirror.ui.opening import open_desk, refuse
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.translation import install_language
from deepmirror.ui.way import Way
from deepmirror.ui.window import MainWindow
from deepmirror.words import joined


def run(
    folder: Path, demo: bool, post: Callable[[FilmLibrary], tuple[Outbox, Arrivals]], cameras: Cameras, microphones: Microphones
) -> int:
    """Open the library in a window and run until it is closed; returns the exit code. post: its outbox and mailbox; cameras: what the
    Floor films with; microphones: what there is to speak into."""
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Deep Mirror")
    app.setDesktopFileName("deepmirror")
    app.setWindowIcon(QIcon(str(resources.files("deepmirror") / "assets" / "desktop" / "deepmirror.svg")))
    apply_theme(app)
    install_language(app, QLocale.system().name())

    concluder = SubprocessConcluder()
    concluder.warm_up()

    def make(read_only: bool) -> FilmLibrary:
        look = SubprocessObserver(folder / "movements", folder / "work")
        return FilmLibrary(folder, look=look, read_only=read_only, concluder=concluder)

    try:
        library = open_desk(folder, make)
    except DeepMirrorError as error:
        concluder.close()
        refuse(error)
        return 2
    if library is None:
        concluder.close()
        return 2
    return _open_window(app, library, demo, post, cameras, microphones)


def keep_interface_free(app: QApplication) -> None:
    """Three settings of the interpreter that keep the interface thread from waiting, once everything is imported.

    A full run of the garbage collector goes through every object of every imported library, 0.1 s in which the window stands
    still: what is there now stays for good and is left out. Threads that compute give way after 1 ms instead of 5,
    and between their steps wait until the interface has nothing to do.
    """
    gc.freeze()
    share_the_interpreter()
    wait_with(Way(app).wait)


def _open_window(
    app: QApplication,
    library: FilmLibrary,
    demo: bool,
    post: Callable[[FilmLibrary], tuple[Outbox, Arrivals]],
    cameras: Cameras,
    microphones: Microphones,
) -> int:
    guard = FailureGuard(library.failures)
    library.failures.start()
    guard.install()
    signals = Signals()
    try:
        if demo:
            fill_demo(library)
        outbox, arrivals = post(library)
        window = MainWindow(library, outbox, None if library.read_only else arrivals, cameras, microphones)
        guard.told.connect(window.show_error)
        window.show()
        keep_interface_free(app)
        if library.catalogue.problems:
            window.show_error(joined("\n", ["Some of your own movements were left out:", *library.catalogue.problems]))
        return app.exec()
    except Exception as error:  # noqa: BLE001 - a mistake of ours before there is a window: said, reported, nothing else happens
        refuse(
            error if isinstance(error, DeepMirrorError) else library.failures.sentence(library.failures.note(error, "opening the window"))
        )
        return 1
    finally:
        signals.close()
        guard.uninstall()
        library.failures.stop()
