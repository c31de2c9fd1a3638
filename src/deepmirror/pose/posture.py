"""How the body lies in each frame, as the network sees it: what the joints' usual offsets turn and bend with."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import included_angle
from deepmirror.core.skeleton import SIDES, near_side, sided, split
from deepmirror.core.views import facing, outward
from deepmirror.pose.evidence import Evidence, carrier_turns, steady

Array = NDArray[np.float64]

DEEP_HIP_DEG = 120.0  # hip flexion that counts as one whole bend; our own choice
WHOLE_BEND_DEG, WHOLE_SHORT = 110.0, 0.6  # what counts as one whole movement from the side, and as a thigh seen end on from the front


@dataclass(frozen=True)
class Posture:
    """What offsets turn and bend with: direction (T, P) rad, how far bent (T, P), side -> sign of across, and where the body is
    in its movement (T, F), 1 apart from end to end: what a click says of the network holds in like postures."""

    turn: Array
    bend: Array
    mirror: dict[str | None, int]
    place: Array


def posture_of(evidence: Evidence, view: str) -> Posture:
    """How the network's body lies in each frame: what the usual offsets turn and bend with."""
    calm, near, shape = steady(evidence.network), near_side(view), evidence.network.shape[:2]

    def at(joint: str, side: str) -> Array:
        return np.asarray(calm[:, evidence.names.index(sided(joint, side))])

    bend = np.zeros(shape)
    if near:
        flexion = 180 - included_angle(at("shoulder", near), at("hip", near), at("knee", near))
        bend[:] = np.clip(flexion / DEEP_HIP_DEG, 0, 1.2)[:, None]
        knee = 180 - included_angle(at("hip", near), at("knee", near), at("ankle", near))
        place = np.stack([flexion, knee], axis=1) / WHOLE_BEND_DEG
        return Posture(carrier_turns(calm, evidence.names), bend, dict.fromkeys(SIDES, facing(view)), place)
    shorts = []
    for side in SIDES:
        thigh = np.linalg.norm(at("hip", side) - at("knee", side), axis=1)
        short = 1 - np.clip(thigh / np.percentile(thigh, 95), 0, 1)
        bend[:, [i for i, n in enumerate(evidence.names) if split(n)[1] == side]] = short[:, None]
        shorts.append(short / WHOLE_SHORT)
    return Posture(np.full(shape, np.pi / 2), bend, {s: outward(view, s) for s in SIDES}, np.mean(shorts, axis=0)[:, None])


def thighs_end_on(evidence: Evidence) -> Array:
    """From the front or rear: how far (T, P) each point's thigh points at the camera, 0 to about 1."""
    return np.asarray(posture_of(evidence, "front").bend / WHOLE_SHORT)
