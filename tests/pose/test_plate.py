"""A client with a bar, seen by a pinhole camera: the shoulder is told by the plate that hides it."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.plate import PlateFollower, behind_plate, find_disc

FRAMES, FOCAL, DISTANCE = 50, 1000.0, 360.0
MIDDLE = np.array([400.0, 300.0])
NAMES = ["shoulder_left", "hip_left"]
DEEP = 0.5 - 0.5 * np.cos(np.linspace(0, 2 * np.pi, FRAMES))


def seen_at(x_cm: np.ndarray, up_cm: np.ndarray, nearer_cm: float) -> np.ndarray:
    scale = FOCAL / (DISTANCE - nearer_cm)
    return MIDDLE + scale * np.stack([x_cm, -up_cm], axis=1)


def squat() -> dict[str, np.ndarray]:
    """Paths (T, 2) px of hip, shoulder and plate: the trunk leans 20 to 45° to the left, the hip sinks 45 cm."""
    lean = np.radians(20 + 25 * DEEP)
    hip = np.stack([10 * DEEP, -10 - 45 * DEEP], axis=1)
    along = np.stack([-np.sin(lean), np.cos(lean)], axis=1)
    back = np.stack([np.cos(lean), np.sin(lean)], axis=1)
    shoulder = hip + 46 * along
    bar = shoulder + 3 * along + 8 * back
    at = {"hip": (hip, 0.0), "shoulder": (shoulder, 0.0), "plate": (bar, 50.0)}
    return {k: seen_at(p[:, 0], p[:, 1], z) for k, (p, z) in at.items()}


def picture(plate: np.ndarray | None, hidden: bool = False) -> np.ndarray:
    rng = np.random.default_rng(8)
    grey = np.kron(rng.integers(110, 160, (12, 16)), np.ones((50, 50)))
    if plate is not None:
        at = tuple(round(float(v) * 16) for v in plate)
        for radius, shade in ((62, 40.0), (40, 90.0), (9, 190.0)):
            cv2.circle(grey, at, radius * 16, shade, -1, shift=4)
    if hidden:
        grey[:, 330:480] = 128
    return np.clip(cv2.GaussianBlur(grey, (0, 0), 0.8) + rng.normal(0, 3, grey.shape), 0, 255).astype(np.uint8)


def evidence(plate: np.ndarray, shake: np.ndarray | None = None) -> Evidence:
    paths = squat()
    network = np.stack([paths["shoulder"], paths["hip"]], axis=1)
    out = Evidence(np.arange(FRAMES) / 30, NAMES, network, np.full((FRAMES, 2), 5.0))
    out = replace(out, step=np.zeros_like(network), step_sigma=np.ones((FRAMES, 2)), plate=plate)
    if shake is not None:
        room = np.concatenate([np.tile(np.eye(2), (FRAMES, 1, 1)), shake[:, :, None]], axis=2)
        out = replace(out, room=room, network=network + shake[:, None], plate=plate + shake)
    return out


def test_the_plate_is_found_and_followed_and_missed_where_it_is_hidden() -> None:
    paths = squat()
    follower = PlateFollower(115.0)
    assert follower.learn(picture(paths["plate"][0]), paths["shoulder"][0])
    gone = range(20, 24)
    found = np.array(
        [follower.find(picture(p, i in gone), s) for i, (p, s) in enumerate(zip(paths["plate"], paths["shoulder"], strict=True))]
    )
    clear = [i for i in range(FRAMES) if i not in gone]
    assert np.isnan(found[list(gone)]).all()
    assert np.linalg.norm(found[clear] - paths["plate"][clear], axis=1).max() < 1.5


def test_a_plate_that_leaves_the_picture_is_lost_and_found_again() -> None:
    paths = squat()
    follower = PlateFollower(115.0)
    assert follower.learn(picture(paths["plate"][0]), paths["shoulder"][0])
    for away in ((4000.0, -900.0), (-2500.0, 300.0)):
        assert np.isnan(follower.find(picture(None), np.array(away))).all()
    assert np.linalg.norm(follower.find(picture(paths["plate"][0]), paths["shoulder"][0]) - paths["plate"][0]) < 1.5


def test_a_wall_holds_no_plate() -> None:
    assert find_disc(picture(None), np.array([400.0, 220.0]), 115.0) is None


def test_a_head_is_no_plate() -> None:
    shoulder = np.array([400.0, 320.0])
    grey = picture(None).astype(float)
    cv2.circle(grey, (395, 255), 31, 40.0, -1)
    assert find_disc(np.clip(cv2.GaussianBlur(grey, (0, 0), 0.8), 0, 255).astype(np.uint8), shoulder, 115.0) is None


@pytest.mark.parametrize("shaken", [False, True])
def test_the_shoulder_follows_from_the_plate(shaken: bool) -> None:
    paths = squat()
    shake = (
        np.stack([9 * np.sin(np.arange(FRAMES) / 5), 6 * np.cos(np.arange(FRAMES) / 7) - 6], axis=1) if shaken else np.zeros((FRAMES, 2))
    )
    seen = evidence(paths["plate"], shake if shaken else None)
    key = Keyframe(0, {"shoulder_left": tuple(paths["shoulder"][0] + shake[0])})
    told = behind_plate(seen, [key], "side-left", seen.network, FOCAL / DISTANCE, DISTANCE)
    miss = np.linalg.norm(told.match[:, 0] - paths["shoulder"] - shake, axis=1)
    carried = np.linalg.norm(paths["shoulder"][0] + paths["plate"] - paths["plate"][0] - paths["shoulder"], axis=1)
    assert carried.max() > 15  # what flow on the plate would say
    assert miss.max() < 2.5
    assert (miss <= 2 * told.match_sigma[:, 0]).all()
    assert np.isinf(told.step_sigma[:, 0]).all()


def test_without_a_clicked_shoulder_or_a_plate_nothing_changes() -> None:
    paths = squat()
    seen = evidence(paths["plate"])
    assert behind_plate(seen, [Keyframe(0, {"hip_left": (1.0, 1.0)})], "side-left", seen.network, 2.8, DISTANCE) is seen
    bare = evidence(np.empty((0, 2)))
    assert behind_plate(bare, [Keyframe(0, {"shoulder_left": (1.0, 1.0)})], "side-left", seen.network, 2.8, DISTANCE) is bare
