"""Starts Qt and the main window."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QLocale, QTranslator
from PyQt6.QtWidgets import QApplication, QMessageBox

from deepmirror.errors import DeepMirrorError
from deepmirror.services.arrivals import Arrivals
from deepmirror.services.demo import fill_demo
from deepmirror.services.desk import Desk
from deepmirror.services.looking import LookApart
from deepmirror.services.sending import Outbox
from deepmirror.ui.theme.style import apply_theme
from deepmirror.ui.window import MainWindow
from deepmirror.ui.words import load_language


def run(folder: Path, demo: bool, post: Callable[[Desk], tuple[Outbox, Arrivals]]) -> int:
    """Open the library in a window and run until it is closed; returns the exit code. post: its outbox and mailbox."""
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Deep Mirror")
    apply_theme(app)
    translator = QTranslator(app)
    if load_language(translator, QLocale.system().name()):
        app.installTranslator(translator)
    try:
        desk = Desk(folder, look=LookApart(folder / "movements"))
        if demo:
            fill_demo(desk)
    except DeepMirrorError as error:
        QMessageBox.critical(None, "Deep Mirror", error.sentence)
        return 2
    window = MainWindow(desk, *post(desk))
    window.show()
    if desk.catalogue.problems:
        window.complain("\n".join(["Some of your own movements were left out:", *desk.catalogue.problems]))
    return app.exec()
