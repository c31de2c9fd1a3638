"""What becomes of a lift's load: raise, hold, lower or first, with the reasons and their numbers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum

from deepmirror.core.training.loads import Loads
from deepmirror.core.training.one_rep_max import MOST_REPS, epley, load_for, reps_at
from deepmirror.planning.gate import Gate, GateState
from deepmirror.planning.history import LiftSession
from deepmirror.planning.records import Exercise, ProgressRule
from deepmirror.planning.rules import Rules
from deepmirror.words import say


class LoadChange(StrEnum):
    """What was decided for the load."""

    RAISE = "raise"
    HOLD = "hold"
    LOWER = "lower"
    FIRST = "first"
    SUBSTITUTE = "substitute"
    STOP = "stop"


@dataclass
class Decision:
    """A load with what led to it; sets, reps, rir and tempo are what is asked."""

    change: LoadChange
    load_kg: float
    sets: int
    reps: tuple[int, int]
    rir: float
    tempo: str
    reasons: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class LiftCase:
    """All that a decision looks at. sessions: the lift's own, light ones included; loads: those that exist."""

    exercise: Exercise
    sessions: Sequence[LiftSession]
    loads: Loads
    gate: GateState
    day: date
    rules: Rules
    moved: Callable[[float], float] = lambda load: load
    lighter: bool = False

    @property
    def full(self) -> list[LiftSession]:
        """Sessions that were not light."""
        return [s for s in self.sessions if not s.light]


def decide(case: LiftCase) -> Decision:
    """What to lift next. Order: never done, lighter week, away, back from a lighter week, under the range twice, then the rule."""
    ex = case.exercise
    base = case.full or case.sessions
    if not base:
        return _first(case)
    load = base[-1].load_kg
    out = Decision(LoadChange.HOLD, load, ex.sets, ex.reps, ex.rir, ex.tempo)
    if case.lighter:
        return _lighter(case, out)
    days = (case.day - case.sessions[-1].day).days
    if days >= case.rules.away_days:
        words = say(
            "The last session of it was {days} days ago: {away_share:.0%} less than {load:g} kg.",
            days=days,
            away_share=case.rules.away_share,
            load=load,
        )
        return _lower(case, out, (1 - case.rules.away_share) * load, words)
    if case.sessions[-1].light and case.full:
        return _back(case, out)
    if _missed_twice(case):
        return _missed(case, out)
    return existing(case, _by_rule(case, out))


def _first(case: LiftCase) -> Decision:
    ex, lightest = case.exercise, min(case.loads.all(), default=0.0)
    words = say(
        "No set of it is on record: begin at {lightest:g} kg and go up until {reps} repetitions leave {rir:g} in reserve.",
        lightest=lightest,
        reps=ex.reps[0],
        rir=ex.rir,
    )
    return Decision(LoadChange.FIRST, lightest, ex.sets, ex.reps, ex.rir, ex.tempo, [words])


def existing(case: LiftCase, out: Decision) -> Decision:
    """The same at a load that exists: nearest below; the lightest there is when all are heavier."""
    if case.loads.exists(out.load_kg):
        return out
    found = case.loads.at_most(out.load_kg)
    if found is None:
        found = min(case.loads.all())
        out.reasons.append(
            say("{load_kg:g} kg is lighter than anything at hand: {found:g} kg is the lightest.", load_kg=out.load_kg, found=found)
        )
        heavier = found > case.sessions[-1].load_kg if case.sessions else False
        out.change = LoadChange.STOP if heavier else out.change
    else:
        out.reasons.append(
            say("{load_kg:g} kg cannot be set with what is at hand: {found:g} kg is the nearest below.", load_kg=out.load_kg, found=found)
        )
        out.change = LoadChange.LOWER if out.change is LoadChange.HOLD else out.change
    out.load_kg = found
    return out


def _lighter(case: LiftCase, out: Decision) -> Decision:
    rules = case.rules
    base = out.load_kg
    out.sets = max(round(rules.lighter_sets_share * out.sets), 1)
    out.rir = max(out.rir, rules.lighter_rir)
    fitting = case.loads.between(rules.lighter_load_least_share * base, 0.9 * base)
    wanted = rules.lighter_load_share * base
    found = min(fitting, key=lambda x: abs(x - wanted)) if fitting else case.loads.at_most(wanted)
    out.load_kg = found if found is not None else base
    out.change = LoadChange.LOWER if out.load_kg < base else LoadChange.HOLD
    out.reasons.append(
        say(
            "A lighter week: {sets} of {sets2} sets, {load_kg:g} instead of {base:g} kg, at least {rir:g} in reserve.",
            sets=out.sets,
            sets2=case.exercise.sets,
            load_kg=out.load_kg,
            base=base,
            rir=out.rir,
        )
    )
    return existing(case, out)


