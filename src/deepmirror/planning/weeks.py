"""The weeks of a plan as they are looked at: what was planned, what was done, and what the films of it said."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from enum import StrEnum

from deepmirror.planning.dates import planned_days
from deepmirror.planning.lighter import by_calendar
from deepmirror.planning.records import DoneSet, Kind, SessionPlan, TrainingRecord
from deepmirror.planning.rules import Rules, rules_for


class CardState(StrEnum):
    """What has become of a session."""

    DONE = "done"
    MISSED = "missed"
    NEXT = "next"
    AHEAD = "ahead"
    EXTRA = "extra"  # done on a day nothing was planned for


@dataclass
class Card:
    """One session: its day, hard sets planned and done, and its sets; plan is None for one that was not planned."""

    day: date
    state: CardState
    plan: SessionPlan | None
    planned: int
    done: int = 0
    sets: list[DoneSet] = field(default_factory=list)


@dataclass(frozen=True)
class Week:
    """One week: its number in the plan, its first day, whether it is a lighter one, its sessions in order."""

    number: int
    first: date
    lighter: bool
    cards: tuple[Card, ...]


def weeks(record: TrainingRecord, today: date, back: int = 8, ahead: int = 2) -> list[Week]:
    """So many weeks back and ahead of the one a day lies in, oldest first."""
    rules, plan = rules_for(record.client.rules), record.plan
    this = plan.start + timedelta(days=7 * ((today - plan.start).days // 7))
    first, count = this - timedelta(days=7 * back), back + ahead + 1
    cards = _cards(record, first, 7 * count, today, rules)
    out = []
    for n in range(count):
        start = first + timedelta(days=7 * n)
        mine = tuple(c for c in cards if start <= c.day < start + timedelta(days=7))
        number = (start - plan.start).days // 7 + 1
        out.append(Week(number, start, by_calendar(plan, start, rules), mine))
    return out


def _cards(record: TrainingRecord, first: date, days: int, today: date, rules: Rules) -> list[Card]:
    """Planned sessions with what was done for them; a session done a day or two off its day still is that one."""
    last = first + timedelta(days=days - 1)
    done: dict[date, list[DoneSet]] = defaultdict(list)
    for s in record.history:
        if first <= s.date <= last and s.kind is not Kind.WARM_UP:
            done[s.date].append(s)
    out = []
    for day, session in planned_days(record.plan, max(first, record.plan.start), (last - max(first, record.plan.start)).days + 1):
        taken = _nearest(done, day, session)
        sets = done.pop(taken) if taken is not None else []
        state = CardState.DONE if sets else CardState.MISSED if day < today else CardState.AHEAD
        out.append(Card(taken or day, state, session, sum(e.sets for e in session.exercises), _count(sets), sets))
    out += [Card(day, CardState.EXTRA, None, 0, _count(sets), sets) for day, sets in done.items()]
    out.sort(key=lambda c: c.day)
    coming = next((c for c in out if c.state is CardState.AHEAD), None)
    if coming is not None:
        coming.state = CardState.NEXT
    return out


def _nearest(done: dict[date, list[DoneSet]], day: date, session: SessionPlan) -> date | None:
    """The day within two of the planned one on which one of its movements was done."""
    wanted = {e.movement for e in session.exercises}
    near = [d for d in done if abs((d - day).days) <= 2 and wanted & {s.movement for s in done[d]}]
    return min(near, key=lambda d: abs((d - day).days), default=None)


def _count(sets: Sequence[DoneSet]) -> int:
    """Sets of a session; two legs are one."""
    halves = sum(s.side != "both" for s in sets if s.kind is not Kind.DROP)
    return sum(s.side == "both" for s in sets if s.kind is not Kind.DROP) + -(-halves // 2)


def silent_for(last: date | None, today: date, plan_days: int, rules: Rules) -> int | None:
    """Days without a word when that is more than twice what the plan leaves between sessions; None when it is not."""
    if last is None:
        return None
    away = (today - last).days
    usual = 7 / max(plan_days, 1)
    return away if away > max(2 * usual, rules.silent_days) else None
