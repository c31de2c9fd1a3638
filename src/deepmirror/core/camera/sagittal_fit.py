"""From the picture plane to the body: how far a side film's camera stands off the side, and how far the knees open.

A segment whose horizontal part points out of the picture plane by the angle a looks shorter, but only along the picture's
level direction. A foot set wider than its hip tilts thigh and shank outward as well, by half that distance c each, whatever
way they point: u² + v² + (u tan a + c)² = (S L)², with u, v the seen level and upright parts, L the client's length and S
the scale (with a yaw ψ, c becomes c cos ψ and u becomes u + c sin ψ).

A camera that looks down by p sees what lies v higher in the body as v cos p, and v sin p nearer.

Lengths, scale, where the looks see the camera stand and what the movement usually does are put together by weighted least
squares; the depth of every point then follows, and joint angles are taken in space.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Self, cast

import numpy as np
from numpy.typing import NDArray

from deepmirror.core import uncertainty_propagation
from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.camera_direction import USUAL_DIRECTION, CameraDirection
from deepmirror.core.camera.plane_parameters import PlaneParameters, Slant
from deepmirror.core.camera.sole import seen_slope, standing_slope
from deepmirror.core.geometry import included_angle
from deepmirror.core.skeleton import SEGMENTS, near_side, sided
from deepmirror.core.trajectories import Points, Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.fitted import fitted, fitted_by_name

Array = NDArray[np.float64]

SEEN_LENGTH_SD = fitted("seen_length_sd")
ENDS_SD = 0.015  # share: what a segment's ends are off by throughout, because of their clicks or habits, which no pose averages out
FOOT_NOISE = 5.0  # a shoe's ends are followed that much worse than a leg's joints
INDEPENDENT_POSES = 5.0  # so many poses of a set tell something of their own; our own estimate, no source
STRAIN = fitted_by_name("strain")
DIRECTION_FREEDOM = 10.0  # degrees of freedom of what looks tell of the camera: now and then they are quite wrong; our own estimate
FILM_LENGTH_SHARE = 0.07  # k = 2 of a length read off a film: the known length rarely stands in the client's own plane
FOCAL_SHARE = 0.8  # of the longer picture side: a phone's main camera (26 mm equivalent is 0.72, cropped for film more)
SPACE_JOINTS = ("hip", "knee", "ankle", "heel", "toe", "shoulder")
STRAIGHTEST = 0.25  # of the frames: those in which she stands, for a film that begins or ends its reps standing

YAW, FOOT, SCALE, PITCH, SOLE = (
    PlaneParameters._fields.index(name) for name in ("yaw_deg", "foot_deg", "log_scale", "pitch_deg", "sole_deg")
)
FITTED = SOLE


@dataclass(frozen=True)
class OutOfPlanePrior:
    """What a movement usually does out of its side plane: mean and sd (degrees) of thigh, shank and foot, outward positive;
    stance: mean and sd of the ankles' distance as shares of the shoulder joints'; planted: the near foot stands."""

    thigh: tuple[float, float] = (4.0, 6.0)
    shank: tuple[float, float] = (4.0, 6.0)
    foot: tuple[float, float] = (6.0, 5.0)
    stance: tuple[float, float] = (0.65, 0.15)
    planted: bool = False


@dataclass(frozen=True)
class Plane:
    """The fitted picture plane of one side film.

    theta (10,): the values of PlaneParameters in their order; covariance (10, 10).
    standing: frames in which the near sole stands so; empty where it may lie anyhow.
    px_per_cm: scale at the near leg. camera_cm: camera's distance. centre (2,): principal point, px.
    """

    theta: Array
    covariance: Array
    px_per_cm: float
    lengths_cm: dict[str, float]
    way: int
    up: Array
    centre: Array
    camera_cm: float
    offsets_cm: dict[str, float] = field(default_factory=dict)
    standing: NDArray[np.int_] = field(default_factory=lambda: np.zeros(0, int))
    strain: float = 0.0  # mean square, in standard deviations, of how far the fit had to leave what was known beforehand

    @property
    def strained(self) -> bool:
        """True when this client, seen from the side, does not look like this at all: nothing that needs the plane can be told."""
        return self.strain > STRAIN["limit"]

    @cached_property
    def parameters(self) -> PlaneParameters:
        """What was fitted, by name."""
        return PlaneParameters(*(float(v) for v in self.theta))

    def _told(self, index: int) -> Value:
        return Value(float(self.theta[index]), COVERAGE_FACTOR * float(np.sqrt(self.covariance[index, index])))

    @property
    def yaw(self) -> Value:
        """Camera off the side view, degrees, positive towards the client's front."""
        return self._told(YAW)

    @property
    def sole(self) -> Value:
        """Slope of the near sole where the client stands, degrees, toes up."""
        return self._told(SOLE)

    @cached_property
    def scale(self) -> Value:
        """px per cm at the near leg."""
        log_scale = self._told(SCALE)
        s = self.px_per_cm * float(np.exp(log_scale.value))
        return Value(s, s * log_scale.u)

    def forward(self, d: Array) -> Array:
        """Part (T,) of vectors (T, 3) in space that points where the client faces."""
        yaw = np.radians(self.parameters.yaw_deg)
        return np.asarray(d[:, 0] * np.cos(yaw) + d[:, 2] * np.sin(yaw))

    def seen_length_px(self, segment: str, direction: Array) -> Array:
        """Length (T,) px a segment must show when it points along picture directions (T, 2)."""
        unit = direction / np.maximum(np.linalg.norm(direction, axis=1, keepdims=True), 1e-9)
        across = self.way * np.array([-self.up[1], self.up[0]])
        u, v = unit @ across, unit @ self.up
        slant = self.slants[segment]
        length = self.lengths_cm[segment] * self.parameters.stretch(segment) * self.scale.value
        # seen r long, it comes r n + constant nearer: r² (1 + n²) + 2 r n constant + constant² = length²
        nearer, constant = slant.level * u + slant.upright * v, slant.constant
        square, half = 1 + nearer**2, nearer * constant
        return np.asarray((-half + np.sqrt(half**2 + square * max(length**2 - constant**2, 0.0))) / square)

    @cached_property
    def slants(self) -> dict[str, Slant]:
        """How far each segment's end lies nearer the camera than its start."""
        return {s: self.parameters.slant(s, self.scale.value) for s in SEGMENTS}

    def in_space(self, points: Points, side: str, joints: tuple[str, ...] = SPACE_JOINTS) -> dict[str, Array]:
        """Near-side joints (T, 3) px-sized: forward, up, towards the camera; perspective taken out. Origin at the picture's centre.

        A joint's depth follows from those before it in SPACE_JOINTS, so `joints` must begin there.
        """
        across = self.way * np.array([-self.up[1], self.up[0]])
        flat = {}
        for joint in joints:
            name = sided(joint, side)
            if name in points.names:
                p = points[name] - self.centre
                flat[joint] = np.stack([p @ across, p @ self.up], axis=1)
        depth = {j: np.zeros(len(p)) for j, p in flat.items()}
        scale = self.scale.value
        camera = self.camera_cm * scale
        for _ in range(2):
            near = {j: p * (1 - depth[j] / camera)[:, None] for j, p in flat.items()}
            depth = self._depths(near, scale)
        near = {j: p * (1 - depth[j] / camera)[:, None] for j, p in flat.items()}
        space = {j: self._upright(near[j], depth[j]) for j in flat}
        if len(self.standing) and {"heel", "toe"} <= set(space):
            space["toe"] = space["heel"] + self._stood(space["toe"] - space["heel"])
        return space

    def _upright(self, flat: Array, nearer: Array) -> Array:
        """Level, up and towards the camera (T, 3), from what is seen (T, 2) and how far it lies nearer along the camera's axis (T,)."""
        down = np.radians(self.parameters.pitch_deg)
        up, towards = flat[:, 1] * np.cos(down) + nearer * np.sin(down), nearer * np.cos(down) - flat[:, 1] * np.sin(down)
        return np.column_stack([flat[:, 0], up, towards])

    def _stood(self, shoe: Array) -> Array:
        """The shoe (T, 3), heel to toe, sloping as it does when standing, and as much otherwise as it is seen to turn since."""
        level = np.maximum(np.hypot(shoe[:, 0], shoe[:, 2]), 1e-9)
        slope = np.arctan2(shoe[:, 1], level)
        slope += np.radians(self.parameters.sole_deg) - np.median(slope[self.standing])
        flat, length = np.cos(slope) / level, np.linalg.norm(shoe, axis=1)[:, None]
        return np.asarray(length * np.column_stack([flat * shoe[:, 0], np.sin(slope), flat * shoe[:, 2]]))

    def _depths(self, flat: dict[str, Array], scale: float) -> dict[str, Array]:
        def reach(segment: str, way: Array) -> Array:
            return self.slants[segment].depth(way[:, 0], way[:, 1])

        depth: dict[str, Array] = {}
        if "hip" in flat:
            depth["hip"] = np.zeros(len(flat["hip"]))
        if "shoulder" in flat and "hip" in flat:
            outward = self.offsets_cm.get("shoulder", 0.0) * scale / np.cos(np.radians(self.parameters.yaw_deg))
            depth["shoulder"] = reach("trunk", flat["shoulder"] - flat["hip"]) + outward / np.cos(np.radians(self.parameters.pitch_deg))
        if "knee" in flat:
            away = flat["knee"] - flat["hip"] if "hip" in flat else np.zeros_like(flat["knee"])
            depth["knee"] = reach("thigh", away)
        if "ankle" in flat and "knee" in flat:
            depth["ankle"] = depth["knee"] + reach("shank", flat["ankle"] - flat["knee"])
        for joint in ("heel", "toe"):
            if joint in flat and "ankle" in depth:
                depth[joint] = depth["ankle"] + reach("foot", flat[joint] - flat["ankle"])
        return {j: depth.get(j, np.zeros(len(p))) for j, p in flat.items()}

    def moved(self, theta: Array) -> Self:
        """The same with other parameters. theta (10,)."""
        return replace(self, theta=theta)

    def series(self, track: Track, compute: Callable[[Points, Plane], Array]) -> Series:
        """Evaluate a (T,) function of points and plane; the uncertainty of both is carried into it."""
        return uncertainty_propagation.series(track, self, compute)


