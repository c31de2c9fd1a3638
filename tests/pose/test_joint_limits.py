"""A knee that is seen to bend the wrong way was not followed rightly; one that bends the right way is left alone."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.geometry import signed_turn
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.joint_limits import SOFT_DEG, joint_limits
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.trajectory_solver import Solution, solve

Array = np.ndarray
FRAMES, SHANK, THIGH, TRUNK = 40, 100.0, 95.0, 120.0
NAMES = ["shoulder_left", "hip_left", "knee_left", "ankle_left"]


def leg(knee_deg: float, hip_deg: float) -> Array:
    """Ankle, knee, hip and shoulder (4, 2) px of one who faces left, shin upright, the joints so far bent."""
    ankle = np.array([300.0, 400.0])
    knee = ankle - [0, SHANK]
    thigh = np.radians(knee_deg)
    hip = knee + THIGH * np.array([np.sin(thigh), -np.cos(thigh)])
    trunk = np.radians(knee_deg - hip_deg)
    return np.array([hip + TRUNK * np.array([np.sin(trunk), -np.cos(trunk)]), hip, knee, ankle])


def bends(x: Array) -> tuple[Array, Array]:
    """Knee and hip flexion (T,) degrees of points (T, 4, 2) px of one who faces left."""
    shoulder, hip, knee, ankle = np.moveaxis(x, 1, 0)
    return -signed_turn(knee - hip, ankle - knee), signed_turn(hip - shoulder, knee - hip)


def solved(points: Array, limited: bool = True) -> Solution:
    """Looks that all see points (4, 2) px, within 4 px."""
    network = np.tile(points, (FRAMES, 1, 1))
    evidence = Evidence(np.arange(FRAMES) / 30, NAMES, network, np.full((FRAMES, 4), 4.0))
    own = Offsets(np.zeros_like(network), np.full_like(network, 1.0), np.zeros((FRAMES, 4)))
    return solve(evidence, [], {}, own, None, 1.0, limits=joint_limits("side-left", True) if limited else [])


def test_a_knee_bent_backwards_is_held_near_straight() -> None:
    seen = leg(-30, -20)
    assert bends(seen[None])[0] == pytest.approx(-30)
    free, held = solved(seen, limited=False), solved(seen)
    assert bends(free.positions)[0] == pytest.approx([-30] * FRAMES, abs=0.5)
    assert (bends(held.positions)[0] > -5 - 2 * SOFT_DEG).all()


def test_nothing_is_known_better_for_a_joint_that_had_to_be_held() -> None:
    free, held = solved(leg(-30, -20), limited=False), solved(leg(-30, -20))
    assert np.allclose(free.sigma(), held.sigma(), rtol=0.25), "but for the looks that lose their say"
    assert (held.sigma() >= 0.99 * free.sigma()).all()


@pytest.mark.parametrize(("knee_deg", "hip_deg"), [(0, 0), (-4, -20), (90, 100), (140, 130), (20, -24)])
def test_joints_within_their_limits_are_left_alone(knee_deg: float, hip_deg: float) -> None:
    seen = leg(knee_deg, hip_deg)
    assert np.allclose(solved(seen).positions, solved(seen, limited=False).positions, atol=0.05)


def test_a_hip_arches_further_in_a_stride_than_standing() -> None:
    arched = leg(0, -40)
    standing, striding = joint_limits("side-left", True)[1], joint_limits("side-left", False)[1]
    x = arched[None, :3]
    assert np.degrees(standing.flexion(x)) == pytest.approx(-40)
    assert standing.rows(x)[2][0] > 0 and striding.rows(x)[2][0] == 0


def test_only_side_films_have_limits() -> None:
    assert joint_limits("front", True) == [] and len(joint_limits("side-right", True)) == 2
    assert load_catalogue().movement("walking_lunge").feet_stand is False


def test_a_mirrored_client_bends_the_same_way() -> None:
    x = leg(-30, 0)[None] * [-1, 1] + [800, 0]
    knee = joint_limits("side-right", True)[0]
    renamed = [name.replace("right", "left") for name in knee.points]
    assert np.degrees(knee.flexion(x[:, [NAMES.index(name) for name in renamed]])) == pytest.approx(-30)
