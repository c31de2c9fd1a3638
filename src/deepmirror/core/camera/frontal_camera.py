"""From a front or rear picture to the frontal plane: what a camera a few steps away does to a knee that comes towards it.

At the bottom of a squat the knee stands a forearm's length nearer the camera than the hip, so it looks larger, further out and
lower, and the projected angle at the knee comes out by a third too small. The client's lengths say how far each joint must lie
towards the camera for its segment to look as short as it does; with that the joints are put where they are. That holds for legs
that stand side by side and bend forward at the knee; a leg set back, as in a lunge, does not. A client who stands turned before the
camera shows both knees to one side; as far as the looks tell that turn it is taken out.

Space here is in px at the ankles' distance: across her own breadth to the picture's right, up in the room, and towards the camera.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import NamedTuple, Self

import numpy as np
from numpy.typing import NDArray

from deepmirror.core import uncertainty_propagation
from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.camera_direction import USUAL_FRONT_DIRECTION, CameraDirection
from deepmirror.core.camera.sagittal_fit import FOCAL_SHARE
from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided
from deepmirror.core.trajectories import Points, Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.fitted import fitted

Array = NDArray[np.float64]

FEET_SD = np.radians(fitted("feet_pitch_sd"))
FOCAL_SD = 0.12  # natural logarithm: phones' main cameras and their crops for film; common practice, no source
STANDING_SD = 0.02  # natural logarithm of a length read off the standing leg
HEEL_BEHIND = 0.25  # of a shoe's length: how far the heel lies behind the ankle
SHORTENING_FLOOR = 0.02  # share of a length: a segment that looks shortened by less is not yet taken to point at the camera
SETTLES = 4  # rounds until distances and places agree
LEG = ("hip", "knee", "ankle")


class FrontalParameters(NamedTuple):
    """What is fitted: how far the camera looks down, natural logarithms of shares of the first guesses, and how far the client is turned
    to her left against the camera."""

    pitch_rad: float
    log_focal: float
    log_thigh: float
    log_shank: float
    yaw_rad: float


@dataclass(frozen=True)
class Frontal:
    """The camera before (or behind) a client, and her legs' lengths.

    theta (5,): the values of FrontalParameters in their order; covariance (5, 5). focal_px, thigh_px, shank_px: the guesses.
    towards: 1 when she faces the camera.
    """

    theta: Array
    covariance: Array
    focal_px: float
    thigh_px: float
    shank_px: float
    foot_px: float
    towards: int
    up: Array
    centre: Array

    @property
    def flat(self) -> bool:
        """True for a camera so far away that the picture is the frontal plane."""
        return bool(np.isinf(self.focal_px))

    @property
    def parameters(self) -> FrontalParameters:
        """What was fitted, by name."""
        return FrontalParameters(*(float(v) for v in self.theta))

    @property
    def focal(self) -> float:
        """Focal length, px."""
        return self.focal_px * float(np.exp(self.parameters.log_focal))

    @property
    def shank(self) -> float:
        """Length of the shank, px at the ankles' distance."""
        return self.shank_px * float(np.exp(self.parameters.log_shank))

    @property
    def pitch(self) -> Value:
        """How far the camera looks down, degrees."""
        return Value(float(np.degrees(self.parameters.pitch_rad)), COVERAGE_FACTOR * float(np.degrees(np.sqrt(self.covariance[0, 0]))))

    def in_space(self, points: Points, side: str) -> dict[str, Array]:
        """Joints of one leg (T, 3): across her breadth to the picture's right, up in the room, towards the camera along her depth."""
        flat, nearer = self._nearer(points, side)
        pitch, yaw, out = self.parameters.pitch_rad, self.parameters.yaw_rad, {}
        for joint, place in flat.items():
            x, y = (place * (1 - nearer[joint] / self.focal)[:, None]).T
            rise, towards = y * np.cos(pitch) + nearer[joint] * np.sin(pitch), nearer[joint] * np.cos(pitch) - y * np.sin(pitch)
            out[joint] = np.stack([x * np.cos(yaw) - towards * np.sin(yaw), rise, towards * np.cos(yaw) + x * np.sin(yaw)], axis=1)
        return out

    def aside_px(self, points: Points, side: str, joint: str, aside: Array) -> Array:
        """What a way (T,) to the picture's right at a joint, px at the ankles' distance, comes to in the picture, px."""
        return np.asarray(aside / (1 - self._nearer(points, side)[1][joint] / self.focal))

    def _nearer(self, points: Points, side: str) -> tuple[dict[str, Array], dict[str, Array]]:
        """Joints of one leg from the picture's middle (T, 2), right and up, and how much nearer the camera than between the ankles (T,),
        px."""
        fitted, focal = self.parameters, self.focal
        lengths = {"thigh": self.thigh_px * float(np.exp(fitted.log_thigh)), "shank": self.shank}
        basis = np.stack([np.array([-self.up[1], self.up[0]]), self.up], axis=1)
        joints = [j for j in (*LEG, "toe") if sided(j, side) in points.names]
        flat = {j: (points[sided(j, side)] - self.centre) @ basis for j in joints}
        nearer = {j: np.zeros(len(p)) for j, p in flat.items()}
        other = sided("ankle", SIDES[1 - SIDES.index(side)])
        if other in points.names:  # of a client who stands turned one foot is nearer
            apart = (points[sided("ankle", side)] - points[other]) @ basis[:, 0]
            nearer["ankle"] = -0.5 * apart * np.tan(fitted.yaw_rad)

        def level(joint: str) -> Array:
            return np.asarray(flat[joint] * (1 - nearer[joint] / focal)[:, None])

        for _ in range(SETTLES):
            nearer["knee"] = nearer["ankle"] + self.towards * _depth(level("knee") - level("ankle"), lengths["shank"])
            nearer["hip"] = nearer["knee"] - self.towards * _depth(level("hip") - level("knee"), lengths["thigh"])
            if "toe" in flat:
                aside = np.abs(level("toe") - level("ankle"))[:, 0]
                nearer["toe"] = nearer["ankle"] + (1 - HEEL_BEHIND) * self._shoe_nearer(aside)
        return flat, nearer

    def shoe_aside(self, points: Points, side: str) -> Array:
        """How far (T,) a toe lies to the picture's right of its heel, px at the ankles' distance.

        A toe that points at the camera stands a foot's length nearer, so that it looks further from the picture's middle.
        """
        focal, level = self.focal, np.array([-self.up[1], self.up[0]])
        toe, heel = ((points[sided(j, side)] - self.centre) @ level for j in ("toe", "heel"))
        aside = toe - heel
        for _ in range(SETTLES):
            nearer = self._shoe_nearer(aside) / focal
            aside = toe * (1 - (1 - HEEL_BEHIND) * nearer) - heel * (1 + HEEL_BEHIND * nearer)
        return np.asarray(aside)

    def _shoe_nearer(self, aside: Array) -> Array:
        """How much nearer the camera a toe lies than its heel when it reaches so far (T,) to the side, px."""
        return np.asarray(self.towards * np.sqrt(np.maximum(self.foot_px**2 - aside**2, 0.0)))

    def moved(self, theta: Array) -> Self:
        """The same with other parameters. theta (5,)."""
        return replace(self, theta=theta)

    def series(self, track: Track, compute: Callable[[Points, Frontal], Array]) -> Series:
        """Evaluate a (T,) function of points and camera; the uncertainty of both is carried into it."""
        return uncertainty_propagation.series(track, self, compute)


