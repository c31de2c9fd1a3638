"""Bodies drawn to scale: the client's own figure from the front and the side, and a solved posture on the floor."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

Place = tuple[float, float]
MARGIN = 18.0
HEAD_SHARE = 0.13  # of stature, for the drawing only


@dataclass(frozen=True)
class Label:
    """Words beside a body length: at a point of the drawing (cm), with the mark of its source."""

    at: Place
    words: str
    source: str
    flagged: bool = False


@dataclass
class Drawing:
    """Lines, discs and labels in centimetres, y up from the floor."""

    lines: list[tuple[Place, Place]] = field(default_factory=list)
    ghost: list[tuple[Place, Place]] = field(default_factory=list)
    film: list[tuple[Place, Place]] = field(default_factory=list)
    discs: list[tuple[Place, float]] = field(default_factory=list)
    labels: list[Label] = field(default_factory=list)
    floor: bool = True


class FigureView(QWidget):
    """Paints one Drawing to scale, fitted into the widget; the scale bar says what 20 cm are."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumSize(160, 200)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._drawing = Drawing()
        self._span: tuple[float, float, float, float] = (-50.0, 0.0, 50.0, 180.0)

    def set_drawing(self, drawing: Drawing, span: tuple[float, float, float, float]) -> None:
        """Show a drawing; span is the part of the world to fit: left, floor, right, top (cm)."""
        self._drawing, self._span = drawing, span
        self.update()

    def _scale(self) -> float:
        left, low, right, top = self._span
        return min((self.width() - 2 * MARGIN) / (right - left), (self.height() - 2 * MARGIN) / (top - low))

    def _map(self, p: Place) -> QPointF:
        left, low, right, _ = self._span
        s = self._scale()
        return QPointF(self.width() / 2 + (p[0] - (left + right) / 2) * s, self.height() - MARGIN - (p[1] - low) * s)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.PAPER))
        d = self._drawing
        if d.floor:
            painter.setPen(QPen(QColor(t.PAPER_LINE), 2))
            y = self._map((0, 0)).y()
            painter.drawLine(QPointF(4, y), QPointF(self.width() - 4, y))
        self._paint_lines(painter, d.ghost, QPen(QColor(t.TEXT_DIM), 1.6, Qt.PenStyle.DashLine))
        self._paint_lines(painter, d.film, QPen(QColor(t.COPPER_LIGHT), 2.6))
        self._paint_lines(painter, d.lines, QPen(QColor(t.TEAL), 5))
        for centre, radius in d.discs:
            painter.setPen(QPen(QColor(t.TEAL), 2.4))
            painter.setBrush(QColor(t.PAPER))
            r = radius * self._scale()
            painter.drawEllipse(self._map(centre), r, r)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for a, b in d.lines:
            for p in (a, b):
                painter.setPen(QPen(QColor(t.TEXT), 1))
                painter.setBrush(QColor(t.BONE))
                painter.drawEllipse(self._map(p), 3.5, 3.5)
        self._paint_labels(painter)
        self._paint_bar(painter)

    def _paint_lines(self, painter: QPainter, lines: list[tuple[Place, Place]], pen: QPen) -> None:
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        painter.setPen(pen)
        for a, b in lines:
            painter.drawLine(self._map(a), self._map(b))

    def _paint_labels(self, painter: QPainter) -> None:
        small = painter.font()
        small.setPixelSize(12)
        painter.setFont(small)
        for label in self._drawing.labels:
            at = self._map(label.at)
            painter.setPen(QColor(t.COPPER if label.flagged else t.TEXT))
            painter.drawText(
                QRectF(at.x() + 7, at.y() - 9, 150, 18),
                int(Qt.AlignmentFlag.AlignVCenter),
                tr("{words} {source}", words=label.words, source=label.source),
            )

    def _paint_bar(self, painter: QPainter) -> None:
        length = 20 * self._scale()
        painter.setPen(QPen(QColor(t.TEXT_DIM), 1.4))
        x, y = 8.0, self.height() - 6.0
        painter.drawLine(QPointF(x, y), QPointF(x + length, y))
        painter.drawText(QRectF(x + length + 4, y - 10, 60, 14), int(Qt.AlignmentFlag.AlignVCenter), "20 cm")


SOURCE_MARKS = {"measured": "●", "from_film": "◐", "predicted": "○"}


