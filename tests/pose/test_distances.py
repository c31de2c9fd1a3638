"""Lengths told to the solver: the hips' distance from the front, a back before which hands pass, a shoe."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.sagittal_fit import OutOfPlanePrior, Plane, fit_plane
from deepmirror.core.trajectories import Track
from deepmirror.core.views import UP
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.distances import pelvis_width, side_lengths
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.trajectory_solver import segment_ends

LEG = ("hip", "knee", "ankle")
NAMES = [f"{j}_{s}" for j in LEG for s in ("left", "right")]
LENGTHS = {"thigh": 42.0, "shank": 41.0, "foot": 26.0, "trunk": 48.0, "hip_breadth": 20.0, "biacromial": 36.0}
BODY, CATALOGUE = Body(measured_cm=LENGTHS), load_catalogue()
PX, FAR_CM, FRAMES = 3.0, 1280 * 0.8 / 3.0, 120


def from_the_front(view: str, hips_px: float) -> tuple[Evidence, np.ndarray, np.ndarray]:
    """A squat: evidence, positions (T, P, 2) px with hips `hips_px` apart in standing, and by how much they look narrower (T,)."""
    bend = np.radians(60) * (1 - np.cos(np.linspace(0, 2 * np.pi, FRAMES))) / 2
    back = 42.0 * np.sin(bend) - 41.0 * np.sin(0.4 * bend)
    nearer = FAR_CM / (FAR_CM + back * (1 if view == "front" else -1))
    height = {"ankle": np.full(FRAMES, 600.0), "knee": 600 - PX * 41 * np.cos(0.4 * bend)}
    height["hip"] = height["knee"] - PX * 42 * np.cos(bend)
    out = np.zeros((FRAMES, len(NAMES), 2))
    for i, name in enumerate(NAMES):
        joint, side = name.split("_")
        half = hips_px / 2 * nearer if joint == "hip" else np.full(FRAMES, 36.0)
        out[:, i] = np.stack([640 + (half if side == "left" else -half), height[joint]], axis=1)
    return Evidence(np.arange(FRAMES) / 30, NAMES, out, np.full(out.shape[:2], 3.0)), out, nearer


def seen(view: str, movement: str = "back_squat") -> FilmSetting:
    return FilmSetting(view, BODY, CATALOGUE.movement(movement), None, UP, 1.5, (1280, 720))


@pytest.mark.parametrize("view", ["front", "rear"])
def test_hips_keep_their_distance_but_for_perspective(view: str) -> None:
    evidence, positions, nearer = from_the_front(view, 60.0)
    narrowed = positions.copy()
    deep = slice(50, 70)
    narrowed[deep, :2, 0] = 640 + 0.8 * (narrowed[deep, :2, 0] - 640)  # a network draws deep hips together
    length, sigma = pelvis_width(evidence, seen(view), narrowed)[("hip_left", "hip_right")]
    assert length(np.zeros((FRAMES, 2))) == pytest.approx(60.0 * nearer, rel=0.02)
    assert sigma < 3.0


def test_clicks_and_the_clients_breadth_share_the_say_but_a_breadth_over_the_outside_has_none() -> None:
    evidence, positions, _ = from_the_front("front", 66.0)  # the client's own 20 cm are 60 px
    length, _ = pelvis_width(evidence, seen("front"), positions)[("hip_left", "hip_right")]
    assert 60.5 < length(np.zeros((FRAMES, 2)))[0] < 65.0
    outer = replace(seen("front"), body=Body(measured_cm=LENGTHS | {"hip_breadth": 34.0}))
    length, _ = pelvis_width(evidence, outer, positions)[("hip_left", "hip_right")]
    assert length(np.zeros((FRAMES, 2)))[0] == pytest.approx(66.0, abs=0.5)


def test_legs_that_lie_or_step_tell_no_width() -> None:
    evidence, positions, _ = from_the_front("front", 60.0)
    assert pelvis_width(evidence, seen("front", "leg_press"), positions) == {}
    assert pelvis_width(evidence.only(["hip_left"]), seen("front"), positions[:, :1]) == {}


def test_a_back_keeps_the_length_it_shows_where_nothing_passes_before_it() -> None:
    names = [f"{j}_right" for j in ("shoulder", "hip", "knee", "ankle", "heel", "toe")]
    lean = np.radians(70) * (1 - np.cos(np.linspace(0, 2 * np.pi, FRAMES))) / 2
    ankle = np.tile([600.0, 600.0], (FRAMES, 1))
    knee = ankle + PX * 41 * np.array([0.0, -1.0])
    hip = knee + PX * 42 * np.stack([-np.sin(0.3 * lean), -np.cos(0.3 * lean)], axis=1)
    shoulder = hip + PX * 46 * np.stack([np.sin(lean), -np.cos(lean)], axis=1)  # 46 cm as held, 48 cm as measured
    true = np.stack([shoulder, hip, knee, ankle, ankle + [-20, 24], ankle + [58, 24]], axis=1)
    followed, hidden = true.copy(), np.zeros(FRAMES, bool)
    hidden[25:40] = True
    followed[hidden, 1] += [-12.0, 0.0]  # the hand draws the hip along
    evidence = Evidence(np.arange(FRAMES) / 30, names, followed, np.full(true.shape[:2], 3.0), step=np.zeros_like(true))
    evidence = replace(evidence, step_sigma=np.full(true.shape[:2], 0.3))
    evidence.step_sigma[hidden, 1] = 30.0
    hinge = seen("side-right", "romanian_deadlift")
    track = Track(evidence.times, tuple(names), true, np.tile(np.eye(12), (FRAMES, 1, 1)))
    plane = fit_plane(track, "side-right", BODY, OutOfPlanePrior(planted=True), None, UP, (1280, 720))
    assert plane is not None
    key = Keyframe(0, {n: tuple(true[0, i]) for i, n in enumerate(names)})
    lengths = side_lengths(evidence, [key], plane, hinge, followed, true)
    back = segment_ends("trunk", "right")
    d = true[:, names.index(back[1])] - true[:, names.index(back[0])]
    told = lengths[back][0](d / np.linalg.norm(d, axis=1, keepdims=True))
    assert told == pytest.approx(np.full(FRAMES, PX * 46), rel=0.02)
    squat = side_lengths(evidence, [key], plane, seen("side-right"), followed, true)
    assert squat[back][1] > 2 * lengths[back][1]
    shoe = lengths[("heel_right", "toe_right")]
    assert shoe[0](np.zeros((3, 2))) == pytest.approx([78.0] * 3)


def side_plane() -> Plane:
    """The plane of somebody who bends and stands straight again, square to the camera."""
    lean = np.radians(35) * (1 - np.cos(np.linspace(0, 2 * np.pi, FRAMES))) / 2
    ankle = np.tile([640.0, 600.0], (FRAMES, 1))
    knee = ankle + PX * 41 * np.stack([-np.sin(lean), -np.cos(lean)], axis=1)
    hip = knee + PX * 42 * np.stack([np.sin(2 * lean), -np.cos(2 * lean)], axis=1)
    names = ("hip_left", "knee_left", "ankle_left")
    track = Track(np.arange(FRAMES) / 30, names, np.stack([hip, knee, ankle], axis=1), np.tile(np.eye(6), (FRAMES, 1, 1)))
    plane = fit_plane(track, "side-left", BODY, OutOfPlanePrior(planted=True), None, UP, (1280, 720))
    assert plane is not None
    return plane


def test_a_trunk_that_the_film_shows_larger_throughout_does_not_pull_the_shoulder_off_its_click() -> None:
    """A camera that looks down from near by shows shoulder and hip a sixth further apart than the leg's scale has them."""
    plane, way = side_plane(), np.array([[0.0, -1.0]])
    as_known = float(plane.seen_length_px("trunk", way)[0])
    hip, setting, nothing = (640.0, 400.0), seen("side-left"), Evidence(np.arange(2) / 30, [], np.zeros((2, 0, 2)), np.zeros((2, 0)))
    none = np.zeros((2, 0, 2))
    told = {}
    for times in (1.0, 7 / 6):
        for clicks in (1, 3):
            click = {"hip_left": hip, "shoulder_left": (640.0, 400.0 - times * as_known)}
            lengths = side_lengths(nothing, [Keyframe(i, click) for i in range(clicks)], plane, setting, none, none)
            told[times, clicks] = float(lengths[segment_ends("trunk", "left")][0](way)[0]) / as_known
    assert told[1.0, 1] == told[1.0, 3] == pytest.approx(1.0)
    assert 1.12 < told[7 / 6, 1] < told[7 / 6, 3] < 7 / 6, "nearly as it was clicked, the more so the more was clicked"
    without = side_lengths(nothing, [], plane, setting, none, none)
    assert float(without[segment_ends("trunk", "left")][0](way)[0]) == pytest.approx(as_known)


