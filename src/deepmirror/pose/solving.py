"""Fourth stage: everything seen taken together, and from the side the picture plane with it: each needs the other."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.sagittal_fit import FOCAL_SHARE, OutOfPlanePrior, Plane, fit_plane
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.trajectories import Track
from deepmirror.movements.schema import Movement
from deepmirror.pose.distances import pelvis_width, side_lengths
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offset_correction import Corrected
from deepmirror.pose.plate import behind_plate
from deepmirror.pose.source_weights import SourceWeights, source_weights
from deepmirror.pose.trajectory_solver import Solution, acceleration_px, solve

Array = NDArray[np.float64]

USUAL_STANCE = (1.1, 0.3)  # standing sets: ankles' distance as a share of the shoulder joints'; common practice, no source
PLANE_ROUNDS = 2  # the plane from the points, the points from the plane's lengths, and once more
REFINED = 3  # passes of a solution that begins at another one


@dataclass(frozen=True)
class Solved:
    """evidence: as it was last believed; plane: of side films in which the leg was followed."""

    corrected: Corrected
    evidence: Evidence
    solution: Solution
    plane: Plane | None


def solve_trajectories(corrected: Corrected) -> Solved:
    """Where every point was in every frame, and how surely."""
    near = corrected.unoccluded.annotated.setting.near
    return _from_the_side(corrected) if near else _from_the_front(corrected)


def _from_the_front(corrected: Corrected) -> Solved:
    """The hips keep their distance, which the first solution measures."""
    annotated, evidence = corrected.unoccluded.annotated, corrected.evidence
    keys, setting, soft = list(annotated.keys), annotated.setting, acceleration_px(annotated.shown)
    weights, own = source_weights(setting), corrected.offsets
    first = solve(evidence, keys, weights, own, None, soft, with_covariance=False, turns={})
    hips = pelvis_width(evidence, setting, first.positions)
    return Solved(corrected, evidence, solve(evidence, keys, weights, own, hips, soft, first.positions, passes=REFINED), None)


def _from_the_side(corrected: Corrected) -> Solved:
    """Lengths need the plane they are seen in, and the plane needs the points: in turn, from a solution without either."""
    annotated, rotations = corrected.unoccluded.annotated, corrected.unoccluded.rotations
    keys, setting, soft = list(annotated.keys), annotated.setting, acceleration_px(annotated.shown)
    usual, own, prior = source_weights(setting), corrected.offsets, out_of_plane_prior(setting.movement)
    separations, plane = near_far(annotated.whole, setting.view), None
    solution = solve(corrected.evidence, keys, usual, own, None, soft, with_covariance=False, turns=rotations)
    evidence = corrected.evidence
    for round_number in range(1, PLANE_ROUNDS + 1):
        track = Track(evidence.times, tuple(evidence.names), solution.positions, solution.covariance)
        evidence, weights = _behind_plate(corrected.evidence, usual, keys, setting, solution.positions)
        plane = fit_plane(track, setting.view, setting.body, prior, setting.scale, setting.up, setting.size, separations, plane)
        if plane is None:  # the leg was not followed
            solution = solve(evidence, keys, weights, own, None, soft, solution.positions, passes=1, turns=rotations)
            break
        lengths = side_lengths(evidence, keys, plane, setting, solution.positions)
        last = round_number == PLANE_ROUNDS
        solution = solve(
            evidence, keys, weights, own, lengths, soft, solution.positions, passes=REFINED, with_covariance=last, turns=rotations
        )
    return Solved(corrected, evidence, solution, plane)


def out_of_plane_prior(movement: Movement) -> OutOfPlanePrior:
    """What the movement usually does out of its side plane."""
    usual, own = OutOfPlanePrior(), movement.opening
    thigh, shank, foot = (own.get(part, getattr(usual, part)) for part in ("thigh", "shank", "foot"))
    stance = own.get("stance", USUAL_STANCE if movement.standing else usual.stance)
    return OutOfPlanePrior(thigh, shank, foot, stance, movement.standing)


def _behind_plate(
    evidence: Evidence, weights: dict[str, SourceWeights], keys: list[Keyframe], setting: FilmSetting, positions: Array
) -> tuple[Evidence, dict[str, SourceWeights]]:
    """The near shoulder told by the plate that hides it, where one was followed, and believed as no patch that slips would be.

    A held shoulder is moved by clicks and flow alone.
    """
    shoulder = sided("shoulder", near_side(setting.view) or "left")
    if shoulder in setting.held:
        return evidence, weights
    px_per_cm = shank_px(positions, evidence.names) / setting.body.length("shank").cm
    told = behind_plate(evidence, keys, setting.view, positions, px_per_cm, FOCAL_SHARE * max(setting.size) / px_per_cm)
    if told is evidence:
        return evidence, weights
    return told, weights | {shoulder: replace(weights.get("shoulder", SourceWeights()), match=1.0)}


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