def front_figure(
    cm: dict[str, float], ankle_cm: float, labels: dict[str, tuple[str, str, bool]]
) -> tuple[Drawing, tuple[float, float, float, float]]:
    """The client standing, seen from the front. labels: length name -> words, source mark, flagged."""
    hip_y = ankle_cm + cm["shank"] + cm["thigh"]
    shoulder_y = hip_y + cm["trunk"]
    knee_y, half_hip, half_shoulder = ankle_cm + cm["shank"], cm["hip_breadth"] / 2, cm["biacromial"] / 2
    out = Drawing()
    for sign in (-1, 1):
        x = sign * half_hip
        out.lines += [((x, hip_y), (x, knee_y)), ((x, knee_y), (x, ankle_cm)), ((x, ankle_cm), (x + sign * 4, 1))]
        out.lines.append(((x, hip_y), (sign * half_shoulder, shoulder_y)))
    out.lines += [((-half_hip, hip_y), (half_hip, hip_y)), ((-half_shoulder, shoulder_y), (half_shoulder, shoulder_y))]
    head = HEAD_SHARE * (shoulder_y + 30) / 2
    out.discs.append(((0.0, shoulder_y + 6 + head), head))
    places = {
        "biacromial": (half_shoulder, shoulder_y),
        "hip_breadth": (half_hip, hip_y),
        "thigh": (half_hip, (hip_y + knee_y) / 2),
        "shank": (half_hip, (knee_y + ankle_cm) / 2),
    }
    out.labels = [Label(places[n], *labels[n]) for n in places]
    return out, (-45, 0, 75, shoulder_y + 6 + 2 * head)


def side_figure(
    cm: dict[str, float], ankle_cm: float, labels: dict[str, tuple[str, str, bool]]
) -> tuple[Drawing, tuple[float, float, float, float]]:
    """The client standing, seen from the side."""
    knee_y = ankle_cm + cm["shank"]
    hip_y = knee_y + cm["thigh"]
    shoulder_y = hip_y + cm["trunk"]
    out = Drawing()
    out.lines = [
        ((0, ankle_cm), (0, knee_y)),
        ((0, knee_y), (0, hip_y)),
        ((0, hip_y), (0, shoulder_y)),
        ((-0.25 * cm["foot"], 1), (0.75 * cm["foot"], 1)),
    ]
    head = HEAD_SHARE * (shoulder_y + 30) / 2
    out.discs.append(((2.0, shoulder_y + 6 + head), head))
    out.labels = [Label((2.0, (hip_y + shoulder_y) / 2), *labels["trunk"]), Label((0.75 * cm["foot"], 3), *labels["foot"])]
    return out, (-35, 0, 75, shoulder_y + 6 + 2 * head)


def posture_figure(points: dict[str, Place], other: dict[str, Place] | None, load: bool, film: dict[str, Place] | None = None) -> Drawing:
    """A solved posture on the floor, another one dashed behind it, and the one a film showed in thin copper."""

    def lines(p: dict[str, Place]) -> list[tuple[Place, Place]]:
        return [(p[a], p[b]) for a, b in (("heel", "toe"), ("ankle", "knee"), ("knee", "hip"), ("hip", "shoulder"))]

    out = Drawing(lines(points), lines(other) if other else [], lines(film) if film else [])
    if load and "load" in points:
        out.discs.append((points["load"], 6.0))
    up = (points["shoulder"][0] - points["hip"][0], points["shoulder"][1] - points["hip"][1])
    size = (up[0] ** 2 + up[1] ** 2) ** 0.5
    out.discs.append(((points["shoulder"][0] + up[0] / size * 15 + 3, points["shoulder"][1] + up[1] / size * 15), 10.0))
    return out


class CurveView(QWidget):
    """A small plot to scale: how one lever changes the deepest posture, with the present place marked."""

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(84)
        self.setAccessibleName(tr(title))
        self._title = title
        self._points: list[tuple[float, float]] = []
        self._now = 0.0

    def set_curve(self, points: list[tuple[float, float]], now: float) -> None:
        """Show y against x; now is the lever's present place."""
        self._points, self._now = points, now
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.PAPER))
        small = painter.font()
        small.setPixelSize(12)
        painter.setFont(small)
        painter.setPen(QColor(t.TEXT_DIM))
        painter.drawText(QRectF(8, 2, self.width() - 16, 16), int(Qt.AlignmentFlag.AlignLeft), tr(self._title))
        if len(self._points) < 2:
            return
        xs, ys = [p[0] for p in self._points], [p[1] for p in self._points]
        low, high = min(ys) - 1, max(ys) + 1
        box = QRectF(40, 22, self.width() - 84, self.height() - 40)

        def place(x: float, y: float) -> QPointF:
            # deeper is lower on the paper, as it is in the lift
            return QPointF(box.left() + (x - xs[0]) / (xs[-1] - xs[0]) * box.width(), box.top() + (high - y) / (high - low) * box.height())

        for x, y in (self._points[0], self._points[-1]):
            at = place(x, y)
            painter.drawText(QRectF(0 if x == xs[0] else at.x() + 2, at.y() - 8, 36, 16), int(Qt.AlignmentFlag.AlignRight), f"{y:.0f}°")
            painter.drawText(QRectF(at.x() - 20, self.height() - 17, 40, 16), int(Qt.AlignmentFlag.AlignCenter), f"{x:g}")
        painter.setPen(QPen(QColor(t.TEAL), 2))
        for a, b in pairwise(self._points):
            painter.drawLine(place(*a), place(*b))
        x = place(min(max(self._now, xs[0]), xs[-1]), ys[0]).x()
        painter.setPen(QPen(QColor(t.COPPER), 1.6))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
