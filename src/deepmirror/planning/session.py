"""The next session, worked out: which day, which exercises, what to lift, what the gate and the pain allow, what to film."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, timedelta

from deepmirror.movements.loader import Catalogue
from deepmirror.planning.dates import NextDay, next_day, planned_days
from deepmirror.planning.film_asks import ask_for_films
from deepmirror.planning.history import History
from deepmirror.planning.lift import PlannedLift, SessionContext, due_film, implement_of
from deepmirror.planning.lighter import by_calendar, signs_of_strain
from deepmirror.planning.one_leg import ordered
from deepmirror.planning.pain import RegionStage, pain_view, stage_words
from deepmirror.planning.painful import planned_lift
from deepmirror.planning.records import BOTH, SIDES, Exercise, TrainingRecord
from deepmirror.planning.rules import rules_for
from deepmirror.planning.substitutes import Reach
from deepmirror.planning.volume import added, balance, done_sets, planned_sets, week_span
from deepmirror.words import joined, say

CAUTION = "This plan measures and organises; it does not diagnose. Stop for sharp, shooting or worsening pain and ask a licensed clinician."


@dataclass
class NextSession:
    """The whole session."""

    day: date
    session: str
    name: str
    week: int
    lighter: bool
    lifts: list[PlannedLift]
    weekly_sets: dict[str, float]
    stages: list[RegionStage]
    films_due: list[tuple[str, date, str]]
    advice: list[str]


def next_session(record: TrainingRecord, catalogue: Catalogue, today: date, reach: Reach | None = None) -> NextSession:
    """Work the next session out as it stands on a day. reach: what keeps this body from a movement, "" when nothing does.

    Raises BadPlan for a client's own rule that is none.
    """
    rules, plan = rules_for(record.client.rules), record.plan
    history = History(record.history, today, record.client, rules)
    when = next_day(plan, today, history.recent(), rules)
    pain = pain_view(record.pain, history.sets, catalogue, today, record.noted)
    context = SessionContext(record, catalogue, rules, history, pain, when.day, by_calendar(plan, when.day, rules), reach)
    advice = [when.moved] if when.moved else []
    strain = _strain(context)
    if strain and not context.lighter:
        context.lighter = True
        advice.append(say("A lighter week now, {strain}.", strain=strain))
    context.taken = [e.movement for e in when.session.exercises]
    lifts = [lift for e in when.session.exercises for lift in _exercise(context, e)]
    asked = ask_for_films(context, lifts)
    return NextSession(
        when.day,
        when.session.day,
        when.session.name,
        plan.week_of(when.day),
        context.lighter,
        lifts,
        _week(context, when, lifts),
        list(pain.regions),
        asked,
        [*advice, *_advice(context, lifts)],
    )


def _strain(context: SessionContext) -> str:
    """Two signs of strain in one lift of the plan ask for a lighter week; in words, empty without."""
    for movement, side in context.history.lifts:
        sessions = context.history.sessions(movement, side)
        implement = implement_of(context, movement)
        signs = signs_of_strain(sessions, context.moved(movement, implement), 0.0, context.rules)
        if len(signs) >= 2 and not sessions[-1].light and (context.day - sessions[-1].day).days < context.rules.away_days:
            return say("{movement}: {signs}", movement=context.catalogue.title(movement), signs=joined(" and ", signs))
    return ""


def _week(context: SessionContext, when: NextDay, lifts: list[PlannedLift]) -> dict[str, float]:
    """Hard sets of the session's week: what is done, this session, and what is still planned."""
    first, last = week_span(context.record.plan, when.day)
    done = done_sets((s for s in context.history.sets if first <= s.date <= last), context.catalogue, context.rules)
    now: dict[str, tuple[str, int, tuple[int, int], float]] = {}
    for lift in lifts:  # two sides of one exercise are one
        key = lift.instead_of or lift.movement
        if key not in now or now[key][1] < lift.sets:
            now[key] = (lift.movement, lift.sets, lift.reps, lift.rir)
    later = [
        (e.movement, e.sets, e.reps, e.rir)
        for day, s in planned_days(context.record.plan, when.day + timedelta(days=1), max((last - when.day).days, 0))
        if s is not when.session
        for e in s.exercises
    ]
    return added(done, planned_sets([*now.values(), *later], context.catalogue, context.rules))


def _advice(context: SessionContext, lifts: list[PlannedLift]) -> list[str]:
    record = context.record
    out = [stage_words(r) for r in context.pain.regions]
    out += list(context.pain.stop_all) + list(context.pain.unknown)
    for lift in lifts:
        due = due_film(context, lift.movement, lift.side)
        if due.missed >= context.rules.films_missed:
            side = "" if lift.side == BOTH else say(", {side}", side=lift.side)
            missed = say("its film was missed {missed} times. Ask the client, or decide yourself.", missed=due.missed)
            out.append(say("{movement}{side}: {missed}", movement=context.catalogue.title(lift.movement), side=side, missed=missed))
    if record.plan.week_of(context.day) > record.plan.weeks:
        out.append(
            say("The block of {weeks} weeks from {start} is over: time for a new plan.", weeks=record.plan.weeks, start=record.plan.start)
        )
    out += balance(record.plan, record.client, context.catalogue, context.rules)
    return [*dict.fromkeys(out), CAUTION]


def _exercise(context: SessionContext, ex: Exercise) -> list[PlannedLift]:
    """The entries of one exercise in the order to train them."""
    ex = ex if ex.implement else replace(ex, implement=implement_of(context, ex.movement))
    if not ex.each_side:
        return [planned_lift(context, ex, BOTH)]
    lifts = {side: planned_lift(context, ex, side) for side in SIDES}
    return ordered(context, ex, lifts)
