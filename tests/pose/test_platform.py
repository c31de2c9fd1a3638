"""A sled's platform: it is followed, found again behind what hides it, and not believed where it is lost; its way counts the reps."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from deepmirror.core.trajectories import Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.platform import PlatformFollower
from deepmirror.pose.rigid_attachment import carry_feet_on_platform
from deepmirror.services.films.repetitions import repetitions, sled_travel


def texture(size: tuple[int, int], blur: float, seed: int = 3) -> np.ndarray:
    """Something with spots to follow (H, W)."""
    return cv2.GaussianBlur(np.random.default_rng(seed).integers(0, 255, size, dtype=np.uint8), (0, 0), blur)


def sled_pictures() -> tuple[list[np.ndarray], np.ndarray]:
    """A platform (its own texture, 240 x 120 px at 200, 80) that goes 60 px down and back before a still wall, and its way (T,) px."""
    back, plate = texture((400, 640), 3.0), texture((120, 240), 1.5)
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
    path, sigma = follower.believed()
    assert (sigma < 2).all()
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
    no_room = np.empty((0, 2, 3))
    travel = sled_travel(evidence.times, evidence.platform, follower.sigma(), no_room, CORNERS.mean(axis=0), 240 / 80)
    assert travel.values.max() == pytest.approx(60 / 240 * 80, abs=0.6)
    press = load_catalogue().movement("leg_press")
    track = Track(evidence.times, (), np.zeros((61, 0, 2)), np.zeros((61, 0, 0)))
    assert len(repetitions({}, track, press, "rear", None, travel).reps) == 2


def knees_before(pictures: list[np.ndarray], way: np.ndarray) -> list[np.ndarray]:
    """The same with knees that come up before the platform as it goes down, against its way, until hardly anything of it shows."""
    knees, out = texture((200, 260), 2.0, 11), []
    for picture, down in zip(pictures, way, strict=True):
        hidden = picture.copy()
        top = int(330 - 3.5 * down)
        rows = slice(max(top, 0), min(top + 200, 400))
        hidden[rows, 190:450] = knees[: rows.stop - rows.start]
        out.append(hidden)
    return out


def test_a_platform_that_knees_hide_is_found_again_and_unsure_meanwhile() -> None:
    pictures, way = sled_pictures()
    follower = PlatformFollower(CORNERS)
    for picture in knees_before(pictures, way):
        follower.add(picture)
    path, sigma = follower.believed()
    off = np.abs((path[:, :, :2] @ CORNERS.mean(axis=0) + path[:, :, 2])[:, 1] - 140 - way)
    assert off[way < 10].max() < 1.5 and off[-1] < 1.5, "at either end of a rep it is where it was"
    assert (off < 2 * sigma).all() and sigma.max() > 10, "where it is hidden it says so"
    travel = sled_travel(np.arange(61) / 30, path, sigma, np.empty((0, 2, 3)), CORNERS.mean(axis=0), 240 / 80)
    track = Track(travel.times, (), np.zeros((61, 0, 2)), np.zeros((61, 0, 0)))
    reps = repetitions({}, track, load_catalogue().movement("leg_press"), "rear", None, travel).reps
    assert len(reps) == 2 and min(r.unsure["bottom"] for r in reps) > 0.2


def test_a_platform_that_is_never_found_again_is_not_believed() -> None:
    pictures, _ = sled_pictures()
    follower = PlatformFollower(CORNERS)
    for number, picture in enumerate(pictures):
        follower.add(picture if number < 5 else texture((400, 640), 2.0, number))
    assert len(follower.believed()[0]) == 0 == len(follower.believed()[1])


@pytest.mark.parametrize("sway", [0.0, 12.0])
def test_a_camera_that_sways_moves_no_platform(sway: float) -> None:
    times = np.arange(61) / 30
    moves = np.tile(np.eye(2, 3), (61, 1, 1))
    moves[:, 1, 2] = sway * np.sin(times * 4)
    travel = sled_travel(times, moves, np.empty(0), moves if sway else np.empty((0, 2, 3)), np.array([300.0, 140.0]), 3.0)
    assert np.ptp(travel.values) < 1e-9
    track = Track(times, (), np.zeros((61, 0, 2)), np.zeros((61, 0, 0)))
    told = repetitions({}, track, load_catalogue().movement("leg_press"), "rear", None, travel)
    assert not told.reps and "hardly moves" in told.refused, "a coach is told why none is counted"


def test_a_hidden_sled_is_no_nearer_than_where_it_was_lost() -> None:
    way = np.array([0, 0, 4, 8, 12, 3, 1, 9, 12, 8, 4, 0, 0, 0], float)
    moves, sigma = np.tile(np.eye(2, 3), (14, 1, 1)), np.full(14, 1.5)
    moves[:, 1, 2], sigma[4:9] = way, 20.0
    travel = sled_travel(np.arange(14) / 10, moves, sigma, np.empty((0, 2, 3)), np.zeros(2), 1.0)
    assert travel.values.tolist() == [0, 0, 4, 8, 12, 8, 8, 9, 12, 8, 4, 0, 0, 0]
    assert travel.u[5] > 39 and travel.u[3] < 5


def test_feet_seen_beside_the_picture_break_nothing() -> None:
    follower = PlatformFollower(CORNERS + [900.0, 0.0])
    assert len(follower.believed()[0]) == 0, "asked before the first picture"
    for picture in sled_pictures()[0][:5]:
        follower.add(picture)
    assert len(follower.believed()[0]) == 0


def test_a_head_that_keeps_its_place_before_the_platform_does_not_hold_it() -> None:
    pictures, way = sled_pictures()
    head, follower = texture((105, 110), 1.5, 7), PlatformFollower(CORNERS)
    for picture in pictures:
        picture[90:195, 265:375] = head
        follower.add(picture)
    path, sigma = follower.believed()
    off = np.abs((path[:, :, :2] @ CORNERS.mean(axis=0) + path[:, :, 2])[:, 1] - 140 - way)
    assert (off < 2 * sigma).all() and off[30:].max() < 3, "one rep tells what is head and what is platform"
