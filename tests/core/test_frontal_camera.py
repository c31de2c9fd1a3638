"""From a front picture to the frontal plane: legs of known lengths before a pinhole camera that looks down a little.

The pinhole model is the textbook one (Hartley & Zisserman, Multiple View Geometry, chapter 6, from memory), written here
without the program's own geometry.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.camera_direction import USUAL_FRONT_DIRECTION, CameraDirection
from deepmirror.core.camera.frontal_camera import Frontal, fit_frontal, standing_scale
from deepmirror.core.geometry import signed_turn
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import UP

LENGTHS = {"thigh": 42.0, "shank": 40.0, "foot": 27.0, "trunk": 48.0, "biacromial": 36.0, "hip_breadth": 22.0}
AWAY_CM, HIGH_CM, FOCAL, SIZE = 240.0, 105.0, 1024.0, (1280, 720)
JOINTS = ("hip", "knee", "ankle", "heel", "toe")


def squatting(pitch_deg: float, knees_in_cm: float, view: str = "front", turn_deg: float = 0.0) -> tuple[Track, dict[str, np.ndarray]]:
    """A squat before the camera: track, and for both sides the true frontal-plane angle, knee flexion and inward knee (% of the shank).

    Room axes: x to the client's left, y towards where she faces, z up, cm; at the bottom the knees come in by knees_in_cm. She stands
    turned to her left by turn_deg.
    """
    turn = Rotation.from_euler("z", -turn_deg, degrees=True).as_matrix()
    deep = (1 - np.cos(np.linspace(0, 4 * np.pi, 200))) / 2
    names, pixels, true = [], [], {}
    for side, way in (("left", 1.0), ("right", -1.0)):
        ankle = np.column_stack([np.full(200, way * 18.0), np.zeros(200), np.full(200, 9.0)])
        hip_x, ahead = way * 11.0, 26.0 * deep
        knee_x = way * (15.0 - knees_in_cm * deep)
        knee = np.column_stack([knee_x, ahead, ankle[:, 2] + np.sqrt(40.0**2 - ahead**2 - (knee_x - way * 18.0) ** 2)])
        back = -13.0 * deep
        hip = np.column_stack([np.full(200, hip_x), back, knee[:, 2] + np.sqrt(42.0**2 - (back - ahead) ** 2 - (hip_x - knee_x) ** 2)])
        out = np.array([np.sin(0.25) * way, np.cos(0.25), 0.0])
        heel, toe = ankle - 7 * out - [0, 0, 7], ankle + 20 * out - [0, 0, 7]
        for joint, place in zip(JOINTS, (hip, knee, ankle, heel, toe), strict=True):
            names.append(f"{joint}_{side}")
            pixels.append(project(place @ turn.T, pitch_deg, 1 if view == "front" else -1))
        flat = lambda v, way=way: np.stack([way * v[:, 0], v[:, 2]], axis=1)
        true[f"fppa_{side}"] = signed_turn(flat(knee - ankle), flat(hip - knee)) * -1
        cosine = ((hip - knee) * (knee - ankle)).sum(axis=1) / (42.0 * 40.0)
        true[f"knee_flexion_{side}"] = np.degrees(np.arccos(cosine))
        share = (knee - hip)[:, 2] / (ankle - hip)[:, 2]
        true[f"knee_medial_{side}"] = -way * ((knee - hip)[:, 0] - share * (ankle - hip)[:, 0]) / 40.0 * 100
    covariance = np.tile(np.eye(2 * len(names)), (200, 1, 1))
    return Track(np.arange(200) / 30, tuple(names), np.stack(pixels, axis=1), covariance), true


def project(place: np.ndarray, pitch_deg: float, towards: int) -> np.ndarray:
    """Pixels of points (T, 3) for a camera HIGH_CM above the floor, before (1) or behind (-1) the client, looking down by pitch_deg."""
    pitch = np.radians(pitch_deg)
    x, away, up = towards * place[:, 0], AWAY_CM - towards * place[:, 1], place[:, 2] - HIGH_CM
    deep, rise = away * np.cos(pitch) - up * np.sin(pitch), up * np.cos(pitch) + away * np.sin(pitch)
    return np.stack([639.5 + FOCAL * x / deep, 359.5 - FOCAL * rise / deep], axis=1)


def camera(track: Track, view: str = "front", direction: CameraDirection = USUAL_FRONT_DIRECTION) -> Frontal:
    found = fit_frontal(track, view, Body(measured_cm=dict(LENGTHS)), UP, SIZE, direction)
    assert found is not None
    return found


@pytest.mark.parametrize("pitch", [-3.0, 0.0, 4.0, 7.0])
def test_level_shoes_tell_how_far_the_camera_looks_down(pitch: float) -> None:
    found = camera(squatting(pitch, 6.0)[0])
    assert abs(np.degrees(found.parameters.pitch_rad) - pitch) < 2 * np.degrees(np.sqrt(found.covariance[0, 0]))
    assert np.degrees(np.sqrt(found.covariance[0, 0])) < 3.0


@pytest.mark.parametrize("view", ["front", "rear"])
@pytest.mark.parametrize("pitch", [0.0, 5.0])
def test_a_knee_that_comes_near_is_put_where_it_is(view: str, pitch: float) -> None:
    track, true = squatting(pitch, 8.0, view)
    flat, space = angle_series(track, view), angle_series(track, view, frontal=camera(track, view))
    for side in ("left", "right"):
        want = true[f"fppa_{side}"]
        assert want.max() > 18  # the knees do cave in
        error, picture = (np.abs(a[f"fppa_{side}"].values - want) for a in (space, flat))
        assert picture.max() > 2.5  # the picture alone is that far off (from behind by more than 10)
        assert error.max() < 1.5 and error.max() < 0.5 * picture.max()
        assert np.all(error < space[f"fppa_{side}"].u)
        assert np.abs(space[f"knee_medial_{side}"].values - true[f"knee_medial_{side}"]).max() < 4


@pytest.mark.parametrize("view", ["front", "rear"])
@pytest.mark.parametrize("turn", [-12.0, 8.0])
def test_a_camera_off_the_line_is_taken_out_of_caving_knees(view: str, turn: float) -> None:
    """Knees that cave by 6 cm: seen from the side of one it caves by far more, and the other not at all."""
    track, true = squatting(3.0, 6.0, view, turn)
    told = CameraDirection(Value(turn + 1.0, 4.0), Value(3.0, 6.0))
    space, straight = (angle_series(track, view, frontal=camera(track, view, d)) for d in (told, replace(told, yaw=Value(0.0, 4.0))))
    for side in ("left", "right"):
        name = f"fppa_{side}"
        error, without = (np.abs(a[name].values - true[name]) for a in (space, straight))
        assert error.max() < 6 and error.max() < 0.45 * without.max()
        assert np.mean(error < space[name].u) > 0.85


def test_what_the_looks_tell_of_the_pitch_counts_beside_the_shoes() -> None:
    track = squatting(0.0, 6.0)[0]
    level, down = (camera(track, "front", CameraDirection(USUAL_FRONT_DIRECTION.yaw, Value(p, 2.0))).pitch for p in (0.0, 8.0))
    assert level.value + 2 < down.value < 8


def test_depth_tells_the_knees_flexion_from_the_front() -> None:
    track, true = squatting(2.0, 6.0)
    space = angle_series(track, "front", frontal=camera(track))
    deep = true["knee_flexion_left"] > 70
    error = np.abs(space["knee_flexion_left"].values - true["knee_flexion_left"])
    assert error[deep].max() < 5
    assert np.all(error < space["knee_flexion_left"].u + 1)


def test_the_doubt_of_pitch_and_lengths_reaches_the_angle() -> None:
    track, _ = squatting(2.0, 6.0)
    sure = camera(track)
    unsure = replace(sure, covariance=sure.covariance * 9)
    narrow, wide = (angle_series(track, "front", frontal=c)["fppa_left"].u for c in (sure, unsure))
    assert np.all(wide >= narrow) and wide.max() > 1.3 * narrow.max()


def test_the_standing_legs_give_the_scale() -> None:
    track, _ = squatting(0.0, 6.0)
    scale = standing_scale(track, Body(measured_cm=dict(LENGTHS)))
    assert abs(scale.value - FOCAL / AWAY_CM) < scale.u


def test_a_side_film_has_no_frontal_camera() -> None:
    assert fit_frontal(squatting(0.0, 6.0)[0], "side-left", Body(measured_cm=dict(LENGTHS)), UP, SIZE) is None


@pytest.mark.parametrize("view", ["front", "rear"])
def test_a_shoe_that_points_at_the_camera_is_turned_out_no_further_than_it_is(view: str) -> None:
    """Shoes turned out by 0.25 rad: their toes come nearer the camera and look further out by the way, from behind further in."""
    track, _ = squatting(3.0, 6.0, view)
    found, true = camera(track, view), np.degrees(0.25)
    for side in ("left", "right"):
        out = 1 if (side == "left") == (view == "front") else -1
        toe, heel = (track.point(f"{j}_{side}")[:, 0] for j in ("toe", "heel"))
        pictured = np.degrees(np.arcsin(out * (toe - heel) / found.foot_px))
        turned = np.degrees(np.arcsin(out * found.series(track, lambda p, c, s=side: c.shoe_aside(p, s)).values / found.foot_px))
        assert np.abs(turned - true).max() < 1.0
        assert np.abs(pictured - true).min() > 3.0
