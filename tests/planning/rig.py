"""Small trainings to plan from, written as the plan command reads them."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from deepmirror.exchange.plan_file import check_plan_file
from deepmirror.movements.loader import load_catalogue
from deepmirror.planning.lift import PlannedLift
from deepmirror.planning.records import TrainingRecord
from deepmirror.planning.session import NextSession, next_session

START = date(2026, 9, 7)  # a Monday
EQUIPMENT: dict[str, Any] = {
    "bar_kg": 20,
    "plates_kg": [[25, 2], [20, 2], [10, 2], [5, 2], [2.5, 2], [1.25, 2]],
    "dumbbells_kg": [5, 7.5, 10, 12.5, 15],
    "stacks": {"lying_leg_curl": {"pins_kg": [5, 10, 15, 20, 25, 30], "adder_kg": 2.5}, "seated_leg_curl": {"pins_kg": [10, 20, 30]}},
}
SQUAT: dict[str, Any] = {
    "movement": "back_squat",
    "sets": 3,
    "reps": [6, 10],
    "rir": 2,
    "tempo": "2-0-1-0",
    "rest_s": 150,
    "implement": "bar",
}
CURL: dict[str, Any] = {"movement": "lying_leg_curl", "sets": 3, "reps": [8, 12], "rir": 2, "implement": "stack"}
LUNGE: dict[str, Any] = {"movement": "split_squat", "sets": 2, "reps": [8, 12], "rir": 2, "implement": "dumbbell", "sides": "each"}
CLEAN: dict[str, Any] = {"findings": [], "range_loss_pct": 4, "told": True}


def plan(*exercises: dict[str, Any], thursday: dict[str, Any] | None = None, weeks: int = 6) -> dict[str, Any]:
    """A plan with a Monday of these exercises and a Thursday of one."""
    sessions = [{"day": "mon", "exercises": list(exercises) or [SQUAT]}]
    sessions += [{"day": "thu", "exercises": [thursday]}] if thursday else []
    return {"start": START.isoformat(), "weeks": weeks, "days": ["mon", "thu"], "sessions": sessions}


def sets(
    day: date, reps: list[int], load: float = 60, movement: str = "back_squat", rir: float | None = 2, **more: Any
) -> list[dict[str, Any]]:
    """The sets of one day; a form stands on the first."""
    form = more.pop("form", None)
    rows = [
        {"date": day.isoformat(), "movement": movement, "load_kg": load, "reps": n, "rir": rir, "pain": 0, "pain_next_morning": 0} | more
        for n in reps
    ]
    rows[0]["form"] = form
    return rows


def record(history: list[dict[str, Any]], client: dict[str, Any] | None = None, **more: Any) -> TrainingRecord:
    """A checked training record."""
    data = {"client": {"name": "A", "mass_kg": 70, "level": "trained"} | (client or {}), "equipment": EQUIPMENT, "plan": plan()}
    return check_plan_file(data | {"history": history} | more)[0].record()


def worked_out(history: list[dict[str, Any]], day: date, **more: Any) -> NextSession:
    """The next session."""
    return next_session(record(history, **more), load_catalogue(), day)


def lift(history: list[dict[str, Any]], day: date, **more: Any) -> PlannedLift:
    """The first entry of the next session."""
    return worked_out(history, day, **more).lifts[0]


def monday(week: int) -> date:
    """The Monday of a week of the plan, from 1."""
    return START + timedelta(days=7 * (week - 1))
