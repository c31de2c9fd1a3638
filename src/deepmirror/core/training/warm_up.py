"""The sets before the working sets."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.training.loads import Loads

LIGHT, HALF, THREE_QUARTERS, HEAVY = ((10, 15), (8, 8), (3, 5), (1, 1))  # repetitions; common practice, no source
HALF_SHARE, THREE_QUARTERS_SHARE, HEAVY_SHARE = 0.50, 0.75, 0.90  # of the working load; common practice, no source
HEAVY_FROM = 0.85  # of the estimated 1RM: from here on one single at 90 %; common practice, no source
LIGHT_BARS = 1.5  # a working load under so many empty bars needs one warm-up set; common practice, no source


@dataclass(frozen=True)
class WarmUpSet:
    """One set: load in kg, the repetitions from and to."""

    load_kg: float
    reps: tuple[int, int]


def warm_up(work_kg: float, loads: Loads, one_rm: float | None, many_joint: bool, lightest_kg: float | None = None) -> list[WarmUpSet]:
    """Light x 10-15, half x 8, three quarters x 3-5, and nine tenths x 1 for a load of 85 % of the 1RM and more.

    Loads are rounded down to what exists; one that is there already, or is no lighter than the work, is dropped. A heavy
    many-joint lift keeps at least two; work under one and a half empty bars is warmed up in one set. lightest_kg: what the
    implement weighs empty; the lightest that exists when not said. Source: common practice, no source.
    """
    lightest = min(loads.all(), default=0.0) if lightest_kg is None else lightest_kg
    if work_kg <= lightest or not loads.all():
        return []
    if lightest > 0 and work_kg < LIGHT_BARS * lightest:
        return [WarmUpSet(lightest, LIGHT)]
    steps = [(lightest, LIGHT), (HALF_SHARE * work_kg, HALF), (THREE_QUARTERS_SHARE * work_kg, THREE_QUARTERS)]
    if one_rm is not None and work_kg >= HEAVY_FROM * one_rm:
        steps.append((HEAVY_SHARE * work_kg, HEAVY))
    out: list[WarmUpSet] = []
    for wanted, reps in steps:
        load = loads.at_most(wanted)
        if load is None or load >= work_kg or any(s.load_kg >= load for s in out):
            continue
        out.append(WarmUpSet(load, reps))
    if many_joint and len(out) < 2:  # the steps fell together: the same light load once more, nearer to the work's repetitions
        out.append(WarmUpSet(out[-1].load_kg if out else lightest, HALF))
    return out
