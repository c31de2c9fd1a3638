"""Following up and comparing: the watched corrections of the film on show, and the two films side by side."""

from __future__ import annotations

from functools import partial
from html import escape

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from deepmirror.core.motion.time_normalisation import phase_of
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films import follow_up
from deepmirror.services.films.film_library import FilmState
from deepmirror.services.films.follow_up import FollowUp
from deepmirror.services.films.rep_comparison import ComparedFilm, SideBySide, films_to_compare
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.translation import tr
from deepmirror.ui.turns import Turns

Choices = list[tuple[int, str]]  # films to compare with, by number, and their words


class FollowUpController(QObject):
    """Keeps the list of watched corrections of the open film and decides on them."""

    def __init__(self, window: WindowContext) -> None:
        super().__init__(window)
        self._window = window
        self._turns = Turns(self)
        self.rows: list[FollowUp] = []
        self.picked = 0
        self._greeted: set[int] = set()
        window.mirror.reading.watch_picked.connect(self.pick)
        window.compare.films_chosen.connect(self.compare_films)

    def refresh(self) -> None:
        """Read what the film on show says of the watched corrections."""
        review = self._window.review
        analysis = review.analysis if review is not None else None
        self.rows = self._window.library.watched(review.film_id, analysis) if review is not None and analysis else []
        self.picked = min(self.picked, max(len(self.rows) - 1, 0))
        self._tell()
        history = {r.id: follow_up.history(record) for r in self.rows if (record := self._record(r)) is not None}
        self._window.mirror.reading.show_watched(self.rows, history, self.picked)

    def greet(self) -> None:
        """A film that was not answered yet and speaks on earlier corrections opens with then and now, once."""
        review = self._window.review
        if review is None or review.film_id in self._greeted or review.record.state != FilmState.READY:
            return
        self._greeted.add(review.film_id)
        if any(r.state == "open" for r in self.rows) and self._window.stack.currentWidget() is self._window.mirror:
            self.compare()

    def _tell(self) -> None:
        """The line above the two films: the picked correction, what became of it, and the keys that decide."""
        row, room = self.current(), self._window.compare
        on_show = row is not None and room.pair is not None and room.pair.first.record.id == row.film_id
        if row is None or not on_show:
            room.show_words("")
            return
        state = "" if row.state == "open" else tr(" ({state})", state=row.state)
        keys = tr(
            "X close · K keep · Y correct it anew · J next ({number} of {count}) · F4 the film",
            number=self.picked + 1,
            count=len(self.rows),
        )
        room.show_words(
            tr(
                "<b>{escape}{escape2}</b> · {escape3}<br>{escape4}",
                escape=escape(row.baseline.title),
                escape2=escape(state),
                escape3=escape(row.words()),
                escape4=escape(keys),
            )
        )

    def _record(self, row: FollowUp) -> follow_up.WatchRecord | None:
        review = self._window.review
        if review is None:
            return None
        records = self._window.library.watch_records(review.record.client_id)
        return next((r for r in records if r.id == row.id), None)

    def current(self) -> FollowUp | None:
        """The watched correction under the keys."""
        return self.rows[self.picked] if self.rows else None

    def pick(self, watch_id: int) -> None:
        """Choose one by its id, and look at then and now."""
        found = next((i for i, r in enumerate(self.rows) if r.id == watch_id), None)
        if found is not None:
            self.picked = found
            self.compare()

    def next(self) -> None:
        """Choose the next one."""
        if self.rows:
            self.picked = (self.picked + 1) % len(self.rows)
            self.refresh()
            if self._window.stack.currentWidget() is self._window.compare:
                self.compare()

    def decide(self, state: str) -> None:
        """Close the one under the keys, keep watching it, or mark it as changed: said anew, in other words, in this reply."""
        row = self.current()
        if row is None:
            return
        self._window.library.set_outcome(row.id, state)
        words = {"closed": tr("{title}: closed"), "open": tr("{title}: still watched"), "changed": tr("{title}: to be said anew")}[state]
        self._window.show_status(words.format(title=row.baseline.title))
        self.refresh()
        if state == "changed":
            self._window.compose_reply(row.baseline.code)
        elif len(self.rows) > 1:
            self.next()

    def compare(self) -> None:
        """Then and now of the watched correction under the keys; without one, the first and last rep of the film on show."""
        review, row = self._window.review, self.current()
        if review is None or review.analysis is None:
            return
        if row is not None:
            self._open(row.film_id, review.film_id, row.baseline.rep, row.outcome.rep, row.baseline.time_s)
        else:
            self._open(review.film_id, review.film_id, 1, len(review.analysis.scene.reps), None)

    def compare_films(self, first: int, second: int) -> None:
        """Compare two films chosen by hand."""
        self._open(first, second, None, None, None)

    def _open(self, first: int, second: int, rep_a: int | None, rep_b: int | None, time_s: float | None) -> None:
        job, asked_from = (
            Job(tr("Opening both films"), lambda progress: self._pair(first, second, rep_a, rep_b, progress), self),
            self._room(),
        )
        job.done.connect(lambda opened: self._show_in_turns(opened, first, second, time_s, asked_from))
        self._window.run_job(job, self._window.solver)

    def _pair(self, first: int, second: int, rep_a: int | None, rep_b: int | None, progress: Progress) -> tuple[SideBySide, Choices]:
        progress.report(0.1, "opening")
        a = ComparedFilm(self._window.library, first)
        b = a if second == first else ComparedFilm(self._window.library, second)
        return SideBySide(a, b, rep_a or 1, rep_b or 1), films_to_compare(self._window.library, second)

    def _show_in_turns(
        self, opened: tuple[SideBySide, Choices], first: int, second: int, time_s: float | None, asked_from: QWidget | None
    ) -> None:
        room, (pair, films) = self._window.compare, opened
        phase = phase_of(pair.pair()[0], time_s) if time_s is not None else 1.0
        shown = partial(self._shown, asked_from)
        self._turns.then(partial(room.show_films, films, first, second), partial(room.show_pair, pair, phase), shown)

    def _shown(self, asked_from: QWidget | None) -> None:
        self._tell()
        if self._room() is asked_from:  # who has gone on to another room meanwhile is not fetched back
            self._window.go("compare")

    def _room(self) -> QWidget | None:
        return self._window.stack.currentWidget()
