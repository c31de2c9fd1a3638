"""A foot in the air (behind a curl's roller, under an extension's): one patch of the whole shoe, moved and turned as one piece.

Heel and toe looked for one by one are lost there: the roller hides the one and the wall behind changes the other. The shoe as
a whole keeps its shape, so it is looked for with its outline, at every angle an ankle allows.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, sided
from deepmirror.pose.evidence import Keyframe, carrier_turns, rotate
from deepmirror.pose.follow import peak, turned

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

REACH_DEG, COARSE_DEG, FINE_DEG = 48.0, 8.0, 2.0  # how far the ankle may have moved since the click, and the steps of the search
SEARCH_SHARE = 0.22  # of the shoe's length: how far the ankle may lie from where it is thought to be
MARGIN_SHARE = 0.13  # of the shoe's length: how much around heel, toe and instep belongs to the patch
EDGE_BLUR_PX = 0.8
UNLIKELY = 0.25  # what a bend of the whole reach costs in score: a shoe half hidden looks alike at many angles
WORKING_PX = 44.0  # the shoe is looked for at about this length: finer pictures only cost time
SCORE_FLOOR = 0.40
APART_DEG = 16.0
MARGIN_FLOOR = 0.08  # a shoe that fits no better than at quite another bend tells nothing
SIGMA_FLOOR, SIGMA_SLOPE = 0.02, 0.00025  # of the shank: what a perfect-looking fit may still be off, and how doubt grows (our bench)


@dataclass(frozen=True)
class Found:
    """Where a shoe was found: heel and toe (2,) px, and how much better it fitted there than at quite another bend."""

    heel: Array
    toe: Array
    margin: float


@dataclass(frozen=True)
class _Tried:
    """One bend of the ankle (degrees from the clicked one): how well the shoe fits, its middle (2,) px and its turn (rad)."""

    score: float
    bend_deg: float
    centre: Array
    turn: float


class Shoe:
    """The picture of one shoe on a keyframe, and the search for it elsewhere."""

    def __init__(self, grey: Picture, ankle: Array, heel: Array, toe: Array, shank_turn: float) -> None:
        self.length = float(np.linalg.norm(toe - heel))
        self._shrink = min(1.0, WORKING_PX / max(self.length, 1e-6))
        turn = float(np.arctan2(*(toe - heel)[::-1]))
        self._angle = turn - shank_turn
        centre = (heel + toe) / 2
        self._from_ankle = rotate(centre - ankle, -turn)
        self._half = int(np.ceil(self.length * self._shrink * (0.5 + MARGIN_SHARE))) + 1
        self._search = max(3, round(SEARCH_SHARE * self.length * self._shrink))
        self._pixels = outline(grey, centre, turn, self._half, self._shrink)
        self._mask = self._shape(rotate(ankle - centre, -turn))

    def _shape(self, ankle: Array) -> NDArray[np.float32]:
        """What of the patch is shoe: heel, toe and instep with a margin; the ankle itself may lie behind a roller."""
        half, unit = self._half, self.length * self._shrink
        mask = np.zeros((2 * half + 1,) * 2, np.uint8)
        instep = 0.6 * ankle * self._shrink
        points = np.array([(-unit / 2, 0.0), (unit / 2, 0.0), tuple(instep)]) + half
        hull = cv2.convexHull(points.astype(np.float32)).astype(np.int32)
        cv2.fillConvexPoly(mask, hull, 1)
        margin = max(1, round(MARGIN_SHARE * unit))
        return cv2.dilate(mask, np.ones((2 * margin + 1,) * 2, np.uint8)).astype(np.float32)

    def find(self, grey: Picture, ankle: Array, shank_turn: float) -> Found | None:
        """The best place near where the shank puts it; None where nothing is like it."""
        coarse = [self._try(grey, ankle, shank_turn, bend) for bend in np.arange(-REACH_DEG, REACH_DEG + 1, COARSE_DEG)]
        rough = max(coarse, key=_likely)
        other = max(t.score for t in coarse if abs(t.bend_deg - rough.bend_deg) >= APART_DEG)
        bends = rough.bend_deg + np.arange(-COARSE_DEG, COARSE_DEG + 1, FINE_DEG)
        best = max((self._try(grey, ankle, shank_turn, bend) for bend in bends), key=_likely)
        if best.score < SCORE_FLOOR or best.score - other < MARGIN_FLOOR:
            return None
        half = rotate(np.array([self.length / 2, 0.0]), best.turn)
        return Found(best.centre - half, best.centre + half, best.score - other)

    def _try(self, grey: Picture, ankle: Array, shank_turn: float, bend_deg: float) -> _Tried:
        turn = shank_turn + self._angle + float(np.radians(bend_deg))
        centre = ankle + rotate(self._from_ankle, turn)
        field = outline(grey, centre, turn, self._half + self._search, self._shrink)
        score = cv2.matchTemplate(field, self._pixels, cv2.TM_CCOEFF_NORMED, mask=self._mask)
        value, (x, y) = peak(np.asarray(np.nan_to_num(score, nan=-1.0, posinf=-1.0, neginf=-1.0), np.float32))
        shift = np.array([x - self._search, y - self._search]) / self._shrink
        return _Tried(value, float(bend_deg), centre + rotate(shift, turn), turn)


def _likely(tried: _Tried) -> float:
    """How well it fits, less what its bend costs."""
    return tried.score - UNLIKELY * (tried.bend_deg / REACH_DEG) ** 2


def outline(grey: Picture, centre: Array, turn: float, half: int, shrink: float) -> NDArray[np.float32]:
    """How steep the picture is around `centre`: edges stay where the wall behind the shoe turns from light to dark."""
    soft = cv2.GaussianBlur(turned(grey, centre, turn, half, shrink), (0, 0), EDGE_BLUR_PX)
    return np.asarray(np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1)), np.float32)


class FootFollower:
    """Looks for the near foot with the shoe of every keyframe on which ankle, heel and toe were clicked."""

    def __init__(self, names: list[str]) -> None:
        self._names = names
        side = next((s for s in SIDES if sided("heel", s) in names), "left")
        self._at = [names.index(sided(j, side)) if sided(j, side) in names else -1 for j in ("knee", "ankle", "heel", "toe")]
        self._shoes: list[tuple[Shoe, Array]] = []

    def learn(self, grey: Picture, key: Keyframe, centres: Array) -> None:
        """Keep the shoe of this frame; centres (P, 2) px say where its points are."""
        if -1 in self._at or not all(self._names[k] in key.points for k in self._at[1:]):
            return
        turns = carrier_turns(centres[None], self._names)[0]
        rows = np.array([(key.frame, k, *centres[k], turns[k]) for k in self._at[2:]])
        ankle, heel, toe = (centres[k] for k in self._at[1:])
        shoe = Shoe(grey, ankle, heel, toe, self._shank(centres))
        self._shoes.append((shoe, rows))

    def learned(self) -> Array:
        """(2 K, 5): frame, point, centre x, centre y, carrier's turn of every shoe's heel and toe."""
        return np.concatenate([rows for _, rows in self._shoes]) if self._shoes else np.empty((0, 5))

    def find(self, grey: Picture, centres: Array) -> list[tuple[int, Array, float, int]]:
        """Heel and toe: (point, place (2,) px, sigma px, row of `learned`); empty where no shoe fits."""
        found = [(shoe.find(grey, centres[self._at[1]], self._shank(centres)), k) for k, (shoe, _) in enumerate(self._shoes)]
        fitting = [(f, k) for f, k in found if f is not None]
        if not fitting:
            return []
        best, which = max(fitting, key=lambda f: f[0].margin)
        shank = float(np.linalg.norm(centres[self._at[1]] - centres[self._at[0]]))
        sigma = (SIGMA_FLOOR + SIGMA_SLOPE / best.margin**3) * shank
        return [(p, place, sigma, 2 * which + k) for k, (p, place) in enumerate(zip(self._at[2:], (best.heel, best.toe), strict=True))]

    def _shank(self, centres: Array) -> float:
        d = centres[self._at[1]] - centres[self._at[0]]
        return float(np.arctan2(d[1], d[0]))