def _lower(case: LiftCase, out: Decision, most: float, words: str) -> Decision:
    """The heaviest load that is not above `most`; the reason says why."""
    found = case.loads.at_most(most)
    if found is None or found >= out.load_kg:
        out.reasons.append(say("{words} Nothing lighter is at hand: leave more in reserve instead.", words=words))
        out.rir += 2
        return existing(case, out)
    out.reasons.append(say("{words} {found:g} kg is the nearest that exists.", words=words, found=found))
    out.load_kg, out.change = found, LoadChange.LOWER
    return out


def _back(case: LiftCase, out: Decision) -> Decision:
    light = case.sessions[-1].load_kg
    if case.gate.gate is Gate.CLOSED:
        out.load_kg = min(light, out.load_kg)
        out.reasons += [
            say("Back from a lighter week, but the gate is closed: {load_kg:g} kg stays.", load_kg=out.load_kg),
            *_gate_words(case),
        ]
        out.change = LoadChange.HOLD
        return existing(case, out)
    return _lower(
        case,
        out,
        case.rules.back_share * out.load_kg,
        say("Back from a lighter week: {back_share:.0%} of {load_kg:g} kg.", back_share=case.rules.back_share, load_kg=out.load_kg),
    )


def _missed_twice(case: LiftCase) -> bool:
    last = case.full[-2:]
    bottom = case.exercise.reps[0]
    same = len(last) == 2 and last[1].load_kg >= last[0].load_kg
    return same and all(any(s.reps < bottom for s in session.sets) for session in last)


def _missed(case: LiftCase, out: Decision) -> Decision:
    rules, load = case.rules, out.load_kg
    words = say("Under {reps} repetitions in two sessions running at {load:g} kg:", reps=case.exercise.reps[0], load=load)
    fitting = case.loads.between((1 - rules.lower_by_most_share) * load, (1 - rules.lower_by_least_share) * load)
    if not fitting or load <= 0:
        return _lower(
            case,
            out,
            (1 - rules.lower_by_least_share) * load,
            say("{words} at least {lower_by_least_share:.0%} less.", words=words, lower_by_least_share=rules.lower_by_least_share),
        )
    out.load_kg, out.change = max(fitting), LoadChange.LOWER
    out.reasons.append(
        say("{words} {load_kg:.0%} less, {load_kg2:g} kg.", words=words, load_kg=1 - out.load_kg / load, load_kg2=out.load_kg)
    )
    return out


def _by_rule(case: LiftCase, out: Decision) -> Decision:
    if case.exercise.rule is ProgressRule.EFFORT:
        return _by_effort(case, out)
    if not _earned(case, out):
        return out
    if case.gate.gate is not Gate.OPEN:
        out.reasons += ["The repetitions would allow more, but the load is held.", *_gate_words(case)]
        return out
    if case.exercise.rule is ProgressRule.TEMPO_FIRST and (slower := _slower(case)):
        out.tempo = slower
        out.reasons.append(say("Tempo first: the lowering gets a second longer ({slower}) before the load rises.", slower=slower))
        return out
    return _raise(case, out)


def _gate_words(case: LiftCase) -> list[str]:
    return [r.words for r in case.gate.reasons]


def _earned(case: LiftCase, out: Decision) -> bool:
    """Whether every set did what the rule asks for more load; the reason is noted either way."""
    ex, last = case.exercise, case.full[-1] if case.full else case.sessions[-1]
    linear = ex.rule is ProgressRule.LINEAR
    wanted = ex.reps[0] if linear else ex.reps[1]
    words = say("{day}: {done} at {load_kg:g} kg", day=last.day, done=_done(last), load_kg=last.load_kg)
    if any(s.load_kg < last.load_kg for s in last.sets):
        at_load = sum(s.load_kg == last.load_kg for s in last.sets)
        out.reasons.append(
            say(
                "{words}; {at_load} of {sets} sets were done at this load: the same again.",
                words=words,
                at_load=at_load,
                sets=len(last.sets),
            )
        )
        return False
    if len(last.sets) < ex.sets:
        words += say(", {sets} of {sets2} planned sets on record", sets=len(last.sets), sets2=ex.sets)
    least = min(s.clean_reps for s in last.sets)
    if least < wanted:
        goal = max(min(least + 1, ex.reps[1]), ex.reps[0])
        out.reasons.append(
            say(
                "{words}; {wanted} clean repetitions in every set are asked before more load. Next: {goal} in every set.",
                words=words,
                wanted=wanted,
                goal=goal,
            )
        )
        return False
    if ex.rule is ProgressRule.REPS_FIRST:
        out.reasons.append(say("{words}: the top of the range in every set.", words=words))
        return True
    reserves = [s.rir for s in last.sets]
    if any(r is None for r in reserves):
        out.reasons.append(
            say("{words}; the effort was not told in every set: tell the repetitions in reserve, then the load can rise.", words=words)
        )
        return False
    lowest = min(r for r in reserves if r is not None)
    if lowest < ex.rir:
        out.reasons.append(
            say(
                "{words} with {lowest:g} in reserve, {rir:g} asked: the same load until it is easier.",
                words=words,
                lowest=lowest,
                rir=ex.rir,
            )
        )
        return False
    out.reasons.append(
        say(
            "{words} with at least {lowest:g} in reserve ({rir:g} asked): {which}.",
            words=words,
            lowest=lowest,
            rir=ex.rir,
            which="all sets done" if linear else "the top of the range",
        )
    )
    if lowest >= ex.rir + case.rules.ease_rir:
        out.reasons.append(say("Done at ease, {lowest:g} in reserve in every set: the load is too light.", lowest=lowest))
    return True


