"""Counting reps and cutting each into its phases.

The rep signal rises from the start posture to the far reversal. A phase of movement begins and ends where its speed
passes 5 % of that phase's own peak speed; what lies between two phases is a hold.

Patterns: a rep with a half rep inside (down, half up, down, up) is one rep; a rest longer than REST_S begins a new block
of the set (drop sets, rest-pause).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.phases import phase
from deepmirror.core.motion.smoothing import evenly, low_pass, residual_cutoff, speed
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value

Array = NDArray[np.float64]
FirstPhase = Literal["eccentric", "concentric"]

CREEP_SHARE, START_TAKES_S = (
    0.15,
    0.2,
)  # of a phase's peak speed: below it a phase creeps; what a start or stop takes to pass it; our own choice
PROMINENCE_SHARE = 0.30  # of the set's range: less is a sway, not a rep
PARTIAL_SHARE = 0.85  # of the set's median range; common practice, no source
SCATTER_REPS = 3  # of so many reps the ends tell how far one end may be off; our own choice
HALF_WAY = (0.3, 0.75)  # share of the way back at which a half rep inside a rep turns; common practice, no source
EDGE_S = 0.1  # a boundary is as sure as the signal on both sides of it; our own choice
USUAL_U_PERCENTILE = 25  # of the uncertainties inside the reps: what the signal has where it is read well
SHARED_EDGE = 0.1  # of the shared range left out at either end, where reps turn; our own choice
REST_S = 6.0  # a pause between reps longer than this is a rest, not a hold; common practice, no source
MIDDLE = (0.2, 0.8)  # of a phase's way: what lies between shows also where its ends are hidden; our own choice
TURN_WINDOW_S = 0.15  # around a reversal, for its acceleration; our own choice
ARRIVAL_S = 0.3  # how long before a phase's end its stop is looked for
CUTOFF_RANGE_HZ = (4.0, 7.0)  # what the residual analysis may choose for a rep signal; Winter names 4 to 6 Hz for gait (from memory)
ORDER: dict[FirstPhase, tuple[str, str, str, str]] = {
    "eccentric": ("eccentric", "bottom", "concentric", "top"),
    "concentric": ("concentric", "top", "eccentric", "bottom"),
}


@dataclass(frozen=True)
class Rep:
    """One rep; times in s on the film's presentation clock.

    start_s..turn_start_s is the first movement, turn_start_s..turn_end_s the far reversal, turn_end_s..end_s the
    second movement; phases_s maps eccentric, bottom, concentric, top to durations, the last hold of a block being None.
    accelerations: largest one (signal's unit/s²) around the start, while arriving at the reversal, around it, and at the
    end. late_lowering: mean lowering speed in the last third over that of the rest. block: from 1; halves: half reps inside.
    lifting_speed: mean speed of the lift over the range that all whole reps share (signal's unit/s), so that a shorter rep is no slower
    one. leg: the leg that works, where legs take turns. unsure: phase -> share of the rep's range by which the signal was less sure in it
    than it is in the set, because what it is read from was hidden or lost. creep_s: phase -> how long it goes hardly faster than
    the speed at which it begins or ends: there a small error moves its boundary by as much. middles: movement phase -> when it had
    gone MIDDLE of its way; middles_unsure: as unsure, between these times only. ends: the signal at start and end; range_unsure: the share
    of the range by which that may be off beside the other reps' ranges.
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
    accelerations: dict[str, float]
    late_lowering: float = 1.0
    first: FirstPhase = "eccentric"
    complete: bool = True
    block: int = 1
    halves: int = 0
    leg: str | None = None
    lifting_speed: float = 0.0
    unsure: dict[str, float] = field(default_factory=dict)
    creep_s: dict[str, float] = field(default_factory=dict)
    middles: dict[str, tuple[float, float]] = field(default_factory=dict)
    middles_unsure: dict[str, float] = field(default_factory=dict)
    ends: tuple[float, float] = (0.0, 0.0)
    range_unsure: float = 0.0

    @property
    def bottom_s(self) -> float:
        """Middle of the far reversal."""
        return (self.turn_start_s + self.turn_end_s) / 2

    def later(self, by_s: float) -> Rep:
        """The same rep on a clock that began earlier by so much."""
        times = ("start_s", "turn_start_s", "turn_end_s", "end_s")
        middles = {phase: (first + by_s, last + by_s) for phase, (first, last) in self.middles.items()}
        return replace(self, middles=middles, **{name: getattr(self, name) + float(by_s) for name in times})


def with_uncertainty(reps: list[Rep], times: Array, u: Array, by_posture: bool = False) -> list[Rep]:
    """Reps with how unsure each phase's signal was: its uncertainty (k = 2) beyond the set's own usual one, as a share of the range.

    times (T,) s; u (T,) of the signal, in its unit. What lasts through the set moves no boundary; by_posture: nor does what every
    rep has in the same phase, where the way a signal is read changes with the posture.
    """
    inside = np.zeros(len(times), bool)
    for rep in reps:
        inside |= (times >= rep.start_s) & (times <= rep.end_s)
    if not inside.any():
        return reps
    beyond = np.sqrt(np.maximum(u**2 - np.percentile(u[inside], USUAL_U_PERCENTILE) ** 2, 0.0))

    def share(rep: Rep, start_s: float, end_s: float, edge_s: float = 0.0) -> float:
        part = beyond[(times >= start_s - edge_s) & (times <= end_s + edge_s)]
        return float(part.max(initial=0.0)) / max(rep.range, 1e-9)

    out = []
    for rep in reps:
        first, turn, second, _ = ORDER[rep.first]
        spans = {first: (rep.start_s, rep.turn_start_s), turn: (rep.turn_start_s, rep.turn_end_s), second: (rep.turn_end_s, rep.end_s)}
        unsure = {phase: share(rep, *span, EDGE_S) for phase, span in spans.items()}
        out.append(replace(rep, unsure=unsure, middles_unsure={phase: share(rep, *span) for phase, span in rep.middles.items()}))
    if by_posture:
        least = {phase: min(r.unsure[phase] for r in out) for phase in out[0].unsure}
        out = [replace(r, unsure={p: float(np.sqrt(max(v**2 - least[p] ** 2, 0.0))) for p, v in r.unsure.items()}) for r in out]
    return _with_unsure_ranges(out)


def _with_unsure_ranges(reps: list[Rep]) -> list[Rep]:
    """Reps with how unsure their ranges are beside one another.

    A hip near straight is known to 20 degrees and more, and yet alike in every rep: from there the others show how far it may be off.
    What lies between the ends is no matter of the range.
    """
    ends = [end for rep in reps for end in rep.ends]
    scatter = COVERAGE_FACTOR * float(np.std(ends)) if len(reps) >= SCATTER_REPS else math.inf

    def unsure(rep: Rep) -> float:
        return min(max(rep.unsure.values()), float(np.hypot(rep.unsure[ORDER[rep.first][1]], scatter / max(rep.range, 1e-9))))

    return [replace(rep, range_unsure=unsure(rep)) for rep in reps]


def smoothing_cutoff(times: Array, signal: Array) -> float:
    """The cut-off (Hz) that suits a signal (T,) best, within what a lift can need."""
    grid, even = evenly(times, signal)
    return float(np.clip(residual_cutoff(even, 1 / (grid[1] - grid[0])), *CUTOFF_RANGE_HZ))


def find_reps(
    times: Array, signal: Array, first: FirstPhase, min_range: float, halves: bool = False, cutoff_hz: float | None = None
) -> list[Rep]:
    """Reps in a signal (T,) that grows towards the far reversal; min_range in the signal's unit.

    halves: the set was asked for with a half rep inside every rep; cutoff_hz: of the smoothing, worked out from the signal when None.

    Returns an empty list when nothing in the film moves by min_range.
    """
    from scipy.signal import find_peaks

    if len(times) < 8:
        return []
    grid, even = evenly(times, signal)
    rate = 1 / (grid[1] - grid[0])
    smooth = low_pass(even, rate, smoothing_cutoff(times, signal) if cutoff_hz is None else cutoff_hz)
    span = float(np.percentile(smooth, 98) - np.percentile(smooth, 2))
    if span < min_range:
        return []
    padded = np.concatenate([[smooth.min()], smooth, [smooth.min()]])
    least = max(PROMINENCE_SHARE * span, 0.5 * min_range)
    peaks = _apart(smooth, find_peaks(padded, prominence=least)[0] - 1, least)
    rates = speed(grid, smooth)
    valleys = _valleys(smooth, peaks)
    cuts, tops = [], []
    for low, inside, high in _joined(smooth, peaks, valleys, halves):
        cut = _cut(grid, rates, low, inside, high)
        if cut is not None:
            cuts.append(cut)
            tops.append(inside)
    return _number(grid, smooth, rates, cuts, tops, first)


def _apart(smooth: Array, peaks: NDArray[np.signedinteger], least: float) -> NDArray[np.signedinteger]:
    """Peaks with a real way down between them: two of exactly one height are each as prominent as the rep to SciPy."""
    kept: list[int] = []
    for peak in peaks:
        if kept and smooth[kept[-1] : peak + 1].min() > smooth[peak] - least:
            continue
        kept.append(int(peak))
    return np.array(kept, int)


def _joined(smooth: Array, peaks: NDArray[np.signedinteger], valleys: list[int], halves: bool) -> list[tuple[int, list[int], int]]:
    """(valley before, peaks of the rep, valley after): two peaks with a half-way valley between them are one rep.

    Without being told (`halves`) this is believed only when the whole set goes by turns: half, whole, half, whole.
    """
    single = [(valleys[i], [int(p)], valleys[i + 1]) for i, p in enumerate(peaks)]
    half = [_is_half(smooth, int(a), v, int(b), valleys[0]) for a, b, v in zip(peaks, peaks[1:], valleys[1:], strict=False)]
    by_turns = len(peaks) >= 4 and len(peaks) % 2 == 0 and all(h == (i % 2 == 0) for i, h in enumerate(half))
    if not (halves or by_turns):
        return single
    out: list[tuple[int, list[int], int]] = []
    i = 0
    while i < len(single):
        if i < len(half) and half[i]:
            out.append((single[i][0], [*single[i][1], *single[i + 1][1]], single[i + 1][2]))
            i += 2
        else:
            out.append(single[i])
            i += 1
    return out


def _is_half(smooth: Array, before: int, valley: int, after: int, start: int) -> bool:
    """True when the signal went back half-way only between two peaks."""
    height = min(smooth[before], smooth[after]) - smooth[start]
    back = 1 - (smooth[valley] - smooth[start]) / max(height, 1e-9)
    return bool(HALF_WAY[0] <= back <= HALF_WAY[1])


def _valleys(smooth: Array, peaks: NDArray[np.signedinteger]) -> list[int]:
    edges = [0, *[int(p) for p in peaks], len(smooth) - 1]
    return [a + int(np.argmin(smooth[a : b + 1])) for a, b in pairwise(edges)]


def _cut(grid: Array, rates: Array, before: int, inside: list[int], after: int) -> tuple[float, float, float, float] | None:
    """Start, end of the first movement, start and end of the second; None when the film cuts the rep off."""
    if inside[0] - before < 2 or after - inside[-1] < 2:
        return None
    out = phase(grid, rates, before, inside[0])
    back = phase(grid, -rates, inside[-1], after, from_rest=False)
    return (*out, *back) if out and back else None


def _number(
    grid: Array, smooth: Array, rates: Array, cuts: list[tuple[float, float, float, float]], tops: list[list[int]], first: FirstPhase
) -> list[Rep]:
    order, reps, bends = ORDER[first], [], np.abs(np.gradient(rates, grid))
    block = 1
    for i, (start, turn_start, turn_end, end) in enumerate(cuts):
        nxt = cuts[i + 1][0] if i + 1 < len(cuts) else None
        phases: dict[str, float | None] = dict(zip(order, (turn_start - start, turn_end - turn_start, end - turn_end, None), strict=True))
        rest = nxt is not None and nxt - end > REST_S
        if nxt is not None and not rest:
            phases[order[3]] = max(nxt - end, 0.0)
        a, b = (grid >= start) & (grid <= turn_start), (grid >= turn_end) & (grid <= end)
        at_start, at_end = (float(v) for v in np.interp([start, end], grid, smooth))

        def sharpest(low_s: float, high_s: float) -> float:
            return float(bends[(grid >= low_s) & (grid <= high_s)].max(initial=0.0))

        reps.append(
            Rep(
                i + 1,
                start,
                turn_start,
                turn_end,
                end,
                phases,
                float(max(smooth[t] for t in tops[i])) - min(at_start, at_end),
                {order[0]: float(rates[a].max()), order[2]: float(-rates[b].min())},
                {order[0]: float(rates[a].mean()), order[2]: float(-rates[b].mean())},
                {
                    "start": sharpest(start - TURN_WINDOW_S, start + TURN_WINDOW_S),
                    "arrival": sharpest(turn_start - ARRIVAL_S, turn_start + TURN_WINDOW_S),
                    "turn": sharpest(turn_start - TURN_WINDOW_S, turn_end + TURN_WINDOW_S),
                    "end": sharpest(end - ARRIVAL_S, end + TURN_WINDOW_S),
                },
                _late(grid, rates, *((start, turn_start) if first == "eccentric" else (turn_end, end))),
                first,
                block=block,
                halves=len(tops[i]) - 1,
                creep_s={order[0]: _creep(grid, rates, start, turn_start), order[2]: _creep(grid, -rates, turn_end, end)},
                middles={order[0]: _middle(grid, smooth, start, turn_start), order[2]: _middle(grid, smooth, turn_end, end)},
                ends=(at_start, at_end),
            )
        )
        block += rest
    return _with_lifting_speeds(mark_partials(reps), grid, smooth)


def _with_lifting_speeds(reps: list[Rep], grid: Array, smooth: Array) -> list[Rep]:
    """Reps with how fast each was lifted over the range that all whole ones went through."""
    spans = []
    for rep in reps:
        start, end = (rep.turn_end_s, rep.end_s) if rep.first == "eccentric" else (rep.start_s, rep.turn_start_s)
        inside = (grid >= start) & (grid <= end)
        spans.append((grid[inside], smooth[inside]))
    whole = [values for (_, values), rep in zip(spans, reps, strict=True) if rep.complete and len(values)]
    if not whole:
        return reps
    low, high = max(float(v.min()) for v in whole), min(float(v.max()) for v in whole)
    low, high = low + SHARED_EDGE * (high - low), high - SHARED_EDGE * (high - low)
    out = []
    for rep, (times, values) in zip(reps, spans, strict=True):
        within = times[(values >= low) & (values <= high)]
        took = float(np.ptp(within)) if len(within) > 1 else 0.0
        out.append(replace(rep, lifting_speed=float(np.ptp(np.clip(values, low, high))) / took if took > 0 else 0.0))
    return out


def _creep(grid: Array, rates: Array, start: float, end: float) -> float:
    """Seconds of a phase before it first and after it last goes clearly faster than where it begins and ends, beyond what a start takes."""
    inside = (grid >= start) & (grid <= end)
    quick = grid[inside & (rates > CREEP_SHARE * rates[inside].max(initial=0.0))]
    if not len(quick):
        return 0.0
    return max(float(quick[0]) - start - START_TAKES_S, 0.0) + max(end - float(quick[-1]) - START_TAKES_S, 0.0)


def _middle(grid: Array, smooth: Array, start: float, end: float) -> tuple[float, float]:
    """When a phase had gone MIDDLE of its way, s."""
    inside = (grid >= start) & (grid <= end)
    times, way = grid[inside], smooth[inside]
    if len(times) < 3 or way[0] == way[-1]:
        return start, end
    way = (way - way[0]) / (way[-1] - way[0])
    last = int(np.argmax(way >= MIDDLE[1]))
    first = int(np.flatnonzero(way[:last] <= MIDDLE[0])[-1])
    begins, ends = (float(np.interp(level, way[i : i + 2], times[i : i + 2])) for level, i in zip(MIDDLE, (first, last - 1), strict=True))
    return begins, ends


def _late(grid: Array, rates: Array, start: float, end: float) -> float:
    """Mean speed in the last third of a phase over the mean of the rest."""
    cut = start + (end - start) * 2 / 3
    speeds = np.abs(rates)
    before, late = speeds[(grid >= start) & (grid < cut)], speeds[(grid >= cut) & (grid <= end)]
    return float(late.mean() / max(before.mean(), 1e-9)) if len(before) and len(late) else 1.0


def mark_partials(reps: list[Rep]) -> list[Rep]:
    """Reps with the incomplete ones marked: a range under 85 % of the set's median."""
    if not reps:
        return []
    middle = float(np.median([r.range for r in reps]))
    return [replace(r, complete=r.range >= PARTIAL_SHARE * middle) for r in reps]


def rise_acceleration(times: Array, height_m: Array, reps: list[Rep]) -> Value:
    """Upward acceleration (m/s²) of a point at the reps' reversals: the median over reps of the largest within 0.3 s, and how unsure it
    is by how far the reps differ.

    times (T,) s, height_m (T,) m; smoothed at 4 Hz first, since a second derivative multiplies noise.
    """
    grid, even = evenly(times, height_m)
    bend = np.gradient(np.gradient(low_pass(even, 1 / (grid[1] - grid[0]), 4.0), grid), grid)
    around = max(0.3, float(grid[1] - grid[0]))
    peaks = [float(bend[np.abs(grid - r.bottom_s) <= around].max()) for r in reps]
    if len(peaks) < 2:
        return Value(max(peaks[0], 0.0) if peaks else 0.0, math.inf)
    spread = COVERAGE_FACTOR * float(np.std(peaks, ddof=1)) / math.sqrt(len(peaks))
    return Value(max(float(np.median(peaks)), 0.0), spread)
