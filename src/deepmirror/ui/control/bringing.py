"""Bringing films in: choosing them, asking whose and what they are, taking them into the library."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from deepmirror.errors import DeepMirrorError
from deepmirror.services.arrivals import is_bundle
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.widgets.import_dialog import Answers, ImportDialog
from deepmirror.ui.words import tr

if TYPE_CHECKING:
    from deepmirror.ui.window import MainWindow

FILM_PATTERNS = "Films and bundles (*.mp4 *.mov *.m4v *.mkv *.webm *.avi *.3gp *.zip);;All files (*)"


class Bringing(QObject):
    """Nothing comes in without being asked about, but for bundles, which say themselves what they are."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window

    def bring_all(self, paths: list[Path]) -> None:
        """One after the other."""
        for path in paths:
            self.bring(path)

    def ask(self) -> None:
        """Choose films to bring in."""
        names, _ = QFileDialog.getOpenFileNames(self._window, "Bring in films", "", FILM_PATTERNS)
        self.bring_all([Path(n) for n in names])

    def bring(self, path: Path) -> None:
        """Take a bundle in, or ask about one film and take it in."""
        window = self._window
        if is_bundle(path):
            window.collecting.bring(path)
            return
        try:
            picture = window.desk.first_picture(path)
        except DeepMirrorError as error:
            window.complain(error.sentence)
            return
        clients = [(c.id, c.name) for c in window.desk.clients()]
        dialog = ImportDialog(path.name, to_image(picture), clients, [(m.id, m.title) for m in window.desk.movements()], window)
        self.guess_view(dialog, picture)
        dialog.accepted.connect(lambda: self.take_in(path, dialog.answers()))
        window.ask(dialog)

    def guess_view(self, dialog: ImportDialog, picture: NDArray[np.uint8]) -> None:
        """Fill the side in that the picture seems to show, once it is known and unless it was said meanwhile."""
        window = self._window
        job = Job(tr("Looking at the picture"), lambda progress: window.desk.guess_view(picture), window)
        job.done.connect(dialog.offer_view)  # a dialog closed meanwhile is no longer connected; the job outlives it
        job.finished.connect(job.deleteLater)
        job.start(window.pictures)

    def take_in(self, path: Path, answers: Answers) -> int | None:
        """Take a film into the library as answered, and start measuring it; returns its id, None when that failed."""
        window = self._window
        try:
            client_id = answers.client_id
            if client_id is None:
                client_id = window.desk.add_client(answers.new_name, answers.stature_cm).id
            record = window.desk.import_film(path, client_id, answers.movement, answers.view, answers.load_kg, answers.tempo, answers.note)
        except DeepMirrorError as error:
            window.complain(error.sentence)
            return None
        window.desk_room.refresh()
        window.measure_film(record.id)
        return record.id
