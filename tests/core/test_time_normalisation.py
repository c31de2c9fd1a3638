"""Two reps by phase: edges, curves, and what counts as a change."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.time_normalisation import WHOLE, axis, by_phase, change, difference, edges, phase_of, time_of
from deepmirror.core.trajectories import Series
from deepmirror.core.uncertain_value import Band, Value


def rep(start: float, first: float, hold: float, second: float) -> Rep:
    turn, back = start + first, start + first + hold
    return Rep(1, start, turn, back, back + second, {}, 100.0, {}, {}, {})


@given(st.floats(0.05, 9), st.floats(0, 4), st.floats(0.05, 9), st.floats(0, WHOLE))
def test_phase_and_time_are_each_others_inverse(first: float, hold: float, second: float, phase: float) -> None:
    one = rep(2.0, first, hold, second)
    assert np.all(np.diff(edges(one)) > 0)
    if hold > 0.01 or not 1 < phase < 2:
        assert phase_of(one, time_of(one, phase)) == pytest.approx(phase, abs=1e-3)


def test_the_same_movement_at_half_the_speed_gives_the_same_curve() -> None:
    """A rep drawn out in time is the same rep by phase: normalising removes the clock and nothing else."""
    quick, slow = rep(1.0, 1.0, 0.2, 0.8), rep(1.0, 2.0, 0.4, 1.6)
    curves = []
    for one in (quick, slow):
        times = np.linspace(0, 6, 601)
        phases = np.array([phase_of(one, t) for t in times])
        curves.append(by_phase(Series(times, 90 * np.sin(phases / WHOLE * np.pi), np.full(601, 2.0)), one))
    assert np.abs(curves[0].values - curves[1].values).max() < 0.6
    assert curves[0].times is not None and len(curves[0].times) == len(axis())
    same = difference(*curves)
    assert not same.real.any() and same.u == pytest.approx(np.hypot(2, 2))


def test_a_difference_is_real_only_where_it_is_larger_than_both_doubts() -> None:
    values = np.zeros(len(axis()))
    other = np.where(axis() > 1.5, 4.0, 2.0)
    gap = difference(Series(axis(), values, values + 2.0), Series(axis(), other, values + 2.0))
    assert not gap.real[axis() <= 1.5].any() and gap.real[axis() > 1.5].all()


@pytest.mark.parametrize(
    ("before", "after", "target", "words"),
    [
        ((3.6, 0.6), (0.5, 0.5), Band(None, 1.2), "real change"),
        ((3.6, 0.6), (3.0, 0.6), Band(None, 1.2), "not distinguishable"),
        ((3.6, 0.6), (5.0, 0.6), Band(None, 1.2), "worse"),
        ((34, 3), (90, 3), Band(62, None), "real change"),
        ((34, 3), (20, 3), Band(62, None), "worse"),
        ((34, 30), (70, 30), Band(62, None), "not distinguishable"),
        ((2, 1), (22, 1), Band(5, 15), "worse"),  # from 3 below the band to 7 above it
    ],
)
def test_a_change_is_told_by_its_doubt(before: tuple[float, float], after: tuple[float, float], target: Band, words: str) -> None:
    assert change(Value(*before), Value(*after), target) == words
