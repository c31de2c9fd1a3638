"""Hard sets a week and muscle, and what a plan lacks: advice, never a fault."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import date, timedelta

from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Training
from deepmirror.planning.records import BOTH, WEEKDAYS, DoneSet, Exercise, Kind, Plan, SessionPlan, Trainee
from deepmirror.planning.rules import Rules
from deepmirror.words import capital, joined, say

LEG_MUSCLES = ("quadriceps", "glutes", "hamstrings", "calves")
GROUPS = {
    "knee-dominant work": {"squat", "press", "lunge", "knee_extension"},
    "hip-dominant work": {"hinge", "hip_extension"},
    "knee flexion": {"knee_flexion"},
    "calf work with a straight knee": {"calf_straight"},
    "calf work with a bent knee": {"calf_bent"},
}
STRETCHED_CURL = "seated_leg_curl"


def training_of(catalogue: Catalogue, movement: str) -> Training | None:
    """What planning knows of a movement; None for one it does not know."""
    found = catalogue.movements.get(movement)
    return found.training if found is not None else None


def done_sets(sets: Iterable[DoneSet], catalogue: Catalogue, rules: Rules) -> dict[str, float]:
    """Hard sets by muscle: first mover 1, helper 0.5. Two legs are one set, a drop set belongs to the set it came from, warm-ups
    count for nothing. Common practice, no source."""
    out: dict[str, float] = defaultdict(float)
    parents: set[tuple[date, str, str]] = set()
    for s in sets:
        key = (s.date, s.movement, s.side)
        dropped = s.kind is Kind.DROP and key in parents
        hard = s.rir is None or s.rir <= rules.hard_rir_max
        if s.kind is Kind.WARM_UP or dropped or not (hard and rules.hard_reps_min <= s.reps <= rules.hard_reps_max):
            continue
        parents.add(key)
        _count(out, training_of(catalogue, s.movement), 1.0 if s.side == BOTH else 0.5, rules)
    return out


def planned_sets(rows: Iterable[tuple[str, int, tuple[int, int], float]], catalogue: Catalogue, rules: Rules) -> dict[str, float]:
    """The same of sets to come: (movement, sets, range, reserve), each exercise once also where its sides are trained apart."""
    out: dict[str, float] = defaultdict(float)
    for movement, sets, reps, rir in rows:
        if rir <= rules.hard_rir_max and reps[1] >= rules.hard_reps_min and reps[0] <= rules.hard_reps_max:
            _count(out, training_of(catalogue, movement), sets, rules)
    return out


def _count(out: dict[str, float], training: Training | None, sets: float, rules: Rules) -> None:
    if training is None:
        return
    for muscle in training.movers:
        out[muscle] += sets
    for muscle in training.helpers:
        out[muscle] += rules.helper_sets * sets


def added(*counts: dict[str, float]) -> dict[str, float]:
    """Counts together; the four leg muscles always stand in it."""
    out = dict.fromkeys(LEG_MUSCLES, 0.0)
    for count in counts:
        for muscle, sets in count.items():
            out[muscle] = out.get(muscle, 0.0) + sets
    return {muscle: round(sets, 2) for muscle, sets in out.items()}


def week_span(plan: Plan, day: date) -> tuple[date, date]:
    """First and last day of the plan's week a day lies in."""
    first = plan.start + timedelta(days=7 * ((day - plan.start).days // 7))
    return first, first + timedelta(days=6)


def plan_week(plan: Plan, catalogue: Catalogue, rules: Rules) -> dict[str, float]:
    """Hard sets of a whole week as it is planned."""
    rows = [(e.movement, e.sets, e.reps, e.rir) for s in plan.sessions for e in s.exercises]
    return added(planned_sets(rows, catalogue, rules))


def balance(plan: Plan, client: Trainee, catalogue: Catalogue, rules: Rules) -> list[str]:
    """What a plan lacks or has next to one another, in words."""
    exercises = [e for s in plan.sessions for e in s.exercises]
    patterns = {t.pattern for e in exercises if (t := training_of(catalogue, e.movement)) is not None}
    if not patterns:
        return []
    out = [say("The plan has no {name}.", name=name) for name, group in GROUPS.items() if not patterns & group]
    curls = [e.movement for e in exercises if (t := training_of(catalogue, e.movement)) is not None and t.pattern == "knee_flexion"]
    if curls and "hinge" not in patterns and STRETCHED_CURL not in curls:
        out.append("Without a hinge the hamstrings are not trained long: the seated curl fits better than the lying or standing one.")
    out += [words for s in plan.sessions for words in _back_to_back(s, catalogue)]
    low, high = (rules.trained_sets_min, rules.trained_sets_max) if client.trained else (rules.novice_sets_min, rules.novice_sets_max)
    week = plan_week(plan, catalogue, rules)
    for muscle in LEG_MUSCLES:
        if not low <= week[muscle] <= high:
            level = "trained" if client.trained else "novice"
            out.append(
                say(
                    "{muscle}: {week:g} hard sets a week planned; {low:g} to {high:g} are usual for the {level}.",
                    muscle=capital(muscle),
                    week=week[muscle],
                    low=low,
                    high=high,
                    level=level,
                )
            )
    return out + _frequency(plan)


def _back_to_back(session: SessionPlan, catalogue: Catalogue) -> list[str]:
    out = []
    pairs: Sequence[tuple[Exercise, Exercise]] = list(zip(session.exercises, session.exercises[1:], strict=False))
    for a, b in pairs:
        one, two = training_of(catalogue, a.movement), training_of(catalogue, b.movement)
        if one is not None and two is not None and one.pattern == two.pattern:
            names = joined(" and ", [catalogue.movements[e.movement].title for e in (a, b)])
            out.append(say("{names} stand one after the other on {day}: the same pattern twice.", names=names, day=session.day))
    return out


def _frequency(plan: Plan) -> list[str]:
    days = sorted({WEEKDAYS.index(s.day) for s in plan.sessions})
    if len(days) == 1:
        return ["One session a week: legs are usually trained twice, 3 to 4 days apart."]
    gap = smallest_gap(plan)
    return [say("Two sessions lie {gap} day apart: 3 to 4 are usual for legs.", gap=gap)] if gap is not None and gap < 2 else []


def smallest_gap(plan: Plan) -> int | None:
    """The fewest days between two of the plan's days, around the week; None with one day."""
    days = sorted({WEEKDAYS.index(s.day) for s in plan.sessions})
    if len(days) < 2:
        return None
    return min((b - a) % 7 for a, b in zip(days, [*days[1:], days[0]], strict=True))
