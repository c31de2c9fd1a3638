"""Calf raises: the heel lifts the knee, which counts and times the reps where a small foot is hidden, cut off or read badly."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.trajectories import Series, Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.films.repetitions import Repetitions, knee_rise, repetitions

CALF = load_catalogue().movement("standing_calf_raise")
TIMES = np.arange(240) / 30
LIFT = np.clip(np.sin(2 * np.pi * (TIMES - 0.5) / 2.4), 0, 1) ** 2 * (TIMES > 0.5)  # three raises, each after a rest
UP, CM = np.array([0.0, -1.0]), 3.0


def counted(ankle: np.ndarray, ankle_u: float, knee_sd: np.ndarray | float = 1.0, lift_cm: float = 8.0) -> Repetitions:
    knee = np.stack([np.full(len(TIMES), 400.0), 500 - CM * lift_cm * LIFT], axis=1)
    covariance = np.broadcast_to(knee_sd, len(TIMES))[:, None, None] ** 2 * np.eye(2)
    track = Track(TIMES, ("knee_left",), knee[:, None], covariance)
    angles = {"ankle_dorsiflexion_left": Series(TIMES, ankle, np.full(len(TIMES), ankle_u))}
    return repetitions(angles, track, CALF, "side-left", None, rise=knee_rise(track, "left", UP, CM))


def test_the_knee_counts_and_times_raises_whose_foot_is_cut_off() -> None:
    found = counted(np.zeros(len(TIMES)), 60.0)
    assert len(found.reps) == 3 and found.unit == "cm" and not found.refused
    assert [rep.range for rep in found.reps] == pytest.approx([8.0] * 3, abs=0.4)
    assert found.signal.u[int(np.argmax(found.signal.values))] > 0.8  # the scale's doubt is shown, and moves no boundary
    assert [rep.bottom_s for rep in found.reps] == pytest.approx([1.1, 3.5, 5.9], abs=0.05)


def test_an_ankle_that_is_read_askew_moves_no_boundary() -> None:
    askew = 10 - 40 * LIFT - 12 * np.exp(-(((TIMES - 2.2) / 0.3) ** 2))
    times = [(r.start_s, r.end_s) for r in counted(askew, 6.0).reps]
    assert times == [(r.start_s, r.end_s) for r in counted(10 - 40 * LIFT, 6.0).reps]


def test_where_the_knee_is_lost_the_ankle_counts() -> None:
    lost = np.where(np.abs(TIMES - 3.5) < 0.4, 30.0, 1.0)
    assert counted(10 - 40 * LIFT, 6.0, lost).unit == "°"
    assert len(counted(10 - 40 * LIFT, 6.0, lost).reps) == 3


def test_knees_that_stay_where_they_are_count_nothing() -> None:
    assert counted(np.zeros(len(TIMES)), 6.0, lift_cm=1.0).reps == []


def test_only_movements_whose_heels_lift_the_knee_say_so() -> None:
    rises = {m.id: m.heels_lift for m in load_catalogue().movements.values() if m.heels_lift}
    body = dict.fromkeys(("standing_calf_raise", "single_leg_calf_raise", "bent_over_calf_raise"), "body")
    assert rises == body | {"seated_calf_raise": "knee"}


def test_a_knee_that_hands_hide_at_the_top_goes_as_the_hip_does() -> None:
    up = np.stack([np.full(len(TIMES), 400.0), 500 - CM * 8 * LIFT], axis=1)
    hidden = LIFT > 0.5
    lost = up + np.where(hidden, 40.0, 0.0)[:, None]
    sd = np.stack([np.where(hidden, 40.0, 1.0), np.full(len(TIMES), 1.5)], axis=1)
    covariance = np.repeat(sd, 2, axis=1)[:, :, None] ** 2 * np.eye(4)
    track = Track(TIMES, ("knee_left", "hip_left"), np.stack([lost, up - [0.0, 120.0]], axis=1), covariance)
    alone, helped = (knee_rise(track, "left", UP, CM, with_hip) for with_hip in (False, True))
    assert helped.values == pytest.approx(8 * LIFT, abs=0.01) and helped.u.max() < 2.0
    assert alone.u.max() > 20
    ankle = Series(TIMES, 10 - 40 * LIFT, np.where(hidden, 30.0, 6.0))
    found = repetitions({"ankle_dorsiflexion_left": ankle}, track, CALF, "side-left", None, rise=helped)
    assert [rep.range for rep in found.reps] == pytest.approx([8.0] * 3, abs=0.4)
    assert max(max(rep.unsure.values()) for rep in found.reps) < 0.2
