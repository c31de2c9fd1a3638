"""The plates of one side of a bar, the bar's end to the right: how high and how thick plates of their mass usually are."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.ui.theme import tokens as t

# Height and thickness in mm by mass from; discs of 10 kg and more share one height of 450 mm: IWF rules; the rest our own drawing
SIZES = ((20.0, 450, 60), (10.0, 450, 40), (5.0, 230, 30), (2.5, 190, 22), (0.0, 150, 16))
MM = 0.085  # px per mm


class PlatesView(QWidget):
    """Painted beside the load; its words are the accessible name."""

    def __init__(self, per_side_kg: tuple[float, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._plates = per_side_kg
        self.setFixedSize(self.sizeHint())
        self.setAccessibleName(" + ".join(f"{p:g}" for p in per_side_kg))

    def sizeHint(self) -> QSize:
        return QSize(int(sum(_size(p)[1] * MM + 2 for p in self._plates)) + 26, 44)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        painter.fillRect(QRectF(0, middle - 2, self.width(), 4), QColor(t.TEXT_DIM))
        x = 8.0
        painter.setPen(QPen(QColor(t.PAPER), 0.8))
        painter.setBrush(QColor(t.TEAL))
        for plate in self._plates:
            high, thick = _size(plate)
            painter.drawRoundedRect(QRectF(x, middle - high * MM / 2, thick * MM + 1, high * MM), 1.5, 1.5)
            x += thick * MM + 2
        painter.setPen(Qt.PenStyle.NoPen)


def _size(plate: float) -> tuple[int, int]:
    return next((high, thick) for least, high, thick in SIZES if plate >= least)
