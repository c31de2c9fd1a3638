"""The form gate: what the last films, repetitions and pain allow. A load rises through an open gate only."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from deepmirror.planning.films import FilmDue, newest_film
from deepmirror.planning.history import LiftSession
from deepmirror.planning.records import FormFinding, Override
from deepmirror.planning.rules import Rules

FILM, CLEAN_REPS, RANGE_LOSS, PAIN = "film", "clean_reps", "range_loss", "pain"  # what may be overridden besides a finding's code; but pain


class Gate(StrEnum):
    """What was decided at the gate."""

    OPEN = "open"
    CLOSED = "closed"
    CANNOT_TELL = "cannot_tell"


@dataclass(frozen=True)
class Reason:
    """One thing that keeps the gate shut: its key, its sentence, from when it is, and whether it is only that nobody knows."""

    key: str
    words: str
    day: date
    unknown: bool = False


@dataclass(frozen=True)
class GateState:
    """The gate with everything that keeps it shut, and what the coach overrode."""

    gate: Gate
    reasons: tuple[Reason, ...] = ()
    overridden: tuple[str, ...] = ()


def form_gate(sessions: Sequence[LiftSession], due: FilmDue, overrides: Sequence[Override], rules: Rules) -> GateState:
    """What a lift's sessions allow; due: its next film; overrides: the coach's own, of this movement. Pain is never overridden."""
    if not sessions:
        return GateState(Gate.CANNOT_TELL, (Reason(FILM, "No set of it is on record yet.", date.min, True),))
    shut, said = [], []
    for reason in _reasons(sessions, due, rules):
        own = next((o for o in overrides if o.code == reason.key and o.date >= reason.day), None) if reason.key != PAIN else None
        if own is None:
            shut.append(reason)
        else:
            said.append(f"{own.who} overrode {reason.key.replace('_', ' ')} on {own.date}: {own.why}")
    if any(not r.unknown for r in shut):
        return GateState(Gate.CLOSED, tuple(shut), tuple(said))
    return GateState(Gate.CANNOT_TELL if shut else Gate.OPEN, tuple(shut), tuple(said))


def _reasons(sessions: Sequence[LiftSession], due: FilmDue, rules: Rules) -> list[Reason]:
    last, out = sessions[-1], []
    told = newest_film(sessions, told=True)
    for day, found in _unsafe(sessions):
        likely = f" (likely: {found.cause})" if found.cause else ""
        words = f"An open safety finding, {found.code.replace('_', ' ')}{likely}, of the film of {day}."
        out.append(Reason(found.code, words, day))
    if told is not None:
        day, form = told
        if form.range_loss_pct is not None and form.range_loss_pct > rules.range_loss_max_pct:
            words = f"The range shrank by {form.range_loss_pct:.0f} % in the film of {day}, more than {rules.range_loss_max_pct:g} %."
            out.append(Reason(RANGE_LOSS, words, day))
    if last.clean_share < rules.clean_share_min:
        clean, reps = sum(s.clean_reps for s in last.sets), sum(s.reps for s in last.sets)
        words = f"{clean} of {reps} repetitions were clean on {last.day} ({last.clean_share:.0%}, at least {rules.clean_share_min:.0%})."
        out.append(Reason(CLEAN_REPS, words, last.day))
    for pain, when in ((last.pain, "in the session"), (last.pain_next_morning, "the morning after")):
        if pain is not None and pain > rules.pain_max:
            out.append(Reason(PAIN, f"Pain of {pain:g} of 10 {when} on {last.day}, more than {rules.pain_max:g}.", last.day))
    newest = newest_film(sessions)
    if newest is not None and not newest[1].told:
        out.append(Reason(FILM, f"The film of {newest[0]} could not tell what the gate asks.", newest[0], True))
    elif due.missed:
        out.append(Reason(FILM, f"A film was due and none came: {due.why}.", last.day, True))
    return out


def _unsafe(sessions: Sequence[LiftSession]) -> list[tuple[date, FormFinding]]:
    """Open safety findings, newest first: a film closes those of older ones that it looked for and did not find."""
    out: dict[str, tuple[date, FormFinding]] = {}
    cleared: set[str] = set()
    for s in reversed(sessions):
        if s.form is None:
            continue
        for found in s.form.findings:
            if found.open and found.severity == "safety" and found.code not in cleared:
                out.setdefault(found.code, (s.day, found))
        if s.form.told and s.form.cleared is None:
            break
        cleared |= set(s.form.cleared or ())
    return list(out.values())