def _done(session: LiftSession) -> str:
    return (
        ", ".join(
            f"{s.clean_reps}" if s.clean_reps == s.reps else say("{clean_reps} of {reps}", clean_reps=s.clean_reps, reps=s.reps)
            for s in session.sets
        )
        + " reps"
    )


def _raise(case: LiftCase, out: Decision) -> Decision:
    """The smallest load that exists above, when the repetitions foreseen at it reach the bottom of the range."""
    ex, load = case.exercise, out.load_kg
    nearest = case.loads.above(load if ex.step_kg is None or ex.rule is not ProgressRule.LINEAR else load + ex.step_kg - 1e-3)
    if nearest is None:
        out.reasons.append(say("Nothing heavier than {load:g} kg is at hand: add a repetition, a pause or a set.", load=load))
        return out
    reps = _foreseen(case, nearest)
    share = nearest / load - 1 if load > 0 else 1.0
    if reps is None:
        fits, why = share <= case.rules.usual_rise_max_share + 1e-9, say("{share:.0%} more than the last set", share=share)
    else:
        fits, why = (
            reps >= ex.reps[0],
            say("about {reps:.1f} repetitions foreseen with {rir:g} in reserve, {reps2} needed", reps=reps, rir=ex.rir, reps2=ex.reps[0]),
        )
    if not fits:
        out.reasons.append(
            say("The next load, {nearest:g} kg, is too big a step ({why}): add a repetition, a pause or a set.", nearest=nearest, why=why)
        )
        return out
    out.load_kg, out.change = nearest, LoadChange.RAISE
    out.reasons.append(
        say(
            "{nearest:g} kg is the next that exists above {load:g} kg, {share:+.0%}: {why}.",
            nearest=nearest,
            load=load,
            share=share,
            why=why,
        )
    )
    return out


def _foreseen(case: LiftCase, load: float) -> float | None:
    """Repetitions foreseen at a load from the weakest of the last sets; None where no estimate is trusted."""
    found = []
    for s in (case.full or case.sessions)[-1].sets:
        if s.rir is not None and s.clean_reps + s.rir <= MOST_REPS and case.moved(s.load_kg) > 0:
            found.append(reps_at(epley(case.moved(s.load_kg), s.clean_reps + s.rir), case.moved(load), case.exercise.rir))
    return min(found) if found else None


def _slower(case: LiftCase) -> str | None:
    """The asked tempo with a second more of lowering; None at the slowest the rule goes to, or without a tempo."""
    parts = case.exercise.tempo.split("-")
    try:
        lowering = float(parts[0])
    except ValueError:
        return None
    if len(parts) != 4 or lowering + 1 > case.rules.slowest_lowering_s:
        return None
    return "-".join([f"{lowering + 1:g}", *parts[1:]])


def _by_effort(case: LiftCase, out: Decision) -> Decision:
    """The load at which the range's bottom leaves the asked reserve, by the last estimate: through an open gate only, never over +10 %."""
    ex, last = case.exercise, (case.full or case.sessions)[-1]
    estimate = last.strength(case.moved, 0.0)
    middle = sum(ex.reps) / 2
    wanted = load_for(estimate.low, middle, ex.rir) if estimate is not None else None
    if estimate is None or wanted is None:
        out.reasons.append("No estimate from the last session (no reserve told, or more than 12 repetitions): the same load, then by feel.")
        return out
    added = case.moved(0.0)
    found = case.loads.at_most(min(wanted - added, (1 + case.rules.usual_rise_max_share) * out.load_kg))
    words = say(
        "{middle:g} repetitions with {rir:g} in reserve ask for {wanted:.1f} kg by an estimated maximum of {low:.0f} kg",
        middle=middle,
        rir=ex.rir,
        wanted=wanted,
        low=estimate.low,
    )
    if found is None or found == out.load_kg:
        out.reasons.append(say("{words}: the load stays. The day's first set decides the next ones.", words=words))
        return out
    if found > out.load_kg and case.gate.gate is not Gate.OPEN:
        out.reasons += [say("{words}, but the load is held.", words=words), *_gate_words(case)]
        return out
    out.change = LoadChange.RAISE if found > out.load_kg else LoadChange.LOWER
    out.load_kg = found
    out.reasons.append(
        say("{words}: {found:g} kg is the nearest below that exists. The day's first set decides the next ones.", words=words, found=found)
    )
    return out
