"""How loud a voice is: a bar that fills, and a line where its loudest moment was."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

QUIETEST_DB = -60.0  # the bar's left end; our own choice


class LevelBar(QWidget):
    """good_db: from where to where, dB below full scale, a voice is well heard."""

    def __init__(self, good_db: tuple[float, float], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._good, self._now, self._peak = good_db, QUIETEST_DB, QUIETEST_DB
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(160, 14)

    def show_level(self, now_db: float, peak_db: float) -> None:
        """How loud it is, and how loud it was at most."""
        if (now_db, peak_db) != (self._now, self._peak):
            self._now, self._peak = now_db, peak_db
            self.setAccessibleName(tr("{peak_db:.0f} dB", peak_db=peak_db))
            self.update()

    def _x(self, db: float) -> float:
        return self.width() * min(max(1 - db / QUIETEST_DB, 0.0), 1.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(t.PAPER))
        low, high = (self._x(db) for db in self._good)
        painter.fillRect(QRectF(low, 0, high - low, self.height()), QColor(t.PAPER_LINE))
        colour = t.TEAL if self._good[0] <= self._now <= self._good[1] else t.COPPER if self._now > self._good[1] else t.TEXT_DIM
        painter.fillRect(QRectF(0, 3, self._x(self._now), self.height() - 6), QColor(colour))
        if self._peak > QUIETEST_DB:
            painter.fillRect(QRectF(self._x(self._peak) - 1, 0, 2, self.height()), QColor(t.TEXT))
