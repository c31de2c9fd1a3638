"""Lifts that load a region which hurts: changed, exchanged or left out, by the stage of its pathway."""

from __future__ import annotations

from dataclasses import replace

from deepmirror.core.training.pain_stage import BENCH, CHANGES, OTHERS, REFER
from deepmirror.movements.pathways import Pathway, pathways
from deepmirror.planning.gate import PAIN, Gate, Reason
from deepmirror.planning.lift import WATCHED, PlannedLift, SessionContext, held, worked_out
from deepmirror.planning.pain import RegionStage, stage_words
from deepmirror.planning.progression import LoadChange
from deepmirror.planning.records import Exercise, Side
from deepmirror.planning.substitutes import substitutes
from deepmirror.planning.volume import training_of
from deepmirror.words import say


def planned_lift(context: SessionContext, ex: Exercise, side: Side) -> PlannedLift:
    """One lift: what the pain allows first, then what the load does."""
    training = training_of(context.catalogue, ex.movement)
    if context.pain.stop_all:
        return stopped(context, ex, side, list(context.pain.stop_all))
    at = context.pain.loading(training.pattern, side) if training is not None else None
    if at is not None:
        by_stage = {BENCH: _tested, CHANGES: changed, OTHERS: substituted, REFER: _referred}
        return by_stage[at.stage.number](context, ex, side, at)
    sessions = context.history.sessions(ex.movement, side)
    worst = sessions[-1].pain if sessions else None
    if worst is not None and worst > context.rules.pain_stop:
        words = say("Pain of {worst:g} of 10 in the last session, over {pain_stop:g}:", worst=worst, pain_stop=context.rules.pain_stop)
        return stopped(context, ex, side, [say("{words} stopped until it is said where it hurts and it is calm.", words=words)])
    return worked_out(context, ex, side)


def _tested(context: SessionContext, ex: Exercise, side: Side, at: RegionStage) -> PlannedLift:
    """Stage 1: the bench test first; nothing rises while the region comes back from a worse stage."""
    if at.stage.watched:
        return held(context, ex, side, stage_words(at))
    lift = worked_out(context, ex, side)
    lift.reasons.insert(0, stage_words(at))
    return lift


def _referred(context: SessionContext, ex: Exercise, side: Side, at: RegionStage) -> PlannedLift:
    """Stage 4: nothing that loads the region."""
    return stopped(context, ex, side, [stage_words(at)])


def stopped(context: SessionContext, ex: Exercise, side: Side, words: list[str]) -> PlannedLift:
    lift = worked_out(context, ex, side, hold=True)
    return replace(
        lift,
        change=LoadChange.STOP,
        load_kg=0.0,
        per_side_kg=None,
        sets=0,
        warm_up=[],
        reasons=words,
        gate=replace(lift.gate, gate=Gate.CLOSED),
    )


def changed(context: SessionContext, ex: Exercise, side: Side, at: RegionStage) -> PlannedLift:
    """Stage 2: this session's one change, in the pathway's order; the load never rises."""
    pathway = pathways()[at.region]
    step = pathway.change[min(at.stage.change, len(pathway.change) - 1)]
    training = training_of(context.catalogue, ex.movement)
    other = step.movement.get(training.pattern) if training is not None else None
    if other is not None and other != ex.movement:
        stand_in = _stand_in(context, ex, side, pathway, [other], at)
        if stand_in is not None:
            stand_in.tempo = step.tempo or stand_in.tempo
            stand_in.reasons.insert(0, stage_words(at))
            return stand_in
    lift = held(context, replace(ex, tempo=step.tempo or ex.tempo), side, stage_words(at))
    sore = Reason(PAIN, stage_words(at), at.day)
    lift.gate = replace(lift.gate, gate=Gate.CLOSED, reasons=(sore, *lift.gate.reasons))
    if step.sets_share < 1 and lift.sets:
        lift.sets = max(round(step.sets_share * lift.sets), 1)
        lift.reasons.append(say("{sets} of {sets2} sets.", sets=lift.sets, sets2=ex.sets))
    if step.load_share < 1 and lift.last_kg and lift.sets:
        _lowered(context, ex, lift, step.load_share)
    return lift


def _lowered(context: SessionContext, ex: Exercise, lift: PlannedLift, share: float) -> None:
    loads = context.loads(ex.movement, ex.implement)
    found = loads.at_most(min(share * (lift.last_kg or 0.0), lift.load_kg))
    if found is not None and found < lift.load_kg:
        lift.load_kg, lift.change, lift.per_side_kg = found, LoadChange.LOWER, loads.per_side(found)
        lift.warm_up = [row for row in lift.warm_up if row[0].load_kg < found]
        lift.reasons = [r for r in lift.reasons if r != WATCHED]
        lift.because = say(
            "{share:.0%} less than {last_kg:g} kg while it is sore: {found:g} kg.", share=1 - share, last_kg=lift.last_kg, found=found
        )
        lift.reasons.append(lift.because)


def substituted(context: SessionContext, ex: Exercise, side: Side, at: RegionStage) -> PlannedLift:
    """Stage 3: another movement, slowly and lightly; none at hand stops the exercise."""
    pathway = pathways()[at.region]
    found = _stand_in(context, ex, side, pathway, pathway.instead, at)
    if found is None:
        words = "None of the movements that may take its place is at hand: left out until it is calm."
        return stopped(context, ex, side, [stage_words(at), words])
    found.reasons.insert(0, stage_words(at))
    return found


def _stand_in(context: SessionContext, ex: Exercise, side: Side, pathway: Pathway, names: list[str], at: RegionStage) -> PlannedLift | None:
    of = context.catalogue.movements.get(ex.movement)
    if of is None:
        return None
    if (ex.movement, at.region) not in context.stand_ins:  # both sides have the same
        hurting = [r for r in context.pain.regions if r.stage.number >= CHANGES and r.region != at.region]
        choice = substitutes(of, names, hurting, context.record.equipment, context.catalogue, context.taken, context.reach)
        if not choice:
            return None
        context.stand_ins[ex.movement, at.region] = choice[0]
        context.taken.append(choice[0][0].id)
    movement, implement = context.stand_ins[ex.movement, at.region]
    stand_in = replace(ex, movement=movement.id, implement=implement, reps=(10, 15), rir=max(ex.rir, 3), tempo=ex.tempo or "3-0-3-0")
    lift = worked_out(context, stand_in, side, hold=True)
    lift.change, lift.instead_of = LoadChange.SUBSTITUTE, ex.movement
    lift.reasons.insert(
        0,
        say(
            "{title} takes the place of {movement}: {dose}.",
            title=movement.title,
            movement=context.catalogue.title(ex.movement),
            dose=pathway.dose,
        ),
    )
    return lift
