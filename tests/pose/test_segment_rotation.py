"""A drawn leg curl: trunk and thigh lie still, the shank swings up before a wall with an edge, a roller hides the heel."""

from __future__ import annotations

from collections.abc import Iterator

import cv2
import numpy as np
import pytest

from deepmirror.pose.evidence import TURNING, rotate
from deepmirror.pose.segment_rotation import EVERY, Turns, watch_turns

JOINTS = ("shoulder", "hip", "knee", "ankle", "heel", "toe")
NAMES = [f"{j}_left" for j in JOINTS]
FRAMES, HEIGHT, WIDTH = 61, 460, 720
SHOULDER, HIP, KNEE, SHANK = np.array([110.0, 300.0]), np.array([250.0, 304.0]), np.array([390.0, 300.0]), 140.0
SHOE = {"heel": (-20.0, -24.0), "toe": (28.0, 64.0)}
OUTLINE = [(-24, -30), (16, -22), (20, 30), (36, 70), (14, 72), (-14, 20), (-26, -10)]
FAR = list(range(10, FRAMES, EVERY))


def swing(frame: int) -> tuple[float, float]:
    """Direction of the shank and bend of the foot against it, degrees clockwise on the screen."""
    share = (1 - np.cos(np.pi * frame / (FRAMES - 1))) / 2
    return -100.0 * share, 14.0 * share


def pose(frame: int) -> np.ndarray:
    """(P, 2) px."""
    shank, bend = np.radians(swing(frame))
    ankle = KNEE + rotate(np.array([SHANK, 0.0]), shank)
    heel, toe = (ankle + rotate(np.array(SHOE[j]), shank + bend) for j in ("heel", "toe"))
    return np.array([SHOULDER, HIP, KNEE, ankle, heel, toe])


def bar(grey: np.ndarray, cloth: np.ndarray, a: np.ndarray, b: np.ndarray, half: float) -> None:
    """A piece of cloth along a -> b."""
    d = (b - a) / cloth.shape[0]
    side = np.array([-d[1], d[0]]) / np.hypot(*d) * 2 * half / cloth.shape[1]
    corner = a - side * cloth.shape[1] / 2
    move = np.array([[side[0], d[0], corner[0]], [side[1], d[1], corner[1]]])
    shape = (WIDTH, HEIGHT)
    inside = cv2.warpAffine(np.ones(cloth.shape), move, shape) > 0.5
    grey[inside] = cv2.warpAffine(cloth, move, shape)[inside]


def picture(frame: int, covered: bool = False) -> np.ndarray:
    rng = np.random.default_rng(4)
    grey = np.full((HEIGHT, WIDTH), 90.0)
    grey[:170] = 190  # a wall of two colours, its edge behind the swinging foot
    grey[:, ::90] = 60
    cloths = [cv2.resize(rng.uniform(90, 230, (14, 6)), (40, 110), interpolation=cv2.INTER_CUBIC) for _ in range(3)]
    at = dict(zip(JOINTS, pose(frame), strict=True))
    for cloth, (a, b), half in zip(cloths, (("hip", "shoulder"), ("hip", "knee"), ("knee", "ankle")), (34, 28, 22), strict=True):
        bar(grey, cloth, at[a], at[b], half)
    turn = float(np.radians(sum(swing(frame))))
    for shade, shape in ((235.0, OUTLINE), (120.0, [(0, 10), (14, 30), (26, 60), (12, 56)])):
        cv2.fillPoly(grey, [np.rint(at["ankle"] + rotate(np.array(shape, float), turn)).astype(np.int32)], shade)
    cv2.circle(grey, tuple(int(v) for v in at["ankle"] + rotate(np.array([-26.0, -14.0]), turn)), 20, 30.0, -1)
    if covered:
        cv2.circle(grey, tuple(int(v) for v in at["toe"]), 70, 140.0, -1)
    noise = np.random.default_rng(frame).normal(0, 3, grey.shape)
    return np.clip(cv2.GaussianBlur(grey, (0, 0), 0.8) + noise, 0, 255).astype(np.uint8)


def watched(keyframes: list[int], covered: tuple[int, ...] = ()) -> Turns:
    """Strips cut along a path that wanders a few px off, its foot held by the shank: as it is known when strips are cut."""
    path = np.array([pose(k) for k in range(FRAMES)]) + np.random.default_rng(1).normal(0, 1.5, (FRAMES, len(NAMES), 2))
    for k in range(FRAMES):
        shank = float(np.radians(swing(k)[0]))
        path[k, 4:] = path[k, 3] + [rotate(np.array(SHOE[j]), shank) for j in ("heel", "toe")]

    def frames() -> Iterator[np.ndarray]:
        return (picture(k, k in covered) for k in range(FRAMES))

    told: list[int] = []
    out = watch_turns(frames(), path, NAMES, "left", keyframes, {"foot": (0.3, 1.15)}, told.append)
    assert told == list(range(FRAMES))
    return out


def true_turn(segment: str, frame: int, since: int) -> float:
    """Degrees."""
    shank, foot = (np.array(swing(frame)) - np.array(swing(since))) @ np.array([[1, 1], [0, 1]])
    return {"trunk": 0.0, "thigh": 0.0, "shank": float(shank), "foot": float(foot)}[segment]


@pytest.fixture(scope="module")
def turns() -> Turns:
    return watched([0])


@pytest.mark.parametrize("segment", TURNING)
def test_each_segments_turn_is_found_and_its_doubt_is_honest(turns: Turns, segment: str) -> None:
    s = TURNING.index(segment)
    found = [k for k in FAR if np.isfinite(turns.turn[0, k, s])]
    errors = np.array([np.degrees(turns.turn[0, k, s]) - true_turn(segment, k, 0) for k in found])
    sigma = np.degrees(turns.sigma[0, found, s])
    turned = np.median([abs(true_turn(segment, k, 0)) for k in found])
    assert len(found) >= 0.9 * len(FAR)
    assert np.median(np.abs(errors)) < max(1.0, 0.03 * turned)
    assert np.mean(np.abs(errors) < 2 * sigma) > 0.9


def test_the_shoe_is_followed_past_the_walls_edge_and_the_roller_to_the_top(turns: Turns) -> None:
    last = max(k for k in FAR if np.isfinite(turns.turn[0, k, TURNING.index("foot")]))
    assert last >= FRAMES - 2 * EVERY
    assert abs(np.degrees(turns.turn[0, last, 3]) - true_turn("foot", last, 0)) < 3.0


def test_frames_between_are_not_looked_at(turns: Turns) -> None:
    assert np.isnan(turns.turn[0, 1]).all() and np.isinf(turns.sigma[0, 1]).all()


def test_every_keyframe_tells_the_turn_since_itself() -> None:
    two = watched([0, 31])
    assert list(two.since) == [0, 31]
    for k, since in enumerate((0, 31)):
        assert abs(np.degrees(two.turn[k, 20, 2]) - true_turn("shank", 20, since)) < 2.0


def test_a_shoe_that_is_covered_is_not_found() -> None:
    covered = (20, 22, 24)
    seen = watched([0], covered).turn[0, :, TURNING.index("foot")]
    assert np.isnan(seen[list(covered)]).all()
    assert np.isfinite(seen[[10, 12, 40]]).all()
