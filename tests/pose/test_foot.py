"""A drawn shoe that turns at the end of a swinging shank, before a wall that is light above and dark below."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from deepmirror.pose.evidence import Keyframe, rotate
from deepmirror.pose.foot import FootFollower

NAMES = ["knee_left", "ankle_left", "heel_left", "toe_left"]
KNEE, SHANK = np.array([300.0, 260.0]), 130.0
SHOE = {"ankle": (0, 0), "heel": (-22, 26), "toe": (60, 30)}
OUTLINE = [(-14, -8), (14, -10), (34, 8), (66, 22), (66, 38), (-28, 38), (-30, 20)]


def pose(shank_deg: float, bend_deg: float) -> dict[str, np.ndarray]:
    """Points of a leg whose shank points along `shank_deg` (0 right, 90 down) and whose foot is bent from square to it."""
    ankle = KNEE + SHANK * np.array([np.cos(np.radians(shank_deg)), np.sin(np.radians(shank_deg))])
    turn = np.radians(shank_deg - 90 + bend_deg)
    return {"knee": KNEE} | {j: ankle + rotate(np.array(v, float), turn) for j, v in SHOE.items()} | {"turn": np.array(turn)}


def picture(shank_deg: float, bend_deg: float, roller: bool = False, blob: bool = False) -> np.ndarray:
    rng = np.random.default_rng(3)
    grey = np.full((520, 640), 170.0)
    grey[330:] = 70
    p = pose(shank_deg, bend_deg)
    if blob:
        cv2.circle(grey, tuple(int(v) for v in (p["heel"] + p["toe"]) / 2), 42, 230.0, -1)
    else:
        for shade, shape in ((235.0, OUTLINE), (120.0, [(10, -4), (30, 12), (20, 26), (0, 20)])):
            corners = p["ankle"] + rotate(np.array(shape, float), float(p["turn"]))
            cv2.fillPoly(grey, [np.rint(corners).astype(np.int32)], shade)
    if roller:
        cv2.circle(grey, tuple(int(v) for v in p["ankle"] + [-14, -16]), 24, 20.0, -1)
    return np.clip(grey + rng.normal(0, 3, grey.shape), 0, 255).astype(np.uint8)


def centres(shank_deg: float, bend_deg: float) -> np.ndarray:
    p = pose(shank_deg, bend_deg)
    return np.array([p[n.removesuffix("_left")] for n in NAMES])


def follower(blob: bool = False) -> FootFollower:
    foot, at = FootFollower(NAMES), centres(90, 0)
    foot.learn(picture(90, 0, blob=blob), Keyframe(0, {n: tuple(at[i]) for i, n in enumerate(NAMES)}), at)
    return foot


@pytest.mark.parametrize(("shank", "bend", "roller"), [(90, 0, False), (60, 14, False), (20, -18, True), (0, 9, True)])
def test_the_shoe_is_found_wherever_the_shank_swings_and_the_ankle_bends(shank: float, bend: float, roller: bool) -> None:
    thought, true = centres(shank, 0), centres(shank, bend)
    found = follower().find(picture(shank, bend, roller), thought + [4, -3])
    assert [NAMES[f[0]] for f in found] == ["heel_left", "toe_left"]
    heel, toe = found[0][1], found[1][1]
    angle = np.degrees(np.arctan2(*(toe - heel)[::-1]) - np.arctan2(*(true[3] - true[2])[::-1]))
    assert abs(angle) < 2.5
    assert np.linalg.norm((heel + toe - true[2] - true[3]) / 2) < 3
    assert found[0][2] < 0.1 * SHANK


def test_what_looks_alike_at_every_angle_tells_nothing() -> None:
    assert follower(blob=True).find(picture(60, 14, blob=True), centres(60, 0)) == []


def test_no_shoe_is_learned_without_its_three_points() -> None:
    foot, at = FootFollower(NAMES), centres(90, 0)
    foot.learn(picture(90, 0), Keyframe(0, {"ankle_left": tuple(at[1]), "heel_left": tuple(at[2])}), at)
    assert foot.find(picture(90, 0), at) == []
    assert foot.learned().shape == (0, 5)
