"""A shoe on a sled's plate that the network sees turned: the sole's edge, found wide around, puts heel and toe along the plate."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.pose.evidence import Evidence, Keyframe, rotate
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.shoe_shape import SHOE_SHAPE
from deepmirror.pose.sled_shoe import LEAST_FOUND, alike, lies_on_plate, watch_sole_on_plate, with_shoe_on_plate
from deepmirror.pose.sole import CLICKED, SEEN, sole_direction
from tests.pose.test_sole import MIDDLE, away, direction, shoe
from tests.pose.test_standing_shoe import CATALOGUE, setting

NAMES = ["knee_right", "ankle_right", "heel_right", "toe_right"]
FRAMES, LENGTH, TURN = 36, 84.0, -50.0  # px and degrees of the shoe: the toes point up and to the right
SEEN_OFF = 20.0  # degrees by which the network turns it


def on_plate(turn: float = TURN) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Knee, ankle, heel and toe (px) of a shoe of the usual shape whose sole lies at `turn`; the ankle on its upper left."""
    forward = rotate(np.array([1.0, 0.0]), np.radians(turn))
    up = np.array([forward[1], -forward[0]])
    heel, toe = SHOE_SHAPE[("ankle", "heel")], SHOE_SHAPE[("ankle", "toe")]
    behind = (1 + heel**2 - toe**2) / 2
    ankle = np.array([420.0, 260.0])
    start = ankle - LENGTH * (behind * forward + np.sqrt(heel**2 - behind**2) * up)
    return ankle + [-130.0, -10.0], ankle, start, start + LENGTH * forward


def seen(plate_deg: float | None = TURN, off: float = SEEN_OFF) -> tuple[Evidence, Offsets]:
    """Looks at a press whose shoe the network sees turned; the edge of the plate was found in every third picture, or in none."""
    knee, ankle, heel, toe = on_plate()
    drawn = np.array([knee, ankle, *(ankle + rotate(p - ankle, np.radians(off)) for p in (heel, toe))])
    travel = np.linspace(0, 60, FRAMES)[:, None, None] * np.array([-0.7, 0.3])
    network = np.tile(drawn, (FRAMES, 1, 1)) + travel
    soles = np.full(FRAMES, np.nan)
    if plate_deg is not None:
        soles[::3] = np.radians(plate_deg)
    own = Offsets(np.zeros(network.shape), np.full(network.shape, 9.0), np.zeros((FRAMES, 4)))
    return Evidence(np.arange(FRAMES) / 30, NAMES, network, np.full((FRAMES, 4), 3.0), sole=soles), own


def turned_by(evidence: Evidence) -> float:
    """Degrees (worst frame) by which the shoe is turned from how it lies."""
    d = evidence.network[:, 3] - evidence.network[:, 2]
    return max(abs(away(float(np.degrees(np.arctan2(y, x))), TURN)) for x, y in d)


def test_heel_and_toe_come_to_lie_along_the_plate_in_every_frame() -> None:
    evidence, own = seen()
    told, sure = with_shoe_on_plate(evidence, own, [], setting("leg_press"))
    assert turned_by(evidence) == pytest.approx(SEEN_OFF, abs=0.1) and turned_by(told) < 0.5
    length = np.linalg.norm(told.network[:, 3] - told.network[:, 2], axis=1)
    assert length == pytest.approx(27 / 42 * np.linalg.norm([130, 10]), abs=1), "as long as this client's foot beside her shank"
    angle_sd = np.degrees(np.hypot(sure.sigma[:, 2, 0], sure.sigma[:, 3, 0]) / length)
    assert angle_sd == pytest.approx(3.0, abs=0.1) and (sure.sigma[:, :2] == 9.0).all()
    assert np.array_equal(told.network[:, :2], evidence.network[:, :2]), "knee and ankle stay where they were seen"


def test_a_clicked_shoe_another_movement_and_a_plate_that_was_not_seen_change_nothing() -> None:
    evidence, own = seen()
    click = Keyframe(0, {name: tuple(evidence.network[0, i]) for i, name in enumerate(NAMES)}, 2.0)
    assert with_shoe_on_plate(evidence, own, [click], setting("leg_press"))[0] is evidence
    for movement in ("back_squat", "leg_press_calf_raise", "lying_leg_curl", "hack_squat"):
        assert with_shoe_on_plate(evidence, own, [], setting(movement))[0] is evidence, movement
    unseen, own = seen(None)
    assert with_shoe_on_plate(unseen, own, [], setting("leg_press"))[0] is unseen
    assert lies_on_plate(CATALOGUE.movement("single_leg_press"), "side-left")
    assert not lies_on_plate(CATALOGUE.movement("leg_press"), "front")


def test_finds_that_do_not_agree_tell_nothing_and_a_stray_one_is_left_out() -> None:
    found = np.full(60, np.nan)
    found[:20] = np.pi - 0.01 + np.radians(np.linspace(-2, 2, 20))  # across the half turn
    assert np.isfinite(alike(found)).sum() == 20
    found[5] += np.radians(15)
    assert np.isfinite(alike(found)).sum() == 19 and np.isnan(alike(found)[5])
    found[:20:2] += np.radians(15)
    assert np.isnan(alike(found)).all(), "two edges"
    found[LEAST_FOUND - 1 :] = np.nan
    assert np.isnan(alike(found)).all(), "too few"


def test_the_edge_is_found_wide_around_what_the_network_draws() -> None:
    grey, (heel, toe, ankle) = shoe(TURN)
    drawn_heel, drawn_toe = (MIDDLE + rotate(p - MIDDLE, np.radians(18.0)) for p in (heel, toe))
    assert np.isnan(sole_direction(grey, drawn_heel, drawn_toe, ankle, CLICKED))
    assert abs(away(float(np.degrees(sole_direction(grey, drawn_heel, drawn_toe, ankle, SEEN))), direction(heel, toe))) < 3.0
    looks = np.tile(np.array([ankle, drawn_heel, drawn_toe]), (30, 1, 1))
    ticks: list[int] = []
    soles = watch_sole_on_plate([grey] * 30, looks, ["ankle_left", "heel_left", "toe_left"], "left", ticks.append)
    assert np.isfinite(soles).sum() == 10 and len(ticks) == 30
    assert abs(away(float(np.degrees(np.nanmedian(soles))), direction(heel, toe))) < 3.0
