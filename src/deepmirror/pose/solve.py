"""From evidence to a track: which sources to believe for this movement, and how sure the result is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body import Body
from deepmirror.core.kinematics import facing, outward
from deepmirror.core.plane import Opening, Plane, fit_plane
from deepmirror.core.skeleton import SIDES, near_side, points_for, sided, split
from deepmirror.core.track import Track
from deepmirror.core.values import Value
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe, carrier_turns, filled, rotate, shank_px
from deepmirror.pose.fuse import Habit, Lengths, Offsets, Solution, Trust, offsets, segment_ends, solve

Array = NDArray[np.float64]

# What a body point accelerates by from frame to frame, as a share of the shank (30 frames a second).
ACCELERATION_SHARE = 0.02
# Where the joint's centre lies from the network's point, mean and spread over our rendered films (bench/accuracy).
SIDE_HABITS = {
    "ear": Habit(0.0, 0.0, 0.05),
    "shoulder": Habit(-0.10, 0.0, 0.06),
    "elbow": Habit(0.0, 0.0, 0.10),
    "wrist": Habit(0.0, 0.0, 0.12),
    "hip": Habit(-0.05, 0.05, 0.06),
    "knee": Habit(0.03, -0.005, 0.03),
    "ankle": Habit(0.055, -0.005, 0.03),
    "heel": Habit(-0.03, 0.047, 0.04),
    "toe": Habit(0.073, 0.05, 0.04),
}
FRONT_HABITS = {
    "ear": Habit(0.0, 0.0, 0.06),
    "shoulder": Habit(-0.04, 0.028, 0.04),
    "elbow": Habit(0.0, 0.0, 0.08),
    "wrist": Habit(0.0, 0.0, 0.12),
    "hip": Habit(0.02, -0.005, 0.05),
    "knee": Habit(-0.045, 0.0, 0.03),
    "ankle": Habit(0.055, 0.022, 0.03),
    "heel": Habit(0.05, 0.06, 0.04),
    "toe": Habit(0.06, -0.047, 0.04),
}
SEEN_SEGMENT_SIGMA = 0.02  # share of a segment's length that its seen length may be off in one frame
DRIFT_SHARE = {"shoulder": 0.04, "elbow": 0.05, "wrist": 0.06, "hip": 0.03}  # posture-dependent error that stays; rest below
DRIFT_REST = 0.015


@dataclass(frozen=True)
class Seen:
    """What the solver was told beside the evidence: view, body, what the movement does out of its plane, scale, level, size."""

    view: str
    body: Body
    movement: Movement
    scale: Value | None
    up: Array
    size: tuple[int, int]
    locked: frozenset[str] = frozenset()


def believe(movement: Movement) -> dict[str, Trust]:
    """The movement's trust table in the solver's terms."""
    return {joint: Trust(b.network, b.step, b.match) for joint, b in movement.trust.items()}


def opening(movement: Movement) -> Opening:
    """What the movement usually does out of its side plane."""
    return Opening(**{k: tuple(v) for k, v in movement.opening.items()}, standing=movement.standing)


def _offsets(evidence: Evidence, keys: list[Keyframe], view: str) -> Offsets:
    near = near_side(view)
    mirror: dict[str | None, int] = dict.fromkeys(SIDES, facing(view)) if near else {s: outward(view, s) for s in SIDES}
    return offsets(evidence, keys, SIDE_HABITS if near else FRONT_HABITS, mirror)


def first_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    """Where the points are (T, P, 2) px by network and clicks alone: good enough to look around."""
    bare = replace(evidence, step_sigma=np.full_like(evidence.step_sigma, np.inf), match_sigma=np.full_like(evidence.match_sigma, np.inf))
    return solve(bare, keys, believe(movement), _offsets(evidence, keys, view), None, _acceleration(evidence), passes=2).positions


def track(whole: Evidence, keys: list[Keyframe], seen: Seen) -> tuple[Track, Plane | None]:
    """The followed points with their covariance, everything seen taken together, and the fitted picture plane."""
    extra = sorted({n for k in keys for n in k.points if split(n)[1] is None} & set(whole.names))
    evidence = whole.only(points_for(seen.view) + extra)
    moved, trust, soft = _offsets(evidence, keys, seen.view), believe(seen.movement), _acceleration(evidence)
    evidence = _moved_matches(evidence, keys, moved)
    solution = solve(evidence, keys, trust, moved, None, soft)
    separations = near_far(whole, seen.view)
    plane = None
    for _ in range(2):
        bare = Track(evidence.times, tuple(evidence.names), solution.positions, solution.covariance)
        plane = fit_plane(bare, seen.view, seen.body, opening(seen.movement), seen.scale, seen.up, seen.size, separations)
        if plane is None:
            break
        solution = solve(evidence, keys, trust, moved, _lengths(plane, seen), soft, solution.positions, passes=3)
    covariance = solution.covariance + np.diag(_systematic(evidence, moved, solution))[None]
    return Track(evidence.times, tuple(evidence.names), solution.positions, covariance), plane


def _acceleration(evidence: Evidence) -> float:
    step = float(np.median(np.diff(evidence.times)))
    return ACCELERATION_SHARE * shank_px(evidence.network, evidence.names) * (step * 30) ** 2


def _lengths(plane: Plane, seen: Seen) -> Lengths:
    near = near_side(seen.view) or "left"
    out: Lengths = {}
    for segment in ("thigh", "shank"):
        length: Callable[[Array], Array] = lambda d, s=segment: plane.seen_length_px(s, d)
        out[segment_ends(segment, near)] = (length, SEEN_SEGMENT_SIGMA * plane.lengths_cm[segment] * plane.scale().value)
    return out


def near_far(evidence: Evidence, view: str) -> dict[str, float]:
    """Median x distance (px) near minus far of the joints that tell the camera's yaw, as the network sees them."""
    near = near_side(view)
    if near is None:
        return {}
    far = "right" if near == "left" else "left"
    out = {}
    for joint in ("hip", "shoulder", "ankle"):
        a, b = (evidence.network[:, evidence.names.index(sided(joint, s)), 0] for s in (near, far))
        good = np.isfinite(a) & np.isfinite(b)
        if good.sum() > 5:
            out[joint] = float(np.median((a - b)[good]))
    return out


