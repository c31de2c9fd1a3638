"""The angle that counts reps, as the picture alone shows it, quickly: no camera, no uncertainty. For counting while a set is lifted."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import included_angle, signed_turn
from deepmirror.core.motion.kinematics import flexion_from_height
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.views import UP, facing

Array = NDArray[np.float64]
Places = Callable[[str], Array]  # a joint's path (T, 2) px, of the side in question


def side_angle(name: str, at: Places, way: int) -> Array:
    """One of the side views' angles (T,) degrees. way: 1 for a client who faces the picture's right, else -1. Raises KeyError."""
    across = way * np.array([-UP[1], UP[0]])
    if name == "knee_flexion":
        return np.asarray(180 - included_angle(at("hip"), at("knee"), at("ankle")))
    if name == "elbow_flexion":
        return np.asarray(180 - included_angle(at("shoulder"), at("elbow"), at("wrist")))
    if name == "hip_flexion":
        return np.asarray(-way * signed_turn(at("hip") - at("shoulder"), at("knee") - at("hip")))
    if name == "ankle_dorsiflexion":
        return np.asarray(90 - _between(at("knee") - at("ankle"), at("toe") - at("heel")))
    if name == "trunk_lean":
        d = at("shoulder") - at("hip")
        return np.asarray(np.degrees(np.arctan2(d @ across, d @ UP)))
    raise KeyError(name)


def front_angle(name: str, place: Callable[[str], Array], times: Array) -> Array:
    """One of the front views' angles (T,) degrees. place: a point's path by its name with its side. Raises KeyError."""
    if name == "leg_spread":
        left, right = (place(sided("ankle", s)) - place(sided("hip", s)) for s in SIDES)
        return np.abs(signed_turn(left, right))
    if name == "knee_flexion":
        heights = [(place(sided("hip", s)) - place(sided("ankle", s))) @ UP for s in SIDES]
        return np.asarray(np.mean([flexion_from_height(h, times) for h in heights], axis=0))
    raise KeyError(name)


def picture_signal(name: str, sign: int, view: str, times: Array, place: Callable[[str], Array]) -> Array:
    """What counts the reps (T,), degrees, growing towards the far reversal. name, sign: the movement's, for this kind of film."""
    near = near_side(view)
    if near is None:
        return front_angle(name, place, times)
    return sign * side_angle(name, lambda joint: place(sided(joint, near)), facing(view))


def _between(a: Array, b: Array) -> Array:
    cosine = (a * b).sum(axis=1) / np.maximum(np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1), 1e-9)
    return np.asarray(np.degrees(np.arccos(np.clip(cosine, -1, 1))))
