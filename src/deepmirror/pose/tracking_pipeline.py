"""From evidence to a track: which sources to believe for this movement, and how sure the result is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.sagittal_fit import FOCAL_SHARE, OutOfPlanePrior, Plane, fit_plane
from deepmirror.core.geometry import included_angle
from deepmirror.core.skeleton import SIDES, near_side, points_for, sided, split
from deepmirror.core.trajectories import Track
from deepmirror.core.views import facing, outward
from deepmirror.movements.schema import Movement
from deepmirror.pose.distances import Seen, pelvis_width, side_lengths
from deepmirror.pose.evidence import TURNING, Evidence, Keyframe, carrier_turns, filled, rotate, shank_px, steady
from deepmirror.pose.occlusion import behind_hands
from deepmirror.pose.offsets import JointOffsetPrior, Offsets, Posture, offsets
from deepmirror.pose.plate import behind_plate
from deepmirror.pose.rigid_attachment import carry_foot, foot_with_shank
from deepmirror.pose.sole import SOLE_SD, pointed
from deepmirror.pose.trajectory_solver import SegmentRotations, Solution, SourceWeights, segment_ends, solve

Array = NDArray[np.float64]

# What a body point accelerates by from frame to frame, as a share of the shank (30 frames a second).
ACCELERATION_SHARE = 0.02
# Where the joint's centre lies from the network's point, mean and spread over our rendered films (bench/accuracy).
SIDE_HABITS = {
    "ear": JointOffsetPrior(-0.02, -0.09, 0.04),
    "shoulder": JointOffsetPrior(-0.09, 0.0, 0.06, narrow=0.02, narrow_wander=0.012),
    "elbow": JointOffsetPrior(0.0, 0.0, 0.10),
    "wrist": JointOffsetPrior(0.0, 0.0, 0.12),
    "hip": JointOffsetPrior(-0.03, 0.06, 0.035, -0.05, 0.01, wander=0.025, narrow=0.03, narrow_wander=0.02),
    "knee": JointOffsetPrior(0.03, -0.005, 0.03, narrow=0.018, narrow_wander=0.012),
    "ankle": JointOffsetPrior(0.055, -0.005, 0.03, narrow=0.014, narrow_wander=0.010),
    "heel": JointOffsetPrior(-0.045, 0.04, 0.04),
    "toe": JointOffsetPrior(0.085, 0.045, 0.05),
}
BEHIND_PLATE = JointOffsetPrior(-0.09, 0.0, 0.06)  # a shoulder that a plate hides is seen anywhere
# In front views offsets are taken down the picture (along) and inward (across).
FRONT_HABITS = {
    "ear": JointOffsetPrior(0.0, 0.0, 0.06),
    "shoulder": JointOffsetPrior(0.045, -0.02, 0.04),
    "elbow": JointOffsetPrior(0.0, 0.0, 0.08),
    "wrist": JointOffsetPrior(0.0, 0.0, 0.12),
    "hip": JointOffsetPrior(-0.02, -0.015, 0.04, 0.22, -0.03, narrow=0.012, narrow_wander=0.012),
    "knee": JointOffsetPrior(-0.06, 0.005, 0.03, 0.135, -0.033, narrow=0.013, narrow_wander=0.012),
    "ankle": JointOffsetPrior(0.06, 0.02, 0.03, narrow=0.010, narrow_wander=0.007),
    "heel": JointOffsetPrior(0.075, 0.025, 0.03),
    "toe": JointOffsetPrior(0.026, -0.074, 0.03),
}
# From the front thighs swing towards the camera: patches and flow lose the hip and the knee, the network does not.
FRONT_TRUST = {"hip": SourceWeights(0.6, 3.0, 4.0), "knee": SourceWeights(0.35, 3.5, 2.0)}
# By how much the doubt of flow and of patches grows at the hip of a thigh seen end on; flow keeps the time of the turn-round.
END_ON_STEP, END_ON_MATCH = 2.0, 10.0
DEEP_HIP_DEG = 120.0
WHOLE_BEND_DEG, WHOLE_SHORT = 110.0, 0.6  # what counts as one whole movement from the side, and as a thigh seen end on from the front
# From the front a leg's joints stray together across the picture and not each for itself: their doubt there, as a share; from our bench.
FRONT_ACROSS = 0.6
BELOW_HANDS = ("shank", "foot")
HELD = SourceWeights(network=40.0, match=40.0)
DRIFT_SHARE = {"elbow": 0.05, "wrist": 0.06}  # posture-dependent error that stays; rest below
DRIFT_REST = 0.003
# Habits hold better than their spreads say, which leave room for clicks to move them; less so the further the camera is off the
# side, where the network sees a body it has no habit for (degrees at which that doubles the doubt).
UNCLICKED, UNCLICKED_FRONT, UNCLICKED_YAW_DEG = 0.6, 0.8, 18.0
FOLLOWED_SHARE = 0.1  # of what the network may wander by in postures nobody clicked, this much is left in the track


def believe(movement: Movement, view: str) -> dict[str, SourceWeights]:
    """The movement's trust table in the solver's terms; front views have one of their own for all movements."""
    if near_side(view) is None:
        return FRONT_TRUST
    return {joint: SourceWeights(b.network, b.step, b.match) for joint, b in movement.trust.items()}


USUAL_STANCE = (1.1, 0.3)  # standing sets: ankles' distance as a share of the shoulder joints'; common practice, no source


def opening(movement: Movement) -> OutOfPlanePrior:
    """What the movement usually does out of its side plane."""
    usual, own = OutOfPlanePrior(), movement.opening
    thigh, shank, foot = (own.get(part, getattr(usual, part)) for part in ("thigh", "shank", "foot"))
    stance = own.get("stance", USUAL_STANCE if movement.standing else usual.stance)
    return OutOfPlanePrior(thigh, shank, foot, stance, movement.standing)


def _posture(evidence: Evidence, view: str) -> Posture:
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


def _offsets(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Offsets:
    habits = FRONT_HABITS
    if near_side(view):
        habits = SIDE_HABITS | {j: JointOffsetPrior(o.along, o.across, o.spread) for j, o in movement.network_offset.items()}
        habits |= {"shoulder": BEHIND_PLATE} if movement.bar_on_back else {}
    return offsets(evidence, keys, habits, _posture(evidence, view))


def first_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    """Where the points are (T, P, 2) px by network and clicks alone: good enough to look around."""
    bare = replace(evidence, step_sigma=np.full_like(evidence.step_sigma, np.inf), match_sigma=np.full_like(evidence.match_sigma, np.inf))
    return _without_lengths(bare, keys, movement, view)


def followed_positions(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    """Where the points are (T, P, 2) px by all that was followed: good enough to cut strips along the segments."""
    out = _without_lengths(evidence, keys, movement, view)
    if movement.foot_held:
        for i, path in foot_with_shank(out.copy(), evidence.names, keys, view):
            out[:, i] = path
    return out


def _without_lengths(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Array:
    if movement.foot_held:
        evidence = carry_foot(evidence, keys, view)
    moved, soft = _offsets(evidence, keys, movement, view), _acceleration(evidence)
    evidence = _moved_matches(evidence, keys, moved)
    return solve(evidence, keys, believe(movement, view), moved, None, soft, passes=2, doubt=False).positions


def track(whole: Evidence, keys: list[Keyframe], seen: Seen) -> tuple[Track, Plane | None]:
    """The followed points with their covariance, everything seen taken together, and the fitted picture plane."""
    extra = sorted({n for k in keys for n in k.points if split(n)[1] is None} & set(whole.names))
    everything = whole.only(points_for(seen.view) + extra)
    near = near_side(seen.view)
    if near and not _shoe_held(seen):
        keys = pointed(keys, whole, near)
    if seen.movement.foot_held:
        everything = carry_foot(everything, keys, seen.view)
    kept = [i for i, n in enumerate(everything.names) if n not in seen.hidden]
    all_moved, soft = _offsets(everything, keys, seen.movement, seen.view), _acceleration(everything)
    moved = all_moved.only(kept)
    evidence = everything.only([everything.names[i] for i in kept])
    trust = believe(seen.movement, seen.view) | dict.fromkeys(seen.held, HELD)
    evidence = plain = behind_hands(_moved_matches(evidence, keys, moved), whole, seen.view, seen.movement.hands_pass)
    if near is None:
        evidence = plain = _thighs_end_on(evidence, _posture(everything, "front").bend[:, kept] / WHOLE_SHORT)
    turns = _turns(evidence, seen)
    solution = solve(evidence, keys, trust, moved, None, soft, doubt=False, turns=turns)
    if near is None:
        solution = solve(evidence, keys, trust, moved, pelvis_width(evidence, seen, solution.positions), soft, solution.positions, passes=3)
    separations = near_far(whole, seen.view)
    plane = None
    for last in (False, True):
        bare = Track(evidence.times, tuple(evidence.names), solution.positions, solution.covariance)
        evidence, believed = _behind_plate(plain, trust, keys, seen, solution.positions)
        plane = fit_plane(bare, seen.view, seen.body, opening(seen.movement), seen.scale, seen.up, seen.size, separations, plane)
        if plane is None:
            if not last and near:
                solution = solve(evidence, keys, believed, moved, None, soft, solution.positions, passes=1, turns=turns)
            break
        solution = solve(
            evidence,
            keys,
            believed,
            moved,
            side_lengths(evidence, keys, plane, seen, solution.positions),
            soft,
            solution.positions,
            passes=3,
            doubt=last,
            turns=turns,
        )
    unclicked = UNCLICKED * (1 + (plane.yaw.value / UNCLICKED_YAW_DEG) ** 2) if plane else UNCLICKED_FRONT
    clicked = {n for k in keys for n in k.points}
    shares = np.array([1.0 if n in clicked else unclicked for n in evidence.names])
    covariance = solution.covariance + _systematic(evidence, moved, solution, shares)
    if near is None:
        across = np.tile([FRONT_ACROSS, 1.0], len(evidence.names))
        covariance = covariance * np.outer(across, across)
    return Track(evidence.times, tuple(evidence.names), solution.positions, covariance), plane


def _behind_plate(
    evidence: Evidence, trust: dict[str, SourceWeights], keys: list[Keyframe], seen: Seen, positions: Array
) -> tuple[Evidence, dict[str, SourceWeights]]:
    """The near shoulder told by the plate that hides it, where one was followed, and believed as no patch that slips would be.

    A held shoulder is moved by clicks and flow alone.
    """
    shoulder = sided("shoulder", near_side(seen.view) or "left")
    if shoulder in seen.held:
        return evidence, trust
    px_per_cm = shank_px(positions, evidence.names) / seen.body.length("shank").cm
    told = behind_plate(evidence, keys, seen.view, positions, px_per_cm, FOCAL_SHARE * max(seen.size) / px_per_cm)
    if told is evidence:
        return evidence, trust
    return told, trust | {shoulder: replace(trust.get("shoulder", SourceWeights()), match=1.0)}


def _acceleration(evidence: Evidence) -> float:
    step = float(np.median(np.diff(evidence.times)))
    return ACCELERATION_SHARE * shank_px(evidence.network, evidence.names) * (step * 30) ** 2


def _thighs_end_on(evidence: Evidence, bend: Array) -> Evidence:
    """From the front: where a thigh points at the camera, flow and patches at the hip see the thigh's cloth and not the hip.

    bend: (T, P) how far each point's thigh does, 0 to about 1.
    """
    out = replace(evidence, step_sigma=evidence.step_sigma.copy(), match_sigma=evidence.match_sigma.copy())
    for p in (i for i, n in enumerate(evidence.names) if split(n)[0] == "hip"):
        out.step_sigma[:, p] *= 1 + END_ON_STEP * bend[:, p] ** 2
        out.match_sigma[:, p] *= 1 + END_ON_MATCH * bend[:, p] ** 2
    return out


def _turns(evidence: Evidence, seen: Seen) -> SegmentRotations:
    """How far the near side's segments were seen to turn, and where its sole's edge points.

    Only shank and foot where hands and what they carry pass before the others. The shirt of a back on a pad stays where the
    pelvis curls off it: how far it was seen to turn may all be missing.
    """
    near = near_side(seen.view)
    if near is None:
        return {}
    out: SegmentRotations = {}
    for s, segment in enumerate(TURNING):
        if seen.movement.hands_pass and segment not in BELOW_HANDS:
            continue
        unseen = 0.0 if seen.movement.standing or segment != "trunk" else 1.0
        told = zip(evidence.turn[..., s], evidence.turn_sigma[..., s], evidence.turn_since, strict=True)
        out[segment_ends(segment, near)] = [(turn, np.hypot(sigma, unseen * np.abs(turn)), int(since)) for turn, sigma, since in told]
    if len(evidence.sole) and not _shoe_held(seen):
        out[segment_ends("foot", near)].append((evidence.sole, np.full(len(evidence.sole), SOLE_SD), None))
    return out


def _shoe_held(seen: Seen) -> bool:
    """True when the coach holds the near shoe where she clicked it."""
    return bool({sided(j, near_side(seen.view) or "left") for j in ("heel", "toe")} & seen.held)


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


def _systematic(evidence: Evidence, moved: Offsets, solution: Solution, shares: Array) -> Array:
    """Covariance (T, 2P, 2P) px² of the errors that last: what is left of the offset (shares (P,) of it), and the drift with posture.

    Flow and patches make up for part of what the network's offset does between clicked postures.
    """
    frames, points = evidence.network.shape[:2]
    shank = shank_px(solution.positions, evidence.names)
    drift = np.array([DRIFT_SHARE.get(split(n)[0], DRIFT_REST) for n in evidence.names])[:, None] * shank
    sigma = moved.sigma * shares[:, None]
    best = sigma.min(axis=0)
    away = FOLLOWED_SHARE * np.sqrt(sigma**2 - best**2)
    along, across = np.moveaxis(best**2 + drift**2 + away**2, 2, 0)
    c, s = np.cos(moved.turn), np.sin(moved.turn)
    out = np.zeros((frames, points, 2, points, 2))
    p = np.arange(points)
    out[:, p, 0, p, 0] = c**2 * along + s**2 * across
    out[:, p, 1, p, 1] = s**2 * along + c**2 * across
    out[:, p, 0, p, 1] = out[:, p, 1, p, 0] = c * s * (along - across)
    return out.reshape(frames, 2 * points, 2 * points)
