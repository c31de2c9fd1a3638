"""When the next film of a lift is due, and from where."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import IntEnum

from deepmirror.movements.schema import Movement
from deepmirror.planning.history import LiftSession
from deepmirror.planning.records import FilmForm
from deepmirror.planning.rules import Rules
from deepmirror.words import joined, say


class Urgency(IntEnum):
    """Why a film is due, the most urgent first."""

    SAFETY = 0
    MISSED = 1
    UNTOLD = 2
    NEW = 3
    LOAD = 4
    FINDING = 5
    ROUTINE = 6


@dataclass(frozen=True)
class FilmDue:
    """A film that is due: by when (None: at the next session), why, from which side, and how many sessions missed it."""

    urgency: Urgency
    why: str
    view: str
    by: date | None = None
    missed: int = 0

    def on(self, day: date) -> bool:
        """Whether it is to be taken in the session of a day."""
        return self.by is None or self.by <= day


def newest_film(sessions: Sequence[LiftSession], told: bool = False) -> tuple[date, FilmForm] | None:
    """The newest film of a lift, or the newest that could tell."""
    return next(((s.day, s.form) for s in reversed(sessions) if s.form is not None and (s.form.told or not told)), None)


def open_findings(form: FilmForm, severity: str | None = None) -> list[str]:
    """Codes of a film's open findings, of one severity or of any."""
    return [f.code for f in form.findings if f.open and severity in (None, f.severity)]


def view_for(movement: Movement | None, codes: Sequence[str]) -> str:
    """The kind of film that shows the open findings, the movement's first when there are none."""
    if movement is None:
        return "side"
    for code in codes:
        for fault in movement.fault:
            if code in (fault.code, fault.group):
                return fault.views[0]
    return movement.views[0]


def film_due(movement: Movement | None, sessions: Sequence[LiftSession], rules: Rules) -> FilmDue:
    """When a lift is to be filmed next; sessions: its own, oldest first."""
    newest = newest_film(sessions)
    if newest is None:
        missed = len(sessions)
        words = (
            "a new lift is filmed in its first session" if not missed else say("{missed} sessions of it have no film yet", missed=missed)
        )
        return FilmDue(Urgency.MISSED if missed else Urgency.NEW, words, view_for(movement, ()), missed=missed)
    day, form = newest
    after = [s for s in sessions if s.day > day]
    codes = [f.code for f in sorted((f for f in form.findings if f.open), key=lambda f: f.severity != "safety")]
    view = view_for(movement, codes)
    if not form.told and not open_findings(form, "safety"):
        return _counted(FilmDue(Urgency.UNTOLD, say("the film of {day} could not tell", day=day), view), after)
    if unsafe := open_findings(form, "safety"):
        by = day + timedelta(days=rules.film_safety_days)
        soon = FilmDue(
            Urgency.SAFETY,
            say("{named} of {day} is a matter of safety: next session, by {by} at the latest", named=_named(unsafe), day=day, by=by),
            view,
        )
        return _counted(soon, after)
    filmed = next(s.load_kg for s in sessions if s.day == day)
    heavier = [s for s in after if filmed > 0 and s.load_kg >= (1 + rules.film_load_share) * filmed - 1e-6]
    if heavier:
        now = max(s.load_kg for s in heavier)
        return _counted(
            FilmDue(
                Urgency.LOAD,
                say("the load rose from {filmed:g} to {now:g} kg since the film of {day}", filmed=filmed, now=now, day=day),
                view,
            ),
            heavier[1:],
        )
    days, why, urgency = _interval(sessions, form, rules)
    by = day + timedelta(days=days)
    return _counted(
        FilmDue(urgency, say("{why}: {days:g} days after the film of {day}", why=why, days=days, day=day), view, by),
        [s for s in after if s.day >= by],
    )


def _counted(due: FilmDue, missed: Sequence[LiftSession]) -> FilmDue:
    return FilmDue(due.urgency, due.why, due.view, due.by, len(missed))


def _interval(sessions: Sequence[LiftSession], form: FilmForm, rules: Rules) -> tuple[float, str, Urgency]:
    """Days until the next routine film, and why."""
    severities = {f.severity for f in form.findings if f.open}
    if severities & {"range", "tension"}:
        return rules.film_range_days, "a finding of range or tension", Urgency.FINDING
    if severities:
        return rules.film_polish_days, "a finding of polish", Urgency.FINDING
    films = [s.form for s in sessions if s.form is not None]
    clean = [f.told and not open_findings(f) for f in films[-2:]]
    if len(clean) == 2 and all(clean):
        return rules.film_two_clean_days, "two clean films", Urgency.ROUTINE
    return rules.film_clean_days, "one clean film", Urgency.ROUTINE


def _named(codes: Sequence[str]) -> str:
    return joined(", ", [c.replace("_", " ") for c in codes])
