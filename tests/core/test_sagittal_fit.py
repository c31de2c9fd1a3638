"""From the picture to the body: a leg of known lengths filmed by a pinhole camera that stands off the side view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.sagittal_fit import OutOfPlanePrior, fit_plane
from deepmirror.core.motion.kinematics import angle_series, between
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import UP

LENGTHS = {"thigh": 42.0, "shank": 41.0, "foot": 26.0, "trunk": 48.0, "biacromial": 37.0, "hip_breadth": 23.0}
FOCAL, AWAY_CM, SIZE = 1024.0, 340.0, (1280, 720)
JOINTS = ("shoulder", "hip", "knee", "ankle", "heel", "toe")
OPENING = OutOfPlanePrior((15, 8), (15, 8), (15, 10), planted=True, stance=(1.1, 0.3))


def squatting(yaw_deg: float, knees_open_deg: float = 16.0) -> tuple[Track, np.ndarray, dict[str, float]]:
    """A squat seen from the client's right: track, true knee flexion (T,), near-far distances (px).

    Body axes: x forward, y towards the near side, z up, cm. The camera turns about the client by yaw towards the front.
    """
    depth = (1 - np.cos(np.linspace(0, 4 * np.pi, 240))) / 2
    shank, thigh, lean = np.radians(2 + 28 * depth), np.radians(88 - 88 * depth), np.radians(3 + 40 * depth)
    open_ = np.radians(knees_open_deg)
    out = np.array([np.cos(open_), np.sin(open_), 0.0])
    up = np.array([0.0, 0.0, 1.0])
    mix = lambda a, level: np.cos(a)[:, None] * level + np.sin(a)[:, None] * up
    ankle = np.tile([0.0, 19.0, 9.0], (len(depth), 1))
    knee = ankle + LENGTHS["shank"] * mix(np.pi / 2 - shank, out)
    hip = knee - LENGTHS["thigh"] * mix(-thigh, out)
    shoulder = hip + LENGTHS["trunk"] * mix(np.pi / 2 - lean, np.array([1.0, 0, 0])) + [0, 7, 0]
    heel, toe = ankle + [0, 0, -7] - 6 * out, ankle + [0, 0, -7] + 20 * out
    body = np.stack([shoulder, hip, knee, ankle, heel, toe], axis=1)
    true = between(hip - knee, ankle - knee)
    turn = Rotation.from_euler("z", yaw_deg, degrees=True).as_matrix()

    def project(points: np.ndarray) -> np.ndarray:
        p = points @ turn.T - [0, 0, 85]
        scale = FOCAL / (AWAY_CM - p[..., 1])
        return np.stack([639.5 + p[..., 0] * scale, 359.5 - p[..., 2] * scale], axis=-1)

    pixels = project(body)
    far = {"hip": hip - [0, 23.0, 0], "shoulder": shoulder - [0, 37.0, 0], "ankle": ankle - [0, 38.0, 0]}
    apart = {j: float(np.median(pixels[:, JOINTS.index(j), 0] - project(p)[:, 0])) for j, p in far.items()}
    names = tuple(f"{j}_right" for j in JOINTS)
    covariance = np.tile(np.eye(12), (len(depth), 1, 1))
    return Track(np.arange(len(depth)) / 30, names, pixels, covariance), 180 - true, apart


@pytest.mark.parametrize("yaw", [-22.0, 0.0, 12.0, 22.0])
def test_a_cameras_yaw_is_found_and_taken_out_of_the_knee(yaw: float) -> None:
    track, flexion, apart = squatting(yaw)
    body = Body(measured_cm=dict(LENGTHS))
    known = Value(FOCAL / AWAY_CM, 0.035 * FOCAL / AWAY_CM)
    plane = fit_plane(track, "side-right", body, OPENING, known, UP, SIZE, apart)
    assert plane is not None
    assert abs(plane.yaw.value - yaw) < max(4.0, plane.yaw.u)
    corrected = angle_series(track, "side-right", UP, 1.0, plane)["knee_flexion_right"]
    pictured = angle_series(track, "side-right", UP, 1.0)["knee_flexion_right"]
    error, raw = np.abs(corrected.values - flexion), np.abs(pictured.values - flexion)
    assert np.median(error) < 2.0
    assert (error <= corrected.u).mean() > 0.9
    if yaw > 10:
        assert np.median(error) < np.median(raw) / 2


def test_without_lengths_the_band_is_wider_not_the_claim_bolder() -> None:
    track, _, apart = squatting(18.0)
    known = Value(FOCAL / AWAY_CM, 0.035 * FOCAL / AWAY_CM)
    measured, guessed = (
        fit_plane(track, "side-right", b, OPENING, known, UP, SIZE, apart)
        for b in (Body(measured_cm=dict(LENGTHS)), Body(stature_cm=170.0))
    )
    assert measured is not None and guessed is not None
    wide, narrow = (angle_series(track, "side-right", UP, 1.0, p)["knee_flexion_right"].u for p in (guessed, measured))
    assert np.median(wide) > np.median(narrow)


def shod(slope_deg: float, click_px: tuple[float, float], rising_deg: float = 0.0) -> tuple[Track, np.ndarray]:
    """The squat in shoes that slope (toes up) throughout and rise at the heel with depth, toe clicked off; true dorsiflexion (T,)."""
    track, _, _ = squatting(0.0)
    positions = track.positions.copy()
    heel, toe = (track.names.index(f"{j}_right") for j in ("heel", "toe"))
    depth = (1 - np.cos(np.linspace(0, 4 * np.pi, 240))) / 2
    turn = np.radians(slope_deg - rising_deg * depth)  # toes up is anticlockwise for a client who faces right
    d = positions[:, toe] - positions[:, heel]
    c, s = np.cos(-turn), np.sin(-turn)
    positions[:, toe] = positions[:, heel] + np.stack([c * d[:, 0] - s * d[:, 1], s * d[:, 0] + c * d[:, 1]], axis=1) + click_px
    shank = 2 + 28 * depth
    covariance = np.tile(np.diag(np.repeat(4.0, 12)), (240, 1, 1))
    return Track(track.times, track.names, positions, covariance), shank + slope_deg - rising_deg * depth


@pytest.mark.parametrize(("slope", "click", "rising"), [(0, (0, 4), 0), (0, (0, -4), 8), (-18, (0, 0), 0)])
def test_a_standing_sole_is_level_unless_it_clearly_is_not(slope: float, click: tuple[float, float], rising: float) -> None:
    track, true = shod(slope, click, rising)
    known = Value(FOCAL / AWAY_CM, 0.035 * FOCAL / AWAY_CM)
    plane = fit_plane(track, "side-right", Body(measured_cm=dict(LENGTHS)), OPENING, known, UP, SIZE, {})
    assert plane is not None and len(plane.standing)
    ankle = "ankle_dorsiflexion_right"
    found = angle_series(track, "side-right", UP, 1.0, plane)[ankle]
    error = np.abs(found.values - true)
    assert np.median(error) < 2.0 and (error <= found.u).mean() > 0.9
    lying = fit_plane(track, "side-right", Body(measured_cm=dict(LENGTHS)), replace(OPENING, planted=False), known, UP, SIZE, {})
    assert lying is not None and not len(lying.standing)  # a foot in the air is taken as it is seen
    if not slope:
        assert np.median(error) < np.median(np.abs(angle_series(track, "side-right", UP, 1.0, lying)[ankle].values - true))


def test_front_views_have_no_side_plane() -> None:
    track, _, _ = squatting(0.0)
    assert fit_plane(track, "front", Body(stature_cm=170), OPENING, None, UP, SIZE) is None


def test_points_followed_wrongly_do_not_bend_what_was_known() -> None:
    """An ankle that lags behind for part of the set looks like a shank that shortens: neither yaw nor scale may follow it."""
    track, _, apart = squatting(0.0)
    lagging = track.positions.copy()
    ankle = JOINTS.index("ankle")
    lagging[60:180, ankle, 1] -= 45.0
    known, body = Value(FOCAL / AWAY_CM, 0.05 * FOCAL / AWAY_CM), Body(measured_cm=dict(LENGTHS))
    plane = fit_plane(replace(track, positions=lagging), "side-right", body, OPENING, known, UP, SIZE, apart)
    assert plane is not None and not plane.strained
    near = FOCAL / (AWAY_CM - 19)  # px per cm at the near leg
    assert abs(plane.yaw.value) <= plane.yaw.u and abs(plane.scale().value / near - 1) < 0.05
    unsure = track.covariance.copy()
    unsure[60:180] *= 400.0  # and where that is known, hardly anything is left of it
    told = fit_plane(Track(track.times, track.names, lagging, unsure), "side-right", body, OPENING, known, UP, SIZE, apart)
    assert told is not None and abs(told.scale().value / near - 1) < 0.03 and abs(told.yaw.value) < 2


def test_what_settles_nothing_leaves_all_where_it_was_with_its_uncertainty() -> None:
    track, _, apart = squatting(15.0)
    known, body = Value(FOCAL / AWAY_CM, 0.05 * FOCAL / AWAY_CM), Body(measured_cm=dict(LENGTHS))
    plane = fit_plane(track, "side-right", body, OPENING, known, UP, SIZE, apart, None, from_film=False)
    assert plane is not None
    assert plane.scale().value == pytest.approx(known.value, rel=0.01) and plane.scale().u == pytest.approx(known.u, rel=0.1)
    assert plane.yaw.u > 6


def test_a_foot_set_ahead_of_the_other_is_no_yaw() -> None:
    track, _, apart = squatting(0.0)
    known, body = Value(FOCAL / AWAY_CM, 0.05 * FOCAL / AWAY_CM), Body(measured_cm=dict(LENGTHS))
    lunging = apart | {"ankle": -200.0}
    plane = fit_plane(track, "side-right", body, OPENING, known, UP, SIZE, lunging)
    assert plane is not None and abs(plane.yaw.value) < 4
