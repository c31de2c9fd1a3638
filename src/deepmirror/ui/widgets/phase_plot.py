"""Two curves over the phases of a rep, their uncertainty, and where they differ by more than it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.core.uncertain_value import with_doubt
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.curves import band, polygon

Array = NDArray[np.float64]
SHARES = (0.44, 0.12, 0.44)  # of the width for first movement, hold and second movement
MARGIN = 44.0


@dataclass(frozen=True)
class PhaseCurves:
    """phases (N,) 0..3; values and uncertainties (N,) of both; real (N,): they differ surely there."""

    phases: Array
    first: Array
    first_u: Array
    second: Array
    second_u: Array
    real: NDArray[np.bool_]
    unit: str = "°"


class PhasePlot(QWidget):
    """Painted; a press or drag asks for a phase."""

    sought = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(168)
        self.setMaximumHeight(200)
        self._curves: PhaseCurves | None = None
        self._phase = 0.0
        self._names = ("", "")

    def show_curves(self, curves: PhaseCurves | None, names: tuple[str, str]) -> None:
        """Draw two curves; names say which is which."""
        self._curves, self._names = curves, names
        self.update()

    def set_phase(self, phase: float) -> None:
        """Move the playhead."""
        self._phase = phase
        self.update()

    def x_of(self, phase: float) -> float:
        """Widget x of a phase."""
        return float(self._xs_of(np.array([phase]))[0])

    def _xs_of(self, phases: Array) -> Array:
        shares = np.interp(phases, [0, 1, 2, 3], [0, SHARES[0], SHARES[0] + SHARES[1], 1])
        return np.asarray(shares * (self.width() - 2 * MARGIN) + MARGIN, float)

    def _phase_at(self, x: float) -> float:
        share = (x - MARGIN) / max(self.width() - 2 * MARGIN, 1)
        return float(np.interp(share, [0, SHARES[0], SHARES[0] + SHARES[1], 1], [0, 1, 2, 3]))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.sought.emit(self._phase_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.sought.emit(self._phase_at(event.position().x()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(t.INK))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        curves = self._curves
        if curves is None:
            painter.setPen(QColor(t.STAGE_DIM))
            painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), tr("One of the films does not show this"))
            return
        low = float(min((curves.first - curves.first_u).min(), (curves.second - curves.second_u).min()))
        high = float(max((curves.first + curves.first_u).max(), (curves.second + curves.second_u).max()))
        top, base = 30.0, self.height() - 30.0

        px_per_unit = (base - top) / max(high - low, 1e-6)
        self._paint_scale(painter, low, high, top, base, curves.unit)
        self._paint_real(painter, curves, top, base)
        for values, u, colour in ((curves.first, curves.first_u, t.TEAL_LIGHT), (curves.second, curves.second_u, t.COPPER_LIGHT)):
            self._paint_curve(painter, curves.phases, base - (values - low) * px_per_unit, u * px_per_unit, QColor(colour))
        self._paint_names(painter, curves)
        painter.setPen(QPen(QColor(t.BONE), 1.6))
        painter.drawLine(QPointF(self.x_of(self._phase), top - 6), QPointF(self.x_of(self._phase), base + 6))

    def _paint_scale(self, painter: QPainter, low: float, high: float, top: float, base: float, unit: str) -> None:
        painter.setPen(QColor(t.STAGE_DIM))
        for value, y in ((high, top), (low, base)):
            side = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            painter.drawText(QRectF(2, y - 9, MARGIN - 6, 18), side, f"{value:.0f}{unit}")
        for phase in (0, 1, 2, 3):
            painter.drawLine(QPointF(self.x_of(phase), base + 2), QPointF(self.x_of(phase), base + 8))
        for a, b, words in ((0, 1, tr("first movement, 0–100 %")), (1, 2, tr("hold")), (2, 3, tr("second movement, 0–100 %"))):
            box = QRectF(self.x_of(a), base + 6, self.x_of(b) - self.x_of(a), 18)
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), tr(words))

    def _paint_real(self, painter: QPainter, curves: PhaseCurves, top: float, base: float) -> None:
        """Hatched where the difference is larger than both uncertainties."""
        edges = np.flatnonzero(np.diff(np.concatenate([[0], curves.real.astype(int), [0]])))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            left, right = self.x_of(float(curves.phases[a])), self.x_of(float(curves.phases[min(b, len(curves.phases) - 1)]))
            painter.fillRect(QRectF(left, top, max(right - left, 2), base - top), QColor(244, 238, 226, 34))
            painter.fillRect(QRectF(left, base - 3, max(right - left, 2), 3), QColor(t.BONE))

    def _paint_curve(self, painter: QPainter, phases: Array, ys: Array, wide: Array, colour: QColor) -> None:
        xs = self._xs_of(phases)
        soft = QColor(colour)
        soft.setAlpha(46)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(soft)
        painter.drawPolygon(band(xs, ys, wide))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 2))
        painter.drawPolyline(polygon(xs, ys))

    def _paint_names(self, painter: QPainter, curves: PhaseCurves) -> None:
        i = int(np.argmin(np.abs(curves.phases - self._phase)))
        x = MARGIN
        for name, colour, value, u in (
            (self._names[0], t.TEAL_LIGHT, curves.first[i], curves.first_u[i]),
            (self._names[1], t.COPPER_LIGHT, curves.second[i], curves.second_u[i]),
        ):
            words = tr("{name}: {number}", name=name, number=with_doubt(value, u, 0, curves.unit))
            painter.fillRect(QRectF(x, 12, 14, 4), QColor(colour))
            painter.setPen(QColor(t.STAGE_TEXT))
            painter.drawText(QPointF(x + 20, 18), tr(words))
            x += 44 + painter.fontMetrics().horizontalAdvance(words)
        if curves.real[i]:
            painter.drawText(QPointF(x, 18), tr("a real difference here"))
