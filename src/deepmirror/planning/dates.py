"""On which day the next session falls."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from deepmirror.planning.records import WEEKDAYS, Plan, SessionPlan
from deepmirror.planning.rules import Rules
from deepmirror.planning.volume import smallest_gap


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


def next_day(plan: Plan, today: date, last: date | None, rules: Rules) -> NextDay:
    """The first planned day from today on that is not nearer to the last session than the rule; moved later when it must be.

    last: the day of the last session done, today included.
    """
    earliest = last + timedelta(days=days_apart(plan, rules)) if last is not None else today
    planned = planned_days(plan, max(today, plan.start), 15)
    for (day, session), (following, _) in pairwise(planned):
        moved = max(day, earliest)
        if moved == day:
            return NextDay(day, session)
        if moved < following:
            words = f"Moved from {day} to {moved}: the last session was on {last}, and {days_apart(plan, rules)} days lie between two."
            return NextDay(moved, session, words)
    day = max(planned[-1][0], earliest)
    return NextDay(day, planned[-1][1])


def planned_days(plan: Plan, start: date, days: int) -> list[tuple[date, SessionPlan]]:
    """Every planned session of so many days from a day on."""
    by_day = {s.day: s for s in reversed(plan.sessions)}  # the first of a day counts
    span = (start + timedelta(days=n) for n in range(days))
    return [(d, by_day[WEEKDAYS[d.weekday()]]) for d in span if WEEKDAYS[d.weekday()] in by_day]
