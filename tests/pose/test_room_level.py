"""The roll of the camera as the room's edges tell it: drawn rooms of known roll (geometry only, nothing to look up)."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from deepmirror.pose.room_level import roll_of_room

STILL, NOBODY = np.eye(2, 3), np.full((3, 2), np.nan)
WIDTH, HEIGHT = 1280, 720


def drawn(lines: list[tuple[tuple[float, float], tuple[float, float]]], roll_deg: float) -> np.ndarray:
    """A grey wall with lines on it (px from the picture's middle), rolled clockwise."""
    picture = np.full((HEIGHT, WIDTH), 120, np.uint8)
    c, s = np.cos(np.radians(roll_deg)), np.sin(np.radians(roll_deg))
    for ends in lines:
        (x0, y0), (x1, y1) = (np.array([[c, -s], [s, c]]) @ p + [WIDTH / 2, HEIGHT / 2] for p in np.array(ends))
        cv2.line(picture, (round(x0), round(y0)), (round(x1), round(y1)), 45, 3, cv2.LINE_AA)
    return picture


def room(fan: float = 0.0) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Four posts, which lean apart by `fan` per pixel as under a camera that looks down, and three level rails."""
    posts = [((x - fan * x * 150, -150.0), (x + fan * x * 150, 150.0)) for x in (-500.0, -200.0, 240.0, 470.0)]
    return [*posts, *(((-420.0, y), (380.0, y)) for y in (-260.0, -40.0, 230.0))]


@pytest.mark.parametrize("roll_deg", [-3.5, -1.0, 0.0, 2.2, 4.0])
def test_the_roll_of_a_room_is_read_within_its_doubt(roll_deg: float) -> None:
    roll, sd = np.degrees(roll_of_room([(drawn(room(), roll_deg), NOBODY, STILL)]))
    assert abs(roll - roll_deg) < 0.4
    assert 0.2 < sd < 0.6


def test_posts_under_a_camera_that_looks_down_fan_out_and_do_not_roll() -> None:
    roll, sd = np.degrees(roll_of_room([(drawn(room(fan=-0.0002), 1.5), NOBODY, STILL)]))
    assert abs(roll - 1.5) < 2 * sd


def test_edges_that_do_not_agree_tell_nothing() -> None:
    rng = np.random.default_rng(4)
    feet = np.column_stack([rng.permutation(np.linspace(-600, 600, 26)), rng.uniform(-60, 200, 26)])
    lean = np.tan(np.radians(rng.uniform(-7.5, 7.5, 26)))
    lines = [((x + 180 * k, y - 180), (x, y)) for (x, y), k in zip(feet, lean, strict=True)]
    assert not len(roll_of_room([(drawn(lines, 0.0), NOBODY, STILL)]))
    assert not len(roll_of_room([(drawn([], 0.0), NOBODY, STILL)]))


def test_what_lies_on_the_body_is_no_room() -> None:
    stripes = [((x, -160.0), (x + 22.0, 160.0)) for x in range(-110, 111, 20)]
    body = np.array([[WIDTH / 2 - 120, HEIGHT / 2 - 180], [WIDTH / 2 + 140, HEIGHT / 2 + 180]])
    roll, _ = np.degrees(roll_of_room([(drawn([*room(), *stripes], 0.0), body, STILL)]))
    assert abs(roll) < 0.3
    assert not len(roll_of_room([(drawn(stripes, 0.0), body, STILL)]))


def test_a_hand_that_turned_meanwhile_is_taken_out() -> None:
    later = np.column_stack([cv2.getRotationMatrix2D((WIDTH / 2, HEIGHT / 2), -2.0, 1.0)])
    roll, _ = np.degrees(roll_of_room([(drawn(room(), 1.0), NOBODY, STILL), (drawn(room(), 3.0), NOBODY, later)]))
    assert abs(roll - 1.0) < 0.3
