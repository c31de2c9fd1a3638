"""The still room and the moving platform: a hand-held camera's movement found again, a sled's too, a still camera left alone."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from deepmirror.core.trajectories import Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.camera_motion import PlatformFollower, RoomFollower
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.rigid_attachment import carry_feet_on_platform
from deepmirror.services.films.repetitions import repetitions, sled_travel


def wall() -> np.ndarray:
    """A textured picture, larger than the frame (H, W)."""
    rng = np.random.default_rng(3)
    return cv2.GaussianBlur(rng.integers(0, 255, (500, 800), dtype=np.uint8), (0, 0), 3)


def test_a_moving_cameras_path_is_found_and_taken_out() -> None:
    picture, follower = wall(), RoomFollower()
    body = np.array([[300.0, 200.0], [340.0, 300.0]])
    moves = []
    for t in range(40):
        angle, shift = 1.5 * np.sin(t / 9), (8 * np.sin(t / 7), 5 * np.cos(t / 11) - 5)
        move = cv2.getRotationMatrix2D((320, 200), angle, 1.0)
        move[:, 2] += shift
        moves.append(move)
        follower.add(cv2.warpAffine(picture, move, (640, 400)), body)
    path = follower.path()
    first = np.linalg.inv(np.vstack([moves[0], [0, 0, 1]]))
    spot = np.array([100.0, 120.0, 1.0])
    there = np.array([m @ first @ spot for m in moves])
    found = np.einsum("tij,j->ti", path, spot)
    assert np.linalg.norm(found - there, axis=1).max() < 1.0
    track = Track(np.arange(40) / 30, ("bar",), there[:, None], np.tile(np.eye(2), (40, 1, 1)))
    assert np.ptp(track.camera_compensated(path).point("bar"), axis=0).max() < 1.5


def test_a_camera_that_stands_still_has_no_path() -> None:
    picture, follower = wall()[:400, :640], RoomFollower()
    for _ in range(10):
        follower.add(np.ascontiguousarray(picture), np.array([[300.0, 200.0], [340.0, 300.0]]))
    assert len(follower.path()) == 0


def sled_pictures() -> tuple[list[np.ndarray], np.ndarray]:
    """A platform (its own texture, 240 x 120 px at 200, 80) that goes 60 px down and back before a still wall, and its way (T,) px."""
    rng = np.random.default_rng(5)
    back, plate = wall()[:400, :640].copy(), cv2.GaussianBlur(rng.integers(0, 255, (120, 240), dtype=np.uint8), (0, 0), 1.5)
    way = 60 * (1 - np.cos(np.linspace(0, 4 * np.pi, 61))) / 2
    pictures = []
    for down in way:
        picture = back.copy()
        moved = cv2.warpAffine(plate, np.array([[1.0, 0, 0], [0, 1, down % 1]]), (240, 121), borderMode=cv2.BORDER_REPLICATE)
        picture[80 + int(down) : 200 + int(down), 200:440] = moved[:120]
        pictures.append(picture)
    return pictures, way


CORNERS = np.array([[200.0, 80.0], [440.0, 80.0], [440.0, 200.0], [200.0, 200.0]])


def test_marks_on_a_platform_move_with_it() -> None:
    pictures, way = sled_pictures()
    follower = PlatformFollower(CORNERS)
    for picture in pictures:
        follower.add(picture)
    path = follower.path()
    there = path[:, :, :2] @ CORNERS[2] + path[:, :, 2]
    assert np.abs(there - np.stack([np.full(61, 440.0), 200 + way], axis=1)).max() < 1.5


def test_clicked_feet_go_with_the_platform_and_its_way_counts_the_reps() -> None:
    pictures, way = sled_pictures()
    follower = PlatformFollower(CORNERS)
    for picture in pictures:
        follower.add(picture)
    names = ["toe_left", "toe_right", "knee_left", "ankle_left"]
    lost = np.full((61, 4, 2), 30.0)
    evidence = replace(Evidence(np.arange(61) / 30, names, lost, np.full((61, 4), 4.0)), platform=follower.path())
    told = carry_feet_on_platform(evidence, [Keyframe(0, {"toe_left": (300.0, 120.0), "knee_left": (1.0, 1.0)})])
    assert np.abs(told.network[:, 0] - np.stack([np.full(61, 300.0), 120 + way], axis=1)).max() < 1.5
    assert (told.network[:, 1:] == 30.0).all()  # not clicked, or not on the platform
    travel = sled_travel(evidence.times, evidence.platform, CORNERS.mean(axis=0), 240 / 80)
    assert travel.values.max() == pytest.approx(60 / 240 * 80, abs=0.6)
    press = load_catalogue().movement("leg_press")
    track = Track(evidence.times, (), np.zeros((61, 0, 2)), np.zeros((61, 0, 0)))
    assert len(repetitions({}, track, press, "rear", None, travel).reps) == 2


def passer_by(still: bool) -> tuple[list[np.ndarray], np.ndarray]:
    """Pictures of a wall before which somebody large and patterned walks from right to left close to the camera, and where the wall's
    first picture lies in each of them (T, 2, 3): a camera on a stand, or one that sways."""
    rng = np.random.default_rng(8)
    room, other = wall(), cv2.GaussianBlur(rng.integers(0, 255, (400, 300), dtype=np.uint8), (0, 0), 2)
    pictures, moves = [], []
    for t in range(150):
        move = np.array([[1.0, 0, 0], [0, 1, 0]])
        if not still:
            move = cv2.getRotationMatrix2D((320, 200), 0.8 * np.sin(t / 9), 1.0)
            move[:, 2] += 6 * np.sin(t / 8), 4 * np.sin(t / 11)
        picture = cv2.warpAffine(room, move, (640, 400))
        left = 640 - 8 * (t - 15)
        if -300 < left < 640:
            seen = slice(max(left, 0), min(left + 300, 640))
            picture[:, seen] = other[:, seen.start - left : seen.stop - left]
        pictures.append(picture)
        moves.append(move)
    return pictures, np.array(moves)


@pytest.mark.parametrize("still", [True, False])
def test_who_walks_past_takes_the_room_nowhere(still: bool) -> None:
    """The client stands in the middle, so that the room shows at the sides alone and the passer-by hides most of it."""
    pictures, moves = passer_by(still)
    follower, body = RoomFollower(), np.array([[220.0, 30.0], [420.0, 370.0]])
    for picture in pictures:
        follower.add(picture, body)
    path = follower.path()
    path = path if len(path) else np.tile(np.eye(2, 3), (len(pictures), 1, 1))
    spot = np.array([320.0, 200.0, 1.0])
    off = np.linalg.norm((path - moves) @ spot, axis=1)
    assert off[-15:].max() < 2.0, "after she has gone the room is where it is"
    assert off.max() < (1.0 if still else 12.0), "and meanwhile no further off than the camera sways"


def test_a_light_that_goes_out_does_not_stop_the_room_from_being_followed() -> None:
    picture, follower, body = wall(), RoomFollower(), np.array([[300.0, 200.0], [340.0, 300.0]])
    for t in range(80):
        move = np.array([[1.0, 0, 0.5 * t], [0, 1, 0]])
        seen = cv2.warpAffine(picture, move, (640, 400))
        follower.add(seen if t < 30 else (seen // 3), body)
    assert abs(follower.path()[-1, 0, 2] - 39.5) < 1.5
