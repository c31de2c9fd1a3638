"""Angles and lines against scipy's rotations (a general-purpose reference library) on random limbs."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from deepmirror.core.geometry import along_and_across, included_angle, signed_turn
from deepmirror.core.motion.kinematics import flexion_from_height

coordinate = st.floats(-500, 500)
angle = st.floats(-179, 179)
length = st.floats(5, 400)


def turned(v: np.ndarray, degrees: float) -> np.ndarray:
    return Rotation.from_euler("z", degrees, degrees=True).apply([*v, 0.0])[:2]


@given(coordinate, coordinate, angle, angle, length, length)
def test_included_angle_is_the_turn_between_two_limbs(x: float, y: float, first: float, turn: float, a: float, b: float) -> None:
    joint, way = np.array([x, y]), turned(np.array([1.0, 0.0]), first)
    other = turned(way, turn)
    assert np.isclose(included_angle(joint + a * way, joint, joint + b * other), abs(turn), atol=1e-5)
    assert np.isclose(signed_turn(way, other), turn, atol=1e-5)


@given(coordinate, coordinate, angle, st.floats(-300, 300), st.floats(-300, 300))
def test_line_coordinates_rebuild_the_point(x: float, y: float, turn: float, along: float, across: float) -> None:
    origin, way = np.array([x, y]), turned(np.array([1.0, 0.0]), turn)
    normal = turned(way, 90)
    a, c = along_and_across(origin + along * way + across * normal, origin, way * 7)
    assert np.allclose([a, c], [along, across], atol=1e-6)


def test_near_straight_angles_keep_their_precision() -> None:
    # arccos loses half the digits near 0 and 180 degrees; a knee spends much of a set there
    b = np.array([0.0, 0.0])
    c = np.array([np.cos(np.radians(179.999)), np.sin(np.radians(179.999))])
    assert abs(float(included_angle(np.array([1.0, 0.0]), b, c)) - 179.999) < 1e-9


def test_height_gives_back_the_flexion_of_the_model_leg() -> None:
    flexion = np.radians(np.array([5.0, 40, 90, 120]))
    height = np.cos(0.25 * flexion) + np.cos(0.75 * flexion)
    heights, times = np.r_[np.full(200, height[0]), height[1:]], np.arange(203) / 30
    assert np.allclose(flexion_from_height(heights, times)[-3:], [40, 90, 120], atol=0.5)
