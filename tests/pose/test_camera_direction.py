"""Where a side film's camera stands, as the points of the looks tell it: on the demo's films, and by its own rules."""

from __future__ import annotations

import json
from dataclasses import replace
from importlib import resources

import numpy as np
import pytest
from scipy.linalg import rq

from deepmirror.core.skeleton import ALL_POINTS, SIDES, sided, split
from deepmirror.core.views import UP
from deepmirror.pose.camera_direction import camera_direction, features, run, weights
from deepmirror.pose.evidence import Evidence
from tests.conftest import DEMO, truth_of

FRAMES = 12
DEMO_FILMS = [
    f"{n}_side" for n in ("bram_back_squat", "ines_lying_curl", "nuru_leg_extension", "oren_leg_press", "tove_romanian", "yuna_calf_raise")
]


def standing(shear: float = 0.0) -> Evidence:
    """Somebody who stands and faces right, near side right; her far side lies `shear` body units ahead. 100 px a shank."""
    height = {"ear": -330, "shoulder": -250, "elbow": -180, "wrist": -120, "hip": -100, "knee": 0, "ankle": 100, "heel": 115, "toe": 118}
    ahead = {"toe": 45, "heel": -12, "ear": 8}
    points = np.array([[ahead.get(j, 0.0) + (shear * 100 if s == "left" else 0.0), height[j]] for j, s in map(split, ALL_POINTS)])
    network = np.tile(points + [640, 360], (FRAMES, 1, 1))
    return Evidence(np.arange(FRAMES) / 7.5, list(ALL_POINTS), network, np.full(network.shape[:2], 3.0))


def test_who_faces_the_other_way_is_the_same_picture_mirrored() -> None:
    right = standing(0.2)
    mirrored = right.network * [-1, 1] + [1280, 0]
    swapped = mirrored[:, [ALL_POINTS.index(sided(j, SIDES[1 - SIDES.index(s)])) for j, s in map(split, ALL_POINTS)]]
    left = replace(right, network=swapped)
    a, b = camera_direction(right, "side-right", UP), camera_direction(left, "side-left", UP)
    assert a is not None and a == b


def test_a_rolled_camera_changes_nothing_where_the_room_tells_what_is_up() -> None:
    evidence, turn = standing(0.2), np.radians(3.0)
    c, s = np.cos(turn), np.sin(turn)
    rolled = (evidence.network - 360) @ np.array([[c, s], [-s, c]]) + 360
    plain = features(evidence.network, "side-right", UP)
    assert features(rolled, "side-right", UP @ np.array([[c, s], [-s, c]])) == pytest.approx(plain, abs=1e-9)


def test_a_far_side_that_lies_behind_tells_another_yaw_than_one_that_lies_ahead() -> None:
    ahead, behind = (camera_direction(standing(shear), "side-right", UP) for shear in (0.35, -0.35))
    assert ahead is not None and behind is not None
    assert ahead.yaw.value - behind.yaw.value > 10, "positive towards her front: from there her far side shows further ahead"


def test_too_few_looks_tell_nothing() -> None:
    evidence = standing()
    few = evidence.network.copy()
    few[3:] = np.nan
    assert camera_direction(replace(evidence, network=few), "side-right", UP) is None


def test_the_network_is_what_torch_would_run() -> None:
    """Two hidden layers written out by hand: y = W2 relu(W1 relu(W0 x + b0) + b1) + b2."""
    learned, x = weights("side"), features(standing(0.1).network[:1], "side-right", UP)[0]
    hidden = np.maximum(learned["weight_0"] @ x + learned["bias_0"], 0)
    hidden = np.maximum(learned["weight_1"] @ hidden + learned["bias_1"], 0)
    out = learned["weight_2"] @ hidden + learned["bias_2"]
    told = run(learned, x[None])[0]
    assert told[:2] == pytest.approx(10 * out[:2])
    assert told[2:] == pytest.approx(10 * np.sqrt(2) * (np.log1p(np.exp(out[2:])) + 0.02))


@pytest.mark.parametrize("name", DEMO_FILMS)
def test_demo_films_are_told_within_their_doubt(name: str) -> None:
    """Bodies and rooms that nothing was learned from, against the cameras they were rendered with."""
    truth = truth_of(name)
    told = camera_direction(Evidence.load(DEMO / f"{name}.npz"), truth["view"], UP)
    assert told is not None
    inner, turn = rq(np.array(truth["camera"]["P"])[:, :3])
    pitch = np.degrees(np.arcsin(-turn[2, 2] * np.sign(inner[2, 2])))
    assert abs(told.yaw.value - truth["camera"]["yaw_off_perpendicular_deg"]) < min(told.yaw.u, 4.0)
    assert abs(told.pitch.value - pitch) < told.pitch.u
    assert told.yaw.u < 12 and told.pitch.u < 12


def test_the_data_file_says_what_it_was_learned_from() -> None:
    with (resources.files("deepmirror.pose") / "models" / "camera_direction.npz").open("rb") as file, np.load(file) as data:
        about = json.loads(str(data["about"]))
    for kind, least in (("side", 1000), ("front", 400)):
        assert about[kind]["clients"] > least and about[kind]["held_out"] > least / 20 and about[kind]["looks"] > 5 * about[kind]["clients"]
