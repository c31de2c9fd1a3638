"""From evidence to a track: which sources to believe for this movement, and how sure the result is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body import Body
from deepmirror.core.skeleton import SEGMENTS, near_side, sided, split
from deepmirror.core.track import Track
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.fuse import Plane, Solution, Trust, solve

Array = NDArray[np.float64]

# What a body point accelerates by from frame to frame, as a share of the shank (30 frames a second).
ACCELERATION_SHARE = 0.02
# Systematic error that lasts the whole film, as a share of the shank: the network's own idea of each joint, measured on
# our rendered films without a click; and what remains of a click.
NETWORK_BIAS_SHARE = {
    "ear": 0.05,
    "shoulder": 0.07,
    "elbow": 0.10,
    "wrist": 0.12,
    "hip": 0.08,
    "knee": 0.04,
    "ankle": 0.07,
    "heel": 0.10,
    "toe": 0.11,
}
CLICKED_BIAS_PX = 2.0
CLICKED_BIAS_SHARE = 0.012


def believe(movement: Movement) -> dict[str, Trust]:
    """The movement's trust table in the solver's terms."""
    return {joint: Trust(b.network, b.step, b.match) for joint, b in movement.trust.items()}


def first_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement) -> Array:
    """Where the points are (T, P, 2) px by network and clicks alone: good enough to look around."""
    return solve(evidence, keys, believe(movement), None, _acceleration(evidence)).positions


def track(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str, body: Body) -> Track:
    """The followed points with their covariance, everything seen taken together."""
    solution = solve(evidence, keys, believe(movement), None, _acceleration(evidence))
    plane = _plane(solution, evidence, movement, view, body)
    if plane is not None:
        solution = solve(evidence, keys, believe(movement), plane, _acceleration(evidence), solution.positions)
    covariance = solution.covariance + np.diag(_systematic(evidence, keys, solution))[None]
    return Track(evidence.times, tuple(evidence.names), solution.positions, covariance)


def _acceleration(evidence: Evidence) -> float:
    step = float(np.median(np.diff(evidence.times)))
    return ACCELERATION_SHARE * shank_px(evidence.network, evidence.names) * (step * 30) ** 2


def _plane(solution: Solution, evidence: Evidence, movement: Movement, view: str, body: Body) -> Plane | None:
    """Segment lengths in px for movements that stay in the picture plane; scale from the segments together."""
    near = near_side(view)
    if near is None or not movement.plane_segments:
        return None
    ratios, names = [], evidence.names
    for segment in movement.plane_segments:
        a, b = (names.index(sided(j, near)) for j in SEGMENTS[segment])
        seen = float(np.median(np.linalg.norm(solution.positions[:, a] - solution.positions[:, b], axis=1)))
        ratios.append(seen / body.length(segment).cm)
    scale = float(np.median(ratios))
    if not body.known() or max(abs(r / scale - 1) for r in ratios) > 0.12:
        # unknown or contradicting lengths: the film's own medians, at least constant
        return Plane({s: r * body.length(s).cm for s, r in zip(movement.plane_segments, ratios, strict=True)})
    return Plane({s: scale * body.length(s).cm for s in movement.plane_segments})


def _systematic(evidence: Evidence, keys: list[Keyframe], solution: Solution) -> Array:
    """Variance (2P,) px² of the error that every frame shares."""
    shank = shank_px(solution.positions, evidence.names)
    clicked = {n for k in keys for n in k.points}
    sigma = [
        np.hypot(CLICKED_BIAS_PX, CLICKED_BIAS_SHARE * shank) if n in clicked else NETWORK_BIAS_SHARE.get(split(n)[0], 0.1) * shank
        for n in evidence.names
    ]
    return np.repeat(np.square(sigma), 2)
