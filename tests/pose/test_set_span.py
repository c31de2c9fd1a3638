"""Which part of a film is the set."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.views import UP
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.set_span import set_span

NAMES, FRAMES, CATALOGUE = list(ALL_POINTS), 300, load_catalogue()
HEIGHT = {"ear": 120, "shoulder": 180, "elbow": 250, "wrist": 300, "hip": 330, "knee": 440, "ankle": 550, "heel": 570, "toe": 570}


def walking(place_px: np.ndarray) -> Evidence:
    """Somebody upright whose feet are at place_px (T,) across the picture; her shank is 110 px long."""
    network = np.zeros((len(place_px), len(NAMES), 2))
    for i, name in enumerate(NAMES):
        network[:, i] = np.stack([place_px, np.full(len(place_px), float(HEIGHT[name.rsplit("_", 1)[0]]))], axis=1)
    return Evidence(np.arange(len(place_px)) / 30, NAMES, network, np.full(network.shape[:2], 4.0))


def setting(movement: str = "back_squat") -> FilmSetting:
    return FilmSetting("side-left", Body(), CATALOGUE.movement(movement), None, UP, 1.5, (1280, 720))


def in_and_out() -> np.ndarray:
    """From outside the picture to x = 600 in two seconds, eight seconds there, and off again."""
    return np.concatenate([np.linspace(1300, 600, 60), np.full(200, 600.0), np.linspace(600, 200, 40)])


def test_walking_in_and_out_is_not_the_set() -> None:
    first, last = set_span(walking(in_and_out()), [], setting())
    assert 50 <= first <= 60 and 259 <= last <= 270


def test_walking_up_to_a_camera_in_front_is_not_the_set() -> None:
    """Her feet hardly move in the picture, but she grows by a half; nor are the last of these steps, in which she is nearly as large: bent
    knees far away were taken for a repetition."""
    came = walking(np.full(FRAMES, 600.0))
    left, right = ([i for i, n in enumerate(NAMES) if n.endswith(side)] for side in ("left", "right"))
    grown = np.concatenate([np.linspace(30, 45, 60), np.full(FRAMES - 60, 45.0)])[:, None]
    came.network[:, left, 0] += grown
    came.network[:, right, 0] -= grown
    front = replace(setting(), view="front")
    first, last = set_span(came, [], front)
    assert 46 <= first <= 60 and last == FRAMES
    away = replace(came, network=came.network[::-1].copy())
    first, last = set_span(away, [], front)
    assert first == 0 and FRAMES - 60 <= last <= FRAMES - 46
    assert set_span(came, [], replace(front, movement=CATALOGUE.movement("leg_press"))) == (0, FRAMES)


def test_a_film_of_the_set_alone_is_taken_whole_and_so_is_one_of_steps() -> None:
    assert set_span(walking(np.full(FRAMES, 600.0)), [], setting()) == (0, FRAMES)
    assert set_span(walking(600 + 100 * np.sin(np.arange(FRAMES) / 15)), [], setting("reverse_lunge")) == (0, FRAMES)


def test_a_clicked_frame_belongs_to_the_set() -> None:
    first, _ = set_span(walking(in_and_out()), [Keyframe(40, {"hip_left": (700.0, 330.0)})], setting())
    assert first <= 40


def test_a_film_framed_without_feet_is_another_matter() -> None:
    cut = walking(np.full(FRAMES, 600.0))
    cut.network[:, [i for i, n in enumerate(NAMES) if n.startswith("ankle")], 1] = 740.0
    assert set_span(cut, [], setting()) == (0, FRAMES)


def test_evidence_of_a_part_keeps_its_clicks_and_turns_together() -> None:
    whole = walking(in_and_out())
    learned = np.array([[70.0, 3, 1, 2, 0], [10.0, 3, 1, 2, 0]])
    turn = np.zeros((2, FRAMES, 4))
    part = Evidence(**{**vars(whole), "learned": learned, "turn": turn, "turn_sigma": turn + 1, "turn_since": np.array([70.0, 10.0])})
    cut = part.between(60, 260)
    assert len(cut.times) == 200 and cut.times[0] == whole.times[60] and cut.network.shape[0] == 200
    assert cut.learned[:, 0].tolist() == [10, -50] and cut.learned[:, 1].tolist() == [3, -1]
    assert cut.turn_since.tolist() == [10] and cut.turn.shape == (1, 200, 4)


def test_what_is_known_of_the_set_becomes_part_of_the_whole_film() -> None:
    times = np.arange(10) / 10
    series = Series(times[3:7], np.array([1.0, 2.0, 3.0, 4.0]), np.full(4, 0.5)).within(times, 3)
    assert series.values.tolist() == [1, 1, 1, 1, 2, 3, 4, 4, 4, 4] and series.u.tolist() == [180] * 3 + [0.5] * 4 + [180] * 3
    track = Track(times[3:7], ("hip_left",), np.ones((4, 1, 2)), np.tile(np.eye(2), (4, 1, 1)))
    whole = track.within(times, 3, np.zeros((10, 1, 2)), 9.0)
    assert whole.positions[:, 0, 0].tolist() == [0] * 3 + [1] * 4 + [0] * 3
    assert whole.sigma("hip_left") == pytest.approx([9] * 3 + [1] * 4 + [9] * 3)
    assert whole.hidden_sd("hip_left").tolist() == [9] * 3 + [0] * 4 + [9] * 3


def test_a_far_foot_that_is_seen_anywhere_does_not_take_the_client_from_her_place() -> None:
    """Behind the near leg and a plate the network guesses the far one, for three seconds up at the hip."""
    seen = walking(np.full(FRAMES, 600.0))
    seen.network[100:190, NAMES.index("ankle_right"), 1] = 300.0
    assert set_span(seen, [], setting()) == (0, FRAMES)


def test_the_set_goes_on_behind_what_hides_her_for_two_seconds() -> None:
    hidden = np.full(FRAMES, 600.0)
    hidden[120:180] = 1000.0
    assert set_span(walking(hidden), [], setting()) == (0, FRAMES)
    hidden[110:200] = 1000.0
    assert set_span(walking(hidden), [], setting()) != (0, FRAMES), "three seconds elsewhere are no slip"
