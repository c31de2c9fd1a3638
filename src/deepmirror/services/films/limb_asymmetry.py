"""Left against right from two films of one-leg work, number by number."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.skeleton import near_side
from deepmirror.core.uncertain_value import Value
from deepmirror.services.films.analysis import Analysis
from deepmirror.words import say

COMPARED = [spec for spec in MEASURES.values() if spec.compared]
PHASES = {"eccentric": "lowering", "concentric": "lifting"}
SECONDS_U = 0.07  # k = 2 of a phase: two frames


@dataclass(frozen=True)
class Side:
    """What one film says of one leg: side, reps, and the middle of each number over the reps with its uncertainty; load and day."""

    side: str
    reps: int
    middles: dict[str, Value]
    load_kg: float | None = None
    day: str = ""


@dataclass(frozen=True)
class SideRow:
    """One number on both sides; real is True when the difference is larger than both uncertainties together."""

    words: str
    unit: str
    left: Value
    right: Value
    real: bool


def one_side(analysis: Analysis, day: str = "") -> Side | None:
    """The near leg's numbers; None for films that do not show one leg from its side, or without reps."""
    side = near_side(analysis.scene.view)
    if side is None or not analysis.measured.reps:
        return None
    return Side(side, len(analysis.scene.reps), middles(analysis), analysis.brief.file.load_kg, day)


def middles(analysis: Analysis) -> dict[str, Value]:
    """The middle of each compared number over the reps, and of the phases' seconds; empty without reps."""
    reps, out = analysis.measured.reps, {}
    for spec in COMPARED if reps else []:
        values = [r[spec.name] for r in reps if spec.name in r]
        if values:
            spread = 2 * float(np.std([v.value for v in values])) / math.sqrt(len(values))
            middle = Value(float(np.median([v.value for v in values])), float(np.median([v.u for v in values])))
            out[spec.name] = middle.widened(spread)
    for phase in PHASES if reps else ():
        seconds = [s for r in analysis.scene.reps if (s := r.phases_s[phase]) is not None]
        if seconds:
            out[phase] = Value(float(np.median(seconds)), math.hypot(SECONDS_U, 2 * float(np.std(seconds)) / math.sqrt(len(seconds))))
    return out


def compare_sides(left: Side, right: Side) -> list[SideRow]:
    """Numbers both films have, the surest differences first."""
    titles = [(s.name, s.words, s.unit) for s in COMPARED] + [(phase, words, "s") for phase, words in PHASES.items()]
    rows = []
    for name, words, unit in titles:
        if name in left.middles and name in right.middles:
            a, b = left.middles[name], right.middles[name]
            rows.append(SideRow(words, unit, a, b, abs(a.value - b.value) > math.hypot(a.u, b.u)))
    return sorted(rows, key=lambda r: -abs(r.left.value - r.right.value) / max(math.hypot(r.left.u, r.right.u), 1e-9))


def side_words(left: Side, right: Side) -> list[str]:
    """The comparison in lines; the side with fewer reps sets the reps, as the weaker one does."""
    lines = []
    if left.load_kg is not None and right.load_kg is not None and left.load_kg != right.load_kg:
        lines.append(
            say(
                "{load_kg:g} kg left, {load_kg2:g} kg right: what differs is partly the load's",
                load_kg=left.load_kg,
                load_kg2=right.load_kg,
            )
        )
    if left.day != right.day:
        lines.append(say("filmed on two days: left {day}, right {day2}", day=left.day, day2=right.day))
    if left.reps != right.reps:
        weaker = "left" if left.reps < right.reps else "right"
        lines.append(
            say(
                "{reps} reps left, {reps2} right: the {weaker} side goes first and sets the reps",
                reps=left.reps,
                reps2=right.reps,
                weaker=weaker,
            )
        )
    for row in compare_sides(left, right):
        if row.real:
            lines.append(
                say(
                    "{words}: {value:.1f} left, {value2:.1f} right {unit} (a clear difference)",
                    words=row.words,
                    value=row.left.value,
                    value2=row.right.value,
                    unit=row.unit,
                )
            )
    return (
        lines if any(r.real for r in compare_sides(left, right)) else [*lines, "no difference between left and right larger than the doubt"]
    )
