"""Lighter weeks: by the calendar of the block, or when the lifts say so."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from itertools import islice

from deepmirror.planning.history import LiftSession
from deepmirror.planning.records import Plan
from deepmirror.planning.rules import Rules
from deepmirror.words import say


def lighter_every(plan: Plan, rules: Rules) -> int:
    """Every how many weeks a lighter one comes: the block's length, kept between four and eight."""
    return int(min(max(plan.weeks, rules.lighter_every_least), rules.lighter_every_most))


def by_calendar(plan: Plan, day: date, rules: Rules) -> bool:
    """Whether a day lies in the block's lighter week, its last."""
    return day >= plan.start and plan.week_of(day) % lighter_every(plan, rules) == 0


def signs_of_strain(sessions: Sequence[LiftSession], moved: Callable[[float], float], rir_u: float, rules: Rules) -> list[str]:
    """What a lift's last full sessions say for a lighter week, in words: two of these ask for one. Light sessions are left out."""
    newest = [s for s in reversed(sessions) if not s.light]
    full, out = newest[1::-1], []
    told = (e for s in newest if (e := s.strength(moved, rir_u)) is not None and not e.at_least)
    strengths = list(islice(told, 3))
    if len(strengths) == 3:
        twice, once, before = (e.low for e in strengths)
        floor = (1 - rules.decline_share) * before
        if once <= floor and twice <= floor:
            out.append(
                say("the estimated maximum fell from {before:.0f} to {once:.0f} and {twice:.0f} kg", before=before, once=once, twice=twice)
            )
    if len(full) >= 2:
        now, then = full[-1], full[-2]
        same = now.load_kg == then.load_kg
        if same and now.rir is not None and then.rir is not None and then.rir - now.rir >= rules.decline_rir:
            out.append(
                say("{rir:g} repetitions in reserve became {rir2:g} at {load_kg:g} kg", rir=then.rir, rir2=now.rir, load_kg=now.load_kg)
            )
        if now.pain is not None and then.pain is not None and now.pain > then.pain:
            out.append(say("pain went up from {pain:g} to {pain2:g} of 10", pain=then.pain, pain2=now.pain))
    return out
