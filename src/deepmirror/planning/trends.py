"""Numbers over the months: what is a real change, and what is only another set."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

LOAD_SHARE = 0.05  # loads this near count as the same; common practice, no source


@dataclass(frozen=True)
class TrendPoint:
    """One number of one day with its doubt (k = 2), the load it was done at, and what it was done as (view, school …)."""

    day: date
    value: float
    u: float
    load_kg: float
    way: str = ""


@dataclass(frozen=True)
class TrendStep:
    """From an earlier point to the next one that may be compared with it; real: larger than both doubts together."""

    start: int
    end: int
    real: bool


def comparable(a: TrendPoint, b: TrendPoint) -> bool:
    """Whether two points show the same lift done the same way at about the same load."""
    return a.way == b.way and abs(a.load_kg - b.load_kg) <= LOAD_SHARE * max(a.load_kg, b.load_kg)


def steps(points: Sequence[TrendPoint]) -> list[TrendStep]:
    """Each point with the last earlier one it may be compared with; a change is real beyond sqrt(u1² + u2²).

    Source: JCGM 100:2008 (GUM), 5.1.2, for the difference of two independent results.
    """
    out = []
    for i, point in enumerate(points):
        before = next((j for j in range(i - 1, -1, -1) if comparable(points[j], point)), None)
        if before is not None:
            out.append(TrendStep(before, i, abs(point.value - points[before].value) > math.hypot(point.u, points[before].u)))
    return out
