"""Flow and patches that hold on to something else than the body lose their say."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from deepmirror.core.skeleton import points_for
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.other_things import without_other_things

NAMES = points_for("side-left")
FRAMES = 120
KNEE, TOE, ANKLE, HIP = (NAMES.index(f"{j}_left") for j in ("knee", "toe", "ankle", "hip"))
STILL = {"shoulder": (500, 200), "hip": (400, 300), "knee": (500, 320), "ankle": (600, 320), "heel": (610, 300), "toe": (640, 260)}


def swinging(way_px: float = 80.0) -> tuple[Evidence, np.ndarray]:
    """A knee and a foot that go `way_px` to the side and back twice, seen truly by network and flow; and the way (T,) px."""
    way = way_px * (1 - np.cos(np.linspace(0, 4 * np.pi, FRAMES))) / 2
    places = np.full((FRAMES, len(NAMES), 2), 100.0)
    for name, place in STILL.items():
        places[:, NAMES.index(f"{name}_left")] = place
    for name in ("knee", "ankle", "heel", "toe"):
        places[:, NAMES.index(f"{name}_left"), 0] += way
    step = np.concatenate([np.full((1, len(NAMES), 2), np.nan), np.diff(places, axis=0)])
    sigma = np.full(places.shape[:2], 0.3)
    evidence = Evidence(np.arange(FRAMES) / 30, list(NAMES), places, np.full(places.shape[:2], 3.0))
    return replace(evidence, step=step, step_sigma=sigma), way


def test_flow_that_goes_with_the_body_is_kept() -> None:
    evidence, _ = swinging()
    assert (without_other_things(evidence).step_sigma == 0.3).all()


def test_flow_of_an_upright_before_the_knee_is_dropped() -> None:
    evidence, _ = swinging()
    evidence.step[1:, KNEE] = 0.0  # it stays while the knee goes by
    told = without_other_things(evidence).step_sigma
    assert (told[:, KNEE] > 10).all() and (told[:, HIP] == 0.3).all()
    assert (evidence.step_sigma == 0.3).all()


def test_flow_is_dropped_only_around_where_it_went_astray() -> None:
    evidence, _ = swinging()
    evidence.step[10:18, KNEE] = 0.0
    told = without_other_things(evidence).step_sigma[:, KNEE]
    assert (told[10:18] > 10).all() and (told[60:] == 0.3).all()


def test_a_shoe_the_network_guesses_wrong_may_go_with_its_ankle() -> None:
    evidence, way = swinging()
    evidence.network[:, TOE, 0] -= way  # the network leaves the toe behind; flow and the ankle do not
    assert (without_other_things(evidence).step_sigma[:, TOE] == 0.3).all()


def test_two_networks_that_disagree_have_no_say_on_flow() -> None:
    evidence, way = swinging()
    evidence.network[:, KNEE, 0] -= way
    unsure = replace(evidence, network_sigma=evidence.network_sigma.copy())
    unsure.network_sigma[30:90, KNEE] = 100.0
    assert (without_other_things(evidence).step_sigma[:, KNEE] > 10).all()
    assert (without_other_things(unsure).step_sigma[55:65, KNEE] == 0.3).all()


def test_a_patch_that_was_left_behind_is_dropped() -> None:
    evidence, _ = swinging()
    start = evidence.network[0, KNEE]
    match, key = np.full_like(evidence.network, np.nan), np.full(evidence.network.shape[:2], -1.0)
    match[:, KNEE], key[:, KNEE] = start, 0
    sigma = np.where(key == 0, 2.5, np.inf)
    learned = np.array([[0.0, KNEE, start[0], start[1], 0.0]])
    told = without_other_things(replace(evidence, match=match, match_key=key, match_sigma=sigma, learned=learned)).match_sigma[:, KNEE]
    assert told[0] == 2.5 and told[30] > 100 and told[60] == 2.5  # at the start and back there it fits


def test_every_second_look_of_a_network_that_lost_the_body_is_dropped() -> None:
    evidence, _ = swinging()
    looked = np.zeros(FRAMES, bool)
    looked[::4] = True
    seen = replace(evidence, network=evidence.network.copy(), network_sigma=evidence.network_sigma.copy())
    seen.network[~looked], seen.network_sigma[~looked] = np.nan, np.inf
    seen.network[28:60:8, HIP] += [20.0, -55.0]  # one of two lanes that take turns
    told = without_other_things(seen)
    kept = np.isfinite(told.network_sigma[:, HIP])
    assert not kept[28:60:8].any() and kept[24] and kept[32] and kept[64]
    assert (told.step_sigma[:, HIP] == 0.3).all() and np.isfinite(told.network_sigma[::4, KNEE]).all()
