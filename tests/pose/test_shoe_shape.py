"""A shoe that was clicked keeps its shape: a toe found on an upright before it is none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.pose.evidence import Evidence, Keyframe, carrier_turns
from deepmirror.pose.offset_correction import matches_at_centres
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.shoe_shape import without_torn_shoe

NAMES = ["hip_right", "knee_right", "ankle_right", "heel_right", "toe_right"]
STANDS = np.array([[300.0, 210.0], [304.0, 300.0], [300.0, 400.0], [286.0, 416.0], [352.0, 418.0]])  # px; the shank is 100
FRAMES, LOST = 20, slice(5, 15)
TOE = NAMES.index("toe_right")
CLICKED = [Keyframe(0, dict(zip(NAMES[2:], map(tuple, STANDS[2:]), strict=True)))]


def followed(toe: np.ndarray) -> Evidence:
    """Patches that stand, but for a toe found elsewhere in the middle of the film."""
    places = np.tile(STANDS, (FRAMES, 1, 1))
    match = places.copy()
    match[LOST, TOE] = toe
    return Evidence(np.arange(FRAMES) / 30, NAMES, places, np.full((FRAMES, 5), 4.0), match=match, match_sigma=np.full((FRAMES, 5), 2.0))


def test_a_toe_that_is_torn_off_loses_its_say_while_it_is() -> None:
    seen = followed(STANDS[TOE] - [70, 20])
    told = without_torn_shoe(seen, CLICKED, "side-right")
    assert (told.match_sigma[LOST, TOE] > 100).all()
    told.match_sigma[LOST, TOE] = 2.0
    assert (told.match_sigma == 2.0).all() and (seen.match_sigma == 2.0).all(), "nothing else is touched"


def test_a_shoe_that_only_turns_or_is_not_clicked_is_left_alone() -> None:
    risen = followed(STANDS[TOE] + [-8, -24])  # a toe that rises about the heel
    assert (without_torn_shoe(risen, CLICKED, "side-right").match_sigma == 2.0).all()
    torn = followed(STANDS[TOE] - [70, 20])
    assert without_torn_shoe(torn, [], "side-right") is torn and without_torn_shoe(torn, CLICKED, "front") is torn
    alone = replace(torn, match=np.where(np.arange(5)[None, :, None] == TOE, torn.match, np.nan))
    assert (without_torn_shoe(alone, CLICKED, "side-right").match_sigma == 2.0).all(), "with nothing to hold it to it keeps its say"


@pytest.mark.parametrize("lost_px", [0.0, 80.0])
def test_a_patch_keeps_its_click_where_the_network_saw_something_else(lost_px: float) -> None:
    """Learned on a click: found anywhere later, it is the clicked joint, and not what the network had taken for it on that picture."""
    places = np.tile(STANDS, (FRAMES, 1, 1))
    places[:, TOE, 0] -= lost_px
    learned = np.array([[0, TOE, *STANDS[TOE], carrier_turns(places, NAMES)[0, TOE]]])
    key = np.full((FRAMES, 5), -1.0)
    key[:, TOE] = 0
    seen = replace(followed(STANDS[TOE]), network=places, learned=learned, match_key=key)
    own = Offsets(np.zeros_like(places), np.ones_like(places), np.zeros((FRAMES, 5)))
    told = matches_at_centres(seen, CLICKED, own)
    assert np.allclose(told.match[:, TOE], STANDS[TOE], atol=0.5)
    if not lost_px:
        return
    moved = [Keyframe(0, CLICKED[0].points | {"toe_right": tuple(STANDS[TOE] + [6.0, 0.0])})]
    carried = matches_at_centres(seen, moved, own)
    assert np.allclose(carried.match[:, TOE], STANDS[TOE] + [6.0, 0.0], atol=0.5), "a click that is moved moves its patch"
