"""Where plates hide the legs the bar counts: how deep its plate hangs goes down and up with every squat."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.movements.schema import Movement
from deepmirror.services.films.bar_bend import bar_bend, bar_fall, linkage
from deepmirror.services.films.repetitions import Repetitions, repetitions

CATALOGUE = load_catalogue()
SQUAT, HINGE, PULL = (CATALOGUE.movement(name) for name in ("back_squat", "romanian_deadlift", "conventional_deadlift"))
BODY = Body(measured_cm={"thigh": 42.0, "shank": 41.0, "trunk": 50.0})
UP, CM, STILL = np.array([0.0, -1.0]), 3.0, np.empty((0, 2, 3))


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


def counted(knee: np.ndarray, knee_u: np.ndarray | float, times: np.ndarray, plate: np.ndarray, movement: Movement = SQUAT) -> Repetitions:
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    angles = {f"{movement.signal}_left": Series(times, knee, np.broadcast_to(knee_u, len(times)).astype(float))}
    fall = bar_fall(times, plate, STILL, UP, CM)
    bar = None if fall is None else bar_bend(fall, movement, BODY)
    return repetitions(angles, track, movement, "side-left", None, bar=bar)


def plate_of(depth: np.ndarray, fall_cm: float = 55.0) -> np.ndarray:
    return np.stack([np.full(len(depth), 400.0), 200 + CM * fall_cm * depth], axis=1)


def leaning(depth: np.ndarray, most_deg: float = 80.0) -> np.ndarray:
    """The plate (T, 2) px of one who leans so far over straight legs."""
    return plate_of(1 - np.cos(np.radians(most_deg * depth)), 50.0)


def test_legs_that_show_count_themselves() -> None:
    times, depth = deep(3)
    found = counted(5 + 110 * depth, 4.0, times, plate_of(depth))
    assert len(found.reps) == 3 and found.signal.values.max() > 90


def test_where_the_legs_were_lost_in_some_reps_the_bar_counts_all_and_times_them() -> None:
    times, depth = deep(4)
    lost = times > times[-1] * 0.55
    found = counted(np.where(lost, 8.0, 5 + 110 * depth), np.where(lost, UNKNOWN_U, 4.0), times, plate_of(depth))
    assert len(found.reps) == 4
    assert [rep.range for rep in found.reps] == pytest.approx([55] * 4, abs=1)
    assert [round(b.start_s - a.start_s, 1) for a, b in pairwise(found.reps)] == [3.4, 3.4, 3.4]
    assert all(max(rep.unsure.values()) < 0.1 for rep in found.reps)


def test_a_disc_that_hardly_moves_and_a_plate_that_mostly_hides_count_nothing() -> None:
    times, depth = deep(3)
    knee, unsure = 5 + 110 * depth, np.where(depth > 0.6, 60.0, 4.0)
    assert len(counted(knee, unsure, times, plate_of(depth, 4.0)).reps) == 3  # a wheel in the room: the legs count as they can
    hidden = plate_of(depth)
    hidden[::3] = np.nan
    assert bar_fall(times, hidden, STILL, UP, CM) is None
    assert bar_fall(times, np.empty((0, 2)), STILL, UP, CM) is None


def test_what_is_not_shown_of_the_plate_is_bridged_and_as_unsure_as_it_can_have_gone_astray() -> None:
    times, depth = deep(2)
    plate = plate_of(depth)
    plate[50:54] = np.nan
    plate[:3] = np.nan
    fall = bar_fall(times, plate, STILL, UP, CM)
    assert fall is not None and np.isfinite(fall.values).all()
    assert (fall.u[:3] == UNKNOWN_U).all() and fall.u[49] == fall.u[54] < 1
    off = np.abs(fall.values - 55 * depth)
    assert off.max() < 2 and (off[50:54] < fall.u[50:54]).all() and fall.u[50:54].max() < 4
    found = counted(np.full(len(times), 8.0), UNKNOWN_U, times, plate)
    assert len(found.reps) == 2  # a moment in which an upright hides it loses no rep


def test_a_hinge_begins_when_the_trunk_leans_not_when_the_bar_has_fallen() -> None:
    times, depth = deep(3)
    legs = counted(80 * depth, 4.0, times, leaning(depth), HINGE).reps
    bar = counted(80 * depth, UNKNOWN_U, times, leaning(depth), HINGE)
    fall = find_reps(times, 50 * (1 - np.cos(np.radians(80 * depth))), "eccentric", 12.0)
    assert max(abs(b.start_s - a.start_s) for a, b in zip(legs, bar.reps, strict=True)) < 0.06
    assert min(b.start_s - a.start_s for a, b in zip(legs, fall, strict=True)) > 0.12
    assert all(b.late_lowering == pytest.approx(a.late_lowering, abs=0.1) for a, b in zip(legs, bar.reps, strict=True))
    assert all(rep.creep_s["eccentric"] > 0.1 for rep in bar.reps)  # when exactly is hard to see


def test_a_pull_from_the_floor_is_counted_upwards() -> None:
    times, depth = deep(3)
    found = counted(np.full(len(times), -20.0), UNKNOWN_U, times, leaning(1 - depth), PULL)
    assert [rep.first for rep in found.reps] == ["concentric"] * 3
    assert [rep.range for rep in found.reps] == pytest.approx([50 * (1 - np.cos(np.radians(80)))] * 3, abs=1)


def test_legs_that_are_lost_count_no_rep_in_which_the_bar_is_seen_to_stand() -> None:
    times, depth = deep(3)
    ghost = 70 * np.exp(-(((times - times[-1] + 1.0) / 0.3) ** 2))
    unsure = np.where(ghost > 2, 35.0, 5.0)
    assert len(counted(80 * depth + ghost, unsure, times, np.full((len(times), 2), np.nan), HINGE).reps) == 4
    assert len(counted(80 * depth + ghost, unsure, times, leaning(depth), HINGE).reps) == 3


def test_what_lets_a_bar_down() -> None:
    squat, hinge = linkage(SQUAT, BODY), linkage(HINGE, BODY)
    assert squat.bend(np.array([0.0, 107.5 * (1 - np.sqrt(0.5))])) == pytest.approx([0, 90])
    assert hinge.bend(np.array([0.0, 25.0, 50.0])) == pytest.approx([0, 60, 90])


def test_what_is_shown_of_the_bar_has_the_doubt_of_the_scale_which_moves_no_boundary() -> None:
    times, depth = deep(3)
    found = counted(np.full(len(times), 8.0), UNKNOWN_U, times, plate_of(depth))
    deepest = int(np.argmax(found.signal.values))
    assert found.unit == "cm" and found.signal.values[deepest] == pytest.approx(55, abs=1)
    assert found.signal.u[deepest] == pytest.approx(5.5, abs=0.2)
    assert all(max(rep.unsure.values()) < 0.2 for rep in found.reps)
