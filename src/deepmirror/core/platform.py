"""Where the feet stand on a platform or a rectangle of floor of known size, by homography from its four corners.

Platform coordinates: centimetres, x along its width towards the client's left foot's side, y along its height in the toes'
direction, origin at the middle. Method: the direct linear transform (Hartley & Zisserman, Multiple View Geometry, 2nd ed.,
section 4.1; from memory).
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.scene import ADD_PLATFORM, CLICK_U_PX, FILM_FRONT, Array, CannotTell, FilmMeasure, Scene
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.values import COVERAGE_FACTOR, Value

CLOCK_HOUR_DEG = 30.0
SETTLED_FRAMES = 5  # frames around the marked one that are averaged: the feet stand still


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


def feet(scene: Scene) -> dict[str, Array]:
    """Heel and toe of each foot (2, 2) cm on the platform: x to the client's left, y towards the toes. Raises CannotTell."""
    if scene.near:
        raise CannotTell("a side film hides one foot behind the other", FILM_FRONT)
    if scene.marks.platform is None or scene.marks.platform_cm is None:
        raise CannotTell("the platform is not marked", ADD_PLATFORM)
    try:
        matrix = homography(scene.marks.platform, scene.marks.platform_cm)
    except ValueError as error:
        raise CannotTell(f"the platform's corners do not fit: {error}", ADD_PLATFORM) from error
    out = {}
    for side in SIDES:
        ends = [np.median(scene.track.point(sided(end, side))[:SETTLED_FRAMES], axis=0) for end in ("heel", "toe")]
        out[side] = to_platform(matrix, np.array(ends))
    toes = sum((out[s][1] - out[s][0]) for s in SIDES)
    if toes[1] < 0:
        out = {s: p * [1, -1] for s, p in out.items()}
    if out["left"][:, 0].mean() < out["right"][:, 0].mean():
        out = {s: p * [-1, 1] for s, p in out.items()}
    return out


def _u_cm(scene: Scene) -> float:
    """Doubt (k = 2, cm) of a foot's end on the platform: its click and following, and the corners' clicks."""
    assert scene.marks.platform is not None and scene.marks.platform_cm is not None
    matrix = homography(scene.marks.platform, scene.marks.platform_cm)
    heel = scene.track.point("heel_left")[0]
    step = to_platform(matrix, heel + np.array([[0, 0], [1, 0], [0, 1]], float))
    cm_per_px = float(max(np.linalg.norm(step[1] - step[0]), np.linalg.norm(step[2] - step[0])))
    sigma = float(np.median([np.median(scene.track.sigma(sided(e, s))) for e in ("heel", "toe") for s in SIDES]))
    return cm_per_px * float(np.hypot(COVERAGE_FACTOR * sigma, CLICK_U_PX / 2))


def _centre(foot: Array) -> Array:
    return np.asarray(foot.mean(axis=0))


def stance_width(scene: Scene) -> Value:
    """Distance between the middles of the feet across the platform, cm."""
    on = feet(scene)
    return Value(float(_centre(on["left"])[0] - _centre(on["right"])[0]), _u_cm(scene))


def toe_out(side: str) -> FilmMeasure:
    """A foot's turn away from straight ahead on the platform, degrees, outward positive."""

    def measure(scene: Scene) -> Value:
        foot = feet(scene)[side]
        d = (foot[1] - foot[0]) * [1 if side == "left" else -1, 1]
        return Value(float(np.degrees(np.arctan2(d[0], d[1]))), float(np.degrees(1.4 * _u_cm(scene) / np.hypot(*d))))

    return measure


def height_share(side: str) -> FilmMeasure:
    """How high a foot's middle stands on the platform, percent from the heels' edge: under 33 low, over 67 high."""

    def measure(scene: Scene) -> Value:
        assert scene.marks.platform_cm is not None or feet(scene)
        on = feet(scene)
        assert scene.marks.platform_cm is not None
        height = scene.marks.platform_cm[1]
        return Value(100 * (float(_centre(on[side])[1]) / height + 0.5), 100 * _u_cm(scene) / height)

    return measure


def stance_asymmetry(scene: Scene) -> Value:
    """Difference in height of the two feet on the platform, cm."""
    on = feet(scene)
    return Value(float(abs(_centre(on["left"])[1] - _centre(on["right"])[1])), _u_cm(scene))


def off_centre(scene: Scene) -> Value:
    """How far the middle between the feet lies beside the platform's middle, cm."""
    on = feet(scene)
    return Value(float(abs(_centre(on["left"])[0] + _centre(on["right"])[0]) / 2), _u_cm(scene))


FILM_MEASURES: dict[str, FilmMeasure] = {
    "foot_height_left_pct": height_share("left"),
    "foot_height_right_pct": height_share("right"),
    "stance_asymmetry_cm": stance_asymmetry,
    "stance_off_centre_cm": off_centre,
}
