"""A shoe keeps its shape: what would tear its toe off was not seen of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import near_side, sided
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.other_things import OTHER_SIGMA_FACTOR

Array = NDArray[np.float64]

# A shoe's distances as shares of the foot's length, its ends one foot apart: as seen on 34 rendered films of two renderers these were
# 0.25 to 0.37 and 0.72 to 0.84, the ends 0.87 to 1.06.
SHOE_SHAPE = {("ankle", "heel"): 0.32, ("ankle", "toe"): 0.79}
TORN_SHARE, TORN_PX = 0.3, 6.0  # of a clicked distance, and at least: by so much a turned foot does not change it; our own choice


def shoe_points(near: str) -> tuple[str, str, str]:
    """The points of a shoe: ankle, heel, toe."""
    return sided("ankle", near), sided("heel", near), sided("toe", near)


def clicked_shoes(keys: Sequence[Keyframe], near: str) -> Array:
    """The shoe (K, 3, 2) px on the frames where all of it was clicked: ankle, heel, toe."""
    names = shoe_points(near)
    return np.array([[key.points[name] for name in names] for key in keys if set(names) <= set(key.points)])


def without_torn_shoe(evidence: Evidence, keys: Sequence[Keyframe], view: str) -> Evidence:
    """A patch of the shoe loses its say where it lies as far from neither of the other two as it was clicked, while these keep theirs:
    it was found on an upright before the shoe, or on the other one."""
    near = near_side(view)
    names = shoe_points(near or "left")
    clicked = clicked_shoes(keys, near or "left")
    if near is None or not len(clicked) or not set(names) <= set(evidence.names):
        return evidence
    at = [evidence.names.index(name) for name in names]
    found = evidence.match[:, at]

    def torn(i: int, j: int) -> NDArray[np.bool_]:
        usual = float(np.linalg.norm(clicked[:, i] - clicked[:, j], axis=1).mean())
        with np.errstate(invalid="ignore"):
            off = np.abs(np.linalg.norm(found[:, i] - found[:, j], axis=1) - usual)
        return np.asarray(~(off <= max(TORN_SHARE * usual, TORN_PX)))  # what was not found agrees with nothing

    apart = {frozenset(pair): torn(*pair) for pair in combinations(range(3), 2)}
    sigma = evidence.match_sigma.copy()
    for point in range(3):
        own = [bad for pair, bad in apart.items() if point in pair]
        (others,) = [bad for pair, bad in apart.items() if point not in pair]
        sigma[own[0] & own[1] & ~others, at[point]] *= OTHER_SIGMA_FACTOR
    return replace(evidence, match_sigma=sigma)
