"""Fifth stage: the trajectories with all of their uncertainty, also what lasts and no solver sees."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import split
from deepmirror.core.trajectories import Track
from deepmirror.fitted import fitted, fitted_by_name
from deepmirror.pose.consistency import followed, misfit, widened
from deepmirror.pose.evidence import Evidence, shank_px
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.solving import Solved
from deepmirror.pose.source_weights import source_weights
from deepmirror.pose.trajectory_solver import Solution

Array = NDArray[np.float64]

# Of the shank: what the solver itself leaves of a point that shows well is less, on clear films of two renderers; from the front, where
# thighs point at the camera and the network leads, more.
SHOWS_WELL_SHARE = {"side": 0.014, "front": 0.022}
DRIFT_SHARE = fitted_by_name("drift")  # posture-dependent error that stays, by joint
DRIFT_REST = DRIFT_SHARE["rest"]
UNCLICKED, UNCLICKED_YAW_DEG = fitted_by_name("unclicked"), fitted("unclicked_yaw")
FRONT_ACROSS = fitted("front_across")
FOLLOWED_SHARE = fitted_by_name("followed_share")


def with_uncertainty(solved: Solved) -> Track:
    """The followed points with their covariance."""
    evidence, solution, plane = solved.evidence, solved.solution, solved.plane
    annotated = solved.corrected.unoccluded.annotated
    unclicked = UNCLICKED["side"] * (1 + (plane.yaw.value / UNCLICKED_YAW_DEG) ** 2) if plane else UNCLICKED["front"]
    clicked = {name for key in annotated.keys for name in key.points}
    shares = np.array([1.0 if name in clicked else unclicked for name in evidence.names])
    weights, view = source_weights(annotated.setting), "side" if annotated.setting.near else "front"
    seen = replace(solution, covariance=widened(solution.covariance, misfit(evidence, solved.corrected.offsets, weights, solution)))
    covariance = seen.covariance + _systematic(evidence, solved.corrected.offsets, solution, shares, FOLLOWED_SHARE[view])
    if annotated.setting.near is None:
        across = np.tile([FRONT_ACROSS, 1.0], len(evidence.names))
        covariance = covariance * np.outer(across, across)
    showing = SHOWS_WELL_SHARE[view] * shank_px(solution.positions, evidence.names)
    unseen = np.sqrt(np.maximum(seen.sigma() ** 2 - showing**2, 0.0))
    return Track(evidence.times, tuple(evidence.names), solution.positions, covariance, unseen)


def _systematic(evidence: Evidence, own: Offsets, solution: Solution, shares: Array, share: float) -> Array:
    """Covariance (T, 2P, 2P) px² of the errors that last: what is left of the offset (shares (P,) of it), and the drift with posture.

    share: of the offset's growth away from the clicked postures, left in the track where flow and patches lead it; all of it elsewhere.
    Flow and patches make up for part of what the network's offset does between clicked postures.
    """
    frames, points = evidence.network.shape[:2]
    shank = shank_px(solution.positions, evidence.names)
    drift = np.array([DRIFT_SHARE.get(split(n)[0], DRIFT_REST) for n in evidence.names])[:, None] * shank
    sigma = own.sigma * shares[:, None]
    best = sigma.min(axis=0)
    left = (share + (1 - share) * (1 - followed(evidence)))[..., None]
    away = left * np.sqrt(sigma**2 - best**2)
    along, across = np.moveaxis(best**2 + drift**2 + away**2, 2, 0)
    c, s = np.cos(own.turn), np.sin(own.turn)
    out = np.zeros((frames, points, 2, points, 2))
    p = np.arange(points)
    out[:, p, 0, p, 0] = c**2 * along + s**2 * across
    out[:, p, 1, p, 1] = s**2 * along + c**2 * across
    out[:, p, 0, p, 1] = out[:, p, 1, p, 0] = c * s * (along - across)
    return out.reshape(frames, 2 * points, 2 * points)
