"""One-repetition maximum (1RM) estimated from a set, and the load or the repetitions that follow from it."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.words import say

TRUSTED_REPS = 10  # repetitions to failure up to which the formulas are trusted (LeSuer 1997, Reynolds 2006; from memory)
MOST_REPS = 12  # beyond that no estimate; common practice, no source
MOST_RESERVE = 4  # a larger reserve is a guess: the estimate is a lower end only; common practice, no source


@dataclass(frozen=True)
class OneRepMax:
    """An estimate: low and high in the load's unit; at_least: only a lower end is known; doubtful: from 11 or 12 repetitions."""

    low: float
    high: float
    at_least: bool = False
    doubtful: bool = False


def epley(load: float, reps: float) -> float:
    """1RM = load (1 + reps / 30), reps to failure. Source: Epley 1985, Boyd Epley Workout (from memory)."""
    return load * (1 + reps / 30)


def brzycki(load: float, reps: float) -> float:
    """1RM = 36 load / (37 - reps), reps to failure below 37. Source: Brzycki 1993, JOPERD 64:88 (from memory)."""
    if not reps < 37:
        raise ValueError(say("Brzycki's formula ends before 37 repetitions, not at {reps:g}.", reps=reps))
    return 36 * load / (37 - reps)


def one_rep_max(load: float, clean_reps: float, rir: float | None, rir_u: float = 0.0) -> OneRepMax | None:
    """The range of both formulas for clean reps plus reserve; None without a reserve, a load, or beyond MOST_REPS.

    load: any unit, returned in the same. rir_u: how far the told reserve may be off (2 for novices); it widens the range, but a
    set cannot have had less than no reserve, nor more than the formulas are told for.
    """
    if rir is None or load <= 0 or clean_reps < 1:
        return None
    reps = clean_reps + rir
    if reps > MOST_REPS:
        return None
    ends = (clean_reps + max(rir - rir_u, 0.0), min(reps + rir_u, MOST_REPS))
    values = [formula(load, max(end, 1.0)) for end in ends for formula in (epley, brzycki)]
    return OneRepMax(min(values), max(values), rir > MOST_RESERVE, reps > TRUSTED_REPS)


def load_for(one_rm: float, reps: float, rir: float) -> float | None:
    """The load at which `reps` can be done with `rir` left: 1RM / (1 + (reps + rir) / 30); None beyond MOST_REPS. Epley, inverted."""
    to_failure = reps + rir
    return one_rm / (1 + to_failure / 30) if to_failure <= MOST_REPS else None


def reps_at(one_rm: float, load: float, rir: float) -> float:
    """How many repetitions with `rir` left a load allows: 30 (1RM / load - 1) - rir. Epley, inverted; load > 0."""
    return 30 * (one_rm / load - 1) - rir
