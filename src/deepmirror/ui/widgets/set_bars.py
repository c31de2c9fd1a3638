"""Hard sets a week by muscle, against what is usual."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import shortened
from deepmirror.words import joined

ROW, NAME = 22.0, 96.0


class SetBars(QWidget):
    """Painted; the brackets are the usual range."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sets: dict[str, float] = {}
        self._usual = (0.0, 1.0)

    def sizeHint(self) -> QSize:
        return QSize(380, int(ROW * max(len(self._sets), 4)) + 6)

    def show_sets(self, sets: Mapping[str, float], usual: tuple[float, float]) -> None:
        """Draw bars; usual: from and to of the usual range."""
        self._sets, self._usual = dict(sets), usual
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleName(joined(", ", [tr("{muscle} {sets} sets", muscle=m, sets=f"{n:g}") for m, n in sets.items()]))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        most = max([*self._sets.values(), self._usual[1] * 1.1, 1.0])
        room = self.width() - NAME - 46
        for i, (muscle, sets) in enumerate(self._sets.items()):
            y = 3 + i * ROW
            painter.setPen(QColor(t.TEXT))
            painter.drawText(QRectF(0, y, NAME - 6, ROW), int(Qt.AlignmentFlag.AlignVCenter), shortened(painter, tr(muscle), NAME - 6))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.TEAL))
            painter.drawRoundedRect(QRectF(NAME, y + 5, max(room * sets / most, 1), ROW - 10), 3, 3)
            painter.setPen(QPen(QColor(t.TEXT_DIM), 1.4))
            for edge in self._usual:
                x = NAME + room * edge / most
                painter.drawLine(int(x), int(y + 2), int(x), int(y + ROW - 2))
            painter.setPen(QColor(t.TEXT))
            painter.drawText(
                QRectF(self.width() - 44, y, 44, ROW), int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight), f"{sets:g}"
            )
