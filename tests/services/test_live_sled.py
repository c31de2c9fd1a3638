"""A press filmed from behind the head, counted while it is lifted: the legs do not show, the platform does."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.exchange.brief import Brief, check_brief
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.live.counting import LiveCount
from deepmirror.services.live.sled import SledWatch
from tests.pose.test_platform import CORNERS, sled_pictures

PRESS = load_catalogue().movement("leg_press")
LOOK_S = 2 / 15  # the test's pictures, one a look: two reps of 4 s


def pressing(**marks: Any) -> Brief:
    client = {"stature_cm": 170, "mass_kg": 70, "sex": "female"}
    return check_brief({"movement": "leg_press", "view": "rear", "client": client, "marks": marks})


def standing_feet() -> np.ndarray:
    """All body points (P, 2) px, of which only the feet, on the platform, are seen rightly."""
    points = np.full((len(ALL_POINTS), 2), 30.0)
    for i, name in enumerate(ALL_POINTS):
        part, _, side = name.partition("_")
        if part in ("ankle", "heel", "toe"):
            points[i] = {"left": 260.0, "right": 365.0}[side], {"ankle": 140.0, "heel": 150.0, "toe": 100.0}[part]
    return points


@pytest.mark.parametrize("marked", [True, False])
def test_reps_of_a_sled_are_told_as_they_end(marked: bool) -> None:
    brief = pressing(platform=CORNERS.tolist(), platform_cm=(80, 40)) if marked else pressing()
    pictures, _ = sled_pictures()
    watch, count = SledWatch(brief, PRESS), LiveCount(PRESS, "rear", list(ALL_POINTS))
    pictures += [pictures[-1]] * 8
    times, late = np.arange(len(pictures)) * LOOK_S, []
    for k, picture in enumerate(pictures):
        watch.look(float(times[k]), cv2.cvtColor(picture, cv2.COLOR_GRAY2RGB), standing_feet())
        network = np.full((k + 1, len(ALL_POINTS), 2), 30.0)
        late += [times[k] - rep.end_s for rep in count.closed(times[: k + 1], network, travel=watch.travel())]
    assert [rep.bottom_s for rep in count.told] == pytest.approx([15 * LOOK_S, 45 * LOOK_S], abs=0.1)
    assert max(late) < 0.5
    travelled = 60 / 240 * 80 if marked else 60 / 105 * 35  # the platform's breadth tells the scale, else the usual stance
    assert [rep.range for rep in count.told] == pytest.approx([travelled] * 2, rel=0.05)


def test_a_side_film_and_feet_that_are_not_seen_give_no_way() -> None:
    picture = cv2.cvtColor(sled_pictures()[0][0], cv2.COLOR_GRAY2RGB)
    side = SledWatch(check_brief(pressing().file.model_dump() | {"view": "side-left"}), PRESS)
    unseen = SledWatch(pressing(), PRESS)
    for watch, points in ((side, standing_feet()), (unseen, None)):
        watch.look(0.0, picture, points)
        assert watch.travel() is None