def fit_plane(
    track: Track,
    view: str,
    body: Body,
    opening: OutOfPlanePrior,
    known_scale: Value | None,
    up: Array,
    size: tuple[int, int],
    direction: CameraDirection = USUAL_DIRECTION,
    before: Plane | None = None,
    from_film: bool = True,
) -> Plane | None:
    """The picture plane of a side film; None for other views or when the leg was not followed.

    direction: where the looks see the camera stand, or where it usually does.
    size: width and height of the picture, px. before: an earlier fit of the same film, to begin from. from_film: False leaves all at
    what was known beforehand, with its uncertainty, because what was followed settles nothing.
    """
    near = near_side(view)
    if near is None or not track.has(*(sided(j, near) for j in ("hip", "knee", "ankle"))):
        return None
    way = 1 if view == "side-right" else -1
    across = way * np.array([-up[1], up[0]])
    lengths = {s: body.length(s).cm for s in ("thigh", "shank", "foot", "trunk")}
    seen, blur = {}, {}
    for segment in ("thigh", "shank", "foot"):
        a, b = (sided(j, near) for j in SEGMENTS[segment])
        if track.has(a, b):
            d = track.point(b) - track.point(a)
            flat = np.stack([d @ across, d @ up], axis=1)
            poses = _spread_poses(flat)
            seen[segment], blur[segment] = flat[poses], np.hypot(track.sigma(a), track.sigma(b))[poses]
    guess = known_scale.value if known_scale else _first_scale(seen, lengths)
    problem = _Fit(seen if from_film else {}, blur, lengths, guess, body, opening, known_scale, direction)
    theta, covariance = problem.solve(before)
    covariance = np.pad(covariance, (0, 1))
    theta = np.append(theta, 0.0)  # the sole's slope
    centre = np.array([(size[0] - 1) / 2, (size[1] - 1) / 2])
    camera = FOCAL_SHARE * max(size) / guess
    wide = (body.joint_breadth("biacromial").cm - body.joint_breadth("hip_breadth").cm) / 2
    strain = float(np.mean(problem.known(theta) ** 2))
    if strain > STRAIN["free"]:  # the Birge ratio: uncertainties grow until the misfit is what they would allow (Birge 1932, from memory)
        covariance = covariance * strain
    standing = _standing(track, near) if opening.planted else np.zeros(0, int)
    if len(standing):
        below = float(np.median((centre - track.point(sided("heel", near))[standing]) @ up))
        down = float(theta[PITCH]) + float(np.degrees(np.arctan(below / (camera * guess))))
        theta[SOLE], covariance[SOLE, SOLE] = _sole(track, near, standing, theta, covariance, across, up, down)
    return Plane(theta, covariance, guess, lengths, way, up, centre, camera, {"shoulder": wide}, standing, strain)


