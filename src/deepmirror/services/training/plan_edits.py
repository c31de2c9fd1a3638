"""What a coach does to a plan: each function takes the plan as it stands and gives the edit's name and the plan after it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any, TypeVar

from pydantic import ValidationError

from deepmirror.errors import BadPlan
from deepmirror.exchange.brief import ClientPart
from deepmirror.exchange.plan_file import ExercisePart as ExercisePart
from deepmirror.exchange.plan_file import PlanPart as PlanPart
from deepmirror.exchange.plan_file import SessionPart as SessionPart
from deepmirror.exchange.plan_file import said
from deepmirror.movements.loader import Catalogue
from deepmirror.words import say

Part = TypeVar("Part", ExercisePart, SessionPart, PlanPart)
Edit = tuple[str, PlanPart]
USUAL_SETS, USUAL_REPS = 3, (8, 12)  # common practice, no source
REST_MANY_JOINT_S, REST_S = 150, 90  # 2-3 min compounds, 1-2 min small machines: Schoenfeld 2016 (from memory)


def checked(model: type[Part], **fields: Any) -> Part:
    """A part of a plan from its fields. Raises BadPlan with what is wrong."""
    try:
        return model.model_validate(fields)
    except ValidationError as error:
        raise BadPlan(say("Not right at {said}.", said=said(error))) from error


def usual_exercise(catalogue: Catalogue, body: ClientPart, movement: str, **fields: Any) -> ExercisePart:
    """An exercise as this client usually does it. Raises BadPlan."""
    found = catalogue.movements.get(movement)
    if found is None:
        raise BadPlan(say("The program knows no movement “{movement}”.", movement=movement))
    usual = body.defaults.get(movement)
    many = found.training is not None and found.training.many_joint
    given: dict[str, Any] = {"movement": movement, "sets": USUAL_SETS, "reps": USUAL_REPS, "sides": "each" if found.one_leg else "both"}
    if usual is not None and usual.reps:
        low, _, high = usual.reps.partition("-")
        given["reps"] = (int(low), int(high or low))
    given["tempo"] = (usual.tempo if usual is not None else None) or ""
    given["rest_s"] = REST_MANY_JOINT_S if many else REST_S
    return checked(ExercisePart, **(given | fields))


def begin(start: date, weeks: int, sessions: Sequence[SessionPart]) -> Edit:
    """A new plan. Raises BadPlan."""
    return "begin a plan", checked(PlanPart, start=start, weeks=weeks, days=[s.day for s in sessions], sessions=list(sessions))


def set_exercise(plan: PlanPart, session: int, index: int, **fields: Any) -> Edit:
    """Change fields of an exercise. Raises BadPlan."""
    rows = list(plan.sessions[session].exercises)
    rows[index] = checked(ExercisePart, **(rows[index].model_dump() | fields))
    return _with_rows(say("change {named}", named=_named(rows[index].movement)), plan, session, rows)


def add_exercise(plan: PlanPart, session: int, exercise: ExercisePart) -> Edit:
    """A further exercise at the end of a session."""
    return _with_rows(say("add {named}", named=_named(exercise.movement)), plan, session, [*plan.sessions[session].exercises, exercise])


def remove_exercise(plan: PlanPart, session: int, index: int) -> Edit:
    """Take an exercise out; a session without any goes with it. Raises BadPlan for the last one."""
    rows = list(plan.sessions[session].exercises)
    gone = rows.pop(index)
    return _with_rows(say("take out {named}", named=_named(gone.movement)), plan, session, rows)


def move_exercise(plan: PlanPart, session: int, index: int, by: int) -> Edit:
    """Do an exercise earlier or later in its session."""
    rows = list(plan.sessions[session].exercises)
    to = min(max(index + by, 0), len(rows) - 1)
    rows.insert(to, rows.pop(index))
    return _with_rows(say("move {named}", named=_named(rows[to].movement)), plan, session, rows)


def add_session(plan: PlanPart, session: SessionPart) -> Edit:
    """A session on another day."""
    return say("add a session on {day}", day=session.day), _with_sessions(plan, [*plan.sessions, session])


def set_session(plan: PlanPart, session: int, **fields: Any) -> Edit:
    """Change a session's day, name or why its exercises stand in this order. Raises BadPlan."""
    sessions = list(plan.sessions)
    sessions[session] = checked(SessionPart, **(sessions[session].model_dump() | fields))
    return "change the session", _with_sessions(plan, sessions)


def set_block(plan: PlanPart, **fields: Any) -> Edit:
    """Change the block's start or its weeks. Raises BadPlan."""
    return "change the block", checked(PlanPart, **(plan.model_dump() | fields))


def shift_week(plan: PlanPart, by: int = 1) -> Edit:
    """The whole plan so many weeks later, or earlier."""
    words = say("shift the plan by {by} week{which}", by=by, which="s" if abs(by) != 1 else "")
    return words, plan.model_copy(update={"start": plan.start + timedelta(days=7 * by)})


def _with_rows(label: str, plan: PlanPart, session: int, rows: Sequence[ExercisePart]) -> Edit:
    sessions = list(plan.sessions)
    if rows:
        sessions[session] = sessions[session].model_copy(update={"exercises": list(rows)})
    else:
        del sessions[session]
    if not sessions:
        raise BadPlan("A plan keeps at least one exercise: change this one instead.")
    return label, _with_sessions(plan, sessions)


def _with_sessions(plan: PlanPart, sessions: Sequence[SessionPart]) -> PlanPart:
    return plan.model_copy(update={"sessions": list(sessions), "days": [s.day for s in sessions]})


def _named(movement: str) -> str:
    return movement.replace("_", " ")
