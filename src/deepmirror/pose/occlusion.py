"""What passes in front of the client: a forearm, and what the hand carries."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import near_side, sided, split
from deepmirror.pose.evidence import FREE_CARRIERS, Evidence, shank_px, steady

Array = NDArray[np.float64]

ARM_REACH = 0.22  # of the shank: a forearm hides what lies this near its bone
HIDDEN = 60.0  # times the doubt of what is seen where something passes in front: it is the other thing's
LEG = ("hip", "knee")


def behind_hands(evidence: Evidence, whole: Evidence, view: str, reach: float) -> Evidence:
    """Flow and patches lose their say on leg and back while a forearm, or what the hand carries, passes before them.

    whole: the evidence with the arm's points; reach: how far what the hand carries reaches, share of the shank, 0 for nothing.
    """
    near = near_side(view)
    if near is None or not reach:
        return evidence
    calm, shank = steady(whole.network), shank_px(whole.network, whole.names)
    elbow, wrist = (calm[:, whole.names.index(sided(j, near))] for j in ("elbow", "wrist"))
    out = replace(evidence, step_sigma=evidence.step_sigma.copy(), match_sigma=evidence.match_sigma.copy())
    for i, name in enumerate(evidence.names):
        if split(name)[0] in LEG or FREE_CARRIERS.get(name) == "trunk":
            point = calm[:, whole.names.index(name)]
            hidden = _from_segment(point, elbow, wrist) < ARM_REACH * shank
            hidden |= np.linalg.norm(point - wrist, axis=1) < reach * shank
            out.step_sigma[hidden, i] *= HIDDEN
            out.match_sigma[hidden, i] *= HIDDEN
    return out


def _from_segment(point: Array, a: Array, b: Array) -> Array:
    """Distance (T,) of points (T, 2) from the segments between a and b (T, 2)."""
    along = b - a
    share = np.clip(((point - a) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-9), 0, 1)
    return np.asarray(np.linalg.norm(point - a - share[:, None] * along, axis=1))