def _standing(track: Track, near: str) -> NDArray[np.int_]:
    """Frames with the straightest near knee; none without a shoe."""
    if not track.has(sided("heel", near), sided("toe", near)):
        return np.zeros(0, int)
    bend = 180 - included_angle(*(track.point(sided(j, near)) for j in ("hip", "knee", "ankle")))
    return np.flatnonzero(bend <= np.quantile(bend, STRAIGHTEST))


def _sole(
    track: Track, near: str, standing: NDArray[np.int_], theta: Array, covariance: Array, across: Array, up: Array, down: float
) -> tuple[float, float]:
    """Slope of the near sole where she stands, degrees toes up, and its variance. down: how far the camera looks down on it, degrees."""
    heel, toe = sided("heel", near), sided("toe", near)
    shoe = np.median((track.point(toe) - track.point(heel))[standing], axis=0)
    ends = float(np.median(np.hypot(track.sigma(heel), track.sigma(toe))[standing]))
    away = theta[YAW] + theta[FOOT]
    away_sd = float(np.sqrt(max(covariance[YAW, YAW] + covariance[FOOT, FOOT] + 2 * covariance[YAW, FOOT], 0.0)))
    seen, sd = seen_slope((float(shoe @ across), float(shoe @ up)), (away, away_sd), (down, float(np.sqrt(covariance[PITCH, PITCH]))))
    slope, slope_sd = standing_slope(seen, float(np.hypot(sd, np.degrees(ends / max(float(np.hypot(*shoe)), 1e-9)))))
    return slope, slope_sd**2


