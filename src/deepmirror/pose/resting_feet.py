"""Feet that stand: where the picture at a foot's usual place is what it always is, the foot is there, wherever it was looked for.

A plate or a passer-by that comes before the legs takes the network's foot along while the shoe stays in full view. Only what is thought
to lie clearly elsewhere is set right so: a shoe that rises by so much changes the picture where it stood.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, split
from deepmirror.pose.evidence import Evidence

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

FOOT = ("ankle", "heel", "toe")
# All our own choice; of the shank's length where nothing else is said.
AT_REST, ELSEWHERE = 0.03, 0.10  # this near its usual place a foot stands, and further than this it is said to be elsewhere
RADIUS, SEARCH_PX = 0.12, 3  # of the piece of picture, and how far off it may lie
UNCHANGED, ITS_PLACE_PX = 0.85, 1.5  # correlation of a piece of picture that is still the same, and how far it may lie off
TOGETHER = 2  # of a foot's three points that must be unchanged: one alone may be the floor beside it
PLAIN = 6.0  # grey levels: a piece with less contrast shows nothing
RELIABLE = 0.6  # of the pictures in which a foot is thought to stand: fewer that are unchanged, and the piece tells nothing


@dataclass
class _Point:
    """One point of a foot: its column, its usual place and what the network is usually off it, and the picture on which it is learned."""

    column: int
    place: Array
    network_off: Array
    frame: int
    piece: NDArray[np.uint8] | None = None
    carried: Array = field(default_factory=lambda: np.zeros(2))  # how far the room has moved since the first picture
    sways: bool = False  # with a camera that does not stand still
    stood: int = 0
    unchanged: int = 0


class RestingFeet:
    """Takes the film's pictures one after the other.

    rough (T, P, 2) px: where the points of `names` are thought to be; network (T, P, 2) px: where the network saw them, NaN where it did
    not look; shank: its length in the picture, px.
    """

    def __init__(self, names: list[str], rough: Array, network: Array, shank: float) -> None:
        self._rough, self._network, self._shank = rough, network, shank
        self._radius = max(6, round(RADIUS * shank))
        points = {n: self._usual(p, rough[:, p], network[:, p]) for p, n in enumerate(names) if split(n)[0] in FOOT}
        self._feet = [[q for n, q in points.items() if split(n)[1] == side and q is not None] for side in SIDES]
        self._seen = np.full(rough.shape, np.nan)
        self._done = 0

    def _usual(self, column: int, rough: Array, network: Array) -> _Point | None:
        """The place it is at most, on the first picture that has it there; None when it was never looked for."""
        place = np.median(rough, axis=0)
        off = np.linalg.norm(rough - place, axis=1)
        near = off < off.min() + AT_REST * self._shank
        offsets = (network - rough)[near & np.isfinite(network).all(axis=1)]
        if not len(offsets):
            return None
        first = int(np.argmax(near))
        return _Point(column, rough[first].copy(), np.median(offsets, axis=0), first)

    def settle(self, grey: Picture, room_moved: Array) -> Array:
        """Where the points are about (P, 2) px in the next picture (H, W), feet that stand set back to where they stand.

        room_moved (P, 2) px: how far the still room went there since the picture before.
        """
        i, self._done = self._done, self._done + 1
        centres: Array = self._rough[i].copy()
        for foot in self._feet:
            same = [q for q in foot if self._shown_unchanged(q, grey, i, room_moved[q.column])]
            for point in same if len(same) >= TOGETHER else ():
                if self._off(point, centres) > ELSEWHERE:
                    self._seen[i, point.column] = point.place + point.network_off
                    centres[point.column] = point.place
                else:
                    self._seen[i, point.column] = self._network[i, point.column]
        return centres

    def _shown_unchanged(self, point: _Point, grey: Picture, i: int, room_moved: Array) -> bool:
        """Whether the picture at a point's usual place is what it is there; told from the picture after it was learned on."""
        if i == point.frame:
            piece = _piece(grey, point.place, self._radius)
            point.piece = piece if piece is not None and piece.std() > PLAIN else None
        if i <= point.frame or point.piece is None:
            return False
        point.place += room_moved
        point.carried += room_moved
        point.sways |= bool(np.hypot(*point.carried) > ITS_PLACE_PX)
        offset = _offset(grey, point.place, point.piece)
        if offset is not None and point.sways:
            point.place += offset  # a camera that sways moves what is near further than the room behind it
        same = offset is not None and (point.sways or bool(np.hypot(*offset) <= ITS_PLACE_PX))
        if self._off(point, self._rough[i]) <= AT_REST:
            point.stood += 1
            point.unchanged += same
        return same

    def _off(self, point: _Point, places: Array) -> float:
        """How far a point is thought to be from its usual place, as a share of the shank."""
        return float(np.linalg.norm(places[point.column] - point.place)) / self._shank

    def seen(self) -> Array:
        """(T, P, 2) px where the network saw the feet that stand, or would have seen them while it saw them elsewhere; NaN everywhere
        else."""
        for point in (q for foot in self._feet for q in foot):
            if point.unchanged < RELIABLE * point.stood:
                self._seen[:, point.column] = np.nan
        return self._seen


def with_feet_at_rest(evidence: Evidence) -> Evidence:
    """What was seen, and feet that were seen to stand where the network would have seen them there: as surely as it usually does, also
    where the other network saw them elsewhere."""
    standing = np.isfinite(evidence.resting).all(axis=-1) if len(evidence.resting) else np.zeros((0, 0), bool)
    if not standing.any():
        return evidence
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    usual = np.array([np.median(s[np.isfinite(s)]) if np.isfinite(s).any() else np.inf for s in sigma.T])
    network[standing] = evidence.resting[standing]
    sigma[standing] = np.broadcast_to(usual, sigma.shape)[standing]
    return evidence.with_network(network, sigma)


def _piece(grey: Picture, place: Array, radius: int) -> NDArray[np.uint8] | None:
    """The square (2 radius + 1)² around a place (2,) px; None where the picture ends within it."""
    x, y = np.round(place).astype(int)
    out = grey[max(y - radius, 0) : y + radius + 1, max(x - radius, 0) : x + radius + 1]
    return out.copy() if out.shape == (2 * radius + 1, 2 * radius + 1) else None


def _offset(grey: Picture, place: Array, piece: NDArray[np.uint8]) -> Array | None:
    """How far (2,) px a piece of picture lies off a place; None where it is not found near it."""
    around = _piece(grey, place, len(piece) // 2 + SEARCH_PX)
    if around is None:
        return None
    _, best, _, at = cv2.minMaxLoc(cv2.matchTemplate(around, piece, cv2.TM_CCOEFF_NORMED))
    return np.array(at, float) - SEARCH_PX if best > UNCHANGED else None
