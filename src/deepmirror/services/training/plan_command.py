"""The plan command: a client's training in, the next session out, as JSON."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date
from pathlib import Path

from deepmirror.core.units import in_their_units
from deepmirror.errors import BadBrief, BadPlan, CannotSolve
from deepmirror.exchange.brief import ClientPart
from deepmirror.exchange.plan_file import (
    FIRST_DAY,
    LAST_DAY,
    DueOut,
    FilmOut,
    LiftOut,
    RangeOut,
    SessionOut,
    StageOut,
    WarmUpOut,
    WorkOut,
    read_plan_file,
)
from deepmirror.movements.loader import Catalogue, load_catalogue
from deepmirror.planning.lift import PlannedLift
from deepmirror.planning.pain import stage_words
from deepmirror.planning.progression import LoadChange
from deepmirror.planning.records import TrainingRecord
from deepmirror.planning.session import NextSession, next_session
from deepmirror.planning.substitutes import Reach
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.posture_commands import FREE_SQUATS, PostureRequest, limit_words, solve_posture
from deepmirror.words import say


def plan_command(path: Path, day: str) -> str:
    """The next session as JSON. Raises BadPlan."""
    try:
        when = date.fromisoformat(day)
    except ValueError:
        raise BadPlan(say("--date must be a day like 2026-10-05, not “{day}”.", day=day)) from None
    if not FIRST_DAY <= when <= LAST_DAY:
        raise BadPlan(
            say("--date must lie between {first_day} and {last_day}, not on {when}.", first_day=FIRST_DAY, last_day=LAST_DAY, when=when)
        )
    file, body = read_plan_file(path)
    catalogue, record = load_catalogue(), replace(file.record(), noted=tuple(body.pain))
    check_movements(record, catalogue)
    session = next_session(record, catalogue, when, reach_of(body))
    return json.dumps(session_out(session, record.client.imperial).document(), indent=1, ensure_ascii=False)


def check_movements(record: TrainingRecord, catalogue: Catalogue) -> None:
    """A plan speaks of movements the program knows. Raises BadPlan."""
    for session in record.plan.sessions:
        for e in session.exercises:
            if e.movement not in catalogue.movements:
                raise BadPlan(
                    say("The plan's “{movement}” on {day} is no movement the program knows.", movement=e.movement, day=session.day)
                )


def reach_of(body: ClientPart) -> Reach | None:
    """What the build solver says of free squats for this body; None where its lengths are not known."""
    if not body_of(body).known():
        return None

    def reach(movement: str) -> str:
        if movement not in FREE_SQUATS:
            return ""
        try:
            answer, _ = solve_posture(body, PostureRequest(movement, "parallel"))
        except (BadBrief, CannotSolve):
            return ""
        return "" if answer.feasible else say("with this body {limit} before the depth", limit=limit_words(answer.binding))

    return reach


def session_out(session: NextSession, imperial: bool) -> SessionOut:
    """The session as it is written; masses stay kilograms, sentences speak the client's units."""
    stages = [
        StageOut(region=s.region, stage=s.stage.number, side=s.side, says=in_their_units(stage_words(s), imperial)) for s in session.stages
    ]
    return SessionOut(
        date=session.day,
        session=session.session,
        week=session.week,
        lighter_week=session.lighter,
        exercises=[_lift_out(lift, imperial) for lift in session.lifts],
        weekly_sets=session.weekly_sets,
        stage=stages,
        films_due=[DueOut(movement=m, by=by, why=in_their_units(why, imperial)) for m, by, why in session.films_due],
        advice=[in_their_units(a, imperial) for a in session.advice],
    )


def _lift_out(lift: PlannedLift, imperial: bool) -> LiftOut:
    sides = list(lift.per_side_kg) if lift.per_side_kg is not None else None
    work = [WorkOut(load_kg=lift.load_kg, per_side_kg=sides, reps=lift.reps, rir=lift.rir, sets=lift.sets)] if lift.sets else []
    warmup = [
        WarmUpOut(load_kg=step.load_kg, per_side_kg=list(plates) if plates is not None else None, reps=step.reps)
        for step, plates in lift.warm_up
    ]
    one_rm = lift.one_rm
    e1rm = (
        RangeOut(low=round(one_rm.low, 1), high=round(one_rm.high, 1), at_least=one_rm.at_least, doubtful=one_rm.doubtful)
        if one_rm
        else None
    )
    return LiftOut(
        movement=lift.movement,
        side=lift.side,
        work=work,
        warmup=warmup,
        change=LoadChange(lift.change).value,
        gate=lift.gate.gate.value,
        reasons=[in_their_units(r, imperial) for r in lift.reasons],
        e1rm_kg=e1rm,
        tempo=lift.tempo,
        rest_s=lift.rest_s,
        film=FilmOut(ask=lift.film.ask, view=lift.film.view, why=in_their_units(lift.film.why, imperial)),
        implement=lift.implement,
        instead_of=lift.instead_of or None,
        cue=in_their_units(lift.cue, imperial) or None,
    )
