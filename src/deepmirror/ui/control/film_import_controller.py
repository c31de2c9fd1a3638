"""Bringing films in: choosing them, asking whose and what they are, taking them into the library."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog

from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmRecord
from deepmirror.services.films.proposals import movement_groups, propose
from deepmirror.services.program.arrivals import Placed, is_bundle, take_film
from deepmirror.ui.context import WindowContext
from deepmirror.ui.dressing import dressing
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns
from deepmirror.ui.widgets.import_dialog import ImportDialog, as_shown
from deepmirror.ui.widgets.import_table import ImportTable
from deepmirror.ui.widgets.movement_box import Groups

Take = Callable[[Placed], FilmRecord]
FILM_PATTERNS = "Films and bundles (*.mp4 *.mov *.m4v *.mkv *.webm *.avi *.3gp *.zip);;All files (*)"


@dataclass(frozen=True)
class Asking:
    """What the dialog shows of a film: its first picture (H, W, 3) RGB and that picture as it is shown, and what can be chosen."""

    picture: NDArray[np.uint8]
    shown: QImage
    clients: list[tuple[int, str]]
    movements: Groups


class FilmImportController(QObject):
    """Nothing comes in without being asked about, but for bundles, which say themselves what they are."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window, self._turns = window, Turns(self)

    def close(self) -> None:
        """The window closes: what came in and is not measured yet is measured at the next start."""
        self._turns.forget()

    def bring_all(self, paths: list[Path]) -> None:
        """Bundles say themselves what they are; one film is asked about, several in one table."""
        films = [path for path in paths if not is_bundle(path)]
        for path in paths:
            if path not in films or len(films) == 1:
                self.bring(path)
        if len(films) > 1:
            self._ask_about_all(films)

    def _ask_about_all(self, paths: list[Path]) -> ImportTable:
        """Whose and what all these films are."""
        window = self._window
        clients = [(c.id, c.name) for c in window.library.clients()]
        table = ImportTable([p.name for p in paths], clients, movement_groups(window.library), window)
        for number, path in enumerate(paths):
            self._look(path, partial(table.show_picture, number), partial(table.refused, number), table.rows[number].guess)
        table.wanted.connect(lambda number: self._take_row(table, number, paths[number]))
        window.open_dialog(table)
        return table

    def _look(
        self, path: Path, show: Callable[[QImage], None], refuse: Callable[[str], None], guess: Callable[[str | None, str | None], None]
    ) -> None:
        """A film's first picture, then what its pictures seem to show."""
        window = self._window
        job = Job(tr("Looking at the film"), lambda progress: self._first_picture(path, progress), window)
        job.done.connect(lambda picture: show(to_image(picture)))
        window.run_job(job, window.pictures, failed=refuse)
        guessing = Job(tr("Looking at the pictures"), lambda progress: propose(window.library, path, progress), window)
        guessing.done.connect(lambda found: guess(*found))
        window.run_job(guessing, window.pictures, failed=lambda _: None)

    def _take_row(self, table: ImportTable, number: int, path: Path) -> None:
        answers = table.rows[number].answers()
        if answers.client_id is None:  # the film before may have brought her
            same = (c.id for c in self._window.library.all_clients() if c.name.casefold() == answers.new_name.casefold())
            answers = replace(answers, client_id=next(same, None))
        said = Placed(**vars(answers))

        def taking(progress: Progress) -> FilmRecord:
            progress.report(0.1, "copying")
            return take_film(self._window.library, path, said)

        job = Job(tr("Taking the film in"), taking, self._window)
        job.done.connect(self._is_in)
        job.done.connect(lambda _: table.taken(number))
        self._window.run_job(job, self._window.pictures, failed=partial(table.refused, number))

    def ask(self) -> None:
        """Choose films to bring in."""
        names, _ = QFileDialog.getOpenFileNames(self._window, tr("Bring in films"), "", tr(FILM_PATTERNS))
        self.bring_all([Path(n) for n in names])

    def bring(self, path: Path) -> None:
        """Take a bundle in, or ask about one film and take it in."""
        window = self._window
        if is_bundle(path):
            window.take_bundle_in(path)
            return
        job = Job(tr("Looking at the film"), lambda progress: self._asking(self._first_picture(path, progress)), window)
        job.done.connect(lambda asking: self._ask(path.name, asking, partial(take_film, window.library, path), path))
        window.run_job(job, window.pictures, on_show=True, failed=window.show_refusal)

    def _asking(self, picture: NDArray[np.uint8]) -> Asking:
        library = self._window.library
        return Asking(picture, as_shown(to_image(picture)), [(c.id, c.name) for c in library.clients()], movement_groups(library))

    def _first_picture(self, path: Path, progress: Progress) -> NDArray[np.uint8]:
        progress.report(0.1, "reading")
        return self._window.library.first_picture(path)

    def ask_about(self, name: str, picture: NDArray[np.uint8], take: Take) -> ImportDialog:
        """Ask whose and what a film is; `take` takes it in as answered. The dialog stays until it is in."""
        return self._ask(name, self._asking(picture), take)

    def _ask(self, name: str, asking: Asking, take: Take, path: Path | None = None) -> ImportDialog:
        """path: of a film to guess from."""
        dialog = ImportDialog(name, asking.shown, asking.clients, asking.movements, self._window)
        dialog.wanted.connect(lambda: self._take(dialog, take, Placed(**vars(dialog.answers()))))
        self._turns.then(partial(self._dress, dialog, asking.picture, path))
        return dialog

    def _dress(self, dialog: ImportDialog, picture: NDArray[np.uint8], path: Path | None) -> None:
        self._turns.then(*dressing([dialog]), partial(self._window.open_dialog, dialog), partial(self._guess, dialog, picture, path))

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
        self._is_in(record)

    def _is_in(self, record: FilmRecord) -> None:
        """A new film: the Desk's bar stands on it, and it is measured."""
        window, desk = self._window, self._window.desk_room
        self._turns.then(*desk.refreshing(), lambda: desk.show_film(record.id), lambda: window.measure_film(record.id))

    def _guess(self, dialog: ImportDialog, picture: NDArray[np.uint8], path: Path | None) -> None:
        """Fill in what the pictures seem to show, once it is known and unless it was said meanwhile."""
        library, window = self._window.library, self._window

        def look(progress: Progress) -> tuple[str | None, str | None]:
            return propose(library, path, progress) if path is not None else (library.guess_view(picture), None)

        job = Job(tr("Looking at the pictures"), look, window)
        job.done.connect(dialog.offer)  # a dialog closed meanwhile is no longer connected; the job outlives it
        job.start(window.pictures)
