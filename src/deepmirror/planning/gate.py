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
from deepmirror.words import say

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
            said.append(
                say("{who} overrode {key} on {date}: {why}", who=own.who, key=reason.key.replace("_", " "), date=own.date, why=own.why)
            )
    if any(not r.unknown for r in shut):
        return GateState(Gate.CLOSED, tuple(shut), tuple(said))
    return GateState(Gate.CANNOT_TELL if shut else Gate.OPEN, tuple(shut), tuple(said))


def _reasons(sessions: Sequence[LiftSession], due: FilmDue, rules: Rules) -> list[Reason]:
    last, out = sessions[-1], []
    told = newest_film(sessions, told=True)
    for day, found in _unsafe(sessions):
        likely = say(" (likely: {cause})", cause=found.cause) if found.cause else ""
        words = say(
            "An open safety finding, {code}{likely}, of the film of {day}.", code=found.code.replace("_", " "), likely=likely, day=day
        )
        out.append(Reason(found.code, words, day))
    if told is not None:
        day, form = told
        if form.range_loss_pct is not None and form.range_loss_pct > rules.range_loss_max_pct:
            words = say(
                "The range shrank by {range_loss_pct:.0f} % in the film of {day}, more than {range_loss_max_pct:g} %.",
                range_loss_pct=form.range_loss_pct,
                day=day,
                range_loss_max_pct=rules.range_loss_max_pct,
            )
            out.append(Reason(RANGE_LOSS, words, day))
    if last.clean_share < rules.clean_share_min:
        clean, reps = sum(s.clean_reps for s in last.sets), sum(s.reps for s in last.sets)
        words = say(
            "{clean} of {reps} repetitions were clean on {day} ({clean_share:.0%}, at least {clean_share_min:.0%}).",
            clean=clean,
            reps=reps,
            day=last.day,
            clean_share=last.clean_share,
            clean_share_min=rules.clean_share_min,
        )
        out.append(Reason(CLEAN_REPS, words, last.day))
    for pain, when in ((last.pain, "in the session"), (last.pain_next_morning, "the morning after")):
        if pain is not None and pain > rules.pain_max:
            out.append(
                Reason(
                    PAIN,
                    say(
                        "Pain of {pain:g} of 10 {when} on {day}, more than {pain_max:g}.",
                        pain=pain,
                        when=when,
                        day=last.day,
                        pain_max=rules.pain_max,
                    ),
                    last.day,
                )
            )
    newest = newest_film(sessions)
    if newest is not None and not newest[1].told:
        out.append(Reason(FILM, say("The film of {newest} could not tell what the gate asks.", newest=newest[0]), newest[0], True))
    elif due.missed:
        out.append(Reason(FILM, say("A film was due and none came: {why}.", why=due.why), last.day, True))
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
