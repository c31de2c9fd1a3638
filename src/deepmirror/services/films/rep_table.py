"""The numbers a coach asks for first, rep by rep: what its movement is judged by, with its verdict, and how long the lowering took."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.uncertain_value import Value, Verdict
from deepmirror.judge.findings import moment_of, worst_of
from deepmirror.judge.records import RANGE, SAFETY, Check
from deepmirror.services.films.analysis import Analysis

FEWEST, MOST_ROWS = 2, 8  # what fits beside the film; our own choice
PHASES = (("eccentric", "Lowering"), ("concentric", "Lifting"))  # how long they took, and the measure's name their verdict goes by
SHARE = "{phase}_share_pct"
FIRST = (RANGE, SAFETY, "tension", "polish")  # depth is what is asked for first
WEIGHT = (Verdict.WITHIN, Verdict.CANNOT_TELL, Verdict.BORDERLINE, Verdict.OFF)


@dataclass(frozen=True)
class Cell:
    """One number of one rep; value None: this film does not tell it. verdict None: nothing is asked of it."""

    value: Value | None
    verdict: Verdict | None


@dataclass(frozen=True)
class MeasureRow:
    """One measure over the reps; film_id: of the other film of a set that was filmed twice."""

    measure: str
    title: str
    unit: str
    places: int
    cells: tuple[Cell, ...]
    film_id: int | None = None


@dataclass(frozen=True)
class RepTable:
    """Rows of measures, columns of reps; verdicts: of each rep as a whole."""

    rows: tuple[MeasureRow, ...]
    verdicts: tuple[Verdict, ...]


def rep_table(analysis: Analysis) -> RepTable:
    """The main measures of a film's movement, four to eight where it shows so many."""
    checks = [c for c in analysis.judgement.checks if c.measure in MEASURES and MEASURES[c.measure].per_rep]
    known = {name for values in analysis.measured.reps for name in values}
    judged = list(dict.fromkeys(c.measure for c in sorted(checks, key=_order) if c.measure in known))
    timed = {SHARE.format(phase=phase) for phase, _ in PHASES}
    names = [n for n in judged if n not in timed][: MOST_ROWS - len(PHASES)]
    if len(names) < FEWEST:  # too few are judged: what is listed anyhow follows
        names += [n for n in MEASURES if n in known and analysis.movement.lists(MEASURES[n]) and n not in names][: FEWEST - len(names)]
    rows = [_row(analysis, name, [c for c in checks if c.measure == name]) for name in names]
    rows += [_phase_row(analysis, phase, title, checks) for phase, title in PHASES if analysis.scene.reps]
    return RepTable(tuple(rows), tuple(_of_rep(analysis, number + 1) for number in range(len(analysis.scene.reps))))


def _order(check: Check) -> int:
    return FIRST.index(check.severity) if check.severity in FIRST else len(FIRST)


def _row(analysis: Analysis, name: str, checks: list[Check]) -> MeasureRow:
    spec, cells = MEASURES[name], []
    for number, values in enumerate(analysis.measured.reps, 1):
        verdicts = [v for c in checks for rep, v in c.by_rep if rep == number]
        value = values.get(name)
        cells.append(Cell(value, worst_of(verdicts) if verdicts else Verdict.CANNOT_TELL if value is None else None))
    return MeasureRow(name, spec.brief, spec.unit, spec.places, tuple(cells))


def _phase_row(analysis: Analysis, phase: str, title: str, checks: list[Check]) -> MeasureRow:
    """Seconds of a phase, rep by rep; its verdict is that of the asked tempo, where one was asked for."""
    judged = [c for c in checks if c.measure == SHARE.format(phase=phase)]
    cells = []
    for rep in analysis.scene.reps:
        seconds = rep.phases_s.get(phase)
        verdicts = [v for c in judged for number, v in c.by_rep if number == rep.number]
        cells.append(Cell(None if seconds is None else Value(seconds, 0.0), worst_of(verdicts) if verdicts else None))
    return MeasureRow(SHARE.format(phase=phase), title, "s", 1, tuple(cells))


def _of_rep(analysis: Analysis, number: int) -> Verdict:
    """One verdict for a rep: off where a finding names it, else the worst of what was asked of it that could be told."""
    if any(number in f.reps for f in analysis.judgement.findings):
        return Verdict.OFF
    verdicts = [v for c in analysis.judgement.checks for rep, v in c.by_rep if rep == number and v is not Verdict.OFF]
    return max(verdicts, key=WEIGHT.index, default=Verdict.CANNOT_TELL)


def moment(analysis: Analysis, measure: str, number: int) -> float:
    """The instant (s) of a rep, from 1, that shows a measure."""
    return moment_of(analysis.scene, measure, analysis.scene.reps[number - 1])


def series_of(measure: str) -> str | None:
    """The angle series a measure is read from; None for others."""
    return MEASURES[measure].series
