"""The film with everything drawn on it: measured lines, hand-placed points, uncertainty, and a loupe."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPainterPath, QPainterPathStroker, QPaintEvent, QPen, QPixmap, QWheelEvent
from PyQt6.QtWidgets import QWidget

from deepmirror.core.sketches.sketch import NOTHING, Circle, Map, Sketch
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.sketch_painter import paint_sketch

LOUPE_PX = 170
LOUPE_ZOOM = 5.0
GRAB_PX = 11.0
DRAG_PX = 3.0
DOUBT_PX = 4.0  # a ring is drawn when the uncertainty (k = 2) is larger than this in the picture


@dataclass
class Drawing:
    """What to draw over a frame, in picture pixels.

    lines: pairs of points; points: name -> (x, y, uncertainty k = 2); placed: points set by hand; marks: named polylines; sketch: how
    the number in question shows, with its tag, which hides no face.
    """

    lines: list[tuple[QPointF, QPointF]] = field(default_factory=list)
    points: dict[str, tuple[QPointF, float]] = field(default_factory=dict)
    placed: dict[str, QPointF] = field(default_factory=dict)
    marks: dict[str, list[QPointF]] = field(default_factory=dict)
    selected: str | None = None
    ghost: list[tuple[QPointF, QPointF]] = field(default_factory=list)
    ghost_opacity: float = 0.8
    sketch: Sketch = NOTHING
    tag: str = ""
    faces: tuple[Circle, ...] = ()


class FilmView(QWidget):
    """Shows one frame, fitted or zoomed; reports clicks and drags in picture pixels."""

    clicked = pyqtSignal(QPointF)
    chosen = pyqtSignal(str)
    moved = pyqtSignal(str, QPointF)
    dropped = pyqtSignal(str, QPointF)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 180)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._image: QImage | None = None
        self._scaled: tuple[QImage, float, QPixmap] | None = None  # the frame as it was last drawn, whole
        self._message = ""
        self.drawing = Drawing()
        self.placing = False
        self._zoom, self._centre = 1.0, QPointF()
        self._cursor: QPointF | None = None
        self._pressed: tuple[QPointF, str | None] | None = None
        self._dragged: str | None = None
        self._pan: QPointF | None = None

    def show_image(self, image: QImage) -> None:
        """Show a frame; a frame of another size fits the view anew."""
        if self._image is None or self._image.size() != image.size():
            self._zoom, self._centre = 1.0, QPointF(image.width() / 2, image.height() / 2)
        self._image, self._message = image, ""
        self.update()

    def show_message(self, words: str) -> None:
        """Show words instead of a film."""
        self._image, self._message = None, words
        self.update()

    def image(self) -> QImage | None:
        """The frame on show."""
        return self._image

    def set_placing(self, on: bool) -> None:
        """Placing points: cross cursor, loupe, drags move points."""
        self.placing = on
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.update()

    def _scale(self) -> float:
        if self._image is None:
            return 1.0
        return min(self.width() / self._image.width(), self.height() / self._image.height()) * self._zoom

    def to_view(self, p: QPointF) -> QPointF:
        """Picture pixel to widget position; pixel (0, 0) is the centre of the top-left pixel."""
        s = self._scale()
        return QPointF(self.width() / 2 + (p.x() + 0.5 - self._centre.x()) * s, self.height() / 2 + (p.y() + 0.5 - self._centre.y()) * s)

    def to_picture(self, p: QPointF) -> QPointF:
        """Widget position to picture pixel."""
        s = self._scale()
        return QPointF((p.x() - self.width() / 2) / s + self._centre.x() - 0.5, (p.y() - self.height() / 2) / s + self._centre.y() - 0.5)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(t.INK))
        if self._image is None:
            painter.setPen(QColor(t.STAGE_DIM))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), tr(self._message))
            return
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        corner = self.to_view(QPointF(-0.5, -0.5))
        self._paint_frame(painter, self._image, corner)
        self._paint_drawing(painter)
        if self.placing and self._cursor is not None:
            self._paint_loupe(painter)

    def _paint_frame(self, painter: QPainter, image: QImage, corner: QPointF) -> None:
        """The frame; scaled once while it stays, as what is drawn over it changes far more often."""
        s = self._scale()
        if self._zoom > 1.0:
            painter.drawImage(QRectF(corner.x(), corner.y(), image.width() * s, image.height() * s), image)
            return
        if self._scaled is None or self._scaled[0] is not image or self._scaled[1] != s:
            self._scaled = (image, s, self._drawn_once(image, s))
        painter.drawPixmap(corner, self._scaled[2])

    def _drawn_once(self, image: QImage, scale: float) -> QPixmap:
        sharp = self.devicePixelRatioF()
        pixmap = QPixmap(round(image.width() * scale * sharp), round(image.height() * scale * sharp))
        with QPainter(pixmap) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(pixmap.rect(), image)
        pixmap.setDevicePixelRatio(sharp)
        return pixmap

    def _paint_drawing(self, painter: QPainter) -> None:
        d = self.drawing
        if d.ghost:
            self._paint_ghost(painter)
        for pen in (QPen(QColor(26, 22, 20, 150), 5), QPen(QColor(t.TEAL_LIGHT), 2.4)):
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            painter.setPen(pen)
            for a, b in d.lines:
                painter.drawLine(self.to_view(a), self.to_view(b))
        painter.setPen(QPen(QColor(t.BONE), 1.6, Qt.PenStyle.DashDotLine))
        for points in d.marks.values():
            for a, b in pairwise(points):
                painter.drawLine(self.to_view(a), self.to_view(b))
            if len(points) == 1:
                painter.drawEllipse(self.to_view(points[0]), 9, 9)
        for name, (at, doubt) in d.points.items():
            if name in d.placed:
                continue
            view = self.to_view(at)
            if doubt > DOUBT_PX:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(t.BONE), 1.2, Qt.PenStyle.DashLine))
                painter.drawEllipse(view, doubt * self._scale(), doubt * self._scale())
            painter.setPen(QPen(QColor(t.INK), 1))
            painter.setBrush(QColor(t.BONE))
            painter.drawEllipse(view, 3.4, 3.4)
        self._paint_sketch(painter)
        for name, at in d.placed.items():
            self._paint_placed(painter, self.to_view(at), name == d.selected)

    def _paint_sketch(self, painter: QPainter) -> None:
        """The number in question: what shows it, with its tag, inside what is seen of the picture."""
        d = self.drawing
        if d.sketch is NOTHING or self._image is None:
            return
        s, corner = self._scale(), self.to_view(QPointF(0, 0))
        view = Map(s * np.eye(2), np.array([corner.x(), corner.y()]))
        faces = tuple((*(float(v) for v in view(np.array([x, y]))), r * s) for x, y, r in d.faces)
        edge = self.to_view(QPointF(self._image.width() - 0.5, self._image.height() - 0.5))
        room = QRectF(self.to_view(QPointF(-0.5, -0.5)), edge).intersected(QRectF(self.rect()))
        busy = [view(np.array([p.x(), p.y()])) for p, _ in d.points.values()]
        paint_sketch(painter, d.sketch.mapped(view), d.tag, faces, room, busy)  # type: ignore[arg-type]

    def _paint_ghost(self, painter: QPainter) -> None:
        """The ghost: a pale outline without fill, so that the client stays to be seen through it."""
        bones = QPainterPath()
        for a, b in self.drawing.ghost:
            bones.moveTo(self.to_view(a))
            bones.lineTo(self.to_view(b))
        stroker = QPainterPathStroker()
        stroker.setWidth(11)
        stroker.setCapStyle(Qt.PenCapStyle.RoundCap)
        outline = stroker.createStroke(bones).simplified()
        painter.setOpacity(self.drawing.ghost_opacity)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(26, 22, 20, 170), 4), QPen(QColor(t.BONE), 2)):
            painter.setPen(pen)
            painter.drawPath(outline)
        painter.setOpacity(1.0)

    def _paint_placed(self, painter: QPainter, at: QPointF, selected: bool) -> None:
        """A hand-placed point: a small copper square on its corner, larger when selected."""
        painter.save()
        painter.translate(at)
        painter.rotate(45)
        size = 6.5 if selected else 4.6
        painter.setPen(QPen(QColor(t.INK), 1.2))
        painter.setBrush(QColor(t.COPPER_LIGHT))
        painter.drawRect(QRectF(-size, -size, 2 * size, 2 * size))
        painter.restore()

    def _paint_loupe(self, painter: QPainter) -> None:
        assert self._image is not None and self._cursor is not None
        at = self.to_picture(self._cursor)
        half = LOUPE_PX / LOUPE_ZOOM / 2
        left = self._cursor.x() < self.width() / 2
        box = QRectF(self.width() - LOUPE_PX - 12 if left else 12, 12, LOUPE_PX, LOUPE_PX)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.drawImage(box, self._image, QRectF(at.x() + 0.5 - half, at.y() + 0.5 - half, 2 * half, 2 * half))
        painter.setPen(QPen(QColor(t.BONE), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        c = box.center()
        painter.setPen(QPen(QColor(t.COPPER_LIGHT), 1.2))
        for a, b in ((-16, -4), (4, 16)):
            painter.drawLine(QPointF(c.x() + a, c.y()), QPointF(c.x() + b, c.y()))
            painter.drawLine(QPointF(c.x(), c.y() + a), QPointF(c.x(), c.y() + b))

    def _near(self, position: QPointF) -> str | None:
        """The placed or followed point under the cursor."""
        places = {n: p for n, (p, _) in self.drawing.points.items()} | self.drawing.placed
        best = min(places.items(), key=lambda kv: (self.to_view(kv[1]) - position).manhattanLength(), default=None)
        return best[0] if best and (self.to_view(best[1]) - position).manhattanLength() < GRAB_PX else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._image is None:
            return
        if event.button() == Qt.MouseButton.LeftButton and self.placing:
            self._pressed = (event.position(), self._near(event.position()))
        elif event.button() in (Qt.MouseButton.MiddleButton, Qt.MouseButton.LeftButton):
            self._pan = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._cursor = event.position()
        if self._pressed is not None and (event.position() - self._pressed[0]).manhattanLength() > DRAG_PX:
            self._dragged, self._pressed = self._pressed[1], None
        if self._dragged is not None:
            self.moved.emit(self._dragged, self.to_picture(event.position()))
        elif self._pan is not None:
            self._centre -= (event.position() - self._pan) / self._scale()
            self._pan = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._dragged is not None:
            self.dropped.emit(self._dragged, self.to_picture(event.position()))
        elif event is not None and self._pressed is not None:
            # a press without a move places the next point, unless it picks one already placed by hand
            at, name = self._pressed
            if name in self.drawing.placed:
                self.chosen.emit(name)
            else:
                self.clicked.emit(self.to_picture(at))
        self._dragged, self._pan, self._pressed = None, None, None

    def leaveEvent(self, event: QEvent | None) -> None:
        self._cursor = None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self._image is None:
            return
        before = self.to_picture(event.position())
        self._zoom = min(max(self._zoom * 1.2 ** (event.angleDelta().y() / 120), 1.0), 12.0)
        if self._zoom == 1.0:
            self._centre = QPointF(self._image.width() / 2, self._image.height() / 2)
        else:
            self._centre += before - self.to_picture(event.position())
        self.update()
