"""Work on one leg at a time: which side comes first, and what it sets for the other."""

from __future__ import annotations

from collections.abc import Sequence

from deepmirror.core.training.sides import FLAGGED_UNDER, SidePair, Weaker, weaker_side
from deepmirror.movements.pathways import pathways
from deepmirror.planning.lift import PlannedLift, SessionContext
from deepmirror.planning.progression import LoadChange
from deepmirror.planning.records import SIDES, DoneSet, Exercise, Side
from deepmirror.planning.volume import training_of
from deepmirror.words import say


def ordered(context: SessionContext, ex: Exercise, lifts: dict[Side, PlannedLift]) -> list[PlannedLift]:
    """Which side comes first: the painful one, then the weaker, then the one that came second last time."""
    hurts = {side: _pain_of(context, ex, side) for side in SIDES}
    if hurts["left"] != hurts["right"] and max(hurts.values()) > 0:
        first = max(hurts, key=lambda side: hurts[side])
        _follow(context, ex, lifts, first, say("The {first} side hurts: it goes first and sets the load.", first=first), sets_load=True)
        return _from(lifts, first)
    weak = weaker_side(_pairs(context, ex))
    if weak is not None:
        _follow(context, ex, lifts, weak.side, _weak_words(weak), sets_load=False)
        return _from(lifts, weak.side)
    first = _other(_first_last_time(context, ex))
    lifts[first].reasons.append(say("No side is weaker: the {first} one begins this time.", first=first))
    return _from(lifts, first)


def _pain_of(context: SessionContext, ex: Exercise, side: Side) -> float:
    """What a side hurts: its staged regions, or the pain of its last session."""
    training = training_of(context.catalogue, ex.movement)
    staged = [
        r.stage.number for r in context.pain.regions if training and training.pattern in pathways()[r.region].loads and r.side == side
    ]
    sessions = context.history.sessions(ex.movement, side)
    last = (sessions[-1].pain or 0.0) if sessions else 0.0
    return max([float(n) for n in staged] + [last if last > context.rules.pain_max else 0.0])


def _weak_words(weak: Weaker) -> str:
    flag = say(", under {flagged_under:.0%}: watch it", flagged_under=FLAGGED_UNDER) if weak.flagged else ""
    shown = say("{index:.0%} of the other in two sessions or more{flag}", index=weak.index, flag=flag)
    return say("The {side} side is weaker, {shown}: it goes first and sets the repetitions.", side=weak.side, shown=shown)


def _follow(context: SessionContext, ex: Exercise, lifts: dict[Side, PlannedLift], first: Side, words: str, sets_load: bool) -> None:
    """The second side does no more than the first: its repetitions, and never a heavier load."""
    lead, follower = lifts[first], lifts[_other(first)]
    lead.reasons.append(words)
    if follower.change is LoadChange.STOP or lead.change is LoadChange.STOP or lead.movement != follower.movement:
        return
    if follower.load_kg > lead.load_kg and (sets_load or follower.change is LoadChange.RAISE):
        loads = context.loads(follower.movement, follower.implement)
        kept = lead.load_kg if sets_load else max(lead.load_kg, loads.at_most(follower.last_kg or 0.0) or 0.0)
        was = follower.load_kg
        follower.load_kg, follower.per_side_kg = kept, loads.per_side(kept)
        follower.change = LoadChange.LOWER if kept < (follower.last_kg or kept) else LoadChange.HOLD
        follower.warm_up = [row for row in follower.warm_up if row[0].load_kg < kept]
        follower.reasons.append(say("{kept:g} instead of {was:g} kg: the {first} side sets what both do.", kept=kept, was=was, first=first))
    sessions = context.history.full_sessions(ex.movement, first)
    if sessions and not sets_load:
        most = max(min(max(s.clean_reps for s in sessions[-1].sets) + 1, follower.reps[1]), follower.reps[0])
        follower.reps = (follower.reps[0], most)
        follower.reasons.append(say("Up to {most} repetitions, what the {first} side can be asked next.", most=most, first=first))


def _pairs(context: SessionContext, ex: Exercise) -> list[SidePair]:
    left = {s.day: s for s in context.history.full_sessions(ex.movement, "left")}
    out = []
    for right in context.history.full_sessions(ex.movement, "right")[-6:]:
        other = left.get(right.day)
        if other is None or other.load_kg != right.load_kg:
            continue
        uneven = other.rir is not None and right.rir is not None and other.rir != right.rir
        reserves = (other.rir or 0.0, right.rir or 0.0) if uneven else (0.0, 0.0)
        out.append(SidePair(_mean_clean(other.sets) + reserves[0], _mean_clean(right.sets) + reserves[1]))
    return out


def _mean_clean(sets: Sequence[DoneSet]) -> float:
    return sum(s.clean_reps for s in sets) / len(sets)


def _other(side: Side) -> Side:
    return SIDES[1 - SIDES.index(side)]


def _from(lifts: dict[Side, PlannedLift], first: Side) -> list[PlannedLift]:
    return [lifts[first], lifts[_other(first)]]


def _first_last_time(context: SessionContext, ex: Exercise) -> Side:
    rows = [s for s in context.history.sets if s.movement == ex.movement and s.side in SIDES]
    if not rows:
        return "right"
    return next(s.side for s in rows if s.date == rows[-1].date)
