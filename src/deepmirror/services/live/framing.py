"""Whether a camera stands so that a set can be measured, told in words while it can still be moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS, SIDES, near_side, sided
from deepmirror.pose.evidence import shank_px
from deepmirror.words import say

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

EDGE_SHARE = 0.01  # of the picture: a joint nearer to its edge than this is as good as cut off; our own choice
DARK, DARK_SPREAD = 45.0, 14.0  # grey levels of 255 around the body, their mean and their spread; our own choice
SMALL_SHARE = 0.06  # shank of the picture's longer side: a smaller client is measured coarsely; our own choice
TURNED_DEG = 20.0  # off the side view, from which on it is said; cameras that stand square read up to 12 on nineteen films
BREADTH_OF_TRUNK = 0.66  # between both shoulders and both hips, of the trunk, seen from the front; from memory of usual proportions
GROUPS = {"feet": ("ankle", "heel", "toe"), "knees": ("knee",), "hips": ("hip",), "shoulders": ("shoulder",)}
TURN_TO = {
    "feet": "tilt the camera down or step back",
    "knees": "step back",
    "hips": "step back",
    "shoulders": "tilt the camera up or step back",
}


@dataclass(frozen=True)
class Framing:
    """What is wrong with where the camera stands, worst first; nothing when it stands well."""

    words: tuple[str, ...]

    @property
    def fits(self) -> bool:
        """True when a set can be filmed so."""
        return not self.words


def framing_of(picture: Picture, looks: list[Array], view: str) -> Framing:
    """From the present picture (H, W, 3) and the last looks, each (P, 2) px of all body points; none when nobody is seen."""
    if not looks:
        return Framing(("Nobody is in the picture.",))
    points = np.median(np.array(looks), axis=0)
    height, width = picture.shape[:2]
    words = [say("The {part} are cut off: {turn_to}.", part=part, turn_to=TURN_TO[part]) for part in _cut_off(points, view, width, height)]
    if near_side(view):
        turned = turned_deg(points)
        if turned > TURNED_DEG:
            words.append(
                say("The camera seems about {turned}° too far round: it should look straight at the side.", turned=5 * round(turned / 5))
            )
    if _dark(picture, points):
        words.append("Too dark to tell the body from what is behind it.")
    if shank_px(points[None], list(ALL_POINTS)) < SMALL_SHARE * max(width, height):
        words.append("The client is small in the picture: come nearer.")
    return Framing(tuple(words))


def _cut_off(points: Array, view: str, width: int, height: int) -> list[str]:
    """Which parts of the body lie outside the picture or on its edge."""
    margin = EDGE_SHARE * max(width, height)
    sides = [near] if (near := near_side(view)) else list(SIDES)
    out = []
    for part, joints in GROUPS.items():
        at = points[[ALL_POINTS.index(sided(j, s)) for j in joints for s in sides]]
        if np.any(at < margin) or np.any(at[:, 0] > width - margin) or np.any(at[:, 1] > height - margin):
            out.append(part)
    return out


def turned_deg(points: Array) -> float:
    """How far (0 to 90) the camera stands off the side of a body of points (P, 2) px, by how far apart its two sides show."""

    def at(joint: str, side: str) -> Array:
        return np.asarray(points[ALL_POINTS.index(sided(joint, side))])

    trunk = at("shoulder", "left") + at("shoulder", "right") - at("hip", "left") - at("hip", "right")
    length = float(np.linalg.norm(trunk)) / 2
    across = np.array([-trunk[1], trunk[0]]) / max(float(np.linalg.norm(trunk)), 1e-6)
    apart = np.mean([abs(float((at(j, "left") - at(j, "right")) @ across)) for j in ("shoulder", "hip")])
    return float(np.degrees(np.arcsin(min(float(apart) / max(BREADTH_OF_TRUNK * length, 1e-6), 1.0))))


def _dark(picture: Picture, points: Array) -> bool:
    height, width = picture.shape[:2]
    (x0, y0), (x1, y1) = np.clip(points.min(axis=0), 0, (width, height)), np.clip(points.max(axis=0), 0, (width, height))
    body = picture[int(y0) : int(y1) + 1, int(x0) : int(x1) + 1].mean(axis=2)
    return bool(body.size and body.mean() < DARK and body.std() < DARK_SPREAD)
