"""A client's record: opening it, what its changes mean for films, and the set-up sheet."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from deepmirror.core.units import parse_length_cm
from deepmirror.errors import DeepMirrorError
from deepmirror.services.clients.person import FilmView, PersonFile
from deepmirror.services.clients.sheets import make_sheet, render_sheet, write_sheet
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.asking import ClientDialog, RenameDialog
from deepmirror.ui.widgets.sheet_dialog import SheetDialog


class ClientController(QObject):
    """The Person room's record and the films that are judged by it. `added` brings the id of a new client."""

    added = pyqtSignal(int)

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window = window

    def open(self, client_id: int | None) -> None:
        """Open a client's record: the one asked for, the one on show, or the open film's."""
        window = self._window
        clients = window.library.all_clients()
        if not clients:
            window.go("desk")
            window.show_refusal(tr("There is no client yet: add one, or bring in a film."))
            return
        present = window.person_room.person
        if client_id is None:
            client_id = window.review.record.client_id if window.review else present.client_id if present else clients[0].id
        if present is None or present.client_id != client_id:
            window.person_room.show_person(PersonFile(window.library, client_id))
            self._read()
        active, archived = ([(c.id, c.name) for c in clients if c.archived is away] for away in (False, True))
        window.person_room.clients.show_clients(active, client_id, archived)
        window.go("person")

    def new_client(self) -> None:
        """Ask for a name, and open the new client's record; in the Plan room her plan."""
        self._window.open_dialog(ClientDialog(self._add, self._window))

    def _add(self, name: str, stature: str) -> str:
        """Add a client; the sentence of what is wrong, or nothing."""
        library = self._window.library
        try:
            library.must_write()
            cm = parse_length_cm(stature, 50, 260, tr("A stature")) if stature.strip() else None
            client = library.add_client(name, cm)
        except (DeepMirrorError, ValueError) as error:
            return error.sentence if isinstance(error, DeepMirrorError) else str(error)
        self.added.emit(client.id)
        return ""

    def rename(self) -> None:
        """Ask for another name of the client on show."""
        window, person = self._window, self._window.person_room.person
        if person is not None:
            present = window.library.client(person.client_id).name
            window.open_dialog(RenameDialog(present, partial(self._rename, person.client_id), window))

    def _rename(self, client_id: int, name: str) -> str:
        try:
            self._window.library.rename_client(client_id, name)
        except DeepMirrorError as error:
            return error.sentence
        self._changed_name()
        return ""

    def archive(self) -> None:
        """Take the client on show out of the lists of those who train, or back."""
        window, person = self._window, self._window.person_room.person
        if person is None:
            return
        client = window.library.client(person.client_id)
        try:
            window.library.set_archived(client.id, not client.archived)
        except DeepMirrorError as error:
            window.show_refusal(error.sentence)
            return
        self._changed_name()
        words = tr("{name} trains again.") if client.archived else tr("{name} is archived: record, films and plan stay, nothing is due.")
        window.show_status(words.format(name=client.name))

    def _changed_name(self) -> None:
        """Show lists and titles anew."""
        window = self._window
        person = window.person_room.person
        window.desk_room.refresh()
        if window.review is not None:
            window.review.record = window.library.film(window.review.film_id)
            window.mirror.refresh()
        if person is not None:
            self.open(person.client_id)
            window.person_room.refresh()

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
            window.show_refusal(tr("Open a film or a person first: the sheet is for one client and one movement."))
            return
        same = review is not None and review.record.client_id == client_id and review.brief.file.movement == movement
        try:
            sheet = make_sheet(window.library, client_id, movement, review.analysis if same and review is not None else None)
        except DeepMirrorError as error:
            window.show_error(error.sentence)
            return
        dialog = SheetDialog(render_sheet(sheet), lambda: write_sheet(window.library, client_id, movement, sheet), window)
        window.open_dialog(dialog)
