"""Verdict marks: full disc within, half disc borderline, notched wedge off, dashed ring cannot tell."""

from __future__ import annotations

from functools import lru_cache
from math import ceil

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QWidget

from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

COLOURS = {Verdict.WITHIN: t.TEAL, Verdict.BORDERLINE: t.TEAL, Verdict.OFF: t.COPPER, Verdict.CANNOT_TELL: t.TEXT_DIM}


def paint_mark(painter: QPainter, box: QRectF, verdict: Verdict) -> None:
    """Put the mark of a verdict into a box; it was drawn before, as a table paints dozens of them."""
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    painter.drawPixmap(box.topLeft(), _drawn(verdict, box.width(), box.height(), ratio))


@lru_cache(maxsize=64)
def _drawn(verdict: Verdict, width: float, height: float, ratio: float) -> QPixmap:
    """A mark by itself."""
    out = QPixmap(ceil(width * ratio), ceil(height * ratio))
    out.setDevicePixelRatio(ratio)
    out.fill(Qt.GlobalColor.transparent)
    painter = QPainter(out)
    _draw(painter, QRectF(0, 0, width, height), verdict)
    painter.end()
    return out


def _draw(painter: QPainter, box: QRectF, verdict: Verdict) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = QColor(COLOURS[verdict])
    r = box.adjusted(1.5, 1.5, -1.5, -1.5)
    painter.setPen(QPen(colour, 1.8))
    if verdict is Verdict.WITHIN:
        painter.setBrush(colour)
        painter.drawEllipse(r)
    elif verdict is Verdict.BORDERLINE:
        painter.drawEllipse(r)
        painter.setBrush(colour)
        painter.drawPie(r, 270 * 16, 180 * 16)
    elif verdict is Verdict.OFF:
        path = QPainterPath(QPointF(r.left(), r.top()))
        for x, y in ((r.right(), r.center().y()), (r.left(), r.bottom()), (r.left() + 0.35 * r.width(), r.center().y())):
            path.lineTo(x, y)
        path.closeSubpath()
        painter.setBrush(colour)
        painter.drawPath(path)
    else:
        painter.setPen(QPen(colour, 1.8, Qt.PenStyle.DashLine))
        painter.drawEllipse(r)


class VerdictMark(QWidget):
    """A mark of a fixed small size; the verdict's word is its accessible name."""

    def __init__(self, verdict: Verdict, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.verdict = verdict
        self.setFixedSize(18, 18)
        self.setAccessibleName(tr(verdict.value))
        self.setToolTip(tr(verdict.value))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        paint_mark(painter, QRectF(self.rect()), self.verdict)
