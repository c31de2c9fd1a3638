"""On which day the next session falls."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from deepmirror.planning.records import WEEKDAYS, Plan, SessionPlan
from deepmirror.planning.rules import Rules
from deepmirror.planning.volume import smallest_gap
from deepmirror.words import say


@dataclass(frozen=True)
class NextDay:
    """A day with its session; moved: why it is not the planned day."""

    day: date
    session: SessionPlan
    moved: str = ""


def days_apart(plan: Plan, rules: Rules) -> int:
    """Days that lie between two sessions at least: three, or what the plan's own days leave."""
    gap = smallest_gap(plan)
    return int(rules.days_apart if gap is None else min(gap, rules.days_apart))


def next_day(plan: Plan, today: date, done: Mapping[date, set[str]], rules: Rules) -> NextDay:
    """The first planned session from today on that is not done yet, no nearer to the last one than the rule; moved when it must be.

    done: movements by day, of the days up to today on which anything was done.
    """
    last = max(done, default=None)
    earliest = last + timedelta(days=days_apart(plan, rules)) if last is not None else today
    planned = planned_days(plan, max(today, plan.start), 22)
    open_days = [row for row in planned if not _is_done(row, planned, done)]
    for (day, session), (following, _) in pairwise(open_days):
        moved = max(day, earliest)
        if moved == day:
            return NextDay(day, session)
        if moved < following:
            words = say(
                "Moved from {day} to {moved}: the last session was on {last}, and {days_apart} days lie between two.",
                day=day,
                moved=moved,
                last=last,
                days_apart=days_apart(plan, rules),
            )
            return NextDay(moved, session, words)
    return NextDay(max(open_days[-1][0], earliest), open_days[-1][1])


def _is_done(row: tuple[date, SessionPlan], planned: list[tuple[date, SessionPlan]], done: Mapping[date, set[str]]) -> bool:
    """Whether a planned session was done on its day, or the day before where that is nobody else's."""
    day, session = row
    wanted, eve = {e.movement for e in session.exercises}, day - timedelta(days=1)
    return bool(wanted & done.get(day, set())) or (bool(wanted & done.get(eve, set())) and eve not in {d for d, _ in planned})


def planned_days(plan: Plan, start: date, days: int) -> list[tuple[date, SessionPlan]]:
    """Every planned session of so many days from a day on."""
    by_day = {s.day: s for s in reversed(plan.sessions)}  # the first of a day counts
    span = (start + timedelta(days=n) for n in range(days))
    return [(d, by_day[WEEKDAYS[d.weekday()]]) for d in span if WEEKDAYS[d.weekday()] in by_day]