def _depth(d: Array, length: float) -> Array:
    """How far a segment (T, 2) of this length must reach along the line of sight; eased to nothing where it looks hardly shortened."""
    square = np.maximum(length**2 - (d**2).sum(axis=1), 0.0)
    return np.asarray(square / np.sqrt(square + 2 * SHORTENING_FLOOR * length**2))


def fit_frontal(
    track: Track, view: str, body: Body, up: Array, size: tuple[int, int], direction: CameraDirection = USUAL_FRONT_DIRECTION
) -> Frontal | None:
    """The camera of a front or rear film; None for side films or where a leg was not followed. size: width, height, px; direction: where
    the looks see the camera stand, or where it usually does."""
    if near_side(view) is not None or not track.has(*(sided(j, s) for j in LEG for s in SIDES)):
        return None
    scale = standing_scale(track, body).value
    px = {s: body.length(s).cm * scale for s in ("thigh", "shank", "foot")}
    sds = {s: float(np.hypot(body.length(s).u_cm / body.length(s).cm / COVERAGE_FACTOR, STANDING_SD)) for s in ("thigh", "shank")}
    towards = 1 if view == "front" else -1
    centre, focal = np.array([(size[0] - 1) / 2, (size[1] - 1) / 2]), FOCAL_SHARE * max(size)
    pitch, pitch_sd = _pitch(track, px["foot"], towards, up, centre, focal, direction.pitch)
    yaw, yaw_sd = np.radians([direction.yaw.value, direction.yaw.u / COVERAGE_FACTOR])
    covariance = np.diag([pitch_sd, FOCAL_SD, sds["thigh"], sds["shank"], yaw_sd]) ** 2
    theta = np.array(FrontalParameters(pitch, 0.0, 0.0, 0.0, float(yaw)))
    return Frontal(theta, covariance, focal, px["thigh"], px["shank"], px["foot"], towards, up, centre)


