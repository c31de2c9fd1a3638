"""Bringing films in: choosing them, asking whose and what they are, taking them into the library."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmRecord
from deepmirror.services.program.arrivals import Placed, is_bundle, take_film
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.import_dialog import ImportDialog

Take = Callable[[Placed], FilmRecord]
FILM_PATTERNS = "Films and bundles (*.mp4 *.mov *.m4v *.mkv *.webm *.avi *.3gp *.zip);;All files (*)"


class FilmImportController(QObject):
    """Nothing comes in without being asked about, but for bundles, which say themselves what they are."""

    def __init__(self, window: WindowContext) -> None:
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
            window.take_bundle_in(path)
            return
        job = Job(tr("Looking at the film"), lambda progress: self._first_picture(path, progress), window)
        job.done.connect(lambda picture: self.ask_about(path.name, picture, partial(take_film, window.library, path)))
        window.run_job(job, window.pictures, on_show=True)

    def _first_picture(self, path: Path, progress: Progress) -> NDArray[np.uint8]:
        progress.report(0.1, "reading")
        return self._window.library.first_picture(path)

    def ask_about(self, name: str, picture: NDArray[np.uint8], take: Take) -> ImportDialog:
        """PostureRequest whose and what a film is; `take` takes it in as answered. The dialog stays until it is in."""
        window = self._window
        clients = [(c.id, c.name) for c in window.library.clients()]
        dialog = ImportDialog(name, to_image(picture), clients, [(m.id, m.title) for m in window.library.movements()], window)
        self.guess_view(dialog, picture)
        dialog.wanted.connect(lambda: self._take(dialog, take, Placed(**vars(dialog.answers()))))
        window.open_dialog(dialog)
        return dialog

    def _take(self, dialog: ImportDialog, take: Take, said: Placed) -> None:
        """Take the film in, in the background: a long one is copied for a while."""
        window = self._window

        def taking(progress: Progress) -> FilmRecord:
            progress.report(0.1, "copying")
            return take(said)

        job = Job(tr("Taking the film in"), taking, window)
        job.done.connect(lambda record: self._taken(dialog, record))
        window.run_job(job, window.pictures, on_show=True, failed=dialog.refuse)

    def _taken(self, dialog: ImportDialog, record: FilmRecord) -> None:
        dialog.accept()
        self._window.desk_room.refresh()
        self._window.measure_film(record.id)

    def guess_view(self, dialog: ImportDialog, picture: NDArray[np.uint8]) -> None:
        """Fill the side in that the picture seems to show, once it is known and unless it was said meanwhile."""
        window = self._window
        job = Job(tr("Looking at the picture"), lambda progress: window.library.guess_view(picture), window)
        job.done.connect(dialog.offer_view)  # a dialog closed meanwhile is no longer connected; the job outlives it
        job.finished.connect(job.deleteLater)
        job.start(window.pictures)