def test_a_predicted_length_gives_way_to_what_the_film_shows_a_measured_one_hardly() -> None:
    """A thigh predicted a seventh too long may not bend the leg in every frame."""
    plane, ends, way = side_plane(), segment_ends("thigh", "left"), np.array([[0.6, -0.8]])
    as_known = float(plane.seen_length_px("thigh", way)[0])
    free = np.array([[[640.0, 400.0], [640.0, 400.0] + 0.87 * as_known * way[0]]] * 3)
    evidence = Evidence(np.arange(3) / 30, list(ends), free, np.full((3, 2), 3.0))
    held = {}
    for name, body in {"predicted": Body(stature_cm=171.0), "measured": BODY}.items():
        for clicked in (False, True):
            keys = [Keyframe(0, dict(zip(ends, map(tuple, free[0]), strict=True)))] if clicked else []
            length, sigma = side_lengths(evidence, keys, plane, replace(seen("side-left"), body=body), free, free)[ends]
            held[name, clicked] = float(length(way)[0]) / as_known, sigma / as_known
    assert 0.90 < held["predicted", False][0] < 0.95, "halfway: neither is known well"
    assert 0.87 < held["predicted", True][0] < held["predicted", False][0], "the clicks tell it better"
    assert 0.975 < held["measured", False][0] < 1.0
    assert held["predicted", False][1] > held["measured", False][1] > 0.02, "and the worse it is known, the less it holds"
