"""Points the network does not know ride on the body part they were clicked beside."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.skeleton import points_for
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.rigid_attachment import carry, carry_foot, feet_at_first

NAMES = [*points_for("side-left"), "mid_back", "roller", "bar"]
FRAMES = 60


def turning() -> tuple[Evidence, np.ndarray]:
    """A body that bends at the hip by 60° with a straight leg; also the true path of a point on the trunk."""
    angle = np.linspace(0, np.radians(60), FRAMES)
    hip = np.tile([400.0, 400.0], (FRAMES, 1))
    up = np.stack([-np.sin(angle), -np.cos(angle)], axis=1)
    back = np.stack([-up[:, 1], up[:, 0]], axis=1)
    at = {"hip": hip, "shoulder": hip + 140 * up, "knee": hip + [0, 120], "ankle": hip + [0, 240]}
    at |= {"wrist": hip + 140 * up + [0, 160]}
    network = np.full((FRAMES, len(NAMES), 2), np.nan)
    for i, n in enumerate(NAMES):
        network[:, i] = at.get(n.removesuffix("_left"), np.nan)
    evidence = Evidence(np.arange(FRAMES) / 30, NAMES, network, np.full(network.shape[:2], 4.0))
    return evidence, hip + 80 * up + 10 * back


def test_a_back_point_turns_with_the_trunk_and_a_bar_moves_with_the_hands() -> None:
    evidence, truth = turning()
    hands = evidence.network[:, NAMES.index("wrist_left")]
    keys = [Keyframe(0, {"mid_back": tuple(truth[0]), "bar": tuple(hands[0] + [5, 3])})]
    carried = carry(evidence, keys, "side-left")
    assert np.abs(carried.network[:, NAMES.index("mid_back")] - truth).max() < 4
    assert np.abs(carried.network[2:-2, NAMES.index("bar")] - hands[2:-2] - [5, 3]).max() < 4
    assert np.isnan(carried.network[:, NAMES.index("roller")]).all(), "what was not clicked is not invented"


def test_two_clicks_agree_where_they_were_made() -> None:
    evidence, truth = turning()
    late = truth[50] + [6.0, 0.0]
    carried = carry(evidence, [Keyframe(0, {"mid_back": tuple(truth[0])}), Keyframe(50, {"mid_back": tuple(late)})], "side-left")
    path = carried.network[:, NAMES.index("mid_back")]
    assert np.abs(path[0] - truth[0]).max() < 4 and path[50] == pytest.approx(late, abs=0.5)
    assert 2 < (path[25] - truth[25])[0] < 6


def test_nothing_is_carried_in_a_front_film() -> None:
    evidence, truth = turning()
    assert carry(evidence, [Keyframe(0, {"mid_back": tuple(truth[0])})], "front") is evidence
    assert carry_foot(evidence, [], "front", True) is evidence


def test_a_held_foot_follows_the_shank_not_the_network() -> None:
    evidence, _ = turning()
    ankle = evidence.network[0, NAMES.index("ankle_left")]
    evidence.network[:, NAMES.index("toe_left")] = [0.0, 0.0]
    carried = carry_foot(evidence, [Keyframe(0, {"toe_left": (float(ankle[0]) - 60, float(ankle[1]) + 20)})], "side-left", True)
    assert np.abs(carried.network[:, NAMES.index("toe_left")] - ankle - [-60, 20]).max() < 1


def test_a_carried_foot_is_no_surer_than_the_ankle_that_carries_it() -> None:
    evidence, _ = turning()
    ankle, toe = NAMES.index("ankle_left"), NAMES.index("toe_left")
    evidence.network_sigma[20:30, ankle] = 300.0  # the look saw a foot elsewhere
    place = evidence.network[0, ankle]
    key = Keyframe(0, {"ankle_left": (float(place[0]), float(place[1])), "toe_left": (float(place[0]) - 60, float(place[1]) + 20)})
    for with_shank in (True, False):
        sigma = carry_foot(evidence, [key], "side-left", with_shank).network_sigma[:, toe]
        assert (sigma[20:30] > 290).all() and (sigma[:20] < 15).all() and (sigma[30:] < 15).all()


def test_the_feet_are_where_they_were_clicked_else_where_the_network_first_saw_them() -> None:
    names = [f"{part}_{side}" for part in ("ankle", "heel", "toe") for side in ("left", "right")]
    places = np.array([[100.0 + 10 * i, 300.0 + 5 * i] for i in range(6)])
    network = np.tile(places, (60, 1, 1))
    network[20:] += 40.0  # by then the sled moves
    seen = Evidence(np.arange(60) / 30, names, network, np.full((60, 6), 4.0))
    told = feet_at_first(seen, [])
    assert set(told) == set(names) and np.allclose([told[n] for n in names], places)
    clicked = Keyframe(0, {n: (7.0, 8.0) for n in names})
    assert all(tuple(p) == (7.0, 8.0) for p in feet_at_first(seen, [clicked]).values())
    network[:, 3] = np.nan
    assert feet_at_first(replace(seen, network=network), []) == {}
