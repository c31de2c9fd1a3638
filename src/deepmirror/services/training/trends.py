"""A lift over the months: its load, its estimated maximum, and every number its films told."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from deepmirror.core.measures.table import MEASURES
from deepmirror.planning.history import History
from deepmirror.planning.records import Side
from deepmirror.planning.rules import rules_for
from deepmirror.planning.trends import TrendPoint as TrendPoint
from deepmirror.planning.trends import TrendStep as TrendStep
from deepmirror.planning.trends import steps
from deepmirror.services.training.training_file import TrainingFile

LOAD, MAXIMUM = "load", "maximum"
MOST_POINTS = 120  # more are not told apart on a screen; our own choice


@dataclass(frozen=True)
class Trend:
    """Points in order with the steps between those that may be compared, and what they count."""

    title: str
    unit: str
    points: tuple[TrendPoint, ...]
    steps: tuple[TrendStep, ...]
    certain: bool = False  # what was chosen, not measured: it has no doubt, and no change of it is news


def lifts(file: TrainingFile) -> list[tuple[str, Side]]:
    """Movements with their sides that were ever done, the planned ones first."""
    planned = [e.movement for s in file.part.plan.sessions for e in s.exercises] if file.part.plan else []
    seen = list(dict.fromkeys((s.movement, s.side) for s in file.record.history))
    return sorted(seen, key=lambda row: (planned.index(row[0]) if row[0] in planned else len(planned), row[0], row[1]))


def numbers(file: TrainingFile, movement: str, side: Side) -> list[tuple[str, str]]:
    """(id, title) of what can be shown of a lift."""
    out = [(MAXIMUM, "Estimated maximum (1RM)"), (LOAD, "Load")]
    films = [d.form.get("numbers", {}) for d in file.done if d.movement == movement and d.side == side and d.form_json]
    told = {name for numbers in films for name in numbers}
    return out + [(spec.name, spec.title) for spec in MEASURES.values() if spec.name in told]


def trend(file: TrainingFile, movement: str, side: Side, number: str) -> Trend:
    """One number of a lift over time."""
    if number in (LOAD, MAXIMUM):
        return _strength(file, movement, side, number)
    spec = MEASURES[number]
    points = []
    for done in file.done:
        form = done.form if done.movement == movement and done.side == side and done.form_json else {}
        told = form.get("numbers", {}).get(number)
        if isinstance(told, list) and len(told) == 2:
            points.append(
                TrendPoint(date.fromisoformat(done.day), float(told[0]), float(told[1]), done.load_kg or 0.0, _way(form.get("view")))
            )
    return Trend(spec.title, spec.unit, tuple(points), tuple(steps(points)))


def _way(view: object) -> str:
    """Both sides show the same; front and rear do not."""
    return "side" if str(view).startswith("side") else str(view)


def _strength(file: TrainingFile, movement: str, side: Side, number: str) -> Trend:
    record = file.record
    history = History(record.history, file.today, record.client, rules_for(record.client.rules))
    points = []
    for session in history.sessions(movement, side)[-MOST_POINTS:]:
        if number == LOAD:
            points.append(TrendPoint(session.day, session.load_kg, 0.0, 0.0))
        elif not session.light and (best := session.strength(lambda load: load, record.client.rir_u)) is not None:
            points.append(TrendPoint(session.day, (best.low + best.high) / 2, (best.high - best.low) / 2, 0.0))
    title = "Load" if number == LOAD else "Estimated maximum (1RM), the range of two formulas"
    return Trend(title, "kg", tuple(points), tuple(steps(points)), certain=number == LOAD)
