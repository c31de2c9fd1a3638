"""The still room: a hand-held camera's movement found again, a still camera left alone."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from deepmirror.core.trajectories import Track
from deepmirror.pose.camera_motion import RoomFollower


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


def test_who_walks_past_a_client_who_nearly_fills_the_picture_takes_the_room_nowhere() -> None:
    """Of a bare wall a few marks beside the client show; where the room would be taken to, she hides those too, so that nothing speaks
    against it."""
    rng = np.random.default_rng(8)
    room, other = np.full((400, 640), 120, np.uint8), cv2.GaussianBlur(rng.integers(0, 255, (400, 300), dtype=np.uint8), (0, 0), 2)
    for y in range(10, 390, 16):
        room[y : y + 8, 100:142] = 220
    follower, body = RoomFollower(), np.array([[190.0, 60.0], [620.0, 340.0]])
    for t in range(200):
        picture, left = room.copy(), 6 * (t - 15) - 300
        if -300 < left < 640:
            seen = slice(max(left, 0), min(left + 300, 640))
            picture[:, seen] = other[:, seen.start - left : seen.stop - left]
        follower.add(picture, body)
    path = follower.path()
    assert not len(path) or np.linalg.norm(path[:, :, 2], axis=1).max() < 25.0, "for a third of a second, until it is noticed"
    assert not len(path) or np.linalg.norm(path[-15:, :, 2], axis=1).max() < 2.0