def _moved_matches(evidence: Evidence, keys: list[Keyframe], moved: Offsets) -> Evidence:
    """Patch places as joint centres: a patch was learned around one place and found with it; the joint keeps its place in the
    patch, so a moved click moves the match without looking at the film again."""
    if not len(evidence.learned):
        return evidence
    guided = filled(evidence.network) + moved.move
    turn = carrier_turns(guided, evidence.names)
    match = evidence.match.copy()
    by_frame = {k.frame: k for k in keys}
    for k, (frame, point, x, y, learned_turn) in enumerate(evidence.learned):
        p, f = int(point), int(frame)
        if p < 0:
            continue
        rows = evidence.match_key[:, p] == k
        key = by_frame.get(f)
        centre = np.array([x, y])
        if key is not None and evidence.names[p] in key.points:
            # as sure as the click and the usual offset together: what the fused offset says of this frame
            centre = guided[f, p]
        shift = centre - np.array([x, y])
        match[rows, p] += rotate(np.tile(shift, (int(rows.sum()), 1)), turn[rows, p] - learned_turn)
    return replace(evidence, match=match)


def _systematic(evidence: Evidence, moved: Offsets, solution: Solution) -> Array:
    """Variance (2P,) px² of the error that every frame shares: what is left of the offset, and the drift with posture."""
    shank = shank_px(solution.positions, evidence.names)
    drift = np.array([DRIFT_SHARE.get(split(n)[0], DRIFT_REST) for n in evidence.names]) * shank
    return np.repeat(moved.sigma**2 + drift**2, 2)
