"""A client's record: opening it, what its changes mean for films, and the set-up sheet."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from deepmirror.errors import DeepMirrorError
from deepmirror.services.clients.person import FilmView, PersonFile
from deepmirror.services.clients.sheets import make_sheet, render_sheet, write_sheet
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.sheet_dialog import SheetDialog


class ClientController(QObject):
    """The Person room's record and the films that are judged by it."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window = window

    def open(self, client_id: int | None) -> None:
        """Open a client's record: the one asked for, the one on show, or the open film's."""
        window = self._window
        clients = window.library.clients()
        if not clients:
            window.show_error(tr("There is no client yet: bring in a film first."))
            return
        present = window.person_room.person
        if client_id is None:
            client_id = window.review.record.client_id if window.review else present.client_id if present else clients[0].id
        if present is None or present.client_id != client_id:
            window.person_room.show_person(PersonFile(window.library, client_id))
            self._read()
        window.person_room.clients.show_clients([(c.id, c.name) for c in clients], client_id)
        window.go("person")

    def _read(self) -> None:
        """What the client's films show, and their findings with the present record, in the background."""
        window = self._window
        person = window.person_room.person
        if person is None:
            return
        job = Job(tr("Judging the client's films"), person.read_films, window)
        job.done.connect(lambda views: self._show(person, views))
        window.run_job(job)

    def _show(self, person: PersonFile, views: list[FilmView]) -> None:
        window = self._window
        person.views = views
        if person is window.person_room.person:
            window.person_room.refresh()
        window.desk_room.refresh()

    def changed(self) -> None:
        """Judge the client's films, and the open one, by the record as it is now."""
        window = self._window
        person, review = window.person_room.person, window.review
        if person is not None and review is not None and review.record.client_id == person.client_id:
            review.take_client()
            window.solve_again(review)
        self._read()
        window.refresh_actions()

    def undone(self, back: bool) -> bool:
        """Undo or redo in the Person room; False when another room is on show."""
        window = self._window
        person = window.person_room.person
        if window.stack.currentWidget() is not window.person_room or person is None:
            return False
        person.undo() if back else person.redo()
        window.person_room.refresh()
        self.changed()
        return True

    def sheet(self) -> None:
        """The set-up sheet of the open film's client and movement, or of the person and movement on show."""
        window = self._window
        person, review = window.person_room.person, window.review
        on_person = window.stack.currentWidget() is window.person_room and person is not None
        if on_person and person is not None:
            client_id, movement = person.client_id, str(window.person_room.usual.currentData())
        elif review is not None:
            client_id, movement = review.record.client_id, review.brief.file.movement
        else:
            window.show_error(tr("Open a film or a person first: the sheet is for one client and one movement."))
            return
        same = review is not None and review.record.client_id == client_id and review.brief.file.movement == movement
        try:
            sheet = make_sheet(window.library, client_id, movement, review.analysis if same and review is not None else None)
        except DeepMirrorError as error:
            window.show_error(error.sentence)
            return
        dialog = SheetDialog(render_sheet(sheet), lambda: write_sheet(window.library, client_id, movement, sheet), window)
        window.open_dialog(dialog)
