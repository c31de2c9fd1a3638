"""Two reps side by side by phase, not by clock: every rep runs from 0 to 3.

0..1 is the first movement (lowering in a squat), 1..2 the hold at the far reversal, 2..3 the second movement; inside each
the share is of its time. Two reps at the same number are at the same place of their work, however fast each is.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Series
from deepmirror.core.uncertain_value import Band, Value

Array = NDArray[np.float64]
WHOLE = 3.0  # lowering, hold and lifting count one each
STEPS = (50, 8, 50)  # points of a normalised curve in first movement, hold and second movement
STRICTLY_S = 1e-9  # a reversal without a hold still has a beginning and an end


def edges(rep: Rep) -> Array:
    """The four times (s) at which the phases 0, 1, 2 and 3 lie, strictly rising. (4,) s."""
    raw = np.array([rep.start_s, rep.turn_start_s, rep.turn_end_s, rep.end_s], float)
    return np.asarray(np.maximum.accumulate(raw) + np.arange(4) * STRICTLY_S)


def phase_of(rep: Rep, time_s: float) -> float:
    """Phase 0..3 of a time, held at the ends outside the rep."""
    return float(np.interp(time_s, edges(rep), np.arange(4.0)))


def time_of(rep: Rep, phase: float) -> float:
    """Time (s) of a phase 0..3."""
    return float(np.interp(phase, np.arange(4.0), edges(rep)))


def axis() -> Array:
    """The phases at which curves are compared, (N,)."""
    first, hold, second = STEPS
    return np.concatenate([np.linspace(0, 1, first, endpoint=False), np.linspace(1, 2, hold, endpoint=False), np.linspace(2, 3, second)])


def by_phase(series: Series, rep: Rep) -> Series:
    """The series over one rep on `axis()`: `times` of the result are phases; values and u are interpolated between frames."""
    times = np.array([time_of(rep, p) for p in axis()])
    return Series(axis(), np.interp(times, series.times, series.values), np.interp(times, series.times, series.u))


@dataclass(frozen=True)
class Difference:
    """b minus a over the phases (N,), its uncertainty u (k = 2), and where it is larger than its uncertainty."""

    phases: Array
    values: Array
    u: Array
    real: NDArray[np.bool_]


def difference(a: Series, b: Series) -> Difference:
    """Difference of two curves from `by_phase`; the uncertainties of two reps are taken as independent."""
    values, u = b.values - a.values, np.hypot(a.u, b.u)
    return Difference(a.times, values, u, np.abs(values) > u)


class Change(StrEnum):
    """What became of a number from one film to a later one."""

    REAL = "real change"
    WORSE = "worse"
    NOT_TOLD = "not distinguishable"
    CANNOT_TELL = "cannot tell"  # the later film does not have the number


def change(before: Value, after: Value, target: Band) -> Change:
    """How much nearer to the target, against both uncertainties together."""
    doubt = float(np.hypot(before.u, after.u))
    gain = target.excess(before.value) - target.excess(after.value)
    if gain > doubt:
        return Change.REAL
    return Change.WORSE if gain < -doubt else Change.NOT_TOLD
