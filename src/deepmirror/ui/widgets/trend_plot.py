"""One number over the months with its doubt; a real change is a full line with a wedge, another set a dotted one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

LEFT, RIGHT, TOP, BASE = 66.0, 14.0, 26.0, 24.0


@dataclass(frozen=True)
class PlotPoint:
    """A day's number and its doubt (k = 2)."""

    day: date
    value: float
    u: float


@dataclass(frozen=True)
class PlotStep:
    """From one point to a later one; real: larger than both doubts."""

    start: int
    end: int
    real: bool


class TrendPlot(QWidget):
    """Painted; nothing to click."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(150)
        self._points: tuple[PlotPoint, ...] = ()
        self._steps: tuple[PlotStep, ...] = ()
        self._unit, self._certain = "", False

    def sizeHint(self) -> QSize:
        return QSize(420, 190)

    def show_trend(self, title: str, unit: str, points: Sequence[PlotPoint], steps: Sequence[PlotStep], certain: bool = False) -> None:
        """Draw a trend. certain: it has no doubt, so that no change is marked."""
        self._certain = certain
        self._points, self._steps, self._unit = tuple(points), tuple(steps), unit
        real = sum(s.real for s in steps)
        self.setAccessibleName(tr("{title}: {count} values, {real} real changes", title=title, count=len(points), real=real))
        self.update()

    def _place(self) -> tuple[float, float, date, int]:
        low = min(p.value - p.u for p in self._points)
        high = max(p.value + p.u for p in self._points)
        room = max((high - low) * 0.08, 0.5)
        days = max((self._points[-1].day - self._points[0].day).days, 1)
        return low - room, high + room, self._points[0].day, days

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(t.TEXT_DIM))
        if not self._points:
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), tr("Nothing is on record yet"))
            return
        low, high, first, days = self._place()
        width, height = self.width() - LEFT - RIGHT, self.height() - TOP - BASE

        def at(p: PlotPoint, shift: float = 0.0) -> QPointF:
            x = LEFT + width * ((p.day - first).days / days if len(self._points) > 1 else 0.5)
            return QPointF(x, TOP + height * (1 - (p.value + shift - low) / (high - low)))

        self._paint_scale(painter)
        for step in self._steps:
            a, b = self._points[step.start], self._points[step.end]
            full = step.real or self._certain
            line = Qt.PenStyle.SolidLine if full else Qt.PenStyle.DotLine
            painter.setPen(QPen(QColor(t.TEAL if full else t.TEXT_DIM), 2 if full else 1, line))
            painter.drawLine(at(a), at(b))
            if step.real and not self._certain:
                self._paint_wedge(painter, at(b), b.value > a.value)
        for p in self._points:
            painter.setPen(QPen(QColor(t.TEAL), 1.4))
            painter.drawLine(at(p, p.u), at(p, -p.u))
            painter.setBrush(QColor(t.PAPER))
            painter.drawEllipse(at(p), 4, 4)

    def _paint_wedge(self, painter: QPainter, tip: QPointF, up: bool) -> None:
        """A wedge over the point a real change leads to, pointing the way it went."""
        y = tip.y() - 12 if up else tip.y() + 12
        s = -5 if up else 5
        painter.setBrush(QColor(t.TEAL))
        painter.drawPolygon(QPolygonF([QPointF(tip.x() - 5, y), QPointF(tip.x() + 5, y), QPointF(tip.x(), y + s)]))

    def _paint_scale(self, painter: QPainter) -> None:
        values = sorted({min(p.value for p in self._points), max(p.value for p in self._points)})
        low, high, _, _ = self._place()
        height = self.height() - TOP - BASE
        painter.setPen(QColor(t.TEXT_DIM))
        for value in values:
            y = TOP + height * (1 - (value - low) / (high - low))
            side = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            painter.drawText(
                QRectF(0, y - 9, LEFT - 8, 18),
                side,
                tr("{value:.{which}f} {unit}", value=value, which=0 if abs(value) >= 100 else 1, unit=self._unit)
                .replace(".0 ", " ")
                .replace(" °", "°"),
            )
        bottom = QRectF(LEFT, self.height() - BASE + 4, self.width() - LEFT - RIGHT, 18)
        painter.drawText(bottom, int(Qt.AlignmentFlag.AlignLeft), f"{self._points[0].day:%d %b}")
        if len(self._points) > 1:
            painter.drawText(bottom, int(Qt.AlignmentFlag.AlignRight), f"{self._points[-1].day:%d %b}")
        if self._certain:
            return
        key = tr("wedge: a real change   dotted: within the doubt")
        painter.drawText(QRectF(LEFT, 2, self.width() - LEFT - RIGHT, 18), int(Qt.AlignmentFlag.AlignRight), tr(key))
