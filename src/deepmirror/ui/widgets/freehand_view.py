"""A picture that is drawn on with a finger or the mouse."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.ui.theme import tokens as t
from deepmirror.ui.widgets.film_view import FilmView

STROKE_PX = 6


class FreehandView(FilmView):
    """What is drawn stays on it until it is cleared; `drawn` says whether anything is, `touched` where the hand is (picture px) and
    whether it begins a line."""

    drawn = pyqtSignal(bool)
    touched = pyqtSignal(float, float, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.strokes: list[list[QPointF]] = []
        self.takes_drawing = True
        self._drawing_now = False

    def clear(self) -> None:
        """Wipe what was drawn."""
        self.strokes = []
        self.drawn.emit(False)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton and self.image() is not None and self.takes_drawing:
            self._drawing_now = True
            self._draw(self.to_picture(event.position()), True)
            self.drawn.emit(True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drawing_now:
            self._draw(self.to_picture(event.position()), False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drawing_now = False

    def _draw(self, at: QPointF, begins: bool) -> None:
        if begins or not self.strokes:
            self.strokes.append([])
        self.strokes[-1].append(at)
        self.touched.emit(at.x(), at.y(), begins)
        self.update()

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
