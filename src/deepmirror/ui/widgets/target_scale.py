"""A finding's number against what is asked, as a small scale: the target's band, the value, and its uncertainty as a bar."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.core.uncertain_value import Band
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

HEIGHT, MARGIN = 26, 10
AROUND = 0.35  # of the distance from target to value, shown beyond both; our own choice


class TargetScale(QWidget):
    """Drawn to scale: how far outside the band the value lies, and whether its uncertainty reaches back to it."""

    def __init__(self, value: float, u: float, band: Band, words: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._value, self._u, self._band = value, u, band
        self.setFixedHeight(HEIGHT)
        self.setAccessibleName(tr(words))
        ends = [v for v in (band.low, band.high) if v is not None]
        low, high = min([value - u, *ends]), max([value + u, *ends])
        spare = AROUND * max(high - low, 1e-9)
        self._low, self._high = low - spare, high + spare

    def at(self, value: float) -> float:
        """Where a value lies, px."""
        share = (value - self._low) / (self._high - self._low)
        return MARGIN + min(max(share, 0.0), 1.0) * (self.width() - 2 * MARGIN)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        painter.setPen(QPen(QColor(t.PAPER_LINE), 2))
        painter.drawLine(QPointF(MARGIN, middle), QPointF(self.width() - MARGIN, middle))
        left = self.at(self._band.low) if self._band.low is not None else MARGIN
        right = self.at(self._band.high) if self._band.high is not None else self.width() - MARGIN
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.TEAL))
        painter.setOpacity(0.35)
        painter.drawRect(QRectF(left, middle - 6, right - left, 12))
        painter.setOpacity(1.0)
        painter.setPen(QPen(QColor(t.TEAL), 2))
        for edge in (self._band.low, self._band.high):
            if edge is not None:
                painter.drawLine(QPointF(self.at(edge), middle - 9), QPointF(self.at(edge), middle + 9))
        painter.setPen(QPen(QColor(t.COPPER), 2.4))
        painter.drawLine(QPointF(self.at(self._value - self._u), middle), QPointF(self.at(self._value + self._u), middle))
        painter.setBrush(QColor(t.COPPER))
        painter.drawEllipse(QPointF(self.at(self._value), middle), 5, 5)
