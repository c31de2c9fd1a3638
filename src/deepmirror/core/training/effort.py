"""Effort of a set: repetitions in reserve (RIR) and the rating of perceived exertion (RPE) that is based on them."""

from __future__ import annotations

import math

from deepmirror.words import say

LOWEST_RPE, HIGHEST_RPE = 1.0, 10.0


def rir_from_rpe(rpe: float) -> float:
    """Repetitions surely in reserve at an RPE of 1 to 10: 10 -> 0, 9.5 -> 0, 9 -> 1, 8 -> 2, 7 -> 3, 6 -> 4.

    A half means "could rise": 9.5 is no further rep but perhaps more load, 8.5 surely one rep, perhaps two. Raises ValueError
    outside 1 to 10. Source: Zourdos et al. 2016, J Strength Cond Res 30:267 (scale from memory).
    """
    if not LOWEST_RPE <= rpe <= HIGHEST_RPE:
        raise ValueError(
            say(
                "An effort of {rpe:g} cannot be: it is told from {lowest_rpe:g} to {highest_rpe:g}.",
                rpe=rpe,
                lowest_rpe=LOWEST_RPE,
                highest_rpe=HIGHEST_RPE,
            )
        )
    return float(math.floor(HIGHEST_RPE - rpe))


def rpe_from_rir(rir: float) -> float:
    """The RPE of a number of repetitions in reserve; 1 for nine and more. Source: as for `rir_from_rpe`."""
    return max(HIGHEST_RPE - rir, LOWEST_RPE)
