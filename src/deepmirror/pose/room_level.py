"""What is upright in the picture, told by the room itself: edges of walls, doors, racks and floors.

A phone is seldom propped level, and each degree it is rolled leans the client's trunk by one. The long edges around the client are
upright or level; upright ones spread like a fan where the camera looks up or down, level ones where the wall is not square to it,
so the roll and both fans are fitted together. Edges that are neither (ramps, sleds, pads) find no others that agree with them.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

LOOKS = 7  # pictures, spread over the film, whose edges are read; our own choice
REACH_DEG = 8.0  # an edge further from upright or level tells nothing of the roll; the design asks for 4 and edges fan out
SHORTEST = 0.025  # of the picture's height; our own choice
EDGE_SD_DEG = 0.5  # an edge of the room against another; our own choice
FLOOR_SD_DEG = 0.3  # buildings and cameras are not truer than this; our own choice
FAN_SD = 3.0  # degrees per half picture width, of either fan; a camera 1.2 m off that looks down 10° has 3
BODY_MARGIN = 0.15  # of the body's own size, kept out around it
LEAST_LENGTH, LEAST_SHARE = 1.0, 0.45  # of agreeing edges: heights of the picture together, and share of all edges near that way
TURNS = 20


@dataclass(frozen=True)
class _Edges:
    """Edges of one direction: how far each is turned clockwise (N,) deg, where along the fan (N,) half widths, length (N,) heights."""

    turned: Array
    place: Array
    length: Array

    def roll(self) -> tuple[float, float]:
        """The roll they agree on and its standard deviation, deg; inf where they do not, or are too few."""
        if not len(self.turned):
            return 0.0, np.inf
        weight = self.length * np.minimum(self.length / SHORTEST, 4.0)
        tried = np.arange(-REACH_DEG, REACH_DEG, 0.1)
        votes = np.exp(-0.5 * ((self.turned[None] - tried[:, None]) / EDGE_SD_DEG) ** 2) @ weight
        found = np.array([tried[int(np.argmax(votes))], 0.0])
        design = np.column_stack([np.ones(len(self.turned)), self.place])
        for _ in range(TURNS):
            say = weight / (1 + ((self.turned - design @ found) / EDGE_SD_DEG) ** 2) ** 2
            normal = design.T @ (say[:, None] * design) + np.diag([0.0, say.sum() * (EDGE_SD_DEG / FAN_SD) ** 2])
            found = np.linalg.solve(normal, design.T @ (say * self.turned))
        agree = np.abs(self.turned - design @ found) < 2 * EDGE_SD_DEG
        share = float(weight[agree].sum() / weight.sum())
        if self.length[agree].sum() < LEAST_LENGTH or share < LEAST_SHARE:
            return 0.0, np.inf
        return float(found[0]), FLOOR_SD_DEG / share**2 + 0.1 * abs(float(found[1]))


def roll_of_room(pictures: Iterable[tuple[Picture, Array, Array]]) -> Array:
    """How far the picture is rolled clockwise against the room and its standard deviation (2,), rad; empty where no edges tell.

    pictures: grey (H, W), what of it is body (P, 2) px, and the way (2, 3) from the first picture's still room to this one.
    """
    upright, level = [], []
    for grey, body, room in pictures:
        found = _edges(grey, body)
        turned = float(np.degrees(np.arctan2(room[1, 0], room[0, 0])))
        upright.append(found[0] - [turned, 0, 0])
        level.append(found[1] - [turned, 0, 0])
    if not upright:
        return np.empty(0)
    looks = len(upright)
    both = [_Edges(e[:, 0], e[:, 1], e[:, 2] / looks).roll() for e in (np.vstack(upright), np.vstack(level))]
    sure = [(r, s) for r, s in both if np.isfinite(s)]
    if not sure:
        return np.empty(0)
    rolls, sds = np.array(sure).T
    weight = sds**-2 / (sds**-2).sum()
    roll = float(weight @ rolls)
    spread = float(np.sqrt(weight @ (rolls - roll) ** 2))
    return np.radians([roll, np.hypot((sds**-2).sum() ** -0.5, spread)])


def _edges(grey: Picture, body: Array) -> tuple[Array, Array]:
    """Long edges off the body, upright ones and level ones, each (N, 3): turned clockwise deg, place along its fan, length."""
    height, width = grey.shape
    found = cv2.createLineSegmentDetector(0).detect(grey)[0]
    lines = np.zeros((0, 4)) if found is None else np.asarray(found, float).reshape(-1, 4)
    way, middle = lines[:, 2:] - lines[:, :2], (lines[:, 2:] + lines[:, :2]) / 2
    length = np.hypot(way[:, 0], way[:, 1]) / height
    off = (middle - [width / 2, height / 2]) / (width / 2)
    kept = (length > SHORTEST) & ~_on_body(middle, body)
    upright = _half_turn(np.degrees(np.arctan2(way[:, 0], -way[:, 1])))
    level = _half_turn(np.degrees(np.arctan2(way[:, 1], way[:, 0])))
    out = []
    for turned, place in ((upright, off[:, 0]), (level, off[:, 1])):
        near = kept & (np.abs(turned) < REACH_DEG)
        out.append(np.column_stack([turned, place, length])[near])
    return out[0], out[1]


def _half_turn(degrees: Array) -> Array:
    """The same line's direction within ±90°."""
    return np.asarray((degrees + 90) % 180 - 90)


def _on_body(places: Array, body: Array) -> NDArray[np.bool_]:
    seen = body[np.isfinite(body).all(axis=1)]
    if not len(seen):
        return np.zeros(len(places), bool)
    low, high = seen.min(axis=0), seen.max(axis=0)
    margin = BODY_MARGIN * float((high - low).max())
    return np.asarray(((places > low - margin) & (places < high + margin)).all(axis=1))
