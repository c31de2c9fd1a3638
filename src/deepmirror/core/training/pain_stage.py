"""The stages of a pain pathway: how a region moves between them, session by session.

0 nothing to heed   1 bench test of straightening and bending   2 one change a session, in order   3 other movements   4 refer

The scale of 0 to 10 in training: up to 2 go on, 3 to 5 change something, over 5 stop; calm by the next morning (Thomeé 1997,
J Orthop Sports Phys Ther 25:100, from memory). The stages and how they move: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

GO, CHANGE = 2.0, 5.0  # up to the first go on, up to the second change something, above it stop
CALM_SESSIONS = 2
NOTHING, BENCH, CHANGES, OTHERS, REFER = range(5)


@dataclass(frozen=True)
class Report:
    """What one day says of a region: pain of 0 to 10 (the worst of during and after, the next morning), red flags, a clinician's word."""

    date: str
    level: float | None
    morning: float | None = None
    red_flag: bool = False
    clinician: bool = False

    @property
    def calm(self) -> bool:
        """At 2 or less, and as calm the next morning where that was told."""
        return self.level is not None and self.level <= GO and (self.morning is None or self.morning <= GO)


@dataclass(frozen=True)
class Stage:
    """Where a region stands: its stage, which of the ordered changes it is at (from 0), and calm and sore days in a row since it moved.

    watched: it comes from a worse stage, or nobody said how much it hurts: nothing rises meanwhile. A first word of 2 or less does not
    hold a load back.
    """

    number: int = NOTHING
    change: int = 0
    calm: int = 0
    sore: int = 0
    watched: bool = False


def next_stage(at: Stage, report: Report, changes: int) -> Stage:
    """The stage after one more report. changes: how many ordered changes the region's pathway has."""
    if report.red_flag:
        return Stage(REFER)
    if at.number == REFER:
        return Stage(OTHERS) if report.clinician else at
    if report.calm:
        return _calmer(at, report)
    worst = max(report.level or 0.0, report.morning or 0.0)
    if worst <= GO:
        return at  # nothing was told of the pain
    if worst > CHANGE:
        return Stage(REFER) if at.number == OTHERS else Stage(OTHERS)
    return _sorer(at, changes)


def _calmer(at: Stage, report: Report) -> Stage:
    """Up, that is one stage back towards none, after calm days in a row."""
    if at.number == NOTHING:
        return Stage(BENCH) if report.level else at
    if at.calm + 1 < CALM_SESSIONS:
        return replace(at, calm=at.calm + 1, sore=0)
    return Stage(at.number - 1, watched=at.number - 1 > NOTHING)


def _sorer(at: Stage, changes: int) -> Stage:
    """Pain of 3 to 5: down at once; at stage 2 the next change, and other movements when there is none left."""
    if at.number in (NOTHING, BENCH):
        return Stage(CHANGES)
    if at.number == CHANGES:
        return replace(at, change=at.change + 1, calm=0) if at.change + 1 < changes else Stage(OTHERS)
    return Stage(REFER) if at.sore >= 1 else replace(at, calm=0, sore=at.sore + 1)


def stage_after(reports: Iterable[Report], changes: int) -> Stage:
    """Where a region stands after all its reports, oldest first."""
    at = Stage()
    for report in reports:
        at = next_stage(at, report, changes)
    return at
