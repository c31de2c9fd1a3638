"""The loop of a set's worst moment, to be drawn on with a finger or the mouse."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from deepmirror.services.live.loop import Loop
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.widgets.film_view import Drawing
from deepmirror.ui.widgets.freehand_view import FreehandView


class LoopView(FreehandView):
    """Plays one Loop over and over; what is drawn stays on it until it is cleared."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.loop: Loop | None = None
        self.frame = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._arrived)

    def play(self, loop: Loop | None) -> None:
        """Play this one instead; None: nothing."""
        self._timer.stop()
        old, self.loop, self.frame, self.strokes = self.loop, loop, 0, []
        self.drawn.emit(False)
        if old is not None:
            old.close()
        if loop is not None:
            self._timer.start(max(loop.step_ms, 40))

    def _next(self) -> None:
        if self.loop is not None:
            self.frame = (self.frame + max(1, round(self._timer.interval() / self.loop.step_ms))) % self.loop.frames
            self.reader.ask(self.loop.picture, self.frame)

    def _arrived(self, frame: int, image: QImage) -> None:
        if self.loop is not None and frame < self.loop.frames:
            self.drawing = Drawing(lines=[(QPointF(*a), QPointF(*b)) for a, b in self.loop.lines(frame)])
            if (found := self.loop.drawing(frame)) is not None:
                self.drawing.sketch, self.drawing.tag, self.drawing.faces = found.sketch, found.words, found.faces
            self.show_image(image)

    def close_reader(self) -> None:
        """Stop the frame thread and let go of the film."""
        self.play(None)
        self.reader.close()
