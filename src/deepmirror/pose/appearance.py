"""What the client looks like in the picture: the colours along her trunk and legs, by which somebody else in the film is told from her."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, sided
from deepmirror.pose.network import NETWORK_INDEX, Detection

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

CHAIN = ("shoulder", "hip", "knee", "ankle")
ALONG = (1 / 3, 2 / 3)  # where on each segment a colour is taken
BREADTH = 0.01  # of the body's region: half the side of the square a colour is the median of
FIRST_LOOKS = 5  # so often seen it is known what she looks like; our own choice
KEEPS = 0.05  # share of each further look: the light changes more slowly than anybody comes by; our own choice
# The median distance of the colours from what they were (CIE Lab). In seven films of our lot a client's own looks were 3 to 11 off in the
# middle and up to 7 to 24 in nine of ten; in four, somebody else's 21 to 28 in the middle and from 13 to 24 in nine of ten. In between,
# our own choice: unlike is what is beyond both of these.
UNLIKE, UNLIKE_SHARE = 14.0, 1.8  # Lab, and of what her own looks usually are
ELSEWHERE_SHARE = 1.5  # the same of a body that is not where she was: both speak against it; worked with on one film (docs/accuracy-log.md)


def colours(rgb: Picture, seen: Detection) -> Array:
    """Colours (K, 3) CIE Lab along trunk and legs as they were seen; NaN outside the picture."""
    half = max(1, round(BREADTH * seen.next_region().side))
    places = [spot for side in SIDES for upper, lower in pairwise(CHAIN) for spot in _along(seen, sided(upper, side), sided(lower, side))]
    col, row = np.rint(np.array(places)).astype(int).T
    height, width = rgb.shape[:2]
    inside = (col >= 0) & (col < width) & (row >= 0) & (row < height)
    across, down = (grid.ravel() for grid in np.meshgrid(*2 * [np.arange(-half, half + 1)]))
    squares = rgb[np.clip(row[:, None] + down, 0, height - 1), np.clip(col[:, None] + across, 0, width - 1)]
    taken = np.median(squares, axis=1).astype(np.float32) / 255
    lab: Array = cv2.cvtColor(taken[None], cv2.COLOR_RGB2Lab)[0].astype(float)
    lab[~inside] = np.nan
    return lab


def _along(seen: Detection, upper: str, lower: str) -> list[Array]:
    a, b = (seen.points[NETWORK_INDEX[n]] for n in (upper, lower))
    return [a * (1 - q) + b * q for q in ALONG]


@dataclass(frozen=True)
class Appearance:
    """What is known of how the client looks. first: the looks (K, 3) it is learned from, until there are enough or one was clicked."""

    first: tuple[Array, ...] = ()
    known: Array | None = None
    usual: float = 0.0  # how far her own looks usually are from it

    def with_look(self, now: Array) -> Appearance:
        """One more look (K, 3) at her is known."""
        if self.known is not None:
            usual = self.usual + KEEPS * (self._off(now) - self.usual)
            return replace(self, usual=usual, known=np.where(np.isfinite(now), self.known + KEEPS * (now - self.known), self.known))
        first = (*self.first, now)
        if len(first) < FIRST_LOOKS:
            return Appearance(first)
        known = Appearance(first, np.median(first, axis=0))
        return replace(known, usual=float(np.median([known._off(one) for one in first])))

    def unlike(self, now: Array, elsewhere: bool = False) -> bool:
        """True when a look's colours (K, 3) are not hers; False while hers are not known. elsewhere: it shows a body where she was not."""
        return self._off(now) > max(UNLIKE, (ELSEWHERE_SHARE if elsewhere else UNLIKE_SHARE) * self.usual)

    def _off(self, now: Array) -> float:
        if self.known is None:
            return 0.0
        away = np.linalg.norm(now - self.known, axis=1)
        return float(np.median(away[np.isfinite(away)])) if np.isfinite(away).any() else 0.0


def as_clicked(now: Array) -> Appearance:
    """What is known of one who was clicked in a look (K, 3)."""
    return Appearance(known=now)
