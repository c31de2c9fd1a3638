"""One passage over a drawn film: a client who slides across a still room, with a plate beside the shoulder and a shoe."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import cv2
import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS, points_for
from deepmirror.pose.disc import Disc, DiscFollower
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.flow_pass import follow

FRAMES, HEIGHT, WIDTH = 10, 540, 720
NAMES = points_for("side-left")
START = {
    "ear": (330, 90), "shoulder": (340, 140), "elbow": (370, 190), "wrist": (360, 150), "hip": (350, 250),
    "knee": (320, 350), "ankle": (350, 450), "heel": (372, 474), "toe": (285, 476),
}  # fmt: skip
SLIDE = np.array([3.0, 1.0])


def truth() -> np.ndarray:
    """(T, P, 2) px of the near side's points."""
    start = np.array([START[n.removesuffix("_left")] for n in NAMES], float)
    return start[None] + np.arange(FRAMES)[:, None, None] * SLIDE


def film(plate: bool) -> list[np.ndarray]:
    rng = np.random.default_rng(2)
    room = np.kron(rng.integers(90, 130, (HEIGHT // 20, WIDTH // 20)), np.ones((20, 20)))
    skin = cv2.resize(rng.integers(120, 255, (60, 24)).astype(np.float64), (160, 400), interpolation=cv2.INTER_CUBIC)
    pictures = []
    for k in range(FRAMES):
        at = truth()[k]
        grey = room.copy()
        x, y = (int(v) for v in np.round(SLIDE * k))
        grey[80 + y : 480 + y, 260 + x : 420 + x] = skin
        heel, toe, ankle = (at[NAMES.index(f"{n}_left")] for n in ("heel", "toe", "ankle"))
        shoe = np.array([toe + [-6, 10], toe + [0, -12], ankle + [-14, -8], ankle + [22, -6], heel + [8, 12]])
        cv2.fillPoly(grey, [np.rint(shoe).astype(np.int32)], 20.0)
        cv2.fillPoly(grey, [np.rint(shoe[:3] * 0.5 + shoe.mean(axis=0) * 0.5).astype(np.int32)], 235.0)
        if plate:
            middle = at[NAMES.index("shoulder_left")] + [12, -26]
            for radius, shade in ((42, 30.0), (26, 80.0)):
                cv2.circle(grey, tuple(round(float(v) * 16) for v in middle), radius * 16, shade, -1, shift=4)
        pictures.append(np.clip(cv2.GaussianBlur(grey, (0, 0), 0.7) + rng.normal(0, 2, grey.shape), 0, 255).astype(np.uint8))
    return pictures


def passed(disc: Disc | None = None, clicked: bool = True, before: np.ndarray | None = None) -> Evidence:
    pictures, at = film(disc is not None), truth()
    network = np.full((FRAMES, len(ALL_POINTS), 2), np.nan)
    network[:, [ALL_POINTS.index(n) for n in NAMES]] = at
    evidence = Evidence(np.arange(FRAMES) / 30, list(ALL_POINTS), network, np.full(network.shape[:2], 4.0))
    if before is not None:
        evidence = replace(evidence, plate=before)
    plate = None if disc is None else (DiscFollower(disc, 100.0), "shoulder_left")
    key = Keyframe(0, {n: tuple(at[0, i]) for i, n in enumerate(NAMES)})
    looked: list[int] = []

    def frames() -> Iterator[np.ndarray]:
        return iter(pictures)

    out = follow(frames, evidence, [key] if clicked else [], NAMES, at + 2.0, looked.append, plate)
    assert looked == list(range(FRAMES))
    return out


def of(evidence: Evidence, values: np.ndarray, name: str) -> np.ndarray:
    return np.asarray(values[:, evidence.names.index(name)])


def test_steps_patches_and_the_still_room_are_seen_where_they_are() -> None:
    out = passed()
    for name in ("hip_left", "knee_left"):
        assert np.abs(of(out, out.step, name)[2:] - SLIDE).max() < 0.6
        found = of(out, out.match, name)
        assert np.nanmax(np.abs(found - truth()[:, NAMES.index(name)] - 2.0)) < 2.5  # they were learned two pixels off, and say so
    assert np.isinf(of(out, out.step_sigma, "hip_right")).all()
    assert len(out.plate) == 0
    assert {out.names[int(row[1])] for row in out.learned} <= set(NAMES)
    assert len(out.room) == 0 or np.abs(out.room[:, :, 2]).max() < 1.5


def test_a_plate_is_followed_and_what_was_seen_of_one_before_stays() -> None:
    shoulder = truth()[:, NAMES.index("shoulder_left")]
    out = passed(Disc(42.0, 1.0, 0.8))
    assert np.abs(out.plate - shoulder - [12, -26]).max() < 2 and np.abs(out.plate_radius - 42).max() < 2
    assert np.array_equal(passed(before=out.plate).plate, out.plate)


def test_without_clicks_there_is_flow_alone() -> None:
    out = passed(clicked=False)
    assert np.isinf(out.match_sigma).all() and len(out.learned) == 0 and len(out.plate) == 0
    assert np.abs(of(out, out.step, "hip_left")[2:] - SLIDE).max() == pytest.approx(0, abs=0.6)