def film_length(track: Track, plane: Plane, segment: str, side: str) -> tuple[float, float]:
    """A segment's length (cm) as the film shows it, and its expanded uncertainty: the median over the followed frames, with the
    spread over them, the scale's own uncertainty and that of the two joints.

    The scale is the one the film was given, not the one fitted with the client's lengths, so that the film has its own say.
    """
    a, b = (sided(j, side) for j in SEGMENTS[segment])
    d = track.point(b) - track.point(a)
    level, rise = d @ (plane.way * np.array([-plane.up[1], plane.up[0]])), d @ plane.up
    whole = np.sqrt(level**2 + rise**2 + plane.slants[segment].depth(level, rise) ** 2) / plane.px_per_cm
    middle = float(np.median(whole))
    ends = [float(np.median(track.sigma(n))) / plane.px_per_cm for n in (a, b)]
    return middle, float(
        np.linalg.norm([COVERAGE_FACTOR * np.std(whole), FILM_LENGTH_SHARE * middle, *(COVERAGE_FACTOR * e for e in ends)])
    )


def _told(value: float, told: Value) -> float:
    """Residual whose square is twice the negative log-likelihood of a Student's t distribution about what was told."""
    off = (value - told.value) * COVERAGE_FACTOR / told.u
    return float(np.copysign(np.sqrt((DIRECTION_FREEDOM + 1) * np.log1p(off**2 / DIRECTION_FREEDOM)), off))


def _spread_poses(d: Array, count: int = 40) -> NDArray[np.intp]:
    """Frames spread evenly over the directions a segment (T, 2) took, so that long rests do not outvote the far posture."""
    angles = np.arctan2(d[:, 0], d[:, 1])
    order = np.argsort(angles)
    wanted = np.linspace(angles[order[0]], angles[order[-1]], count)
    return np.asarray(order[np.clip(np.searchsorted(angles[order], wanted), 0, len(d) - 1)])


def _first_scale(seen: dict[str, Array], lengths: dict[str, float]) -> float:
    longest = [np.percentile(np.linalg.norm(seen[s], axis=1), 90) / lengths[s] for s in ("thigh", "shank") if s in seen]
    return float(np.mean(longest))


