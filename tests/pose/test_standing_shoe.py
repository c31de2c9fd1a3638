"""A shoe that stands on the floor while the network now and then draws something else there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.views import UP
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.standing_shoe import with_standing_shoe

NAMES = ["knee_right", "ankle_right", "heel_right", "toe_right"]
STANDS = np.array([[300.0, 180.0], [296.0, 300.0], [278.0, 322.0], [354.0, 326.0]])  # px, the client faces right
BODY = Body(measured_cm={"shank": 42.0, "foot": 27.0})
FRAMES, HIDDEN = 40, slice(10, 16)
OFFSET = np.array([4.0, -3.0])
CATALOGUE = load_catalogue()


def setting(movement: str = "romanian_deadlift", view: str = "side-right") -> FilmSetting:
    return FilmSetting(view, BODY, CATALOGUE.movement(movement), None, UP, 1.5, (640, 480))


def looks(toe_to: tuple[float, float] = (282.0, 318.0), facing: int = 1) -> tuple[Evidence, Offsets]:
    """Every second picture looked at; a plate before the feet draws the toe elsewhere. What to add to the network: OFFSET."""
    at = np.tile(STANDS, (FRAMES, 1, 1))
    at[HIDDEN, 3] = toe_to
    if facing < 0:
        at[..., 0] = 640 - at[..., 0]
    network, sigma = at - OFFSET, np.full((FRAMES, 4), 3.0)
    network[1::2], sigma[1::2] = np.nan, np.inf
    own = Offsets(np.broadcast_to(OFFSET, at.shape), np.zeros(at.shape), np.zeros((FRAMES, 4)))
    return Evidence(np.arange(FRAMES) / 30, NAMES, network, sigma), own


def off(evidence: Evidence, name: str, facing: int = 1) -> float:
    """How far (px) the worst look at a point lies from where it stands."""
    true = STANDS[NAMES.index(name)].copy()
    true[0] = true[0] if facing > 0 else 640 - true[0]
    return float(np.nanmax(np.linalg.norm(evidence.network[:, NAMES.index(name)] + OFFSET - true, axis=1)))


@pytest.mark.parametrize(("view", "facing"), [("side-right", 1), ("side-left", -1)])
@pytest.mark.parametrize("toe_to", [(282.0, 318.0), (300.0, 380.0), (420.0, 330.0)])
def test_a_toe_drawn_to_the_heel_on_end_or_far_off_is_put_below_the_ankle(view: str, facing: int, toe_to: tuple[float, float]) -> None:
    evidence, own = looks(toe_to, facing)
    names = [n.replace("right", "left") if facing < 0 else n for n in NAMES]
    evidence = replace(evidence, names=names)
    told = with_standing_shoe(evidence, own, [], setting(view=view))
    assert off(evidence, "toe_right", facing) > 30
    assert off(told, "toe_right", facing) < 8 and off(told, "heel_right", facing) < 8
    hidden = told.network_sigma[HIDDEN][::2]
    assert (hidden[:, 2:] > 5.0).all() and (hidden[:, :2] == 3.0).all(), "known less surely than what was seen"
    seen = np.delete(np.arange(FRAMES), np.arange(FRAMES)[HIDDEN])
    assert np.array_equal(told.network[seen], evidence.network[seen], equal_nan=True)


def test_as_it_was_clicked_it_stands_more_surely() -> None:
    evidence, own = looks()
    key = Keyframe(0, {name: (float(x), float(y)) for name, (x, y) in zip(NAMES[1:], STANDS[1:], strict=True)})
    told = with_standing_shoe(evidence, own, [key], setting())
    assert off(told, "toe_right") < 0.1 and off(told, "heel_right") < 0.1
    guessed = with_standing_shoe(evidence, own, [], setting())
    assert (told.network_sigma[HIDDEN][::2, 3] < guessed.network_sigma[HIDDEN][::2, 3]).all()


def test_heels_on_a_wedge_stand_as_they_are_seen() -> None:
    evidence, own = looks((354.0, 326.0))
    wedge = np.radians(20)
    turned = np.array([[np.cos(wedge), -np.sin(wedge)], [np.sin(wedge), np.cos(wedge)]])
    evidence.network[:, 1:3] = STANDS[3] + (STANDS[1:3] - STANDS[3]) @ turned.T - OFFSET
    evidence.network[1::2] = np.nan
    assert np.array_equal(with_standing_shoe(evidence, own, [], setting()).network, evidence.network, equal_nan=True)


def test_never_seen_at_all_it_stands_level() -> None:
    evidence, own = looks()
    evidence.network[::2, 3] = evidence.network[::2, 2]
    told = with_standing_shoe(evidence, own, [], setting())
    assert off(told, "toe_right") < 12 and off(told, "heel_right") < 12


def test_a_heel_that_rises_and_a_foot_that_may_turn_are_left_as_they_are_seen() -> None:
    evidence, own = looks()
    evidence.network[HIDDEN, 2:] = STANDS[2:] - OFFSET
    evidence.network[HIDDEN, 1:3, 1] -= 14.0  # 5 cm
    evidence.network[1::2] = np.nan
    assert np.array_equal(with_standing_shoe(evidence, own, [], setting()).network, evidence.network, equal_nan=True)
    lost, _ = looks()
    legs_that_may_be_lifted = (setting("single_leg_romanian"), setting("step_up"), setting("walking_lunge"))
    for other in (setting("standing_calf_raise"), setting("leg_press"), setting(view="front"), *legs_that_may_be_lifted):
        assert with_standing_shoe(lost, own, [], other) is lost
