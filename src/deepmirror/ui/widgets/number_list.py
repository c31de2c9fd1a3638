"""Measures and their numbers, a line each: painted as one, as a panel of many labels is slow to lay out."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QRect, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.panel_helpers import shortened, tip
from deepmirror.words import joined

GAP_PX = 6


class NumberList(QWidget):
    """Titles on the left, numbers on the right; a title that does not fit ends in … and is whole in its tip."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._rows: tuple[tuple[str, str], ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def show_rows(self, rows: tuple[tuple[str, str], ...]) -> None:
        """Show these titles and numbers."""
        rows = tuple((tr(title), tr(number)) for title, number in rows)
        if len(rows) != len(self._rows):
            self.setFixedHeight(self._row_px() * len(rows))
        self._rows = rows
        self.setAccessibleName(joined("; ", [joined(" ", row) for row in rows]))
        self.update()

    def rows(self) -> tuple[tuple[str, str], ...]:
        """What is on show, in the reader's language."""
        return self._rows

    def sizeHint(self) -> QSize:
        return QSize(200, self._row_px() * len(self._rows))

    def _row_px(self) -> int:
        return self.fontMetrics().height() + GAP_PX

    def paintEvent(self, event: QPaintEvent | None) -> None:
        high, middle = self._row_px(), int(Qt.AlignmentFlag.AlignVCenter)
        with QPainter(self) as painter:
            for row, (title, number) in enumerate(self._rows):
                box = QRect(0, row * high, self.width(), high)
                taken = painter.fontMetrics().horizontalAdvance(number)
                painter.drawText(box, middle | int(Qt.AlignmentFlag.AlignRight), tr(number))
                painter.drawText(box, middle, shortened(painter, title, self.width() - taken - 2 * GAP_PX))

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            row = event.pos().y() // self._row_px()
            if 0 <= row < len(self._rows):
                QToolTip.showText(event.globalPos(), tip(joined(": ", self._rows[row])), self)
            return True
        return super().event(event)
