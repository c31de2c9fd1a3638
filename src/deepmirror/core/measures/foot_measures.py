"""Where the feet stand: how wide and how far turned out; on a platform or a rectangle of floor of known size, by homography.

Platform coordinates: centimetres, x along its width towards the client's left foot's side, y along its height in the toes'
direction, origin at the middle. Method: the direct linear transform (Hartley & Zisserman, Multiple View Geometry, 2nd ed.,
section 4.1; from memory).
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.body.anthropometry import ANKLE_FROM_HEEL_SHARE
from deepmirror.core.camera.camera_direction import USUAL_FRONT_DIRECTION
from deepmirror.core.measures.context import ADD_PLATFORM, CLICK_U_PX, FILM_FRONT, Array, CannotTell, FilmMeasure, MeasurementContext
from deepmirror.core.measures.spec import FRONT, Drawing, Focus, MeasureSpec
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import outward
from deepmirror.words import say

CLOCK_HOUR_DEG = 30.0  # a clock's face
SETTLED_FRAMES = 5  # first frames that are averaged: marks lie on the first one, and the feet stand still


def homography(corners_px: Array, size_cm: tuple[float, float]) -> Array:
    """3 x 3 map from picture pixels to platform cm, for corners (4, 2) given in turn around; size is (width, height).

    The corners may begin anywhere and run either way round: the side that lies most level in the picture is the width.
    Raises ValueError when three of the corners lie on one line.
    """
    middle = corners_px.mean(axis=0)
    turn = np.argsort(np.arctan2(*(corners_px - middle).T[::-1]))
    ring = corners_px[turn]
    sides = np.roll(ring, -1, axis=0) - ring
    level = np.abs(sides[:, 0]) / np.maximum(np.linalg.norm(sides, axis=1), 1e-9)
    first = 0 if level[0] + level[2] >= level[1] + level[3] else 1
    ring = np.roll(ring, -first, axis=0)
    w, h = size_cm[0] / 2, size_cm[1] / 2
    target = np.array([[-w, -h], [w, -h], [w, h], [-w, h]])
    rows = []
    for (x, y), (u, v) in zip(ring, target, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, -u], [0, 0, 0, x, y, 1, -v * x, -v * y, -v]]
    _, singular, right = np.linalg.svd(np.array(rows))
    if singular[-2] < 1e-9 * singular[0]:
        raise ValueError("three corners lie on one line")
    return np.asarray(right[-1].reshape(3, 3))


def to_platform(matrix: Array, points: Array) -> Array:
    """Points (..., 2) px on the platform in cm."""
    q = np.concatenate([points, np.ones((*points.shape[:-1], 1))], axis=-1) @ matrix.T
    return np.asarray(q[..., :2] / q[..., 2:])


def placement(corners_px: Array, size_cm: tuple[float, float], ends_px: dict[str, Array], foot_cm: float) -> dict[str, float]:
    """How the feet stand, by measure name. ends_px: side -> heel and toe (2, 2) px. Raises ValueError for impossible corners.

    A foot's turn comes from how much of its known length points sideways: a camera near the floor sees little of the rest.
    """
    matrix = homography(corners_px, size_cm)
    on = {side: to_platform(matrix, ends) for side, ends in ends_px.items()}
    if sum(float(p[1, 1] - p[0, 1]) for p in on.values()) < 0:  # toes point along y
        on = {s: p * [1, -1] for s, p in on.items()}
    if on["left"][:, 0].mean() < on["right"][:, 0].mean():
        on = {s: p * [-1, 1] for s, p in on.items()}
    centre = {s: p.mean(axis=0) for s, p in on.items()}
    ankle = {s: p[0] + ANKLE_FROM_HEEL_SHARE * (p[1] - p[0]) for s, p in on.items()}
    out = {
        "stance_width_cm": float(ankle["left"][0] - ankle["right"][0]),
        "stance_asymmetry_cm": float(abs(centre["left"][1] - centre["right"][1])),
        "stance_off_centre_cm": float(abs(centre["left"][0] + centre["right"][0]) / 2),
    }
    for side, sign in (("left", 1), ("right", -1)):
        sideways = float(sign * (on[side][1] - on[side][0])[0])
        out[f"toe_out_{side}_deg"] = float(np.degrees(np.arcsin(np.clip(sideways / foot_cm, -0.98, 0.98))))
        out[f"foot_height_{side}_pct"] = 100 * float(centre[side][1] / size_cm[1] + 0.5)
    out["toe_out_asymmetry_deg"] = abs(out["toe_out_left_deg"] - out["toe_out_right_deg"])
    return out


def on_platform(name: str) -> FilmMeasure:
    """One number of `placement`, with the uncertainty of every click and followed point carried through it.

    It raises CannotTell for side films, and without a marked platform that can be one.
    """

    def measure(scene: MeasurementContext) -> Value:
        if scene.near:
            raise CannotTell("a side film hides one foot behind the other", FILM_FRONT)
        corners, size = scene.marks.platform, scene.marks.platform_cm
        if corners is None or size is None:
            raise CannotTell("the platform is not marked", ADD_PLATFORM)
        ends, sigma = _ends(scene)
        foot = scene.body.length("foot")
        try:
            value = placement(corners, size, ends, foot.cm)[name]
        except ValueError as error:
            raise CannotTell(say("the platform's corners do not fit: {error}", error=error), ADD_PLATFORM) from error
        variance = (placement(corners, size, ends, foot.cm + foot.u_cm / COVERAGE_FACTOR)[name] - value) ** 2
        for k in range(8):
            moved = corners.copy()
            moved.flat[k] += CLICK_U_PX / 2
            variance += (placement(moved, size, ends, foot.cm)[name] - value) ** 2
        for side in SIDES:
            for k in range(4):
                at = {s: e.copy() for s, e in ends.items()}
                at[side].flat[k] += sigma[side][k // 2]
                variance += (placement(corners, size, at, foot.cm)[name] - value) ** 2
        return Value(value, COVERAGE_FACTOR * float(np.sqrt(variance)))

    return measure


def _ends(scene: MeasurementContext) -> tuple[dict[str, Array], dict[str, list[float]]]:
    """Heel and toe of both feet (2, 2) px where the platform was marked, and their standard deviations, px."""
    names = {side: [sided(end, side) for end in ("heel", "toe")] for side in SIDES}
    ends = {s: np.array([np.median(scene.track.point(n)[:SETTLED_FRAMES], axis=0) for n in row]) for s, row in names.items()}
    return ends, {s: [float(np.median(scene.track.sigma(n)[:SETTLED_FRAMES])) for n in row] for s, row in names.items()}


def stance_width(scene: MeasurementContext) -> Value:
    """Distance between the ankle centres, cm, over the frames of the whole set. Raises CannotTell for side films, or without a scale."""
    if scene.near:
        raise CannotTell("a side film hides one foot behind the other", FILM_FRONT)
    if scene.marks.platform is not None and scene.marks.platform_cm is not None:
        return on_platform("stance_width_cm")(scene)
    across = np.array([-scene.up[1], scene.up[0]])
    series = scene.track.series(lambda p: np.abs((p["ankle_left"] - p["ankle_right"]) @ across))
    turned = np.cos(np.radians(scene.front_yaw.value)) if scene.front_yaw else 1.0  # a client who stands turned shows less of it
    return scene.cm(Value(float(np.median(series.values)) / turned, float(np.median(series.u)) / turned))


def stance_ratio(scene: MeasurementContext) -> Value:
    """Stance width over the distance between the shoulder joints."""
    width, shoulders = stance_width(scene), scene.body.joint_breadth("biacromial")
    return width.scaled(1 / shoulders.cm, shoulders.u_cm / shoulders.cm)


def stance_to_hips(scene: MeasurementContext) -> Value:
    """Stance width over the distance between the hip joints."""
    width, hips = stance_width(scene), scene.body.joint_breadth("hip_breadth")
    return width.scaled(1 / hips.cm, hips.u_cm / hips.cm)


def _toe_out(side: str) -> FilmMeasure:
    def measure(scene: MeasurementContext) -> Value:
        """Foot's turn away from straight ahead, degrees, from how much of its length points sideways.

        Raises CannotTell for side films, from behind, and where the camera stands off the line.
        """
        if scene.near:
            raise CannotTell("a side film does not show which way the foot points", FILM_FRONT)
        if scene.marks.platform is not None and scene.marks.platform_cm is not None:
            return on_platform(f"toe_out_{side}_deg")(scene)
        scene.check_front()
        scene.check_toes()
        way = outward(scene.view, side)
        if scene.frontal is not None:
            series = scene.frontal.series(scene.track, lambda p, camera: way * camera.shoe_aside(p, side))
        else:
            heel, toe, across = sided("heel", side), sided("toe", side), np.array([-scene.up[1], scene.up[0]])
            series = scene.track.series(lambda p: way * ((p[toe] - p[heel]) @ across))
        foot = scene.body.length("foot")
        share = scene.cm(Value(float(np.median(series.values)), float(np.median(series.u)))).scaled(1 / foot.cm, foot.u_cm / foot.cm)
        sine = float(np.clip(share.value, -0.98, 0.98))
        turned = Value(float(np.degrees(np.arcsin(sine))), float(np.degrees(share.u / np.sqrt(1 - sine**2))))
        off, doubt = _turned_client(scene)
        return Value(turned.value - (off if side == "left" else -off), turned.u).widened(doubt)

    return measure


def _turned_client(scene: MeasurementContext) -> tuple[float, float]:
    """How far the client stands turned to her left against the camera, and its uncertainty (k = 2), degrees: so much further out her left
    foot looks, and so much less her right one."""
    yaw = scene.front_yaw or USUAL_FRONT_DIRECTION.yaw
    return yaw.value, yaw.u


def toe_out_asymmetry(scene: MeasurementContext) -> Value:
    """Difference between the feet's turn, degrees. A client who stands turned before the camera looks as if her feet were uneven; as far
    as that is not known it is reckoned with twice, once for each foot."""
    if scene.marks.platform is not None and scene.marks.platform_cm is not None:
        return on_platform("toe_out_asymmetry_deg")(scene)
    left, right = (_toe_out(side)(scene) for side in SIDES)
    _, doubt = _turned_client(scene)  # in the difference already, as if each foot had its own: it has one, and it counts twice
    return Value(abs(left.value - right.value), (left - right).u).widened(np.sqrt(2) * doubt)


ANKLES, TOES = "between the ankle joints' centres, as the batch contract says", "away from straight ahead, as the batch contract says"
PLACED = "by homography from the platform's corners; Hartley & Zisserman, section 4.1 (from memory)"

STANCE, TURNED = Focus(("ankle",), Drawing.STANCE), Focus(("ankle", "heel", "toe"), Drawing.FOOT_TURN, close_up=True)
PLATFORM = Focus(("ankle", "heel", "toe"), Drawing.PLATFORM)

MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec("stance_width_cm", "Stance", "cm", stance_width, FRONT, ANKLES, per_rep=False, focus=STANCE),
    MeasureSpec("stance_to_shoulder_ratio", "Stance / shoulders", "", stance_ratio, FRONT, ANKLES, per_rep=False, focus=STANCE, decimals=2),
    MeasureSpec(
        "stance_to_hip_ratio", "Stance / hips", "", stance_to_hips, FRONT, ANKLES, per_rep=False, focus=STANCE, decimals=2, listed=False
    ),
    MeasureSpec("toe_out_left_deg", "Left foot turned out", "°", _toe_out("left"), FRONT, TOES, per_rep=False, focus=TURNED, clock=True),
    MeasureSpec("toe_out_right_deg", "Right foot turned out", "°", _toe_out("right"), FRONT, TOES, per_rep=False, focus=TURNED, clock=True),
    MeasureSpec(
        "toe_out_asymmetry_deg", "Between the feet", "°", toe_out_asymmetry, FRONT, TOES, per_rep=False, focus=TURNED, listed=False
    ),
    *(
        MeasureSpec(name, title, unit, on_platform(name), FRONT, PLACED, per_rep=False, focus=PLATFORM, needs=("platform",))
        for name, title, unit in (
            ("foot_height_left_pct", "Left foot on the platform", "% up"),
            ("foot_height_right_pct", "Right foot on the platform", "% up"),
            ("stance_asymmetry_cm", "One foot higher by", "cm"),
            ("stance_off_centre_cm", "Stance off the middle", "cm"),
        )
    ),
)
