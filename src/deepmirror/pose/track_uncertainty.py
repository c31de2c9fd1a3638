"""Fifth stage: the trajectories with all of their uncertainty, also what lasts and no solver sees."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import sided, split
from deepmirror.core.trajectories import Track
from deepmirror.fitted import fitted, fitted_by_name
from deepmirror.pose.consistency import followed, hidden_share, misfit, widened
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
BETWEEN = (("hip", "knee", "ankle"), ("shoulder", "hip", "knee"))
# Share of a segment's length that it is wrong by throughout a film, sd, and how far a hidden joint may be out for it, of that length; our
# own estimates, no source.
LENGTH_LASTS, MOST_BETWEEN = 0.015, 0.2


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
    if annotated.setting.near is not None and plane is not None:
        covariance = covariance + _between_lengths(
            hidden_share(evidence, annotated.keys), evidence.names, solution.positions, annotated.setting.near
        )
    if annotated.setting.near is None:
        across = np.tile([FRONT_ACROSS, 1.0], len(evidence.names))
        covariance = covariance * np.outer(across, across)
    showing = SHOWS_WELL_SHARE[view] * shank_px(solution.positions, evidence.names)
    unseen = np.sqrt(np.maximum(seen.sigma() ** 2 - showing**2, 0.0))
    track, behind = Track(evidence.times, tuple(evidence.names), solution.positions, covariance, unseen), solved.corrected.behind
    return track if behind is None else behind.with_bar(behind.with_lost_hips(track))


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


def _between_lengths(hidden: Array, names: list[str], positions: Array, near: str) -> Array:
    """Covariance (T, 2P, 2P) px² of a hidden knee or hip that only its two segments' lengths hold between its neighbours.

    Off the line between these by h, with segments of length L, it moves across that line by L dL / h for an error dL of the lengths: the
    straighter the joint, the more; and lengths are wrong alike in every frame, so that no number of frames averages it away.
    hidden (T, P): see hidden_share.
    """
    frames, points = positions.shape[:2]
    out = np.zeros((frames, points, 2, points, 2))
    for ends in ([sided(joint, near) for joint in joints] for joints in BETWEEN):
        if not set(ends) <= set(names):
            continue
        a, p, b = (names.index(name) for name in ends)
        line = positions[:, b] - positions[:, a]
        across = np.stack([-line[:, 1], line[:, 0]], axis=1) / np.maximum(np.linalg.norm(line, axis=1, keepdims=True), 1.0)
        off = np.abs(((positions[:, p] - positions[:, a]) * across).sum(axis=1))
        length = (np.linalg.norm(positions[:, p] - positions[:, a], axis=1) + np.linalg.norm(positions[:, b] - positions[:, p], axis=1)) / 2
        moved = np.minimum(length * LENGTH_LASTS * length / np.maximum(off, 1.0), MOST_BETWEEN * length) * hidden[:, p]
        out[:, p, :, p, :] += (moved**2)[:, None, None] * across[:, :, None] * across[:, None, :]
    return out.reshape(frames, 2 * points, 2 * points)
