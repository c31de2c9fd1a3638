"""The picture as it will be sent: its tag can be dragged, and the coach's own lines are clicked onto it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from deepmirror.ui.theme import tokens as t

STEP = 0.01  # of the picture: how far an arrow key moves the tag


class Canvas(QWidget):
    """Shows one picture, fitted; positions are picture pixels."""

    tag_moved = pyqtSignal(float, float)  # shares of width and height of the tag's upper left corner
    drawn = pyqtSignal(list)  # picture px, as many as the tool asked for
    clicked = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(480, 200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._image: QImage | None = None
        self._tag: QRectF | None = None
        self._grab: QPointF | None = None
        self._ghost: QRectF | None = None
        self._wanted, self._clicks = 0, list[QPointF]()

    def show_picture(self, image: QImage | None, tag: tuple[float, float, float, float] | None) -> None:
        """Show a picture and where its tag lies (left, top, right, bottom px), None for no tag."""
        self._image = image
        self._tag = QRectF(tag[0], tag[1], tag[2] - tag[0], tag[3] - tag[1]) if tag else None
        self._ghost = None
        self._fit()
        self.update()

    def _fit(self) -> None:
        """No higher than the picture is at this width, so that what belongs to it stands close under it."""
        if self._image is not None:
            self.setMaximumHeight(round(self.width() * self._image.height() / self._image.width()))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def image(self) -> QImage | None:
        """The picture on show."""
        return self._image

    def tag(self) -> QRectF | None:
        """Where the tag lies, picture px."""
        return self._tag

    def ask(self, clicks: int) -> None:
        """The next so many clicks are points of a stroke; 0 takes the wish back."""
        self._wanted, self._clicks = clicks, []
        self.setCursor(Qt.CursorShape.CrossCursor if clicks else Qt.CursorShape.ArrowCursor)
        self.update()

    def _box(self) -> QRectF:
        """Where the picture lies in the widget."""
        if self._image is None:
            return QRectF()
        scale = min(self.width() / self._image.width(), self.height() / self._image.height())
        w, h = self._image.width() * scale, self._image.height() * scale
        return QRectF((self.width() - w) / 2, 0, w, h)

    def to_view(self, p: QPointF) -> QPointF:
        """Picture px to widget px."""
        box = self._box()
        assert self._image is not None
        return QPointF(box.left() + p.x() * box.width() / self._image.width(), box.top() + p.y() * box.height() / self._image.height())

    def to_picture(self, p: QPointF) -> QPointF:
        """Widget px to picture px."""
        box = self._box()
        assert self._image is not None
        return QPointF(
            (p.x() - box.left()) * self._image.width() / max(box.width(), 1),
            (p.y() - box.top()) * self._image.height() / max(box.height(), 1),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        if self._image is None:
            return
        painter.setRenderHints(QPainter.RenderHint.SmoothPixmapTransform | QPainter.RenderHint.Antialiasing)
        painter.drawImage(self._box(), self._image)
        if self._ghost is not None:
            painter.setPen(QPen(QColor(t.COPPER_LIGHT), 2, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(self.to_view(self._ghost.topLeft()), self.to_view(self._ghost.bottomRight())))
        painter.setPen(QPen(QColor(t.INK), 1.5))
        painter.setBrush(QColor(t.COPPER_LIGHT))
        for click in self._clicks:
            painter.drawEllipse(self.to_view(click), 5, 5)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.COPPER), 2))
            painter.drawRect(self._box().adjusted(1, 1, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._image is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = self.to_picture(event.position())
        if self._wanted:
            self._clicks.append(at)
            if len(self._clicks) == self._wanted:
                points = [(p.x(), p.y()) for p in self._clicks]
                self.ask(0)
                self.drawn.emit(points)
            self.update()
        elif self._tag is not None and self._tag.contains(at):
            self._grab = at - self._tag.topLeft()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._grab is None or self._tag is None:
            return
        self._ghost = QRectF(self.to_picture(event.position()) - self._grab, self._tag.size())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        ghost, self._grab = self._ghost, None
        if ghost is not None and self._image is not None:
            self._tell(ghost.left(), ghost.top())

    def _tell(self, left: float, top: float) -> None:
        assert self._image is not None and self._tag is not None
        x = min(max(left / self._image.width(), 0.0), 1 - self._tag.width() / self._image.width())
        y = min(max(top / self._image.height(), 0.0), 1 - self._tag.height() / self._image.height())
        self.tag_moved.emit(x, y)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the tag without the mouse; Escape drops a stroke half drawn."""
        if event is None:
            return
        way = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Escape:
            self.ask(0)
        elif way is not None and self._tag is not None and self._image is not None:
            self._tell(self._tag.left() + way[0] * STEP * self._image.width(), self._tag.top() + way[1] * STEP * self._image.width())
        else:
            super().keyPressEvent(event)
