"""Points and marks placed by hand: what a click on the film does, and every edit of the open film's brief."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from deepmirror.errors import DeepMirrorError
from deepmirror.services.films.review import MARK_KINDS, Review
from deepmirror.ui.rooms.mirror.placing import SUBJECT, SWAP_END, SWAP_START, PlacingPanel
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import FilmView

NUDGE_PX = 0.25


class Annotator(QObject):
    """Owns what is selected and half clicked. The room says which review is open, and which frame is on show."""

    changed = pyqtSignal()  # what is drawn over the film is no longer the same
    edited = pyqtSignal()
    refused = pyqtSignal(str)  # an edit changed nothing, and why
    subject_chosen = pyqtSignal()  # another person is followed: the film must be looked at anew

    def __init__(self, film: FilmView, panel: PlacingPanel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.review: Review | None = None
        self.frame = 0
        self.selected: str | None = None
        self._film, self._panel = film, panel
        self._mark: tuple[str, list[QPointF]] | None = None
        self._swap_from: int | None = None
        film.clicked.connect(self._clicked)
        film.chosen.connect(self._pick_placed)
        film.moved.connect(self._drag)
        film.dropped.connect(self._place)
        panel.point_chosen.connect(self.choose_point)
        panel.mark_chosen.connect(self._start_mark)
        panel.remove_wanted.connect(self._remove_point)
        panel.hide_wanted.connect(self._hide_point)
        panel.hold_wanted.connect(self._hold_point)
        panel.swap_wanted.connect(self._swap)
        panel.subject_wanted.connect(lambda: self._start_mark(SUBJECT))
        panel.machine_named.connect(self._name_machine)
        panel.take_over_wanted.connect(lambda: self.edit(self.review.copy_marks) if self.review else None)
        panel.fit_said.connect(lambda: self.edit(self.review.marks_fit) if self.review else None)

    def open(self, review: Review | None) -> None:
        """Another film, or none, is on show."""
        self.review, self._mark = review, None

    def begin(self, on: bool) -> None:
        """Placing starts or stops; the first point that is missing on this frame is the one to place."""
        self._mark = None
        self._panel.show_mark(None)
        if on and self.review is not None:
            self.selected = self._first_missing()
            self._panel.offer_machines(self.review.machines())
        self.show()

    def half_clicked(self) -> list[QPointF]:
        """Spots of a mark that waits for more of them."""
        return self._mark[1] if self._mark is not None else []

    def show(self) -> None:
        """The panel as things stand; nothing is listed while nobody places."""
        if self._film.placing:
            self.show_points()
            self.show_marks()

    def show_points(self) -> None:
        """List the points of the frame on show."""
        if self.review is not None:
            self._panel.show_points(self.review, self.review.seed(self.frame), self.selected)

    def show_marks(self) -> None:
        """The marks and what is in question: they change with an edit, not from frame to frame."""
        if self.review is not None:
            self._panel.show_marks(self.review)

    def edit(self, change: Callable[..., None], *told: Any, **fields: Any) -> None:
        """Do an edit of the review and show what it changed; one that is refused changes nothing, and its reason is told."""
        try:
            change(*told, **fields)
        except DeepMirrorError as error:
            self.refused.emit(error.sentence)
        else:
            self.show()
            self.changed.emit()
            self.edited.emit()

    def set_field(self, **fields: object) -> None:
        """Change a field of the brief: movement, view, tempo, load and their kin."""
        if self.review is not None:
            self.edit(self.review.set_field, **fields)

    def choose_point(self, name: str) -> None:
        """The next click places this point."""
        self.selected, self._mark = name, None
        self._panel.show_mark(None)
        self.changed.emit()

    def nudge(self, steps_right: int, steps_down: int) -> bool:
        """Move the selected hand-placed point by a fraction of a pixel; False when there is none on this frame."""
        seed = self.review.seed(self.frame) if self.review is not None and self._film.placing else {}
        if self.selected not in seed or self.selected is None:
            return False
        x, y = seed[self.selected]
        self._place(self.selected, QPointF(x + NUDGE_PX * steps_right, y + NUDGE_PX * steps_down))
        return True

    def _first_missing(self) -> str | None:
        if self.review is None:
            return None
        seed = self.review.seed(self.frame)
        return next((n for n in self.review.point_names() if n not in seed), None)

    def _pick_placed(self, name: str) -> None:
        self.choose_point(name)
        self.show_points()

    def _clicked(self, at: QPointF) -> None:
        if self._mark is not None:
            self._click_mark(*self._mark, at)
        elif self.selected is not None:
            self._place(self.selected, at)
            self.selected = self._first_missing() or self.selected
            self.show_points()
            self.changed.emit()

    def _place(self, name: str, at: QPointF) -> None:
        if self.review is not None:
            self.selected = name
            self.edit(self.review.place, self.frame, name, (at.x(), at.y()))

    def _drag(self, name: str, at: QPointF) -> None:
        self._film.drawing.placed[name] = at
        self._film.update()

    def _remove_point(self, name: str) -> None:
        if self.review is not None and name in self.review.seed(self.frame):
            self.edit(self.review.unplace, self.frame, name)

    def _hide_point(self, name: str) -> None:
        if self.review is not None and name:
            self.edit(self.review.toggle_hidden, name)

    def _hold_point(self, name: str) -> None:
        if self.review is not None and name:
            self.edit(self.review.toggle_held, name)

    def _swap(self) -> None:
        """First press: where the swapped stretch begins; second press: where it ends."""
        if self.review is None:
            return
        if self._swap_from is None:
            self._swap_from = self.frame
        else:
            first, self._swap_from = self._swap_from, None
            self.edit(self.review.swap_sides, first, self.frame)
        self._panel.swap.setText(tr(SWAP_START if self._swap_from is None else SWAP_END))

    def _start_mark(self, kind: str) -> None:
        self._mark = (kind, [])
        self._panel.show_mark(kind)

    def _click_mark(self, kind: str, points: list[QPointF], at: QPointF) -> None:
        if kind == SUBJECT:
            self._follow_another(at)
            return
        points.append(at)
        if len(points) == MARK_KINDS[kind] and self.review is not None:
            self._mark = None
            self._panel.show_mark(None)
            size = (self._panel.width_cm.value(), self._panel.height_cm.value())
            spots = [self.review.to_reference_frame(self.frame, (p.x(), p.y())) for p in points]
            self.edit(self.review.mark, kind, spots, self._panel.length.value(), size)
        self.changed.emit()

    def _follow_another(self, at: QPointF) -> None:
        """The one clicked is the client. The numbers of now are somebody else's: nothing is solved before the film was looked at."""
        self._mark = None
        if self.review is None:
            return
        try:
            self.review.choose_subject(self.frame, (round(at.x(), 1), round(at.y(), 1)))
        except DeepMirrorError as error:
            self.refused.emit(error.sentence)
        else:
            self.subject_chosen.emit()

    def _name_machine(self, name: str) -> None:
        if self.review is not None and (name or None) != self.review.brief.file.machine:
            self.set_field(machine=name or None)
