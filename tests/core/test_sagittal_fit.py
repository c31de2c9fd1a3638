"""From the picture to the body: a leg of known lengths filmed by a pinhole camera that stands off the side view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.camera_direction import CameraDirection
from deepmirror.core.camera.sagittal_fit import OutOfPlanePrior, fit_plane
from deepmirror.core.motion.kinematics import angle_series, between
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import UP

LENGTHS = {"thigh": 42.0, "shank": 41.0, "foot": 26.0, "trunk": 48.0, "biacromial": 37.0, "hip_breadth": 23.0}
FOCAL, AWAY_CM, SIZE = 1024.0, 340.0, (1280, 720)
JOINTS = ("shoulder", "hip", "knee", "ankle", "heel", "toe")
OPENING = OutOfPlanePrior((15, 8), (15, 8), (15, 10), planted=True, stance=(1.1, 0.3))


KNOWN = Value(FOCAL / AWAY_CM, 0.035 * FOCAL / AWAY_CM)
MEASURED = Body(measured_cm=dict(LENGTHS))
SQUARE = CameraDirection(Value(0.0, 8.0), Value(0.0, 8.0))


def squatting(yaw_deg: float, knees_open_deg: float = 16.0, pitch_deg: float = 0.0) -> tuple[Track, dict[str, np.ndarray]]:
    """A squat seen from the client's right: track, and true knee flexion, hip flexion and trunk lean (T,).

    Body axes: x forward, y towards the near side, z up, cm. The camera turns about the client by yaw towards the front, and is raised by
    pitch to look down on her.
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
    true = {
        "knee_flexion_right": 180 - between(hip - knee, ankle - knee),
        "hip_flexion_right": between(hip - shoulder, knee - hip),
        "trunk_lean": np.degrees(lean),
    }
    turn = Rotation.from_euler("z", yaw_deg, degrees=True).as_matrix()

    down = Rotation.from_euler("x", pitch_deg, degrees=True).as_matrix()
    p = (body @ turn.T - [0, 0, 85]) @ down
    scale = FOCAL / (AWAY_CM - p[..., 1])
    pixels = np.stack([639.5 + p[..., 0] * scale, 359.5 - p[..., 2] * scale], axis=-1)
    names = tuple(f"{j}_right" for j in JOINTS)
    covariance = np.tile(np.eye(12), (len(depth), 1, 1))
    return Track(np.arange(len(depth)) / 30, names, pixels, covariance), true


@pytest.mark.parametrize("yaw", [-22.0, 0.0, 12.0, 22.0])
def test_a_cameras_yaw_is_taken_out_of_the_knee(yaw: float) -> None:
    track, true = squatting(yaw)
    told = CameraDirection(Value(0.8 * yaw, 10.0), SQUARE.pitch)
    plane = fit_plane(track, "side-right", MEASURED, OPENING, KNOWN, UP, SIZE, told)
    assert plane is not None
    assert abs(plane.yaw.value - yaw) < max(4.0, plane.yaw.u)
    corrected = angle_series(track, "side-right", UP, 1.0, plane)["knee_flexion_right"]
    pictured = angle_series(track, "side-right", UP, 1.0)["knee_flexion_right"]
    error, raw = (np.abs(s.values - true["knee_flexion_right"]) for s in (corrected, pictured))
    assert np.median(error) < 2.0
    assert (error <= corrected.u).mean() > 0.9
    if yaw > 10:
        assert np.median(error) < np.median(raw) / 2


@pytest.mark.parametrize("pitch", [-15.0, 24.0])
def test_a_camera_that_looks_up_or_down_changes_no_angle(pitch: float) -> None:
    """A camera that looks down sees a trunk shorter, and its shoulder, which lies further out than the hip, lower."""
    track, true = squatting(0.0, pitch_deg=pitch)
    told, flat = (CameraDirection(SQUARE.yaw, Value(p, 3.0)) for p in (pitch + 1.5, 0.0))
    plane, level = (fit_plane(track, "side-right", MEASURED, OPENING, KNOWN, UP, SIZE, d) for d in (told, flat))
    assert plane is not None and level is not None
    for name, most in (("knee_flexion_right", 3.0), ("hip_flexion_right", 3.5), ("trunk_lean", 2.5)):
        found, without = (angle_series(track, "side-right", UP, 1.0, p)[name] for p in (plane, level))
        error = np.abs(found.values - true[name])
        assert np.median(error) < most and (error <= found.u).mean() > 0.9, name
        if name == "trunk_lean":
            assert error.max() < 0.6 * np.abs(without.values - true[name]).max(), name


