"""One lift of the next session: what to lift, how to warm up, and why."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date

from deepmirror.core.training.loads import Loads, Plates
from deepmirror.core.training.one_rep_max import OneRepMax
from deepmirror.core.training.warm_up import WarmUpSet, warm_up
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Movement
from deepmirror.planning.films import FilmDue, film_due, newest_film
from deepmirror.planning.gate import GateState, form_gate
from deepmirror.planning.history import History, LiftSession
from deepmirror.planning.pain import PainView
from deepmirror.planning.progression import Decision, LiftCase, LoadChange, decide, existing
from deepmirror.planning.records import Exercise, Side, TrainingRecord
from deepmirror.planning.rules import Rules
from deepmirror.planning.substitutes import Reach
from deepmirror.planning.volume import training_of
from deepmirror.words import say

WATCHED = "The load is held while the region is watched."
SEVERITIES = ("safety", "range", "tension", "polish")


@dataclass
class FilmAsk:
    """Whether to film a set, from where and why."""

    ask: bool
    view: str
    why: str


@dataclass
class PlannedLift:
    """One exercise of the session, or one side of it. instead_of: the movement it takes the place of."""

    movement: str
    side: Side
    implement: str
    load_kg: float
    per_side_kg: tuple[float, ...] | None
    sets: int
    reps: tuple[int, int]
    rir: float
    warm_up: list[tuple[WarmUpSet, tuple[float, ...] | None]]
    change: LoadChange
    gate: GateState
    reasons: list[str]
    one_rm: OneRepMax | None
    tempo: str
    rest_s: int
    film: FilmAsk
    last_kg: float | None = None
    instead_of: str = ""
    note: str = ""
    link: str = ""
    cue: str = ""
    because: str = ""  # what decided the load


@dataclass
class SessionContext:
    """What every exercise of the session is worked out with."""

    record: TrainingRecord
    catalogue: Catalogue
    rules: Rules
    history: History
    pain: PainView
    day: date
    lighter: bool
    reach: Reach | None
    taken: list[str] = field(default_factory=list)
    stand_ins: dict[tuple[str, str], tuple[Movement, str]] = field(default_factory=dict)

    def moved(self, movement: str, implement: str) -> Callable[[float], float]:
        """From a load to the mass that is moved: a share of the body's with it where the body is the load."""
        training = training_of(self.catalogue, movement)
        share = training.body_share if training is not None and implement == "body" else 0.0
        body = share * (self.record.client.mass_kg or 0.0)
        return lambda load: load + body

    def loads(self, movement: str, implement: str) -> Loads:
        """What exists for a movement; the loads of its own history where the equipment is not on record."""
        known = self.record.equipment.loads(movement, implement)
        if known is not None and known.all():
            return known
        return Loads(tuple(sorted({s.load_kg for s in self.history.sets if s.movement == movement})))


def implement_of(context: SessionContext, movement: str) -> str:
    planned = next((e.implement for s in context.record.plan.sessions for e in s.exercises if e.movement == movement and e.implement), "")
    training = training_of(context.catalogue, movement)
    return planned or (training.implements[0] if training is not None else "body")


def due_film(context: SessionContext, movement: str, side: Side) -> FilmDue:
    return film_due(context.catalogue.movements.get(movement), context.history.sessions(movement, side), context.rules)


def worked_out(context: SessionContext, ex: Exercise, side: Side, hold: bool = False) -> PlannedLift:
    """Decision, warm-up and film of one lift. hold: a rise is not taken, whatever the gate says."""
    movement = context.catalogue.movements.get(ex.movement)
    sessions, loads = context.history.sessions(ex.movement, side), context.loads(ex.movement, ex.implement)
    due = film_due(movement, sessions, context.rules)
    overrides = [o for o in context.record.overrides if o.movement == ex.movement and o.date <= context.day]
    gate = form_gate(sessions, due, overrides, context.rules)
    moved = context.moved(ex.movement, ex.implement)
    case = LiftCase(ex, sessions, loads, gate, context.day, context.rules, moved, context.lighter)
    if not loads.all():
        words = say("No {implement} for it is on record: say what is at hand, then a load can be worked out.", implement=ex.implement)
        return _entry(context, ex, side, Decision(LoadChange.STOP, 0.0, 0, ex.reps, ex.rir, ex.tempo, [words]), gate, due, loads)
    decision = decide(case)
    if hold and decision.change is LoadChange.RAISE:
        kept = sessions[-1].load_kg
        decision = existing(case, Decision(LoadChange.HOLD, kept, decision.sets, ex.reps, ex.rir, ex.tempo, decision.reasons[:-1]))
    return _entry(context, ex, side, decision, gate, due, loads)


def held(context: SessionContext, ex: Exercise, side: Side, words: str) -> PlannedLift:
    lift = worked_out(context, ex, side, hold=True)
    lift.reasons.insert(0, words)
    if lift.change is LoadChange.HOLD:
        lift.reasons.append(WATCHED)
    return lift


def _entry(
    context: SessionContext, ex: Exercise, side: Side, decision: Decision, gate: GateState, due: FilmDue, loads: Loads
) -> PlannedLift:
    sessions = context.history.sessions(ex.movement, side)
    moved = context.moved(ex.movement, ex.implement)
    client, training = context.record.client, training_of(context.catalogue, ex.movement)
    one_rm = next((e for s in reversed(sessions) if not s.light and (e := s.strength(moved, client.rir_u)) is not None), None)
    stopped = decision.change is LoadChange.STOP
    empty = loads.empty_kg if isinstance(loads, Plates) else None
    steps = (
        []
        if stopped or moved(0) > 0
        else warm_up(decision.load_kg, loads, one_rm.low if one_rm else None, bool(training and training.many_joint), empty)
    )
    if decision.change is LoadChange.FIRST and ex.implement in ("stack", "sled"):
        steps = [WarmUpSet(0.0, (10, 15)), *steps]
        decision.reasons.append("A new machine: the first set without load, to find the feet and the settings.")
    known = {*decision.reasons}
    because = decision.reasons[-1] if decision.reasons else ""
    shut = [r.words for r in gate.reasons if r.words not in known]
    return PlannedLift(
        ex.movement,
        side,
        ex.implement,
        decision.load_kg,
        loads.per_side(decision.load_kg),
        0 if stopped else decision.sets,
        decision.reps,
        decision.rir,
        [(step, loads.per_side(step.load_kg)) for step in steps],
        decision.change,
        gate,
        [*decision.reasons, *shut, *gate.overridden],
        one_rm,
        decision.tempo,
        ex.rest_s,
        FilmAsk(False, due.view, due.why),
        sessions[-1].load_kg if sessions else None,
        note=ex.note,
        link=ex.link,
        cue=_cue(context, ex.movement, sessions),
        because=because,
    )


def _cue(context: SessionContext, movement: str, sessions: Sequence[LiftSession]) -> str:
    """The words for the moment of lifting: of the newest film's open findings the first, by severity; empty without."""
    found, newest = context.catalogue.movements.get(movement), newest_film(sessions, told=True)
    if found is None or newest is None:
        return ""
    known = {f.group or f.code for f in found.fault} | {f.code for f in found.fault}
    codes = [f.code for f in sorted(newest[1].findings, key=lambda f: SEVERITIES.index(f.severity)) if f.open and f.code in known]
    if not codes:
        return ""
    fault = next(f for f in found.fault if codes[0] in (f.code, f.group))
    return fault.cue or context.catalogue.text(found, fault.group or fault.code).cue
