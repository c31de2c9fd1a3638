"""Which leg is the near one, where clicks or the movement know better than the network."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.near_leg import near_leg

NAMES = list(ALL_POINTS)
FRAMES = 60
AHEAD = {"hip": (400, 300), "knee": (330, 380), "ankle": (300, 500), "heel": (320, 515), "toe": (250, 515)}  # faces left
BEHIND = {"hip": (410, 300), "knee": (430, 430), "ankle": (540, 480), "heel": (545, 455), "toe": (560, 510)}
CLICKS = {f"{j}_left": (float(x), float(y)) for j, (x, y) in AHEAD.items()}


def split_stance(left: dict[str, tuple[int, int]], right: dict[str, tuple[int, int]]) -> Evidence:
    network = np.full((FRAMES, len(NAMES), 2), 200.0)
    for legs, side in ((left, "left"), (right, "right")):
        for joint, place in legs.items():
            network[:, NAMES.index(f"{joint}_{side}")] = place
    return Evidence(np.arange(FRAMES) / 30, NAMES, network, np.full(network.shape[:2], 4.0))


def knee(evidence: Evidence, side: str = "left") -> np.ndarray:
    return np.asarray(evidence.network[:, NAMES.index(f"knee_{side}")])


def test_clicks_tell_the_legs_apart_that_the_network_exchanged_throughout() -> None:
    told = near_leg(split_stance(BEHIND, AHEAD), [Keyframe(10, CLICKS)], "side-left", False)
    assert (knee(told) == AHEAD["knee"]).all() and (knee(told, "right") == BEHIND["knee"]).all()


def test_a_leg_the_network_exchanges_for_a_moment_is_followed_by_where_it_stood() -> None:
    seen = split_stance(AHEAD, BEHIND)
    names = [NAMES.index(f"{j}_{s}") for s in ("left", "right") for j in AHEAD]
    seen.network[30:40, names] = seen.network[30:40, [*names[5:], *names[:5]]]
    assert (knee(near_leg(seen, [Keyframe(10, CLICKS)], "side-left", False)) == AHEAD["knee"]).all()


@pytest.mark.parametrize(("flag", "leg"), [(True, AHEAD), (False, BEHIND)])
def test_without_clicks_only_a_movement_filmed_from_the_front_legs_side_knows(flag: bool, leg: dict[str, tuple[int, int]]) -> None:
    assert (knee(near_leg(split_stance(BEHIND, AHEAD), [], "side-left", flag)) == leg["knee"]).all()


def test_clicks_near_the_leg_the_network_names_change_nothing_and_neither_do_front_films() -> None:
    seen = split_stance(AHEAD, BEHIND)
    assert (near_leg(seen, [Keyframe(10, CLICKS)], "side-left", False).network == seen.network).all()
    assert near_leg(seen, [Keyframe(10, CLICKS)], "front", True) is seen


def test_networks_as_far_apart_as_the_legs_do_not_doubt_where_the_leg_is() -> None:
    seen = split_stance(BEHIND, AHEAD)
    seen.network_sigma[:, NAMES.index("ankle_left")] = 0.7 * np.hypot(240, 20)
    told = near_leg(seen, [Keyframe(10, CLICKS)], "side-left", False)
    assert (told.network_sigma[:, NAMES.index("ankle_right")] < 15).all()


def test_legs_that_lie_crosswise_to_the_shoulders_change_their_names() -> None:
    """She came in facing the camera and turned round for a film from the rear: the network kept her legs' names."""
    network = np.zeros((30, len(ALL_POINTS), 2))
    for i, name in enumerate(ALL_POINTS):
        network[:, i, 0] = 400 + (-60 if name.endswith("left") else 60)
    seen = Evidence(np.arange(30) / 30, list(ALL_POINTS), network, np.full(network.shape[:2], 4.0))
    assert near_leg(seen, [], "rear", False).network.tolist() == network.tolist()
    legs = [i for i, n in enumerate(ALL_POINTS) if n.rsplit("_", 1)[0] in ("hip", "knee", "ankle", "heel", "toe")]
    crossed = network.copy()
    crossed[10:, legs, 0] = 800 - crossed[10:, legs, 0]
    told = near_leg(Evidence(seen.times, seen.names, crossed, seen.network_sigma), [], "rear", False)
    assert told.network.tolist() == network.tolist()
