"""Fourth stage: everything seen taken together, and from the side the picture plane with it: each needs the other."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera.camera_direction import USUAL_DIRECTION
from deepmirror.core.camera.sagittal_fit import OutOfPlanePrior, Plane, fit_plane
from deepmirror.core.skeleton import sided
from deepmirror.core.trajectories import Track
from deepmirror.movements.schema import Movement
from deepmirror.pose.annotations import Annotated
from deepmirror.pose.camera_direction import camera_direction
from deepmirror.pose.consistency import loose_clicks, misfit, widened
from deepmirror.pose.distances import pelvis_width, side_lengths
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.joint_limits import joint_limits
from deepmirror.pose.offset_correction import Corrected
from deepmirror.pose.source_weights import SourceWeights, source_weights
from deepmirror.pose.trajectory_solver import NETWORK_COUNTS_S, PASSES, Lengths, Solution, acceleration_px, solve

Array = NDArray[np.float64]

USUAL_STANCE = (1.1, 0.3)  # standing sets: ankles' distance as a share of the shoulder joints'; common practice, no source
PLANE_ROUNDS = 2  # the plane from the points, the points from the plane's lengths, and once more
CLICKED_LEG = ("hip", "knee", "ankle")
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
    """Lengths need the plane they are seen in, and the plane needs the points: in turn, from a solution without either.

    A plane that moves the points off their clicks was bent by points that were followed wrongly: then it stays at what was known
    beforehand, and if that moves them too, the lengths have no say.
    """
    problem = _SideProblem(corrected, out_of_plane_prior(corrected.unoccluded.annotated.setting.movement))
    free = problem.free()
    for from_film in (True, False):
        solved = problem.with_lengths(free, from_film)
        if solved.plane is None or solved.plane.strained:
            return problem.without_lengths(free, solved.plane)
        if problem.clicks_hold(solved.solution):
            return solved
    return problem.without_lengths(free, solved.plane)


@dataclass(frozen=True)
class _SideProblem:
    """One side film's points and plane, to be solved with more or less trust in the lengths."""

    corrected: Corrected
    prior: OutOfPlanePrior

    @property
    def _annotated(self) -> Annotated:
        return self.corrected.unoccluded.annotated

    @property
    def _soft(self) -> float:
        return acceleration_px(self._annotated.shown)

    def free(self) -> Solution:
        """The points without plane and lengths."""
        usual = source_weights(self._annotated.setting)
        found = self._solve(self.corrected.evidence, usual, None, None, PASSES, True)
        grown = misfit(self.corrected.evidence, self.corrected.offsets, usual, found)
        return replace(found, covariance=widened(found.covariance, grown))

    def _solve(
        self, evidence: Evidence, weights: dict[str, SourceWeights], lengths: Lengths | None, start: Array | None, passes: int, last: bool
    ) -> Solution:
        keys, turns, own = list(self._annotated.keys), self.corrected.unoccluded.rotations, self.corrected.offsets
        setting = self._annotated.setting
        limits = joint_limits(setting.view, setting.movement.feet_stand) if lengths else []
        return solve(
            evidence,
            keys,
            weights,
            own,
            lengths,
            self._soft,
            start,
            passes,
            with_covariance=last,
            turns=turns,
            limits=limits,
            looks_last_s=NETWORK_COUNTS_S,
        )

    def with_lengths(self, free: Solution, from_film: bool) -> Solved:
        """Plane and points in turn; without the plane's lengths where there is none, or where it does not fit."""
        setting, keys = self._annotated.setting, list(self._annotated.keys)
        usual, direction = source_weights(setting), camera_direction(self._annotated.whole, setting.view, setting.up) or USUAL_DIRECTION
        solution, plane, evidence = free, None, self.corrected.evidence
        for round_number in range(1, PLANE_ROUNDS + 1):
            track = Track(evidence.times, tuple(evidence.names), solution.positions, solution.covariance)
            plane = fit_plane(
                track, setting.view, setting.body, self.prior, setting.scale, setting.up, setting.size, direction, plane, from_film
            )
            if plane is None or plane.strained:
                break
            lengths = side_lengths(evidence, keys, plane, setting, solution.positions, free.positions)
            last = round_number == PLANE_ROUNDS
            found = self._solve(evidence, usual, lengths, solution.positions, REFINED, last)
            # how well each point shows is known from the solution without lengths
            solution = found if last else replace(found, covariance=free.covariance)
        return Solved(self.corrected, evidence, solution, plane)

    def without_lengths(self, free: Solution, plane: Plane | None) -> Solved:
        """The points as network, flow and clicks tell them."""
        usual, evidence = source_weights(self._annotated.setting), self.corrected.evidence
        return Solved(self.corrected, evidence, self._solve(evidence, usual, None, free.positions, 1, True), plane)

    def clicks_hold(self, solution: Solution) -> bool:
        """Whether the leg's points lie where they were clicked, within the clicks' noise."""
        leg = {sided(j, self._annotated.setting.near or "left") for j in CLICKED_LEG}
        return not any(c.name in leg for c in loose_clicks(self._annotated.keys, self.corrected.evidence.names, solution))


def out_of_plane_prior(movement: Movement) -> OutOfPlanePrior:
    """What the movement usually does out of its side plane."""
    usual, own = OutOfPlanePrior(), movement.opening
    thigh, shank, foot = (own.get(part, getattr(usual, part)) for part in ("thigh", "shank", "foot"))
    stance = own.get("stance", USUAL_STANCE if movement.standing else usual.stance)
    return OutOfPlanePrior(thigh, shank, foot, stance, movement.standing)