def test_a_segment_shows_the_length_it_has_before_a_camera_that_looks_down() -> None:
    track, _ = squatting(8.0, pitch_deg=20.0)
    plane = fit_plane(track, "side-right", MEASURED, OPENING, KNOWN, UP, SIZE, CameraDirection(Value(8.0, 4.0), Value(20.0, 4.0)))
    assert plane is not None
    thigh = track.point("knee_right") - track.point("hip_right")
    seen = plane.seen_length_px("thigh", thigh)
    assert np.median(np.abs(seen / np.linalg.norm(thigh, axis=1) - 1)) < 0.03


def test_without_lengths_the_band_is_wider_not_the_claim_bolder() -> None:
    track, _ = squatting(18.0)
    told = CameraDirection(Value(15.0, 10.0), SQUARE.pitch)
    measured, guessed = (fit_plane(track, "side-right", b, OPENING, KNOWN, UP, SIZE, told) for b in (MEASURED, Body(stature_cm=170.0)))
    assert measured is not None and guessed is not None
    wide, narrow = (angle_series(track, "side-right", UP, 1.0, p)["knee_flexion_right"].u for p in (guessed, measured))
    assert np.median(wide) > np.median(narrow)


def shod(slope_deg: float, click_px: tuple[float, float], rising_deg: float = 0.0) -> tuple[Track, np.ndarray]:
    """The squat in shoes that slope (toes up) throughout and rise at the heel with depth, toe clicked off; true dorsiflexion (T,)."""
    track, _ = squatting(0.0)
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
    plane = fit_plane(track, "side-right", MEASURED, OPENING, KNOWN, UP, SIZE, SQUARE)
    assert plane is not None and len(plane.standing)
    ankle = "ankle_dorsiflexion_right"
    found = angle_series(track, "side-right", UP, 1.0, plane)[ankle]
    error = np.abs(found.values - true)
    assert np.median(error) < 2.0 and (error <= found.u).mean() > 0.9
    lying = fit_plane(track, "side-right", MEASURED, replace(OPENING, planted=False), KNOWN, UP, SIZE, SQUARE)
    assert lying is not None and not len(lying.standing)  # a foot in the air is taken as it is seen
    if not slope:
        assert np.median(error) < np.median(np.abs(angle_series(track, "side-right", UP, 1.0, lying)[ankle].values - true))


def test_front_views_have_no_side_plane() -> None:
    track, _ = squatting(0.0)
    assert fit_plane(track, "front", Body(stature_cm=170), OPENING, None, UP, SIZE) is None


def test_points_followed_wrongly_do_not_bend_what_was_known() -> None:
    """An ankle that lags behind for part of the set looks like a shank that shortens: neither yaw nor scale may follow it."""
    track, _ = squatting(0.0)
    lagging = track.positions.copy()
    ankle = JOINTS.index("ankle")
    lagging[60:180, ankle, 1] -= 45.0
    known, body = Value(FOCAL / AWAY_CM, 0.05 * FOCAL / AWAY_CM), Body(measured_cm=dict(LENGTHS))
    plane = fit_plane(replace(track, positions=lagging), "side-right", body, OPENING, known, UP, SIZE, SQUARE)
    assert plane is not None and not plane.strained
    near = FOCAL / (AWAY_CM - 19)  # px per cm at the near leg
    assert abs(plane.yaw.value) <= plane.yaw.u and abs(plane.scale.value / near - 1) < 0.05
    unsure = track.covariance.copy()
    unsure[60:180] *= 400.0  # and where that is known, hardly anything is left of it
    told = fit_plane(Track(track.times, track.names, lagging, unsure), "side-right", body, OPENING, known, UP, SIZE, SQUARE)
    assert told is not None and abs(told.scale.value / near - 1) < 0.03 and abs(told.yaw.value) < 2


def test_what_settles_nothing_leaves_all_where_it_was_with_its_uncertainty() -> None:
    track, _ = squatting(15.0)
    known, body = Value(FOCAL / AWAY_CM, 0.05 * FOCAL / AWAY_CM), Body(measured_cm=dict(LENGTHS))
    plane = fit_plane(track, "side-right", body, OPENING, known, UP, SIZE, SQUARE, None, from_film=False)
    assert plane is not None
    assert plane.scale.value == pytest.approx(known.value, rel=0.01) and plane.scale.u == pytest.approx(known.u, rel=0.1)
    assert plane.yaw.u > 6


def test_a_direction_that_is_quite_wrong_does_not_bend_a_leg_that_shows_its_lengths() -> None:
    track, true = squatting(0.0)
    wrong = CameraDirection(Value(30.0, 8.0), SQUARE.pitch)
    plane = fit_plane(track, "side-right", MEASURED, OPENING, KNOWN, UP, SIZE, wrong)
    assert plane is not None and abs(plane.yaw.value) < 20
    found = angle_series(track, "side-right", UP, 1.0, plane)["knee_flexion_right"]
    assert np.median(np.abs(found.values - true["knee_flexion_right"])) < 4
