"""Where a movement between two reversals begins and ends: a jerk is none of it, a halt on the way is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SPEED_SHARE = 0.05  # of the phase's peak speed; our batch contract's definition
WAY_SHARE = 0.12  # of a movement's way: what goes less far in one go is no part of it; our own choice
HALTED_SHARE, HALT_S = 0.05, 0.2  # of a movement's way, s: pieces of a movement that halts, which are no jerks; our own choice
GIVEN_BACK = 0.5  # of a movement's way: what goes back by so much before the next one was a sway at rest; our own choice


def phase(grid: Array, rates: Array, low: int, high: int, from_rest: bool = True) -> tuple[float, float] | None:
    """Where the speed passes 5 % of its peak first and last between two frames; a jerk that goes nowhere belongs to no phase, a stop
    on the way does. from_rest: it begins at rest, else it ends there; a sway at rest that is given back is no part of it."""
    between = np.arange(low, high + 1)
    moving = rates[between] > SPEED_SHARE * rates[between].max()
    if not moving.any():
        return None
    runs = _without_halts(grid, rates, np.split(between[moving], np.flatnonzero(np.diff(between[moving]) > 1) + 1))
    ways = np.array([rates[run].sum() for run in runs])
    runs = [run for run, way in zip(runs, ways, strict=True) if way >= WAY_SHARE * ways.sum()]
    while len(runs) > 1 and _given_back(rates, runs, from_rest):
        runs.pop(0 if from_rest else -1)
    limit = SPEED_SHARE * max(rates[run].max() for run in runs)
    first, last = int(runs[0][0]), int(runs[-1][-1])
    while first > 0 and rates[first - 1] > limit:
        first -= 1
    while last < len(rates) - 1 and rates[last + 1] > limit:
        last += 1
    return _crossing(grid, rates, limit, first, first - 1), _crossing(grid, rates, limit, last, last + 1)


def _without_halts(grid: Array, rates: Array, runs: list[NDArray[np.int_]]) -> list[NDArray[np.int_]]:
    """Short runs that go some way, and between which it only halts, as one: a creep that a plate half hides comes in pieces, each too
    short to be a movement of its own."""
    whole, out = sum(float(rates[run].sum()) for run in runs), runs[:1]
    for run in runs[1:]:
        short = all(HALTED_SHARE <= rates[piece].sum() / whole < WAY_SHARE for piece in (out[-1], run))
        if short and grid[run[0]] - grid[out[-1][-1]] < HALT_S:
            out[-1] = np.arange(out[-1][0], run[-1] + 1)
        else:
            out.append(run)
    return out


def _given_back(rates: Array, runs: list[NDArray[np.int_]], from_rest: bool) -> bool:
    """Whether the signal went back, between the run next to rest and the one after it, by most of what the first of them moved it."""
    earlier, later = (runs[0], runs[1]) if from_rest else (runs[-2], runs[-1])
    back = -float(np.minimum(rates[earlier[-1] + 1 : later[0]], 0.0).sum())
    return back > GIVEN_BACK * float(rates[earlier if from_rest else later].sum())


def _crossing(grid: Array, rates: Array, limit: float, inside: int, outside: int) -> float:
    if outside < 0 or outside >= len(grid):
        return float(grid[inside])
    share = (rates[inside] - limit) / (rates[inside] - rates[outside])
    return float(grid[inside] + share * (grid[outside] - grid[inside]))
