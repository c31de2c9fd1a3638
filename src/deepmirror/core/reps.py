"""Counting reps and cutting each into its phases.

The rep signal rises from the start posture to the far turn-round. A phase of movement begins and ends where its speed
passes 5 % of that phase's own peak speed; what lies between two phases is a hold.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.smoothing import evenly, low_pass, residual_cutoff, speed

Array = NDArray[np.float64]
FirstPhase = Literal["eccentric", "concentric"]

SPEED_SHARE = 0.05  # of the phase's peak speed; our batch contract's definition
PROMINENCE_SHARE = 0.30  # of the set's range: less is a sway, not a rep
PARTIAL_SHARE = 0.85  # of the set's median range; common practice, no source
CUTOFF_RANGE_HZ = (4.0, 7.0)
ORDER: dict[FirstPhase, tuple[str, str, str, str]] = {
    "eccentric": ("eccentric", "bottom", "concentric", "top"),
    "concentric": ("concentric", "top", "eccentric", "bottom"),
}


@dataclass(frozen=True)
class Rep:
    """One rep; times in s on the film's presentation clock.

    start_s..turn_start_s is the first movement, turn_start_s..turn_end_s the far turn-round, turn_end_s..end_s the
    second movement; phases_s maps eccentric, bottom, concentric, top to durations, the last hold of the set being None.
    """

    number: int
    start_s: float
    turn_start_s: float
    turn_end_s: float
    end_s: float
    phases_s: dict[str, float | None]
    range: float
    peak_speeds: dict[str, float]
    mean_speeds: dict[str, float]
    turn_acceleration: float
    complete: bool = True

    @property
    def bottom_s(self) -> float:
        """Middle of the far turn-round."""
        return (self.turn_start_s + self.turn_end_s) / 2


def find_reps(times: Array, signal: Array, first: FirstPhase, min_range: float) -> list[Rep]:
    """Reps in a signal (T,) that grows towards the far turn-round; min_range in the signal's unit.

    Returns an empty list when nothing in the film moves by min_range.
    """
    from scipy.signal import find_peaks

    if len(times) < 8:
        return []
    grid, even = evenly(times, signal)
    rate = 1 / (grid[1] - grid[0])
    smooth = low_pass(even, rate, float(np.clip(residual_cutoff(even, rate), *CUTOFF_RANGE_HZ)))
    span = float(np.percentile(smooth, 98) - np.percentile(smooth, 2))
    if span < min_range:
        return []
    padded = np.concatenate([[smooth.min()], smooth, [smooth.min()]])
    peaks, _ = find_peaks(padded, prominence=max(PROMINENCE_SHARE * span, 0.5 * min_range))
    peaks = peaks - 1
    rates = speed(grid, smooth)
    valleys = _valleys(smooth, peaks)
    cuts = [_cut(grid, rates, valleys[i], int(p), valleys[i + 1]) for i, p in enumerate(peaks)]
    kept = [(c, i) for i, c in enumerate(cuts) if c is not None]
    return _number(grid, smooth, rates, [c for c, _ in kept], [int(peaks[i]) for _, i in kept], first)


def _valleys(smooth: Array, peaks: NDArray[np.signedinteger]) -> list[int]:
    edges = [0, *[int(p) for p in peaks], len(smooth) - 1]
    return [a + int(np.argmin(smooth[a : b + 1])) for a, b in pairwise(edges)]


def _cut(grid: Array, rates: Array, before: int, peak: int, after: int) -> tuple[float, float, float, float] | None:
    """Start, end of the first movement, start and end of the second; None when the film cuts the rep off."""
    if peak - before < 2 or after - peak < 2:
        return None
    out = _phase(grid, rates, before, peak)
    back = _phase(grid, -rates, peak, after)
    return (*out, *back) if out and back else None


def _phase(grid: Array, rates: Array, low: int, high: int) -> tuple[float, float] | None:
    """Where the speed around its peak between two frames passes 5 % of that peak."""
    at = low + int(np.argmax(rates[low : high + 1]))
    limit = SPEED_SHARE * rates[at]
    if limit <= 0:
        return None
    first = last = at
    while first > 0 and rates[first - 1] > limit:
        first -= 1
    while last < len(rates) - 1 and rates[last + 1] > limit:
        last += 1
    return _crossing(grid, rates, limit, first, first - 1), _crossing(grid, rates, limit, last, last + 1)


def _crossing(grid: Array, rates: Array, limit: float, inside: int, outside: int) -> float:
    if outside < 0 or outside >= len(grid):
        return float(grid[inside])
    share = (rates[inside] - limit) / (rates[inside] - rates[outside])
    return float(grid[inside] + share * (grid[outside] - grid[inside]))


def _number(
    grid: Array, smooth: Array, rates: Array, cuts: list[tuple[float, float, float, float]], peaks: list[int], first: FirstPhase
) -> list[Rep]:
    order, reps, bends = ORDER[first], [], np.gradient(rates, grid)
    for i, (start, turn_start, turn_end, end) in enumerate(cuts):
        nxt = cuts[i + 1][0] if i + 1 < len(cuts) else None
        phases: dict[str, float | None] = dict(zip(order, (turn_start - start, turn_end - turn_start, end - turn_end, None), strict=True))
        if nxt is not None:
            phases[order[3]] = max(nxt - end, 0.0)
        a, b = (grid >= start) & (grid <= turn_start), (grid >= turn_end) & (grid <= end)
        at_turn = (grid >= turn_start - 0.15) & (grid <= turn_end + 0.15)
        low = float(np.interp([start, end], grid, smooth).min())
        reps.append(
            Rep(
                i + 1,
                start,
                turn_start,
                turn_end,
                end,
                phases,
                float(smooth[peaks[i]]) - low,
                {order[0]: float(rates[a].max()), order[2]: float(-rates[b].min())},
                {order[0]: float(rates[a].mean()), order[2]: float(-rates[b].mean())},
                float(np.abs(bends[at_turn]).max()),
            )
        )
    return mark_partials(reps)


def mark_partials(reps: list[Rep]) -> list[Rep]:
    """Reps with the incomplete ones marked: a range under 85 % of the set's median."""
    if not reps:
        return []
    middle = float(np.median([r.range for r in reps]))
    return [replace(r, complete=r.range >= PARTIAL_SHARE * middle) for r in reps]


def rise_acceleration(times: Array, height_m: Array, reps: list[Rep]) -> float:
    """Upward acceleration (m/s²) of a point at the reps' turn-rounds: the median over reps of the largest within 0.3 s.

    times (T,) s, height_m (T,) m; smoothed at 4 Hz first, since a second derivative multiplies noise.
    """
    grid, even = evenly(times, height_m)
    bend = np.gradient(np.gradient(low_pass(even, 1 / (grid[1] - grid[0]), 4.0), grid), grid)
    peaks = [float(bend[np.abs(grid - r.bottom_s) <= 0.3].max()) for r in reps]
    return max(float(np.median(peaks)), 0.0) if peaks else 0.0
