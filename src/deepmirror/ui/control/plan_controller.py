"""The Plan room: opening a client's training, logging, pain, overrides, and what goes out and comes in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, QTimeZone
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from deepmirror.errors import DeepMirrorError
from deepmirror.services.program.settings import settings_of
from deepmirror.services.training import carry, schedule
from deepmirror.services.training.client_page import page_html, session_page, write_pages
from deepmirror.services.training.equipment import equipment_lines, rule_rows, screen_rows, set_equipment, set_rules, set_screen
from deepmirror.services.training.training_file import DoneRecord, PlannedLift, TrainingFile
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.rooms.plan.dialogs import (
    ColumnsDialog,
    EquipmentDialog,
    OverrideDialog,
    PainDialog,
    RulesDialog,
    ScreenDialog,
)
from deepmirror.ui.rooms.plan.log_dialog import LogDialog
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.sheet_dialog import SheetDialog

SOON_MS = 250  # after coming to the Desk
EDITED = ("day", "load_kg", "reps", "clean_reps", "partial_reps", "rir", "pain", "pain_next_morning", "kind", "settings", "note")
FIELDS = (
    ("date", "Day"),
    ("movement", "Movement"),
    ("load", "Load"),
    ("reps", "Repetitions"),
    ("sets", "Sets of the row"),
    ("clean_reps", "Clean repetitions"),
    ("rir", "In reserve"),
    ("rpe", "Effort, 1 to 10"),
    ("side", "Side"),
    ("kind", "Kind"),
    ("pain", "Pain"),
    ("tempo", "Tempo"),
    ("rest_s", "Rest, s"),
    ("note", "Note"),
)


class PlanController(QObject):
    """Owns what the Plan room shows."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window = window
        self._looking: Job | None = None
        self._again = self._closed = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._look_at_due)
        window.desk_room.due.wants_plan.connect(self.open)
        room = window.plan_room
        room.wants_client.connect(self.open)
        room.wants_override.connect(self.override)
        room.wants_correction.connect(self.correct)
        room.changed.connect(self.refresh)
        room.complained.connect(window.show_refusal)
        room.add_to_menu(
            [
                ("A new client…", lambda: room.wants.emit("new_client")),
                ("Note pain…", self.note_pain),
                ("What is at hand…", self.equipment),
                ("Before a programme…", self.screen),
                ("What planning goes by…", self.rules),
                ("", lambda: None),
                ("The client's page…", self.page),
                ("Copy a reminder", self.reminder),
                ("Calendar file…", self.calendar),
                ("Calendar of all clients…", self.coach_calendar),
                ("Sets as a table (CSV)…", lambda: self._write("sets.csv", carry.export_table)),
                ("The whole record (JSON)…", lambda: self._write("training.json", carry.export_record)),
                ("", lambda: None),
                ("Bring in a table of past training…", self.bring_table),
                ("Bring in a whole record…", self.bring_record),
            ]
        )

    @property
    def file(self) -> TrainingFile | None:
        """The training on show."""
        return self._window.plan_room.file

    def open(self, client_id: int | None = None) -> None:
        """Open a client's training: the one asked for, the one on show, or the open film's."""
        window, present = self._window, self.file
        clients = window.library.clients()
        if not clients:
            window.go("desk")
            window.show_refusal(tr("There is no client yet: add one, or bring in a film."))
            return
        if client_id is None:
            person = window.person_room.person
            chosen = (
                present.client_id if present else window.review.record.client_id if window.review else person.client_id if person else None
            )
            client_id = chosen if chosen is not None else clients[0].id
        try:
            if present is None or present.client_id != client_id:
                window.plan_room.show_file(TrainingFile(window.library, client_id))
            else:  # with the edits that can still be taken back
                present.read()
                window.plan_room.refresh()
        except DeepMirrorError as error:
            window.show_error(error.sentence)
            return
        window.plan_room.clients.show_clients([(c.id, c.name) for c in clients], client_id)
        window.go("plan")

    def look_at_due(self) -> None:
        """What all plans ask for, worked out in the background, onto the Desk; asked again meanwhile it is done once more."""
        if self._looking is not None:
            self._again = True
        elif not self._closed:
            self._soon.start(SOON_MS)  # when what was asked for first is on show

    def _look_at_due(self) -> None:
        window = self._window
        job = self._looking = Job(tr("Looking at what is due"), lambda progress: schedule.due_rows(window.library, progress), self)
        job.done.connect(lambda rows: window.desk_room.due.show_due(rows, window.library.now().astimezone().date()))
        job.finished.connect(self._looked)
        job.start(window.pictures)

    def close(self) -> None:
        """The window closes: nothing is begun any more."""
        self._closed = True
        self._soon.stop()

    def _looked(self) -> None:
        self._looking, again, self._again = None, self._again, False
        if again:
            self.look_at_due()

    def step(self, by: int) -> None:
        """Open the next client's training, or the one before."""
        ids = [c.id for c in self._window.library.clients()]
        if self.file is not None and self.file.client_id in ids:
            self.open(ids[(ids.index(self.file.client_id) + by) % len(ids)])

    def refresh(self) -> None:
        """Draw what is open anew, with what films and letters brought meanwhile."""
        if self.file is not None:
            self.file.read()
            self._window.plan_room.refresh()
        self._window.refresh_actions()

    def do(self, edit: Callable[[TrainingFile], object]) -> str:
        """Do something to the open training; the sentence of what is wrong, or nothing."""
        if self.file is None:
            return ""
        try:
            edit(self.file)
        except DeepMirrorError as error:
            return error.sentence
        self.refresh()
        return ""

    def _tell(self, edit: Callable[[TrainingFile], object]) -> None:
        if sentence := self.do(edit):
            self._window.show_refusal(sentence)

    def undone(self, back: bool) -> bool:
        """Undo or redo in the Plan room; False when another room is on show."""
        window = self._window
        if window.stack.currentWidget() is not window.plan_room or self.file is None:
            return False
        self._tell(lambda f: f.undo() if back else f.redo())
        return True

    # The log

    def log_session(self) -> None:
        """Enter what was done: the session on show, with last time's values offered."""
        file, session = self.file, self._window.plan_room.session
        if file is None or session is None:
            return
        rows = file.offered(session)
        self._ask_sets(tr("Log a session"), rows, min(session.day, file.today), lambda f, done: f.log([d for d in done if d.reps]))

    def correct(self, rows: list[DoneRecord]) -> None:
        """Correct sets that were done; one without repetitions is taken out."""
        if rows:
            self._ask_sets(tr("Correct a day"), rows, date.fromisoformat(rows[0].day), self._corrected)

    def _corrected(self, file: TrainingFile, done: list[DoneRecord]) -> None:
        known = {d.id: d for d in file.done}
        for row in done:
            if row.id and not row.reps and known[row.id].reps:
                file.take_out(row.id)
            elif row.id and row != known[row.id]:
                fields = EDITED
                file.change_set(row.id, **{k: getattr(row, k) for k in fields if getattr(row, k) != getattr(known[row.id], k)})
        if fresh := [replace(d, source="coach") for d in done if not d.id and d.reps]:
            file.log(fresh, tr("add sets"))

    def _ask_sets(self, title: str, rows: list[DoneRecord], day: date, take: Callable[[TrainingFile, list[DoneRecord]], object]) -> None:
        file = self.file
        assert file is not None
        titles = {c.id: c.title for c in file.library.movements()}
        dialog = LogDialog(title, rows, titles, day, file.body.imperial, self._window)
        dialog.wanted.connect(lambda done: self._tell(lambda f: take(f, done)))
        self._window.open_dialog(dialog)

    # Pain and the gate

    def note_pain(self) -> None:
        """Note pain, or a clinician's word."""
        if self.file is not None:
            take = lambda day, place, level, more: self.do(lambda f: f.note_pain(day, place, level, **more))
            self._window.open_dialog(PainDialog(self.file.today, take, self._window))

    def override(self, lift: PlannedLift) -> None:
        """Ask for who and why, then decide otherwise than the gate."""
        who = settings_of(self._window.library).coach
        reasons = [(r.key, r.words) for r in lift.gate.reasons]
        take = lambda code, name, why: self.do(lambda f: f.override(lift, code, name, why))
        self._window.open_dialog(OverrideDialog(reasons, who, take, self._window))

    # What planning goes by

    def equipment(self) -> None:
        """Edit what is at hand."""
        if self.file is not None:
            dialog = EquipmentDialog(equipment_lines(self.file), lambda told: self.do(lambda f: set_equipment(f, told)), self._window)
            self._window.open_dialog(dialog)

    def screen(self) -> None:
        """Edit the screen before a programme."""
        if self.file is not None:
            told = self.file.part.screen.model_dump()
            dialog = ScreenDialog(*screen_rows(), told, lambda said: self.do(lambda f: set_screen(f, said)), self._window)
            self._window.open_dialog(dialog)

    def rules(self) -> None:
        """Edit the client's own rules."""
        if self.file is not None:
            self._window.open_dialog(RulesDialog(rule_rows(self.file), lambda told: self.do(lambda f: set_rules(f, told)), self._window))

    # Out

    def page(self) -> None:
        """The client's page as she will read it, and her printed sheet."""
        file, session = self.file, self._window.plan_room.session
        if file is None or session is None:
            self._window.show_refusal(tr("There is no plan yet: begin one first."))
            return
        coach = settings_of(self._window.library).coach
        folder = file.pages_folder()
        page, write = page_html(session_page(file, session, coach)), lambda: write_pages(file, session, folder, coach)[0]
        dialog = SheetDialog(page, write, self._window, "The client's page")
        self._window.open_dialog(dialog)

    def reminder(self) -> None:
        """Put a text to send on the clipboard."""
        file, session, board = self.file, self._window.plan_room.session, QGuiApplication.clipboard()
        if file is not None and session is not None and board is not None:
            board.setText(schedule.reminder(file, session, settings_of(self._window.library).coach))
            self._window.show_status(tr("The reminder is on the clipboard."))

    def calendar(self) -> None:
        """Write the client's calendar."""
        self._write("training.ics", schedule.client_calendar)

    def coach_calendar(self) -> None:
        """Write the coach's calendar, in the background."""
        path = self._where("coaching.ics")
        if path is not None:
            library, zone = self._window.library, QTimeZone.systemTimeZoneId().data().decode()
            job = Job(tr("Writing the calendar"), lambda progress: schedule.coach_calendar(library, path, progress, zone), self)
            job.done.connect(lambda done: self._window.show_status(tr("Written: {path}", path=done)))
            self._window.run_job(job)

    def _where(self, name: str) -> Path | None:
        path, _ = QFileDialog.getSaveFileName(self._window, tr("Where to"), name)
        return Path(path) if path else None

    def _write(self, name: str, write: Callable[[TrainingFile, Path], Path]) -> None:
        path = self._where(name) if self.file is not None else None
        if path is not None:
            self.write(write, path)

    def write(self, write: Callable[[TrainingFile, Path], Path], path: Path) -> None:
        """Write one of the files and say where it lies."""
        if self.file is not None:
            try:
                done = write(self.file, path)
            except DeepMirrorError as error:
                self._window.show_error(error.sentence)
                return
            self._window.show_status(tr("Written: {path}", path=done))

    # In

    def bring_table(self) -> None:
        """Choose a table of past training."""
        path, _ = QFileDialog.getOpenFileName(self._window, tr("A table of past training"), "", tr("Tables (*.csv *.txt *.tsv)"))
        if path:
            self.ask_columns(Path(path))

    def ask_columns(self, path: Path) -> None:
        """The mapping step: what the columns hold and what the words mean."""
        library = self._window.library
        try:
            table = carry.table_of(path)
        except DeepMirrorError as error:
            self._window.show_error(error.sentence)
            return
        guess = carry.guess_columns(table.columns)

        def words_of(column: str) -> list[tuple[str, str]]:
            words = table.movements(column)
            meant = carry.guess_movements(library, words)
            return [(w, meant[w]) for w in words]

        movements = [(c.id, c.title) for c in library.movements()]
        take = lambda mapping, meant, pounds: self.do(lambda f: carry.take_table(f, table, mapping, meant, pounds))
        self._window.open_dialog(ColumnsDialog(table.columns, FIELDS, guess, words_of, movements, take, self._window))

    def bring_record(self) -> None:
        """Choose a whole record; its client is a new one."""
        path, _ = QFileDialog.getOpenFileName(self._window, tr("A whole record"), "", tr("Records (*.json)"))
        if path:
            self.take_record(Path(path))

    def take_record(self, path: Path) -> None:
        """Take a whole record in and open it."""
        try:
            client_id = carry.take_record(self._window.library, path)
        except DeepMirrorError as error:
            self._window.show_error(error.sentence)
            return
        self.open(client_id)
