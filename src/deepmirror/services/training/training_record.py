"""A client's training out of the library, as planning reads it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from functools import lru_cache

from deepmirror.exchange.brief import ClientPart
from deepmirror.exchange.plan_file import TrainingPart, equipment_of, plan_of
from deepmirror.planning.records import (
    DoneSet,
    FilmForm,
    FormFinding,
    Kind,
    Override,
    PainEntry,
    Plan,
    Side,
    Trainee,
    TrainingRecord,
)
from deepmirror.store.training import DoneRecord, OverrideRecord, PainRecord

NO_PLAN = Plan(date(2000, 1, 3), 6, ())
KINDS = {kind.value: kind for kind in Kind}
SIDE_OF: dict[str, Side] = {"left": "left", "right": "right"}


def training_record(
    name: str,
    body: ClientPart,
    part: TrainingPart,
    done: Iterable[DoneRecord],
    pain: Iterable[PainRecord],
    overrides: Iterable[OverrideRecord],
    closed: frozenset[tuple[int, str]] = frozenset(),
) -> TrainingRecord:
    """All of one client's training. closed: (film, code) of corrections the coach closed. A set nobody told the repetitions of is
    left out: nothing can be planned from it."""
    client = Trainee(name, body.mass_kg, part.level == "trained", body.imperial, part.rules)
    return TrainingRecord(
        client,
        equipment_of(part.equipment),
        plan_of(part.plan) if part.plan is not None else NO_PLAN,
        tuple(s for d in done if (s := done_set(d, closed)) is not None),
        tuple(PainEntry(date.fromisoformat(p.day), p.place, p.level, p.signs, p.next_morning, p.clinician) for p in pain),
        tuple(Override(date.fromisoformat(o.day), o.movement, o.code, o.who, o.why) for o in overrides),
        tuple(body.pain),
    )


def done_set(done: DoneRecord, closed: frozenset[tuple[int, str]] = frozenset()) -> DoneSet | None:
    """One kept set as planning reads it; None while its repetitions or its load are not known."""
    if done.reps is None or not done.movement:
        return None
    try:
        day = _day(done.day)
    except ValueError:
        return None
    clean = done.reps if done.clean_reps is None else min(done.clean_reps, done.reps)
    kind, side = KINDS.get(done.kind, Kind.WORK), SIDE_OF.get(done.side, "both")
    form = _form(done, closed) if done.form_json else None
    what = (day, done.movement, side, done.load_kg or 0.0, done.reps, clean, done.rir, kind)
    return DoneSet(*what, done.pain, done.pain_next_morning, form, done.lighter)


@lru_cache(maxsize=4096)
def _day(text: str) -> date:
    return date.fromisoformat(text)


def _form(done: DoneRecord, closed: frozenset[tuple[int, str]]) -> FilmForm | None:
    form = done.form
    if not form:
        return None
    findings = tuple(
        FormFinding(
            str(f["code"]),
            str(f["severity"]),
            bool(f.get("open", True)) and (done.film_id, f["code"]) not in closed,
            str(f.get("cause", "")),
        )
        for f in form.get("findings", [])
    )
    loss, cleared = form.get("range_loss_pct"), form.get("cleared")
    return FilmForm(
        findings,
        float(loss) if isinstance(loss, int | float) else None,
        bool(form.get("told", True)),
        str(form.get("view", "")),
        tuple(map(str, cleared)) if isinstance(cleared, list) else None,
    )
