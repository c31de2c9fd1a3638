"""A drawn shoe that stands, rises or is hidden, while the network takes it for elsewhere."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.resting_feet import RestingFeet, with_feet_at_rest

NAMES = ["knee_left", "ankle_left", "heel_left", "toe_left"]
STANDS = np.array([[150.0, 60.0], [148.0, 160.0], [132.0, 182.0], [196.0, 184.0]])  # px
SHANK = 100.0
NETWORK_OFF = np.array([3.0, -2.0])
TAKEN_ALONG = np.array([8.0, -30.0])
FRAMES, WRONG = 30, slice(12, 22)


def floor() -> np.ndarray:
    rng = np.random.default_rng(5)
    return cv2.GaussianBlur(rng.uniform(40, 140, (240, 320)).astype(np.uint8), (0, 0), 2)


def picture(rise_px: float = 0.0, plate: bool = False, shift: float = 0.0) -> np.ndarray:
    """A shoe on the floor, its heel risen about the toe; a plate before the shin; all of it shifted to the right."""
    grey = floor()
    toe, heel = STANDS[3], STANDS[2] - [0, rise_px]
    cv2.fillPoly(grey, [np.rint([heel, toe, toe - [30, 18], heel + [2, -34]]).astype(np.int32)], 230)
    if plate:
        cv2.circle(grey, (150, 100), 45, 20, -1)
    return np.roll(grey, round(shift), axis=1)


def looked(pictures: list[np.ndarray], moves: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """About where the points were taken to be, and what was seen of resting feet, when the network errs in the middle of the film."""
    moves = np.zeros((len(pictures), 2)) if moves is None else moves
    rough = STANDS[None] + np.cumsum(moves, axis=0)[:, None]
    rough[WRONG, 1:] += TAKEN_ALONG
    network = rough + NETWORK_OFF
    network[::2] = np.nan  # not every picture is looked at
    feet = RestingFeet(NAMES, rough, network, SHANK)
    about = [feet.settle(grey, np.tile(move, (len(NAMES), 1))) for grey, move in zip(pictures, moves, strict=True)]
    return np.array(about), feet.seen()


def test_a_shoe_in_full_view_stands_though_a_plate_takes_the_network_along() -> None:
    about, seen = looked([picture(plate=12 <= i < 22) for i in range(FRAMES)])
    assert np.allclose(about, STANDS)
    assert np.allclose(seen[WRONG, 1:], STANDS[1:] + NETWORK_OFF)
    others = np.delete(seen, np.arange(FRAMES)[WRONG], axis=0)
    told = np.isfinite(others).all(axis=2)
    assert told[:, 1:].any() and not told[:, 0].any(), "of a foot that stands where it is seen, what the network sees is borne out"
    assert np.allclose(others[told], (np.tile(STANDS + NETWORK_OFF, (len(others), 1, 1)))[told])


def test_a_heel_that_rises_is_left_where_it_is_seen() -> None:
    about, seen = looked([picture(rise_px=30.0 if 12 <= i < 22 else 0.0) for i in range(FRAMES)])
    assert not np.isfinite(seen[WRONG, 2]).any()
    assert np.allclose(about[WRONG, 2], STANDS[2] + TAKEN_ALONG)


def test_one_unchanged_piece_alone_may_be_floor_and_says_nothing() -> None:
    pictures = [picture() for _ in range(FRAMES)]
    for grey in pictures[WRONG]:
        grey[140:215, 100:170] = 128  # whatever hides ankle and heel leaves the toe's surroundings as they were
    _, seen = looked(pictures)
    assert not np.isfinite(seen[WRONG]).any()


def test_a_usual_place_that_keeps_changing_is_not_one() -> None:
    rng = np.random.default_rng(8)
    pictures = [picture() if i in (0, *range(12, 22)) else rng.integers(0, 255, (240, 320)).astype(np.uint8) for i in range(FRAMES)]
    _, seen = looked(pictures)
    assert not np.isfinite(seen).any()


def test_feet_are_looked_for_where_a_swaying_camera_has_them() -> None:
    sway = np.round(6 * np.sin(np.arange(FRAMES) / 4))
    moves = np.stack([np.diff(sway, prepend=0.0), np.zeros(FRAMES)], axis=1)
    about, seen = looked([picture(shift=s) for s in sway], moves)
    assert np.allclose(about, STANDS[None] + np.stack([sway, np.zeros(FRAMES)], axis=1)[:, None])
    assert np.isfinite(seen[WRONG, 1:]).all()


def test_feet_sway_further_than_the_room_behind_them() -> None:
    sway = np.round(9 * np.sin(np.arange(FRAMES) / 4))
    moves = np.stack([np.diff(0.6 * sway, prepend=0.0), np.zeros(FRAMES)], axis=1)
    about, _ = looked([picture(shift=s) for s in sway], moves)
    there = STANDS[None] + np.stack([sway, np.zeros(FRAMES)], axis=1)[:, None]
    assert np.abs(about - there)[WRONG, 1:].max() < 1.5


def test_what_was_seen_of_them_replaces_the_network_and_is_kept(tmp_path: Path) -> None:
    network = np.tile(STANDS, (FRAMES, 1, 1))
    network[WRONG, 2] += TAKEN_ALONG
    sigma = np.full((FRAMES, len(NAMES)), 3.0)
    sigma[WRONG] = 1.0
    resting = np.full_like(network, np.nan)
    resting[WRONG, 2] = STANDS[2]
    evidence = Evidence(np.arange(FRAMES) / 30, NAMES, network, sigma, resting=resting)
    evidence.save(tmp_path / "seen.npz")
    told = with_feet_at_rest(Evidence.load(tmp_path / "seen.npz").only(["heel_left", "toe_left"]).between(5, 30))
    assert np.allclose(told.network, np.tile(STANDS[2:], (25, 1, 1)))
    assert told.network_sigma[10, 0] == 3.0 and told.network_sigma[10, 1] == 1.0
    bare = Evidence(evidence.times, NAMES, network, sigma)
    assert with_feet_at_rest(bare) is bare


FEET_STAND = {"back_squat": True, "romanian_deadlift": True, "leg_press": False, "walking_lunge": False}


@pytest.mark.parametrize(("movement", "stand"), FEET_STAND.items())
def test_only_feet_that_are_meant_to_stand_are_held_to_it(movement: str, stand: bool) -> None:
    assert load_catalogue().movement(movement).feet_stand is stand
