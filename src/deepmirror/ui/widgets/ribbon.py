"""The rep ribbon: the whole set in true seconds, each rep the shape of its own curve, the prescribed tempo beneath it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QWidget

from deepmirror.core.motion.reps import ORDER, FirstPhase, Rep
from deepmirror.core.motion.tempo import Tempo
from deepmirror.core.trajectories import UNKNOWN_U
from deepmirror.core.uncertain_value import with_doubt
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.curves import band, polygon

PHASE_COLOURS = {"eccentric": "#5f8f90", "bottom": "#d8a070", "concentric": "#b9d6d0", "top": "#6b5f57"}
MARGIN = 14.0
Array = NDArray[np.float64]


@dataclass
class RibbonData:
    """times (T,) s and values (T,) of the rep signal, the reps, which of them are off, and the prescription."""

    times: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    values: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    doubt: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    reps: list[Rep] = field(default_factory=list)
    off: frozenset[int] = frozenset()
    tempo: Tempo | None = None
    first: FirstPhase = "eccentric"
    unit: str = "°"
    doubtful: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, bool))

    @property
    def known(self) -> NDArray[np.bool_]:
        """(T,) frames of the set: before and after it nothing is known of the signal."""
        told = self.doubt < UNKNOWN_U
        return told if told.any() else np.ones(len(self.times), bool)


class RepRibbon(QWidget):
    """Painted; a press or drag asks for a time."""

    sought = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(132)
        self.setMouseTracking(True)
        self._data = RibbonData()
        self._still: QPixmap | None = None  # all that stays while the playhead moves over it
        self._now = 0.0
        self._end = 1.0

    def set_data(self, data: RibbonData, duration_s: float) -> None:
        """Show a set of `duration_s` seconds."""
        self._data, self._end, self._still = data, max(duration_s, 0.1), None
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._still = None
        super().resizeEvent(event)

    def set_now(self, time_s: float) -> None:
        """Move the playhead."""
        self._now = time_s
        self.update()

    def x_of(self, time_s: float) -> float:
        """Widget x of a time."""
        return MARGIN + time_s / self._end * (self.width() - 2 * MARGIN)

    def _time_at(self, x: float) -> float:
        return min(max((x - MARGIN) / (self.width() - 2 * MARGIN), 0.0), 1.0) * self._end

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.sought.emit(self._time_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.sought.emit(self._time_at(event.position().x()))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        self._still = self._still or self._painted_still()
        painter.drawPixmap(0, 0, self._still)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_value(painter)
        painter.setPen(QPen(QColor(t.COPPER_LIGHT), 2))
        x = self.x_of(self._now)
        painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))

    def _painted_still(self) -> QPixmap:
        """Seconds, signal, reps and doubtful stretches."""
        ratio = self.devicePixelRatioF()
        out = QPixmap(round(self.width() * ratio), round(self.height() * ratio))
        out.setDevicePixelRatio(ratio)
        out.fill(QColor(t.INK))
        painter = QPainter(out)
        painter.setFont(self.font())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        base = self.height() - 46.0
        self._paint_seconds(painter)
        if len(self._data.times):
            self._paint_curve(painter, 20.0, base)
        for rep in self._data.reps:
            self._paint_rep(painter, rep, base)
        self._paint_doubt(painter)
        painter.end()
        return out

    def _paint_doubt(self, painter: QPainter) -> None:
        """Doubtful stretches: a dashed line along the top, where the eye looks for reps."""
        flags = self._data.doubtful
        if not flags.any():
            return
        painter.setPen(QPen(QColor(t.BONE), 2, Qt.PenStyle.DotLine))
        edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(int), [0]])))
        for a, b in zip(edges[::2], edges[1::2], strict=True):
            left, right = self.x_of(float(self._data.times[a])), self.x_of(float(self._data.times[b - 1]))
            painter.drawLine(QPointF(left, 3), QPointF(max(right, left + 3), 3))

    def _paint_value(self, painter: QPainter) -> None:
        """The signal's value at the playhead, with its uncertainty."""
        if not len(self._data.times):
            return
        i = int(np.clip(np.searchsorted(self._data.times, self._now), 0, len(self._data.times) - 1))
        words = tr("not in the set")
        if self._data.known[i]:
            words = tr(with_doubt(self._data.values[i], self._data.doubt[i], 0, self._data.unit))
        x = self.x_of(self._now)
        left = x > self.width() - 90
        painter.setPen(QColor(t.STAGE_TEXT))
        side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
        painter.drawText(QRectF(x - 96 if left else x + 6, 18, 90, 16), int(side | Qt.AlignmentFlag.AlignVCenter), tr(words))

    def _paint_seconds(self, painter: QPainter) -> None:
        step = 1 if self._end < 30 else 5 if self._end < 120 else 15
        painter.setPen(QColor(t.STAGE_DIM))
        for s in range(0, int(self._end) + 1, step):
            x = self.x_of(s)
            painter.drawLine(QPointF(x, self.height() - 16), QPointF(x, self.height() - 12))
            painter.drawText(
                QRectF(x - 20, self.height() - 14, 40, 14), int(Qt.AlignmentFlag.AlignCenter), tr("{s} s", s=s) if s == 0 else f"{s}"
            )

    def _paint_curve(self, painter: QPainter, top: float, base: float) -> None:
        frames = np.flatnonzero(self._data.known)
        pixels = max(self.width() * self.devicePixelRatioF(), 1)
        every = max(1, round(len(frames) / pixels))  # one to a pixel of the screen shows what there is to see
        for known in np.split(frames, np.flatnonzero(np.diff(frames) > 1) + 1):  # a stretch in which it was lost stays empty
            xs, ys, wide = self._curve(top, base, known[::every])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(64, 208, 202, 46))
            painter.drawPolygon(band(xs, ys, wide))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.TEAL_LIGHT), 1.8))
            painter.drawPolyline(polygon(xs, ys))

    def _curve(self, top: float, base: float, shown: NDArray[np.intp]) -> tuple[Array, Array, Array]:
        """The values of some of the frames, and how wide their uncertainty is, widget px."""
        low, high = float(np.min(self._data.values)), float(np.max(self._data.values))
        v = self._data.values[shown]
        span = max(high - low, 1e-6)
        ys = base - (v - low) / span * (base - top)
        xs = MARGIN + self._data.times[shown] / self._end * (self.width() - 2 * MARGIN)
        wide = np.minimum(self._data.doubt[shown] / span, 1.0) * (base - top)
        return xs, ys, wide

    def _paint_rep(self, painter: QPainter, rep: Rep, base: float) -> None:
        """Phase blocks in true seconds, the prescription as a thin line under them, the number above."""
        names = ORDER[self._data.first]
        edges = [rep.start_s, rep.turn_start_s, rep.turn_end_s, rep.end_s]
        top = base + 7
        for name, a, b in zip(names, edges[:-1], edges[1:], strict=False):
            painter.fillRect(QRectF(self.x_of(a), top, max(self.x_of(b) - self.x_of(a), 1.5), 9), QColor(PHASE_COLOURS[name]))
        if self._data.tempo is not None:
            at, y = rep.start_s, top + 13
            for name in names[:3]:
                wanted = self._data.tempo.wanted(name)
                if wanted:
                    painter.setPen(QPen(QColor(PHASE_COLOURS[name]), 2))
                    painter.drawLine(QPointF(self.x_of(at), y), QPointF(self.x_of(at + wanted) - 1.5, y))
                    at += wanted
        off = rep.number in self._data.off
        painter.setPen(QColor(t.COPPER_LIGHT if off or not rep.complete else t.STAGE_TEXT))
        mark = f"{rep.number}" + (" ◣" if off else "")
        words = mark if rep.complete else tr("{mark} short", mark=mark)
        painter.drawText(
            QRectF(self.x_of(rep.start_s), 1, self.x_of(rep.end_s) - self.x_of(rep.start_s), 17), int(Qt.AlignmentFlag.AlignCenter), words
        )