def standing_scale(track: Track, body: Body) -> Value:
    """px per cm at the ankles' distance, from both legs as they stand straightest."""
    seen, cm = [], sum(body.length(s).cm for s in ("thigh", "shank"))
    for side in SIDES:
        ends = [(track.point(sided(a, side)), track.point(sided(b, side))) for a, b in (SEGMENTS["thigh"], SEGMENTS["shank"])]
        seen.append(sum(float(np.percentile(np.linalg.norm(b - a, axis=1), 95)) for a, b in ends))
    share = float(np.hypot(COVERAGE_FACTOR * STANDING_SD, max(body.length(s).u_cm / body.length(s).cm for s in ("thigh", "shank"))))
    value = float(np.mean(seen)) / cm
    return Value(value, value * share)


def _pitch(track: Track, foot_px: float, towards: int, up: Array, centre: Array, focal: float, seen: Value) -> tuple[float, float]:
    """How far the camera looks down, rad, and its standard deviation: as the looks tell it (degrees), and as a shoe that stands level shows
    it, its toe lower than its heel."""
    before, sd = np.radians([seen.value, seen.u / COVERAGE_FACTOR])
    told, weights = float(before) * float(sd) ** -2.0, float(sd) ** -2.0
    across, looks = np.array([-up[1], up[0]]), []
    for side in SIDES:
        names = sided("heel", side), sided("toe", side)
        if not track.has(*names):
            continue
        heel, toe = (np.median(track.point(n), axis=0) - centre for n in names)
        ahead = float(np.sqrt(max(foot_px**2 - float((toe - heel) @ across) ** 2, (0.3 * foot_px) ** 2)))
        heel_up = float(heel @ up) * (1 + towards * HEEL_BEHIND * ahead / focal)
        toe_up = float(toe @ up) * (1 - towards * (1 - HEEL_BEHIND) * ahead / focal)
        noise = float(np.linalg.norm([np.median(track.sigma(n)) for n in names])) / ahead
        looks.append((float(np.arctan2(towards * (heel_up - toe_up), ahead)), noise))
    if looks:
        sd = float(np.hypot(np.sqrt(sum(n**2 for _, n in looks)) / len(looks), FEET_SD))
        told, weights = told + float(np.mean([v for v, _ in looks])) * sd**-2.0, weights + sd**-2.0
    return told / weights, float(weights**-0.5)
