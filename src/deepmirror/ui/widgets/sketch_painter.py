"""Painting a sketch in a window: the lines, angles and bars of one measure over the film, its number beside it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QPolygonF

from deepmirror.core.sketches.sketch import Array, Bar, Circle, Line, Sketch, place_tag, thinned
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr

LINE_PX, EDGE_PX = 2.6, 3.0
RING_PX, CROSS_PX = 10.0, 8.0
BAR_HIGH, BARS_WIDE, MOST_BARS = 24.0, 250.0, 10


def paint_sketch(painter: QPainter, sketch: Sketch, words: str, faces: tuple[Circle, ...], room: QRectF, busy: list[Array]) -> None:
    """Paint it: a sketch, the faces (x, y, radius) and other places not to hide in the widget's pixels; room: the picture's place."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for ghost in sketch.ghosts:
        _lines(painter, ghost, t.BONE, 1.4)
    _lines(painter, sketch.reference, t.BONE, 1.8)
    _lines(painter, sketch.number, t.COPPER_LIGHT, LINE_PX)
    for arc in sketch.arcs:
        curve = QPolygonF([QPointF(float(x), float(y)) for x, y in arc.points(1.0)])
        for pen in _pens(t.COPPER_LIGHT, LINE_PX + 0.6):
            painter.setPen(pen)
            painter.drawPolyline(curve)
    for at in sketch.rings:
        for pen in _pens(t.COPPER_LIGHT, 2.0):
            painter.setPen(pen)
            painter.drawEllipse(_point(at), RING_PX, RING_PX)
    crosses = tuple(
        (at - CROSS_PX * np.array(way), at + CROSS_PX * np.array(way)) for at in sketch.crosses for way in ((1.0, 1.0), (1.0, -1.0))
    )
    _lines(painter, crosses, t.BONE, 2.4)
    if sketch.bars:
        _bars(painter, sketch.bars, room, busy)
    if words and sketch.tag is not None:
        _tag(painter, sketch, words, faces, room, busy)


def _point(p: Array) -> QPointF:
    return QPointF(float(p[0]), float(p[1]))


def _pens(colour: str, width: float) -> tuple[QPen, QPen]:
    """A dark one below, so that the line shows on any film, and the line's own."""
    pens = QPen(QColor(26, 22, 20, 170), width + EDGE_PX), QPen(QColor(colour), width)
    for pen in pens:
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    return pens


def _lines(painter: QPainter, lines: tuple[Line, ...], colour: str, width: float) -> None:
    for pen in _pens(colour, width):
        painter.setPen(pen)
        for a, b in lines:
            painter.drawLine(_point(a), _point(b))


def _tag(painter: QPainter, sketch: Sketch, words: str, faces: tuple[Circle, ...], room: QRectF, busy: list[Array]) -> None:
    assert sketch.tag is not None
    font = QFont(painter.font())
    font.setPixelSize(16)
    font.setBold(True)
    extent = QFontMetricsF(font).horizontalAdvance(words) + 18, 28.0
    picture = room.left(), room.top(), room.right(), room.bottom()
    box = place_tag(sketch.tag, extent, picture, faces, [*busy, *sketch.points()], 0.8)
    plate = QRectF(QPointF(box[0], box[1]), QPointF(box[2], box[3]))
    nearest = QPointF(float(np.clip(sketch.tag[0], box[0], box[2])), float(np.clip(sketch.tag[1], box[1], box[3])))
    painter.setPen(QPen(QColor(t.BONE), 1.4))
    painter.drawLine(_point(sketch.tag), nearest)
    painter.setPen(QPen(QColor(t.COPPER), 1.6))
    painter.setBrush(QColor(t.BONE))
    painter.drawRoundedRect(plate, 5, 5)
    painter.setPen(QColor(t.INK))
    painter.setFont(font)
    painter.drawText(plate, int(Qt.AlignmentFlag.AlignCenter), tr(words))


def _bars(painter: QPainter, bars: tuple[Bar, ...], room: QRectF, busy: list[Array]) -> None:
    shown = thinned(bars, MOST_BARS)
    high = len(shown) * BAR_HIGH + 12
    plates = [QRectF(x, room.top() + 10, BARS_WIDE, high) for x in (room.right() - BARS_WIDE - 10, room.left() + 10)]
    plate = min(plates, key=lambda box: sum(box.contains(_point(p)) for p in busy))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(26, 22, 20, 220))
    painter.drawRoundedRect(plate, 6, 6)
    metrics = QFontMetricsF(painter.font())
    labels = max(metrics.horizontalAdvance(tr(b.label)) for b in shown) + 10
    numbers = max(metrics.horizontalAdvance(_words(b)) for b in shown) + 10
    longest = max(max(b.seen, b.asked or 0.0) for b in shown) or 1.0
    left, wide = plate.left() + 10 + labels, max(plate.width() - labels - numbers - 20, 20.0)
    for row, bar in enumerate(shown):
        line = QRectF(plate.left() + 10, plate.top() + 6 + row * BAR_HIGH, plate.width() - 20, BAR_HIGH)
        painter.fillRect(QRectF(left, line.top() + 6, max(wide * max(bar.seen, 0.0) / longest, 1.0), BAR_HIGH - 12), _colour(bar))
        painter.setPen(QPen(QColor(t.BONE), 2))
        if bar.asked:
            x = left + wide * bar.asked / longest
            painter.drawLine(QPointF(x, line.top() + 2), QPointF(x, line.bottom() - 2))
        painter.drawText(line, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), tr(bar.label))
        painter.drawText(line, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), tr(_words(bar)))


def _colour(bar: Bar) -> QColor:
    return QColor(t.COPPER_LIGHT if bar.chosen else t.TEAL_LIGHT)


def _words(bar: Bar) -> str:
    seen = f"{bar.seen:.{0 if bar.unit == '%' else 1}f}"
    if bar.asked:
        return tr("{seen} of {asked} {unit}", seen=seen, asked=f"{bar.asked:g}", unit=bar.unit)
    return tr("{seen} {unit}", seen=seen, unit=bar.unit).strip()
