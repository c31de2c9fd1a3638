"""Which sets of the session are to be filmed, and which films fall due."""

from __future__ import annotations

from datetime import date, timedelta

from deepmirror.planning.dates import planned_days
from deepmirror.planning.films import FilmDue
from deepmirror.planning.lift import FilmAsk, PlannedLift, SessionContext, due_film
from deepmirror.planning.progression import LoadChange
from deepmirror.planning.records import BOTH, SIDES
from deepmirror.words import say

FILMS_AHEAD_DAYS = 7  # films due within a week are told; our own choice


def ask_for_films(context: SessionContext, lifts: list[PlannedLift]) -> list[tuple[str, date, str]]:
    """Ask for at most two films of this session, the most urgent; returns all that fall due within a week."""
    due = [(due_film(context, lift.movement, lift.side), lift) for lift in lifts if lift.change is not LoadChange.STOP]
    now = sorted((row for row in due if row[0].on(context.day)), key=lambda row: row[0].urgency)
    asked = [lift for _, lift in now[: int(context.rules.films_a_session)]]
    for found, lift in due:
        later = "two other films are more urgent today" if found.on(context.day) else say("not due before {by}", by=found.by)
        ask = any(lift is chosen for chosen in asked)
        lift.film = FilmAsk(ask, found.view, f"{found.why if ask else later}.")
    rows = {(lift.movement, found.by or context.day, found.why) for found, lift in due}
    rows |= {(m, f.by or d, f.why) for m, d, f in _elsewhere(context, {lift.movement for lift in lifts})}
    until = context.day + timedelta(days=FILMS_AHEAD_DAYS)
    return sorted(((m, max(by, context.day), why) for m, by, why in rows if by <= until), key=lambda row: (row[1], row[0]))


def _elsewhere(context: SessionContext, here: set[str]) -> list[tuple[str, date, FilmDue]]:
    """Films of the plan's other days."""
    out = []
    for day, session in planned_days(context.record.plan, context.day + timedelta(days=1), FILMS_AHEAD_DAYS):
        for e in session.exercises:
            if e.movement not in here:
                out += [(e.movement, day, due_film(context, e.movement, s)) for s in (SIDES if e.each_side else (BOTH,))]
    return out
