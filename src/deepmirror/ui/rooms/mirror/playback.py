"""Playing a film: at its speed or slower, round and round a rep."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from deepmirror.core.motion.reps import Rep
from deepmirror.services.films.review import Review

SPEEDS = (1.0, 0.5, 0.25)


class Playback(QObject):
    """Asks for frame after frame; `turned` says whether it plays."""

    wants_frame = pyqtSignal(int)
    turned = pyqtSignal(bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.review: Review | None = None
        self.shown = self.wanted = 0  # the frame on show, and the one that is on its way
        self.looping, self._speed = False, 0
        self._clock = QTimer(self)
        self._clock.timeout.connect(self._tick)

    @property
    def speed(self) -> float:
        """Of the film's own."""
        return SPEEDS[self._speed]

    def toggle(self) -> None:
        """Play or pause."""
        if self._clock.isActive():
            self.pause()
        elif self.review is not None:
            self._clock.start(self._step_ms(self.review))
            self.turned.emit(True)

    def pause(self) -> None:
        """Stop playing."""
        self._clock.stop()
        self.turned.emit(False)

    def slower(self) -> None:
        """Cycle through the speeds."""
        self._speed = (self._speed + 1) % len(SPEEDS)
        if self._clock.isActive() and self.review is not None:
            self._clock.start(self._step_ms(self.review))

    def rep_here(self) -> Rep | None:
        """The rep under the playhead."""
        if self.review is None or self.review.analysis is None:
            return None
        now = float(self.review.film.times[self.shown])
        return next((r for r in self.review.analysis.scene.reps if r.start_s <= now <= r.end_s), None)

    def _step_ms(self, review: Review) -> int:
        return max(5, round(1000 / (review.film.facts.fps * self.speed)))

    def _tick(self) -> None:
        if self.review is None or self.shown != self.wanted:
            return
        film, rep, following = self.review.film, self.rep_here(), self.shown + 1
        if self.looping and rep is not None and film.times[min(following, len(film.times) - 1)] > rep.end_s:
            following = film.frame_at(rep.start_s)
        if following >= len(film.times):
            self.pause()
        else:
            self.wants_frame.emit(following)
