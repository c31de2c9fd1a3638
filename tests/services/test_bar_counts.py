"""Where plates hide the legs the bar counts: how deep its plate hangs goes down and up with every squat."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.films.repetitions import Repetitions, bar_fall, repetitions

SQUAT = load_catalogue().movement("back_squat")
UP, CM = np.array([0.0, -1.0]), 3.0


def deep(reps: int, lowering_s: float = 1.5) -> tuple[np.ndarray, np.ndarray]:
    """Times (T,) and how deep she is (T,), 0 to 1."""
    knots, levels = [0.0, 1.0], [0.0, 0.0]
    for _ in range(reps):
        for more, level in ((lowering_s, 1.0), (0.3, 1.0), (1.0, 0.0), (0.6, 0.0)):
            knots.append(knots[-1] + more)
            levels.append(level)
    times = np.arange(round((knots[-1] + 1) * 30)) / 30
    out = np.zeros(len(times))
    for (a, b), (low, high) in zip(pairwise(knots), pairwise(levels), strict=True):
        inside = (times >= a) & (times <= b)
        out[inside] = low + (high - low) * (1 - np.cos(np.pi * (times[inside] - a) / (b - a))) / 2
    return times, out


def counted(knee: np.ndarray, knee_u: np.ndarray | float, times: np.ndarray, plate: np.ndarray) -> Repetitions:
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    angles = {"knee_flexion_left": Series(times, knee, np.broadcast_to(knee_u, len(times)).astype(float))}
    bar = bar_fall(times, plate, np.empty((0, 2, 3)), UP, CM)
    return repetitions(angles, track, SQUAT, "side-left", None, bar=bar)


def plate_of(depth: np.ndarray, fall_cm: float = 55.0) -> np.ndarray:
    return np.stack([np.full(len(depth), 400.0), 200 + CM * fall_cm * depth], axis=1)


def test_legs_that_show_count_themselves() -> None:
    times, depth = deep(3)
    found = counted(5 + 110 * depth, 4.0, times, plate_of(depth))
    assert len(found.reps) == 3 and found.signal.values.max() > 90


def test_where_the_legs_were_lost_in_some_reps_the_bar_counts_all_and_times_them() -> None:
    times, depth = deep(4)
    lost = times > times[-1] * 0.55
    found = counted(np.where(lost, 8.0, 5 + 110 * depth), np.where(lost, UNKNOWN_U, 4.0), times, plate_of(depth))
    assert len(found.reps) == 4
    assert found.signal.values.max() == pytest.approx(55, abs=1) and found.unit == "cm"
    assert [round(b.start_s - a.start_s, 1) for a, b in pairwise(found.reps)] == [3.4, 3.4, 3.4]
    assert all(max(rep.unsure.values()) < 0.1 for rep in found.reps)


def test_a_disc_that_hardly_moves_and_a_plate_that_mostly_hides_count_nothing() -> None:
    times, depth = deep(3)
    knee, unsure = 5 + 110 * depth, np.where(depth > 0.6, 60.0, 4.0)
    assert len(counted(knee, unsure, times, plate_of(depth, 4.0)).reps) == 3  # a wheel in the room: the legs count as they can
    hidden = plate_of(depth)
    hidden[::3] = np.nan
    assert bar_fall(times, hidden, np.empty((0, 2, 3)), UP, CM) is None
    assert bar_fall(times, np.empty((0, 2)), np.empty((0, 2, 3)), UP, CM) is None


def test_what_is_not_shown_of_the_plate_is_bridged_and_known_to_be() -> None:
    times, depth = deep(2)
    plate = plate_of(depth)
    plate[50:54] = np.nan
    bar = bar_fall(times, plate, np.empty((0, 2, 3)), UP, CM)
    assert bar is not None and np.isfinite(bar.values).all()
    assert (bar.u[50:54] == UNKNOWN_U).all() and bar.u[49] < 2
    assert np.abs(bar.values - 55 * depth).max() < 2
