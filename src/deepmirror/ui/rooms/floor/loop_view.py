"""The loop of a set's worst moment, to be drawn on with a finger or the mouse."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.services.live.loop import Loop
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.widgets.film_view import Drawing, FilmView

STROKE_PX = 6


class LoopView(FilmView):
    """Plays one Loop over and over; what is drawn stays on it until it is cleared; `drawn` says whether anything is."""

    drawn = pyqtSignal(bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.loop: Loop | None = None
        self.strokes: list[list[QPointF]] = []
        self.frame = 0
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._arrived)
        self._drawing_now = False

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

    def clear(self) -> None:
        """Wipe what was drawn."""
        self.strokes = []
        self.drawn.emit(False)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and self.image() is not None:
            self._drawing_now = True
            self.strokes.append([self.to_picture(event.position())])
            self.drawn.emit(True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drawing_now:
            self.strokes[-1].append(self.to_picture(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drawing_now = False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for pen in (QPen(QColor(26, 22, 20, 160), STROKE_PX + 3), QPen(QColor(t.COPPER_LIGHT), STROKE_PX)):
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            for stroke in self.strokes:
                path = QPainterPath(self.to_view(stroke[0]))
                for point in stroke[1:]:
                    path.lineTo(self.to_view(point))
                painter.drawPath(path)

    def close_reader(self) -> None:
        """Stop the frame thread and let go of the film."""
        self.play(None)
        self.reader.close()
