"""The main window: the rooms, the actions of the table, and the background work that runs between them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QByteArray, QSize, Qt, QTimer
from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QMessageBox,
    QStackedWidget,
    QWidget,
)

from deepmirror.commands.table import ACTIONS, Need, keys_in_use
from deepmirror.services.common.jobs import JobRunner
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord
from deepmirror.services.films.review import Review
from deepmirror.services.program.arrivals import Arrivals, Placed
from deepmirror.services.program.settings import keep_window_place, own_keys, window_place
from deepmirror.services.replies.delivery import Outbox, folder_outbox
from deepmirror.ui.context import WindowContext
from deepmirror.ui.control.client_controller import ClientController
from deepmirror.ui.control.edits import Edits
from deepmirror.ui.control.film_controller import FilmController
from deepmirror.ui.control.film_import_controller import FilmImportController
from deepmirror.ui.control.floor_controller import Cameras, FloorController
from deepmirror.ui.control.follow_up_controller import FollowUpController
from deepmirror.ui.control.inbox_controller import InboxController
from deepmirror.ui.control.plan_controller import PlanController
from deepmirror.ui.control.reply_controller import ReplyController
from deepmirror.ui.control.settings_controller import SettingsController
from deepmirror.ui.control.speak_controller import Microphones, SpeakController
from deepmirror.ui.deeds import deeds
from deepmirror.ui.dressing import dressing
from deepmirror.ui.job_bar import JobBar
from deepmirror.ui.jobs import Job
from deepmirror.ui.rooms.compare import CompareRoom
from deepmirror.ui.rooms.desk import DeskRoom
from deepmirror.ui.rooms.floor import FloorRoom
from deepmirror.ui.rooms.mirror import MirrorRoom
from deepmirror.ui.rooms.person import PersonRoom
from deepmirror.ui.rooms.plan import PlanRoom
from deepmirror.ui.rooms.reply import ReplyRoom
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns
from deepmirror.ui.widgets.import_dialog import ImportDialog
from deepmirror.ui.widgets.panel_helpers import ElidedLabel, plain
from deepmirror.ui.widgets.rail import Rail
from deepmirror.words import capital

ROOMS = ("desk", "person", "mirror", "reply", "compare", "plan", "floor")

STATUS_MS, REFUSAL_MS = 6000, 10000
USUAL_SIZE, FRAME = QSize(1280, 800), QSize(8, 48)  # of the window; what its frame takes of a screen: title bar and edges


class MainWindow(WindowContext):
    """Owns the desk, the runner and the open review; rooms ask it for work by signals.

    outbox: where replies go, a folder of the library when none is given; arrivals: what looks into the mailbox, none in tests
    that do not want it; microphones: what there is to speak into.
    """

    def __init__(
        self,
        library: FilmLibrary,
        outbox: Outbox | None = None,
        arrivals: Arrivals | None = None,
        cameras: Cameras | None = None,
        microphones: Microphones = list,
    ) -> None:
        super().__init__()
        self.outbox: Outbox = outbox or folder_outbox(library)
        self.library, self.runner, self.solver, self.pictures = library, JobRunner(), JobRunner(), JobRunner()
        self.review: Review | None = None
        self.actions_by_id: dict[str, QAction] = {}
        self.setWindowTitle(tr("Deep Mirror") if not library.read_only else tr("Deep Mirror, for reading only"))
        self.desk_room, self.mirror, self.reply_room = DeskRoom(library), MirrorRoom(), ReplyRoom()
        self.person_room, self.compare, self.plan_room, self.floor = PersonRoom(), CompareRoom(), PlanRoom(), FloorRoom()
        self.settings_control, self.client_control, self.film_import = (
            SettingsController(self),
            ClientController(self),
            FilmImportController(self),
        )
        self.films, self.plan = FilmController(self), PlanController(self)
        self.reply_control, self.inbox, self.follow_up = ReplyController(self), InboxController(self, arrivals), FollowUpController(self)
        self.speak_control = SpeakController(self, microphones)
        self.floor_control = FloorController(self, cameras or Cameras())
        self.films.measured.connect(self.floor_control.rest.measured)
        self.stack = QStackedWidget()
        for room in (self.desk_room, self.person_room, self.mirror, self.reply_room, self.compare, self.plan_room, self.floor):
            self.stack.addWidget(room)
        self.rail = Rail(ROOMS)
        self.rail.chosen.connect(lambda room: self.actions_by_id[f"go_{room}"].trigger())
        centre = QWidget()
        row = QHBoxLayout(centre)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.rail)
        row.addWidget(self.stack, 1)
        self.setCentralWidget(centre)
        self.refusal, self._refused = ElidedLabel(), QTimer(self)
        self.refusal.setObjectName("warning")
        self._refused.setSingleShot(True)
        self._refused.timeout.connect(self.refusal.clear)
        status = self.statusBar()
        assert status is not None
        status.addWidget(self.refusal, 1)
        self.job_bar = JobBar(status, self)
        self.job_bar.ended.connect(self.refresh_actions)
        self._build_actions()
        self._connect()
        self.go("desk")
        self._place()
        self.edits, self._dressing = Edits(self), Turns(self)
        for film_id in library.unmeasured():
            self.measure_film(film_id)
        self.floor_control.recover()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._dressing.begin(*dressing(room for room in map(self.stack.widget, range(self.stack.count())) if room is not None))

    def _place(self) -> None:
        """Where the window was last; the first time as large as is usual, or as the screen has room for."""
        if self.restoreGeometry(QByteArray.fromBase64(window_place(self.library).encode())):
            return
        screen = self.screen()
        room = screen.availableSize() - FRAME if screen is not None else USUAL_SIZE
        self.resize(USUAL_SIZE.boundedTo(room))

    def _build_actions(self) -> None:
        does, keys = deeds(self), keys_in_use(own_keys(self.library))
        self.settings_control.key_changed.connect(lambda action, key: self.actions_by_id[action].setShortcut(QKeySequence(key)))
        menu_bar = self.menuBar()
        assert menu_bar is not None
        menus = {name: menu_bar.addMenu(tr(name)) for name in ("Film", "Edit", "Plan", "Floor", "Go", "Help")}
        for entry in ACTIONS:
            action = QAction(tr(entry.title), self)
            action.setShortcut(QKeySequence(keys[entry.id]))
            action.triggered.connect(lambda _, run=does[entry.id]: run())
            self.actions_by_id[entry.id] = action
            menu = menus[entry.menu]
            assert menu is not None
            menu.addAction(action)

    def _connect(self) -> None:
        self.desk_room.opened.connect(self.open_film)
        self.desk_room.refreshed.connect(self.refresh_actions)
        self.desk_room.wants_import.connect(self.film_import.ask)
        self.desk_room.dropped.connect(self.film_import.bring_all)
        self.desk_room.strip_wanted.connect(lambda job: job.start(self.pictures))
        self.floor.turned.connect(self.refresh_actions)
        self.mirror.wants_measuring.connect(self.films.measure_open)
        self.mirror.wants_reply.connect(self.reply_control.compose)
        self.mirror.wants_why.connect(self.films.why)
        self.mirror.wants_film.connect(self.reply_control.ask_again)
        self.mirror.edited.connect(self.films.edited)
        self.mirror.complained.connect(self.show_refusal)
        self.plan_room.wants.connect(lambda action: self.actions_by_id[action].trigger())
        self.person_room.show_movements([(m.id, m.title) for m in self.library.movements()])
        self.person_room.changed.connect(self.client_control.changed)
        self.person_room.wants_client.connect(self.client_control.open)
        self.person_room.complained.connect(self.show_refusal)
        self.client_control.added.connect(self._open_new)
        self.desk_room.welcome.wants.connect(lambda action: self.actions_by_id[action].trigger())

    def _open_new(self, client_id: int) -> None:
        """A new client's plan in the Plan room, her record elsewhere."""
        if self.stack.currentWidget() is self.plan_room:
            self.plan.open(client_id)
        else:
            self.client_control.open(client_id)

    def go(self, room: str) -> None:
        """Show a room; keys work where they belong."""
        if room == "desk":
            self.desk_room.refresh()  # before it is seen: it is read once then
        self.stack.setCurrentIndex(ROOMS.index(room))
        self.rail.buttons[room].setChecked(True)
        if room == "desk":
            self.plan.look_at_due()
            self.desk_room.list.setFocus()
        elif room == "person":
            self.person_room.setFocus()
        elif room == "plan":
            self.plan_room.strip.setFocus()
        elif room == "mirror":
            self.mirror.film.setFocus()
        elif room == "compare":
            self.compare.slider.setFocus()
        if room != "reply":
            self.reply_control.save_now()
        if room != "mirror":
            self.mirror.pause()
        if room != "compare":
            self.compare.pause()
        self.refresh_actions()

    def refresh_actions(self) -> None:
        """Keys and buttons work where they belong."""
        room = ROOMS[self.stack.currentIndex()]
        at_hand = self._at_hand()
        for entry in ACTIONS:
            self.actions_by_id[entry.id].setEnabled(entry.works(room, at_hand))
        edited = {"person": self.person_room.person, "plan": self.plan.file, "mirror": self.review, "reply": self.reply_control}.get(room)
        for key, label in (("undo", edited.can_undo() if edited else None), ("redo", edited.can_redo() if edited else None)):
            self.actions_by_id[key].setEnabled(label is not None)
            self.actions_by_id[key].setText(tr("{deed} {label}", deed=capital(key), label=label) if label else tr(capital(key)))
        for name, need in (("mirror", Need.FILM), ("reply", Need.NUMBERS), ("compare", Need.NUMBERS)):
            self.rail.buttons[name].setEnabled(at_hand[need])

    def _at_hand(self) -> dict[Need, bool]:
        """What the actions of the table ask for, as it is now."""
        review = self.review
        return {
            Need.FILM: review is not None,
            Need.NUMBERS: review is not None and review.analysis is not None,
            Need.FILM_IN_HAND: self.film_in_hand() is not None,
            Need.WATCHED: bool(self.follow_up.rows),
            Need.PLANNED: self.plan_room.session is not None,
            Need.RESTING: self.floor.face() == "rest",
        }

    def show_status(self, words: str) -> None:
        """A passing word in the status line."""
        status = self.statusBar()
        if status is not None:
            self.refusal.clear()
            status.showMessage(tr(words), STATUS_MS)

    def show_refusal(self, sentence: str) -> None:
        """Why something was not done, in the status line: nothing is lost and nothing has to be answered."""
        status = self.statusBar()
        if status is not None:
            status.clearMessage()
        self.refusal.setText(sentence)
        self.refusal.setAccessibleName(tr(sentence))
        self._refused.start(REFUSAL_MS)

    def open_dialog(self, dialog: QDialog) -> None:
        """Open a dialog over the window; the window has the keys again when it closes."""
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(self.activateWindow)
        dialog.open()

    def show_error(self, sentence: str) -> None:
        """Tell what went wrong, in one sentence; the same is not told twice at once."""
        sentence = tr(sentence)
        if any(box.text() == sentence for box in self.findChildren(QMessageBox) if box.isVisible()):
            return
        box = QMessageBox(QMessageBox.Icon.Warning, "Deep Mirror", tr(sentence), QMessageBox.StandardButton.Ok, self)
        self.open_dialog(plain(box))

    def run_job(
        self, job: Job, runner: JobRunner | None = None, on_show: bool = False, failed: Callable[[str], object] | None = None
    ) -> Job:
        """Start background work and show it in the status line; on_show: before whatever else runs, as the coach waits for it.

        failed: who tells the sentence of a failure, the window's own box when nobody does.
        """
        return self.job_bar.run(job, runner or self.runner, on_show, failed or self.show_error)

    @property
    def jobs(self) -> list[Job]:
        """What runs and waits."""
        return self.job_bar.jobs

    def stop_job(self) -> None:
        """Cancel the work on show."""
        self.job_bar.stop()

    def forget_open(self, client_id: int) -> None:
        """Let go of everything of a client's that is open."""
        self.films.forget()
        self.reply_control.save_now()
        if self.review is not None and self.review.record.client_id == client_id:
            self.mirror.forget()
            self.review.close()
            self.review = None
        self.compare.forget()
        self.person_room.person = None
        self.plan_room.show_file(None)

    def compose_reply(self, code: str | None = None) -> None:
        """Open the reply of the film on show. code: the correction to show."""
        self.reply_control.compose(code)

    def take_bundle_in(self, path: Path) -> None:
        """Take in a bundle that was dropped or chosen."""
        self.inbox.bring(path)

    def ask_about_film(self, name: str, picture: NDArray[np.uint8], take: Callable[[Placed], FilmRecord]) -> ImportDialog:
        """Ask whose and what a film is, then have it taken in as answered."""
        return self.film_import.ask_about(name, picture, take)

    def playing(self) -> MirrorRoom | CompareRoom:
        """The room whose film the playing keys move."""
        return self.compare if self.stack.currentWidget() is self.compare else self.mirror

    def film_in_hand(self) -> int | None:
        """The film on show, or on the Desk the one under the bar."""
        if self.stack.currentWidget() is self.desk_room:
            film = self.desk_room.selected()
            return film.id if film is not None else None
        return self.review.film_id if self.review is not None else None

    def open_film(self, film_id: int, stay: bool = False) -> None:
        """Open a film in the Mirror; stay: in the room on show."""
        self.films.open(film_id, stay)

    def measure_film(self, film_id: int) -> None:
        """Measure a film of the library in the background."""
        self.films.measure(film_id)

    def solve_again(self, review: Review) -> bool:
        """Work the numbers out anew in the background; False when nothing was observed yet."""
        return self.films.solve(review)

    def show_review(self, review: Review) -> None:
        """This is the open film from now on."""
        old, self.review = self.review, review
        self.mirror.show_review(review)
        if old is not None:
            old.close()

    def review_changed(self, review: Review) -> None:
        """Show a review that was concluded anew, if it is still the open one."""
        if review is self.review:
            self.mirror.refresh()
            self.mirror.turns.then(self.follow_up.refresh, self.refresh_actions, self.follow_up.greet)

    def step_history(self, back: bool) -> None:
        """Undo or redo what the room on show edits."""
        if self.client_control.undone(back) or self.plan.undone(back):
            return
        edited = self.reply_control if self.stack.currentWidget() is self.reply_room else self.review
        if edited is not None:
            edited.undo() if back else edited.redo()
        if edited is not None and edited is self.review:
            self.mirror.refresh()
            self.films.edited()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop what runs. Everything the coach did is saved already; where it could not be, she decides."""
        self.reply_control.save_now()
        if event is not None and not self.edits.may_close():
            event.ignore()
            return
        self._dressing.forget()
        self.mirror.turns.forget()
        self.desk_room.read_no_more()
        keep_window_place(self.library, self.saveGeometry().toBase64().data().decode())
        self.library.stop_work()
        self.inbox.close()
        self.film_import.close()
        self.films.close()
        self.reply_control.close()
        self.speak_control.close()
        self.plan.close()
        self.floor_control.close()
        for runner in (self.runner, self.solver, self.pictures):
            runner.close()
        self.mirror.close_reader()
        self.compare.close_reader()
        self.person_room.solver.close_workers()
        if self.review is not None:
            self.review.close()
        self.library.close()
        super().closeEvent(event)
