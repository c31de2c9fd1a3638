"""Films that come in by themselves: looking into the mailbox, taking in, asking whose a film is."""

from __future__ import annotations

import tempfile
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer

from deepmirror.services.common.jobs import JobRunner, Progress
from deepmirror.services.program.arrivals import ArrivalRecord, Arrivals, UnassignedFilm, place, put_aside, unplaced
from deepmirror.services.replies.delivery import hand_over_rest
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.words import joined

EVERY_MS = 2000
RETRY_EVERY = 30  # looks: replies that could not be handed over are tried again every minute


class InboxController(QObject):
    """Looks into the mailbox every two seconds, in a thread of its own."""

    def __init__(self, window: WindowContext, arrivals: Arrivals | None) -> None:
        super().__init__(window)
        self._window: WindowContext = window
        self._arrivals: Arrivals | None = None
        self._runner, self._busy, self._looks, self._told = JobRunner(), False, 0, ""
        self._clock = QTimer(self)
        self._clock.timeout.connect(self.look)
        if arrivals is not None:
            self.watch(arrivals)
        window.desk_room.wants_place.connect(self.place)
        window.desk_room.wants_aside.connect(self.set_aside)

    def watch(self, arrivals: Arrivals) -> None:
        """Look into this mailbox from now on."""
        self._arrivals = arrivals
        self._send_rest(left_over=True)
        self._clock.start(EVERY_MS)

    def rest(self) -> None:
        """Look no more; what is being taken in is finished."""
        self._clock.stop()

    def close(self) -> None:
        """Stop looking."""
        self._clock.stop()
        self._runner.close()

    def look(self) -> None:
        """Take in what is new, unless the last look still runs."""
        arrivals = self._arrivals
        if arrivals is None or self._busy:
            return
        self._busy, self._looks = True, self._looks + 1
        job = Job(tr("Taking in"), arrivals.collect, self)
        job.done.connect(self._came)
        job.failed.connect(self._unreachable)
        job.finished.connect(self._looked)
        job.start(self._runner)
        if self._looks % RETRY_EVERY == 0:
            self._send_rest()

    def _send_rest(self, left_over: bool = False) -> None:
        library, outbox = self._window.library, self._window.outbox
        Job(tr("Handing over"), lambda progress: hand_over_rest(library, outbox, progress, left_over), self).start(self._runner)

    def bring(self, path: Path) -> None:
        """Take in a bundle that was dropped or chosen."""
        library = self._window.library
        job = Job(tr("Taking in"), lambda progress: [Arrivals(library, None).bring(path)], self)
        job.done.connect(self._came)
        job.failed.connect(self._window.show_error)
        job.start(self._runner)

    def _looked(self) -> None:
        self._busy = False

    def _unreachable(self, sentence: str) -> None:
        """Say it once, not at every look."""
        if sentence != self._told:
            self._told = sentence
            self._window.show_status(sentence)

    def _came(self, records: list[ArrivalRecord]) -> None:
        if not records:
            return
        self._window.desk_room.refresh()
        for record in records:
            if record.state == "taken" and record.film_id is not None:
                self._window.measure_film(record.film_id)
        self._window.show_status(_words(records))

    def place(self, arrival: ArrivalRecord) -> None:
        """Ask whose the film of a waiting arrival is, filled in with what its sender said."""
        window = self._window
        folder = tempfile.TemporaryDirectory(dir=window.library.work_folder())
        job = Job(tr("Opening what came"), lambda progress: self._unpack(arrival, Path(folder.name), progress), self)
        job.done.connect(lambda found: self._ask_whose(arrival, folder, *found))
        job.failed.connect(lambda _: folder.cleanup())
        window.run_job(job, window.pictures, on_show=True)

    def _unpack(self, arrival: ArrivalRecord, folder: Path, progress: Progress) -> tuple[UnassignedFilm, NDArray[np.uint8]]:
        progress.report(0.1, "unpacking")
        found = unplaced(self._window.library, arrival, folder)
        return found, self._window.library.first_picture(found.film)

    def _ask_whose(
        self, arrival: ArrivalRecord, folder: tempfile.TemporaryDirectory[str], found: UnassignedFilm, picture: NDArray[np.uint8]
    ) -> None:
        library = self._window.library
        dialog = self._window.ask_about_film(arrival.name, picture, partial(place, library, arrival, found.film))
        dialog.fill(found.client_name, found.movement, found.view, found.load_kg, found.note)
        dialog.finished.connect(lambda _: folder.cleanup())

    def set_aside(self, arrival: ArrivalRecord) -> None:
        """The coach has seen it: it no longer stands on the Desk; what came is kept."""
        put_aside(self._window.library, arrival)
        self._window.desk_room.refresh()


def _words(records: list[ArrivalRecord]) -> str:
    taken, rest = sum(r.state == "taken" for r in records), [r for r in records if r.state != "taken"]
    words = [tr("{count} new", count=taken)] if taken else []
    words += [tr("{name}: {sentence}", name=r.name, sentence=r.sentence) for r in rest]
    return joined(" · ", words)
