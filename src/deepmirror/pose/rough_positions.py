"""Where the points about are, before everything seen is taken together: good enough to look around, and to cut strips along segments."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.offset_correction import joint_offsets, matches_at_centres
from deepmirror.pose.rigid_attachment import carried_foot, carry_foot
from deepmirror.pose.source_weights import movement_weights
from deepmirror.pose.trajectory_solver import acceleration_px, solve

Array = NDArray[np.float64]


def first_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    """Where the points are (T, P, 2) px by network and clicks alone: good enough to look around."""
    bare = replace(evidence, step_sigma=np.full_like(evidence.step_sigma, np.inf), match_sigma=np.full_like(evidence.match_sigma, np.inf))
    return _without_lengths(bare, keys, movement, view)


def followed_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    """Where the points are (T, P, 2) px by all that was followed: good enough to cut strips along the segments."""
    out = _without_lengths(evidence, keys, movement, view)
    if movement.foot_carried:
        for i, path in carried_foot(out.copy(), evidence.names, keys, view, movement.foot_held):
            out[:, i] = path
    return out


def _without_lengths(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    if movement.foot_carried:
        evidence = carry_foot(evidence, keys, view, movement.foot_held)
    own = joint_offsets(evidence, keys, movement, view)
    evidence = matches_at_centres(evidence, keys, own)
    return solve(
        evidence, keys, movement_weights(movement, view), own, None, acceleration_px(evidence), passes=2, with_covariance=False
    ).positions
