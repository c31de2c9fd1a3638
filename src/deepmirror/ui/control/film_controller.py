"""Opening films, measuring them, and working their numbers out anew: all of it in the background."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from deepmirror.services.common.jobs import JobRunner, Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.review import Observed, Review
from deepmirror.services.films.two_views import Companion, companion_of
from deepmirror.services.films.visits import Visit, visit_of
from deepmirror.services.replies.rendering import PriorFilms
from deepmirror.services.replies.why_page import why_page, why_picture
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job, to_image
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns
from deepmirror.ui.widgets.why_dialog import CauseShown, WhyDialog


class FilmController(QObject):
    """Owns what runs for the open film and for those that wait to be measured."""

    first_look = pyqtSignal(int)
    measured = pyqtSignal(int)  # a film's numbers are there, or it could not be measured

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window, self._library = window, window.library
        self._opener = JobRunner()  # behind nothing but another opening
        self._wanted: int | None = None  # the film asked for last
        self._closed = False
        self._solving: Job | None = None
        self._turns = Turns(self)
        self.measuring: set[int] = set()
        self.first_look.connect(self._looked_first)
        self._then: tuple[int, str, int] | None = None  # where to go in a film once its numbers are there
        window.mirror.numbers_shown.connect(self._numbers_shown)
        window.mirror.wants_other.connect(self.open_at)
        Job(tr("Reading the library"), lambda _: self._library.read_ahead(), self).start(self._opener)

    def forget(self) -> None:
        """A film that is just being opened is not shown."""
        self._wanted = None

    def close(self) -> None:
        """Stop opening; numbers that still come start nothing."""
        self._closed = True
        self.forget()
        self._turns.forget()
        self._opener.close()

    def open(self, film_id: int, stay: bool = False) -> None:
        """Open a film in the Mirror; of several asked for in a row the last one is shown. stay: in the room on show."""
        self._wanted = film_id
        job = Job(tr("Opening the film"), lambda progress: self._opened(film_id, progress), self)
        job.done.connect(lambda opened: self._show(opened[0], opened[1], stay))
        self._window.run_job(job, self._opener, on_show=True)

    def _opened(self, film_id: int, progress: Progress) -> tuple[Review, Visit]:
        progress.report(0.1, "reading")
        return Review(self._library, film_id, conclude=False), visit_of(self._library, film_id)

    def _show(self, review: Review, visit: Visit, stay: bool) -> None:
        if review.film_id != self._wanted:
            review.close()
            return
        window = self._window
        window.mirror.visit = visit.place(review.film_id), len(visit.films)
        window.show_review(review)
        if not stay:
            window.go("mirror")
        window.refresh_actions()
        if not self.solve(review) and self._library.lacks_evidence(review.record):
            self.measure(review.film_id)  # it was measured once: what was seen is gone or torn, and is made again

    def open_at(self, film_id: int, measure: str, rep: int) -> None:
        """Open a film where it shows a measure of a rep."""
        self._then = film_id, measure, rep
        self.open(film_id)

    def _numbers_shown(self) -> None:
        """The open film's numbers are there: go where it was opened for, and look for the other film of its set."""
        window, review = self._window, self._window.review
        if review is None or review.analysis is None or self._closed:
            return
        then, self._then = self._then, None
        if then is not None and then[0] == review.film_id and then[2] <= len(review.analysis.scene.reps):
            window.mirror.go_to_number(then[1], then[2])
        analysis = review.analysis
        job = Job(tr("Looking for the other film of this set"), lambda progress: self._companion(review.film_id, analysis, progress), self)
        job.done.connect(lambda found: self._show_companion(review, analysis, found))
        job.failed.connect(window.show_error)
        job.start(window.pictures)  # not on show: most films are the only one of their set

    def _companion(self, film_id: int, analysis: Analysis, progress: Progress) -> Companion | None:
        progress.report(0.1, "reading")
        with PriorFilms(self._library) as films:

            def read(other: int) -> Analysis | None:
                found = films.get(other)
                return found[1] if found is not None else None

            return companion_of(self._library, film_id, analysis, read)

    def _show_companion(self, review: Review, analysis: Analysis, found: Companion | None) -> None:
        if found is not None and review is self._window.review and review.analysis is analysis:
            self._window.mirror.reading.show_companion(analysis, found)

    def step_visit(self, by: int) -> None:
        """Open the next film of the visit on show, or the one before, round and round."""
        review = self._window.review
        if review is None:
            return
        films = visit_of(self._library, review.film_id).films
        if len(films) > 1:
            at = next(i for i, f in enumerate(films) if f.id == review.film_id)
            self.open(films[(at + by) % len(films)].id)
        else:
            self._window.show_refusal(tr("This film is the only one of its visit."))

    def measure_in_hand(self) -> None:
        """Measure the film on show, or on the Desk the one under the bar: also one that failed before."""
        film_id = self._window.film_in_hand()
        if self._window.stack.currentWidget() is not self._window.desk_room:
            self.measure_open()
        elif film_id is not None and film_id not in self.measuring:
            self.measure(film_id)

    def measure(self, film_id: int) -> None:
        """Measure a film of the library; one that waits for it or is being measured is not asked for twice."""
        if self._library.read_only or film_id in self.measuring:
            return
        self.measuring.add(film_id)
        shown = self.first_look.emit  # arrives on the interface thread
        job = Job(tr("Measuring"), lambda progress: self._library.measure(film_id, progress, lambda: shown(film_id)), self)
        job.progressed.connect(lambda share, _: self._window.desk_room.note_progress(film_id, share))
        job.finished.connect(lambda: self._measured(film_id))
        self._window.run_job(job)

    def _looked_first(self, film_id: int) -> None:
        """The quick result is shown as soon as it is there."""
        review = self._window.review
        self._turns.then(*self._window.desk_room.refreshing())
        if review is not None and review.film_id == film_id and review.evidence is None:
            self.open(film_id, stay=True)

    def _measured(self, film_id: int) -> None:
        review = self._window.review
        self.measuring.discard(film_id)
        self._window.desk_room.note_progress(film_id, None)
        self._turns.then(*self._window.desk_room.refreshing(), partial(self.measured.emit, film_id))
        if review is not None and review.film_id == film_id:
            self.open(film_id, stay=True)

    def why(self, code: str) -> None:
        """Open the page that answers why a finding of the open film is said; its picture follows."""
        review = self._window.review
        if review is None or review.analysis is None:
            return
        page = why_page(review.analysis, code)
        causes = [CauseShown(**vars(c)) for c in page.causes]
        dialog = WhyDialog(page.title, page.why, page.seen, page.asked, causes, page.change, self._window)
        job = Job(tr("Drawing the picture"), lambda _: to_image(why_picture(review, code)), dialog)
        job.done.connect(dialog.show_picture)
        job.start(self._window.pictures)
        self._window.open_dialog(dialog)

    def measure_open(self) -> None:
        """Look at the open film, or only follow its points when they alone changed."""
        review = self._window.review
        if review is None:
            return
        job = Job(tr("Measuring"), review.observing(), self)
        job.done.connect(lambda seen: self._observed(review, seen))
        self._window.run_job(job)

    def _observed(self, review: Review, seen: Observed) -> None:
        review.take(seen)
        self.solve(review)

    def edited(self) -> None:
        """The open film was edited: its numbers are worked out anew."""
        review = self._window.review
        if review is None:
            return
        self._window.refresh_actions()
        if not self.solve(review):
            self._window.mirror.refresh()

    def solve(self, review: Review) -> bool:
        """Work the numbers out anew; False when nothing was observed yet."""
        if review.evidence is None:
            return False
        if self._solving is not None:
            self._solving.progress.cancel()  # one that still waits is of an older state
        job = self._solving = Job(tr("Solving"), review.concluding(), self)
        job.done.connect(lambda analysis: self._concluded(review, analysis, ""))
        job.broke.connect(lambda: self._concluded(review, None, tr("The numbers could not be worked out.")))
        solver = self._window.solver  # never behind a film being measured
        self._window.run_job(job, solver, failed=lambda words: self._concluded(review, None, words))
        return True

    def _concluded(self, review: Review, analysis: Analysis | None, problem: str) -> None:
        review.take_analysis(analysis, problem)
        self._window.review_changed(review)
