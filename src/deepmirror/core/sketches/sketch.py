"""What is drawn to show one measure in one frame, in film pixels; painters of films and of windows paint it alike."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped

Array = NDArray[np.float64]
Line = tuple[Array, Array]
Circle = tuple[float, float, float]  # x, y, radius
Box = tuple[float, float, float, float]  # left, top, right, bottom

ARC_UNITS = 62.0  # an arc's radius at 720 lines, where the limbs at it are long enough; our own choice
TAG_AWAY = (46.0, 74.0)  # units a tag stands beside and above what it measures; our own choice


@dataclass(frozen=True)
class Arc:
    """An angle: at `centre`, from the direction of one point to that of another, the short way."""

    centre: Array
    start: Array
    end: Array

    def radius(self, unit: float) -> float:
        """So long that both limbs show beyond it; unit is the size of a line's step, px."""
        shortest = min(float(np.linalg.norm(self.start - self.centre)), float(np.linalg.norm(self.end - self.centre)))
        return min(ARC_UNITS * unit, 0.8 * shortest)

    def turn_deg(self) -> float:
        """The angle it spans, degrees."""
        return abs(float(wrapped(_bearing(self.end - self.centre) - _bearing(self.start - self.centre))))

    def points(self, unit: float) -> Array:
        """A polyline (N, 2) px along it."""
        start = _bearing(self.start - self.centre)
        turn = float(wrapped(_bearing(self.end - self.centre) - start))
        steps = np.radians(start + np.linspace(0, turn, max(3, int(abs(turn)))))
        return np.asarray(self.centre + self.radius(unit) * np.stack([np.cos(steps), np.sin(steps)], axis=1))


def _bearing(v: Array) -> float:
    return float(np.degrees(np.arctan2(v[1], v[0])))


@dataclass(frozen=True)
class Bar:
    """One bar of a small chart: what was seen, what was asked where something was, in `unit`; chosen: the one in question."""

    label: str
    seen: float
    unit: str
    asked: float | None = None
    chosen: bool = False


def thinned(bars: tuple[Bar, ...], most: int) -> tuple[Bar, ...]:
    """At most so many bars: the chosen ones, the first, the last, and as many between as find room."""
    if len(bars) <= most:
        return bars
    keep = {0, len(bars) - 1} | {i for i, b in enumerate(bars) if b.chosen}
    keep |= set(np.linspace(0, len(bars) - 1, max(most - len(keep), 0)).astype(int).tolist())
    return tuple(bars[i] for i in sorted(keep))


@dataclass(frozen=True)
class Sketch:
    """reference: pale lines it is measured against; number: what is measured; arcs: angles of it; rings around points, crosses on the
    machine's marks, ghosts: the body's lines at another moment; bars: a chart of times. tag: where its number belongs; focus: points to
    look at, the first the middle of it; close_up: so small that a picture of it is taken from near."""

    reference: tuple[Line, ...] = ()
    number: tuple[Line, ...] = ()
    arcs: tuple[Arc, ...] = ()
    rings: tuple[Array, ...] = ()
    crosses: tuple[Array, ...] = ()
    ghosts: tuple[tuple[Line, ...], ...] = ()
    bars: tuple[Bar, ...] = ()
    tag: Array | None = None
    focus: tuple[Array, ...] = ()
    close_up: bool = False

    def points(self) -> Iterator[Array]:
        """Every place it marks."""
        for a, b in (*self.reference, *self.number, *(line for ghost in self.ghosts for line in ghost)):
            yield from (a, b)
        for arc in self.arcs:
            yield from (arc.centre, arc.start, arc.end)
        yield from (*self.rings, *self.crosses)

    def empty(self) -> bool:
        """True when nothing but the body's own lines is drawn."""
        return not (self.number or self.arcs or self.rings or self.ghosts or self.bars)

    def extent(self) -> float:
        """How much it shows: the angle, degrees, or without one the length of what is measured, px."""
        if self.arcs:
            return sum(arc.turn_deg() for arc in self.arcs)
        return sum(float(np.linalg.norm(b - a)) for a, b in self.number)

    def mapped(self, by: Map) -> Sketch:
        """The same in another picture."""

        def lines(row: tuple[Line, ...]) -> tuple[Line, ...]:
            return tuple((by(a), by(b)) for a, b in row)

        return Sketch(
            lines(self.reference),
            lines(self.number),
            tuple(Arc(by(a.centre), by(a.start), by(a.end)) for a in self.arcs),
            tuple(by(p) for p in self.rings),
            tuple(by(p) for p in self.crosses),
            tuple(lines(ghost) for ghost in self.ghosts),
            self.bars,
            None if self.tag is None else by(self.tag),
            tuple(by(p) for p in self.focus),
            self.close_up,
        )


NOTHING = Sketch()


@dataclass(frozen=True)
class Map:
    """A turn, stretch and shift of the picture's plane."""

    matrix: Array = field(default_factory=lambda: np.eye(2))
    shift: Array = field(default_factory=lambda: np.zeros(2))

    def __call__(self, p: Array) -> Array:
        return np.asarray(self.matrix @ np.asarray(p, float) + self.shift)


def similarity(source: Array, target: Array) -> Map:
    """The turn, stretch and shift that takes points (P, 2) onto others best (Umeyama 1991, from memory); none for fewer than two."""
    if len(source) < 2 or np.allclose(source, target):
        return Map()
    a, b = source - source.mean(axis=0), target - target.mean(axis=0)
    square = float((a**2).sum())
    if square < 1e-9:
        return Map(np.eye(2), target.mean(axis=0) - source.mean(axis=0))
    real, turned = float((a * b).sum()) / square, float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) / square
    matrix = np.array([[real, -turned], [turned, real]])
    return Map(matrix, target.mean(axis=0) - matrix @ source.mean(axis=0))


def place_tag(at: Array, extent: tuple[float, float], picture: Box, faces: tuple[Circle, ...], busy: list[Array], unit: float) -> Box:
    """Where a number of this size stands: beside what it measures, inside the picture, over no face, and over as little as can be."""
    w, h = extent
    away, up = TAG_AWAY[0] * unit, TAG_AWAY[1] * unit
    spots = [(side, dy) for dy in (-up, -h / 2, up - h, -2 * up, 2 * up - h) for side in (away, -away - w)]
    spots += [(-w / 2, -2 * up - h), (-w / 2, 2 * up)]

    def box(spot: tuple[float, float]) -> Box:
        x = float(np.clip(at[0] + spot[0], picture[0] + 4, max(picture[2] - w - 4, picture[0] + 4)))
        y = float(np.clip(at[1] + spot[1], picture[1] + 4, max(picture[3] - h - 4, picture[1] + 4)))
        return x, y, x + w, y + h

    def cost(found: Box) -> float:
        over = sum(_covers(found, face) for face in faces)
        hidden = sum(found[0] - 6 <= p[0] <= found[2] + 6 and found[1] - 6 <= p[1] <= found[3] + 6 for p in busy)
        return float(100.0 * over + hidden)

    return min((box(s) for s in spots), key=cost)


def _covers(box: Box, face: Circle) -> bool:
    x, y = min(max(face[0], box[0]), box[2]), min(max(face[1], box[1]), box[3])
    return bool(np.hypot(x - face[0], y - face[1]) < face[2])
