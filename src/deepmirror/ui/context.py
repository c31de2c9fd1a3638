"""What a controller may ask of the window it works in. The window knows its controllers; they know only this."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtWidgets import QDialog, QMainWindow, QStackedWidget

from deepmirror.services.common.jobs import JobRunner
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord
from deepmirror.services.films.review import Review
from deepmirror.services.program.arrivals import Placed
from deepmirror.services.replies.delivery import Outbox
from deepmirror.ui.jobs import Job
from deepmirror.ui.rooms.compare import CompareRoom
from deepmirror.ui.rooms.desk import DeskRoom
from deepmirror.ui.rooms.floor import FloorRoom
from deepmirror.ui.rooms.mirror import MirrorRoom
from deepmirror.ui.rooms.person import PersonRoom
from deepmirror.ui.rooms.plan import PlanRoom
from deepmirror.ui.rooms.reply import ReplyRoom
from deepmirror.ui.widgets.import_dialog import ImportDialog


class WindowContext(QMainWindow):
    """The library, the rooms, the open film, background work, and what is shown to the coach."""

    library: FilmLibrary
    outbox: Outbox
    runner: JobRunner  # measuring, one film after another
    solver: JobRunner  # never behind a film that is being measured
    pictures: JobRunner
    review: Review | None
    stack: QStackedWidget
    desk_room: DeskRoom
    person_room: PersonRoom
    mirror: MirrorRoom
    reply_room: ReplyRoom
    compare: CompareRoom
    plan_room: PlanRoom
    floor: FloorRoom

    @abstractmethod
    def go(self, room: str) -> None:
        """Show a room; keys work where they belong."""

    @abstractmethod
    def refresh_actions(self) -> None:
        """Let keys and buttons work where they belong now."""

    @abstractmethod
    def show_status(self, words: str) -> None:
        """A passing word in the status line."""

    @abstractmethod
    def show_refusal(self, sentence: str) -> None:
        """Why something was not done, in the status line: nothing is lost and nothing has to be answered."""

    @abstractmethod
    def show_error(self, sentence: str) -> None:
        """Tell what went wrong, in one sentence."""

    @abstractmethod
    def open_dialog(self, dialog: QDialog) -> None:
        """Open a dialog over the window."""

    @abstractmethod
    def run_job(
        self, job: Job, runner: JobRunner | None = None, on_show: bool = False, failed: Callable[[str], object] | None = None
    ) -> Job:
        """Start background work and show it in the status line."""

    @abstractmethod
    def film_in_hand(self) -> int | None:
        """The film on show, or on the Desk the one under the bar."""

    @abstractmethod
    def measure_film(self, film_id: int) -> None:
        """Measure a film of the library in the background."""

    @abstractmethod
    def solve_again(self, review: Review) -> bool:
        """Work the numbers of a review out anew, in the background; False when nothing was observed yet."""

    @abstractmethod
    def show_review(self, review: Review) -> None:
        """This is the open film from now on."""

    @abstractmethod
    def review_changed(self, review: Review) -> None:
        """Show a review that was concluded anew, if it is still the open one."""

    @abstractmethod
    def forget_open(self, client_id: int) -> None:
        """Let go of everything of a client's that is open."""

    @abstractmethod
    def compose_reply(self, code: str | None = None) -> None:
        """Open the reply of the film on show. code: the correction to show."""

    @abstractmethod
    def take_bundle_in(self, path: Path) -> None:
        """Take in a bundle that was dropped or chosen."""

    @abstractmethod
    def ask_about_film(self, name: str, picture: NDArray[np.uint8], take: Callable[[Placed], FilmRecord]) -> ImportDialog:
        """Ask whose and what a film is, then have it taken in as answered."""
