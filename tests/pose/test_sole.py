"""A drawn shoe on what lies behind it: its sole's edge tells which way it points."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from deepmirror.pose import sole
from deepmirror.pose.evidence import Evidence, Keyframe, rotate
from deepmirror.pose.sole import align_shoe_clicks, clear, sole_direction

MIDDLE = np.array([200.0, 150.0])
HEEL, TOE, ANKLE = np.array([-45.0, 0.0]), np.array([45.0, 0.0]), np.array([-24.0, -30.0])
SOLE_PX = 11.0  # the sole's edge below the line from heel to toe
FINE = 16  # of a pixel: cv2 draws with 4 binary digits of it


def shoe(turn_deg: float, mirrored: bool = False, sole_grey: int = 225) -> tuple[np.ndarray, list[np.ndarray]]:
    """A picture of a shoe turned clockwise, heel, toe and ankle (px); its edge is parallel to the line from heel to toe."""
    rng = np.random.default_rng(3)
    grey = cv2.GaussianBlur(rng.uniform(70, 110, (300, 400)).astype(np.uint8), (0, 0), 2)
    outline = [(-50, SOLE_PX), (36, SOLE_PX), (50, 4), (44, -10), (0, -20), (-14, -60), (-46, -60)]
    flip = np.array([-1.0, 1.0]) if mirrored else np.ones(2)

    def place(v: np.ndarray) -> np.ndarray:
        return MIDDLE + rotate(np.asarray(v, float) * flip, np.radians(turn_deg))

    corners = np.rint(FINE * np.array([place(np.array(v)) for v in outline])).astype(np.int32)
    cv2.fillPoly(grey, [corners], sole_grey, cv2.LINE_AA, 4)
    return grey, [place(v) for v in (HEEL, TOE, ANKLE)]


def direction(heel: np.ndarray, toe: np.ndarray) -> float:
    return float(np.degrees(np.arctan2(*(toe - heel)[::-1])))


def away(a: float, b: float) -> float:
    return (a - b + 180) % 360 - 180


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("turn", [-75.0, -20.0, 0.0, 33.0, 140.0])
def test_the_edge_tells_the_direction_though_the_clicks_are_off(turn: float, mirrored: bool) -> None:
    grey, (heel, toe, ankle) = shoe(turn, mirrored)
    clicked_heel, clicked_toe = heel + [1.5, 2.0], toe - [1.0, 2.5]
    found = np.degrees(sole_direction(grey, clicked_heel, clicked_toe, ankle))
    dip = (1 if mirrored else -1) * sole.DIPS  # the drawn edge does not dip as a filmed one does
    assert abs(away(found, direction(heel, toe) + dip)) < 0.6
    assert abs(away(direction(clicked_heel, clicked_toe), direction(heel, toe))) > 1.0


def test_where_there_is_no_edge_nothing_is_told() -> None:
    grey, (heel, toe, ankle) = shoe(10.0)
    assert np.isnan(sole_direction(np.full_like(grey, 90), heel, toe, ankle))
    faint, _ = shoe(10.0, sole_grey=95)
    assert np.isnan(sole_direction(faint, heel, toe, ankle))
    assert np.isnan(sole_direction(grey, heel, heel, ankle))


def test_an_edge_that_is_rarely_found_is_taken_for_another() -> None:
    looks = np.full(40, np.nan)
    looks[:8] = 0.2
    assert not clear(looks)
    looks[:30] = 0.2
    assert clear(looks)


def test_clicks_are_turned_to_the_edge_as_far_as_it_is_surer() -> None:
    names = ["ankle_left", "heel_left", "toe_left"]
    seen = Evidence(np.arange(5) / 30, names, np.zeros((5, 3, 2)), np.ones((5, 3)), sole=np.array([np.nan, np.radians(3.0), *[np.nan] * 3]))
    points = {"heel_left": (100.0, 200.0), "toe_left": (190.0, 200.0), "ankle_left": (120.0, 170.0)}
    still, turned = align_shoe_clicks([Keyframe(0, points), Keyframe(1, points)], seen, "left")
    assert still.points == points and not still.narrow
    clicked_sd = np.sqrt(2) * 2.0 / 90
    share = clicked_sd**2 / (clicked_sd**2 + sole.SOLE_SD**2)
    heel, toe = (np.array(turned.points[n]) for n in ("heel_left", "toe_left"))
    assert direction(heel, toe) == pytest.approx(3.0 * share, abs=0.01)
    assert (heel + toe) / 2 == pytest.approx([145.0, 200.0])
    assert turned.points["ankle_left"] == points["ankle_left"] and turned.narrow["toe_left"] < 1.3
    seen.sole[1] = np.radians(20.0)  # no click is that far off: another edge
    assert align_shoe_clicks([Keyframe(1, points)], seen, "left")[0].points == points
