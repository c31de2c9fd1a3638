"""The still room: a hand-held camera's movement found again, a still camera left alone."""

from __future__ import annotations

import cv2
import numpy as np

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
