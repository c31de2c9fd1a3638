"""Patterns of reps: halves inside reps, pauses, rests, walking out, legs by turns; and how sharply a set moves."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from deepmirror.core.motion.reps import REST_S, find_reps
from deepmirror.core.trajectories import Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.films.repetitions import reps_of_the_set
from tests.movements.rig import POSES, Rep, judged, places, programme, seconds

CATALOGUE = load_catalogue()


def waves(levels: list[float], seconds_each: float = 1.0, fps: float = 30.0) -> tuple[np.ndarray, np.ndarray]:
    """A signal that runs smoothly from level to level."""
    parts = [np.full(30, levels[0])]
    for a, b in pairwise(levels):
        u = np.linspace(0, 1, round(seconds_each * fps), endpoint=False)
        parts.append(a + (b - a) * (1 - np.cos(np.pi * u)) / 2)
    signal = np.concatenate([*parts, np.full(30, levels[-1])])
    return np.arange(len(signal)) / fps, signal


def test_one_and_a_half_reps_count_once() -> None:
    times, signal = waves([5, 115, 60, 115, 5] * 3)
    reps = find_reps(times, signal, "eccentric", 25)
    assert len(reps) == 3 and all(r.halves == 1 and r.complete for r in reps)
    assert reps[0].phases_s["bottom"] == pytest.approx(2.0, abs=0.4)


def test_two_such_reps_are_believed_when_they_were_asked_for_only() -> None:
    times, signal = waves([5, 115, 60, 115, 5])
    assert len(find_reps(times, signal, "eccentric", 25)) == 2
    assert [r.halves for r in find_reps(times, signal, "eccentric", 25, halves=True)] == [1]


def test_reps_that_stop_short_of_the_top_are_not_taken_for_halves() -> None:
    times, signal = waves([5, 115, 30, 115, 28, 115, 5])
    reps = find_reps(times, signal, "eccentric", 25)
    assert len(reps) == 3 and not any(r.halves for r in reps)


def test_a_long_rest_begins_a_new_bout_and_losses_are_counted_within_it() -> None:
    movement = CATALOGUE.movement("leg_extension")
    reps = [
        seconds(movement),
        replace(seconds(movement), rest_s=REST_S + 3),
        seconds(movement, lifting=1.8),
        seconds(movement, lifting=1.8),
    ]
    out = judged(movement, reps)
    assert [r.block for r in out.scene.reps] == [1, 1, 2, 2]
    assert out.scene.reps[1].phases_s["bottom"] is None
    assert out.measured.film["speed_loss_pct"].value == pytest.approx(0, abs=4)


def test_held_reps_keep_their_holds() -> None:
    movement = CATALOGUE.movement("standing_calf_raise")
    held = replace(seconds(movement), hold_s=2.0, rest_s=1.5)
    out = judged(movement, [held] * 3, tempo="2-1-1-2")
    assert out.measured.reps[0]["top_hold_s"].value == pytest.approx(2.0, abs=0.4)
    assert out.measured.reps[0]["bottom_hold_s"].value == pytest.approx(1.5, abs=0.4)
    assert "top_hold_s" in out.measured.reps[2] and "bottom_hold_s" not in out.measured.reps[2]
    assert out.codes == {}


def test_an_isometric_hold_is_one_long_rep() -> None:
    movement = CATALOGUE.movement("standing_calf_raise")
    out = judged(movement, [replace(seconds(movement), hold_s=9.0)])
    assert [round(r.phases_s["top"] or 0) for r in out.scene.reps] == [9]


def test_quick_up_and_slow_down_is_no_fault_when_asked_for() -> None:
    movement = CATALOGUE.movement("standing_calf_raise")
    out = judged(movement, [seconds(movement, lowering=3.0, lifting=0.4)] * 3, tempo="3-0-X-0")
    assert {"tempo_off", "tempo_fast_eccentric"} & set(out.codes) == set()


def test_walking_out_is_no_rep_but_a_lunge_is() -> None:
    squat = CATALOGUE.movement("back_squat")
    times, share, _ = programme([Rep(0.6, 0.6, 0.45), *[Rep(2.0, 1.0)] * 3])
    at = places(POSES["back_squat"], share)
    step = np.clip((times - 1.0) / 1.4, 0, 1)[:, None] * [-90.0, 0.0]
    names = tuple(n for n in at if n.endswith("_right"))
    track = Track(times, names, np.stack([at[n] + step for n in names], axis=1), np.tile(np.eye(2 * len(names)), (len(times), 1, 1)))
    signal = 5 + 110 * share
    found = find_reps(times, signal, "eccentric", 25)
    kept = reps_of_the_set(found, squat, track, "side-right")
    assert (len(found), len(kept)) == (4, 3) and [r.number for r in kept] == [1, 2, 3] and all(r.complete for r in kept)
    assert len(reps_of_the_set(found, CATALOGUE.movement("walking_lunge"), track, "side-right")) == 4


def test_legs_by_turns_are_told_apart() -> None:
    lunge = CATALOGUE.movement("walking_lunge")
    times, share, number = programme([Rep(1.5, 1.0)] * 4)
    at = places(POSES["walking_lunge"], share)
    behind = np.where(number % 2 == 1, share, 0.0)[:, None] * [-220.0, 0.0]
    names = tuple(n for n in at if n.endswith("_right"))
    paths = [at[n] + (behind if n.startswith(("ankle", "heel", "toe")) else 0) for n in names]
    track = Track(times, names, np.stack(paths, axis=1), np.tile(np.eye(2 * len(names)), (len(times), 1, 1)))
    reps = reps_of_the_set(find_reps(times, 5 + 90 * share, "eccentric", 25), lunge, track, "side-right")
    assert [r.leg for r in reps] == ["right", "left", "right", "left"]


def test_sharpness_tells_a_jerk_from_a_smooth_start() -> None:
    movement = CATALOGUE.movement("lying_leg_curl")
    jerked = replace(seconds(movement), shapes=("sudden", "smooth"))
    out = judged(movement, [seconds(movement), jerked])
    smooth, sharp = (r["start_s"].value for r in out.measured.reps)
    assert smooth == pytest.approx(1 / np.pi, abs=0.06), "a half cosine of a second gains its peak speed in 1 / pi of it at its sharpest"
    assert sharp < 0.125
    shares = [r["launch_pct"].value for r in out.measured.reps]
    assert shares[0] < 85 < shares[1]


def test_a_nordic_breaks_where_its_lowering_speeds_up() -> None:
    movement = CATALOGUE.movement("nordic_curl")
    even = replace(seconds(movement), shapes=("sudden", "smooth"))
    falling = replace(seconds(movement, lowering=3.0), shapes=("falling", "smooth"))
    out = judged(movement, [even, falling])
    controlled, lost = (r["break_point_deg"].value for r in out.measured.reps)
    assert lost < controlled - 5 and out.measured.reps[1]["control_s"].value < 3.0
