"""Curves over time as polygons to paint: a line, and the band of its uncertainty around it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPolygonF

Array = NDArray[np.float64]


def polygon(xs: Array, ys: Array) -> QPolygonF:
    """A line through points xs, ys (N,) px."""
    return QPolygonF(map(QPointF, xs.tolist(), ys.tolist()))


def band(xs: Array, ys: Array, wide: Array) -> QPolygonF:
    """What lies within `wide` (N,) px above and below a line xs, ys (N,) px."""
    return polygon(np.concatenate([xs, xs[::-1]]), np.concatenate([ys - wide, (ys + wide)[::-1]]))