@dataclass(frozen=True)
class _Fit:
    """The least-squares problem over PlaneParameters, without the sole."""

    seen: dict[str, Array]
    blur: dict[str, Array]
    lengths: dict[str, float]
    guess: float
    body: Body
    opening: OutOfPlanePrior
    known_scale: Value | None
    direction: CameraDirection

    def known(self, theta: Array) -> Array:
        """How far the parameters lie from what was known beforehand, in standard deviations. theta (9,)."""
        p = PlaneParameters(*theta)
        splay, splay_sd = self._splay()
        rows = [_told(p.yaw_deg, self.direction.yaw), (p.splay_cm - splay) / splay_sd]
        for opened, (mean, sd) in ((p.thigh_deg, self.opening.thigh), (p.shank_deg, self.opening.shank), (p.foot_deg, self.opening.foot)):
            rows.append((opened - mean) / sd)
        rows.append(_told(p.pitch_deg, self.direction.pitch))
        u = self.known_scale.u / self.known_scale.value / COVERAGE_FACTOR if self.known_scale else 0.5
        rows.append(p.log_scale / u)
        for segment, stretched in (("thigh", p.log_thigh), ("shank", p.log_shank)):
            length = self.body.length(segment)
            rows.append(stretched / np.hypot(length.u_cm / length.cm / COVERAGE_FACTOR, ENDS_SD))
        return np.array(rows)

    def residuals(self, theta: Array) -> Array:
        """Misfit to what was known beforehand, then of the seen lengths. theta (9,)."""
        p = PlaneParameters(*theta)
        scale = self.guess * np.exp(p.log_scale)
        rows = [self.known(theta)]
        for segment in ("thigh", "shank", "foot"):
            if segment not in self.seen:
                continue
            d = self.seen[segment]
            length = self.lengths[segment] * scale * p.stretch(segment)
            whole = np.sqrt((d**2).sum(axis=1) + p.slant(segment, scale).depth(d[:, 0], d[:, 1]) ** 2)
            sd = np.hypot(SEEN_LENGTH_SD, self.blur[segment] / length)
            noise = sd * np.sqrt(len(d) / INDEPENDENT_POSES) * (1 if segment != "foot" else FOOT_NOISE)
            rows.append((whole / length - 1) / noise)
        return np.concatenate(rows)

    def _splay(self) -> tuple[float, float]:
        """Mean and sd (cm) of how much further out an ankle stands than its hip."""
        shoulders, hips = self.body.joint_breadth("biacromial").cm, self.body.joint_breadth("hip_breadth").cm
        mean, sd = self.opening.stance
        return (mean * shoulders - hips) / 2, sd * shoulders / 2

    def _loss(self, square: Array) -> Array:
        """What is known beforehand pulls in full; a pose that does not fit loses its say, so that it cannot bend what was known.

        square (N,): squared residuals. Returns (3, N): the loss, and its first and second derivative.
        """
        out = np.stack([square, np.ones_like(square), np.zeros_like(square)])
        own = slice(self._known_rows, None)
        grown = 1 + square[own]
        out[:, own] = 2 * (np.sqrt(grown) - 1), grown**-0.5, -0.5 * grown**-1.5
        return out

    @cached_property
    def _known_rows(self) -> int:
        return len(self.known(np.zeros(FITTED)))

    def solve(self, before: Plane | None) -> tuple[Array, Array]:
        from scipy.optimize import least_squares

        usual = self.opening
        first = PlaneParameters(
            0.0, usual.thigh[0], usual.shank[0], usual.foot[0], 0.0, 0.0, 0.0, self._splay()[0], self.direction.pitch.value
        )
        # a shortened segment may point to either side: try both, unless an earlier fit has chosen
        yaws = (self.direction.yaw.value, 15.0, -15.0)
        starts = [np.array(first._replace(yaw_deg=yaw)[:FITTED]) for yaw in yaws] if before is None else [before.theta[:FITTED]]
        best = None
        for start in starts:
            found = least_squares(
                self.residuals, start, loss=cast(Any, self._loss), method="trf", x_scale=[5, 5, 5, 5, 0.02, 0.02, 0.02, 2, 5]
            )
            if best is None or found.cost < best.cost:
                best = found
        assert best is not None
        jacobian = np.asarray(best.jac)
        return np.asarray(best.x), np.asarray(np.linalg.inv(jacobian.T @ jacobian + np.eye(FITTED) * 1e-9))
