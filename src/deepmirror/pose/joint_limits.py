"""How far joints open: what is seen beyond it was not followed rightly, however sure it looks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import signed_turn
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.views import facing

Array = NDArray[np.float64]

# Least flexion, degrees. A knee hyperextends by up to 10 and a hip extends by up to 30 (American Academy of Orthopaedic Surgeons, joint
# motion, from memory). One who stands with a load uses less: of 10 and 30, and 5 and 25, the latter did better on six hinges of ours.
LEAST_KNEE_DEG, LEAST_HIP_DEG = -5.0, -25.0
STRIDING_HIP_DEG = -45.0  # of a leg that goes back, where the back's own bend adds to it; our own estimate, no source
SOFT_DEG = 3.0  # sd of how sharply that holds in a picture; our own choice


@dataclass(frozen=True)
class JointLimit:
    """Three points, how the turn from the first to the last counts as flexion, and the least of it, rad."""

    points: tuple[str, str, str]
    way: int
    least: float

    def flexion(self, x: Array) -> Array:
        """Flexion (T,) rad in the picture of points x (T, 3, 2) px."""
        turn = np.radians(signed_turn(x[:, 1] - x[:, 0], x[:, 2] - x[:, 1]))
        return np.asarray(self.way * turn, float)

    def rows(self, x: Array) -> tuple[Array, Array, Array]:
        """rows (T, 6) · points = target (T,), with its weight (T,): 0 where the joint is inside its limit, for points x (T, 3, 2) px."""
        first, second = x[:, 1] - x[:, 0], x[:, 2] - x[:, 1]
        a, b = (_across(d) for d in (first, second))
        rows = self.way * np.concatenate([a, -a - b, b], axis=1)
        flexion = self.flexion(x)
        target = (rows * x.reshape(len(x), 6)).sum(axis=1) + self.least - flexion
        beyond = (flexion < self.least) & (flexion > -np.pi / 2)  # turned further it is rather bent by more than half a turn
        return rows, target, np.where(beyond, np.radians(SOFT_DEG) ** -2.0, 0.0)


def _across(d: Array) -> Array:
    """By how much a direction d (T, 2) px turns, rad per px of its end's way (T, 2)."""
    square = np.maximum((d**2).sum(axis=1, keepdims=True), 1.0)
    return np.asarray(np.stack([-d[:, 1], d[:, 0]], axis=1) / square, float)


def joint_limits(view: str, feet_stand: bool) -> list[JointLimit]:
    """Those of the near leg in a side film; none from the front, where a leg does not show how it bends. feet_stand: see Movement."""
    near = near_side(view)
    if near is None:
        return []
    shoulder, hip, knee, ankle = (sided(joint, near) for joint in ("shoulder", "hip", "knee", "ankle"))
    hip_deg = LEAST_HIP_DEG if feet_stand else STRIDING_HIP_DEG
    return [
        JointLimit((hip, knee, ankle), facing(view), float(np.radians(LEAST_KNEE_DEG))),
        JointLimit((shoulder, hip, knee), -facing(view), float(np.radians(hip_deg))),
    ]
