"""The demo's plans and eight weeks of invented history: training.json, with days counted back from today.

A plan's days are A and B; each falls on the weekday it was last done on, so that the demo is the same on any day.
"""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date, timedelta

from deepmirror.documents import Document
from deepmirror.exchange.plan_file import check_training
from deepmirror.planning.records import WEEKDAYS
from deepmirror.services.films.film_library import ClientRecord, FilmLibrary
from deepmirror.store.training import DoneRecord, PainRecord


def fill_training(library: FilmLibrary, training: Document, films: dict[str, int]) -> None:
    """Put the invented training into a library that has the demo's clients and films. films: id by name."""
    clients = {c.name: c for c in library.clients()}
    for name, told in training["clients"].items():
        _fill(library, clients[name], told, films)
    for name, plan in training["templates"].items():
        library.store.training.keep_template(name, plan)


def _fill(library: FilmLibrary, client: ClientRecord, told: Document, films: dict[str, int]) -> None:
    today, store = library.now().astimezone().date(), library.store.training
    weekday = {letter: WEEKDAYS[_ago(today, days).weekday()] for letter, days in told["days_ago"].items()}
    sessions = [s | {"day": weekday[s["day"]]} for s in told["sessions"]]
    plan = {"start": _ago(today, told["start_days_ago"]).isoformat(), "weeks": told["weeks"], "days": list(weekday.values())}
    part = check_training(told["training"] | {"plan": plan | {"sessions": sessions}})
    store.keep_record(client.id, part.model_dump(mode="json", exclude_defaults=True))
    store.add_done(row for line in told["history"] for row in _rows(client.id, today, line))
    for days, place, level, morning, signs in told["pain"]:
        store.add_pain(PainRecord(client.id, _ago(today, days).isoformat(), place, level, morning, tuple(signs)))
    for film, more in told["films"].items():
        done = store.done_of_film(films[film])
        assert done is not None  # every film has one
        fields = {k: v for k, v in more.items() if k != "days_ago"} | {"day": _ago(today, more["days_ago"]).isoformat()}
        store.renew_done(done.id, **fields)


def _rows(client_id: int, today: date, line: list[object]) -> list[DoneRecord]:
    """One line: days ago, movement, side, load, repetitions of each set, reserve, and what else there is."""
    days, movement, side, load, reps, rir, *more = line
    assert isinstance(days, int) and isinstance(reps, list)
    extra = more[0] if more and isinstance(more[0], dict) else {}
    day, pain = _ago(today, days).isoformat(), float(extra.get("pain", 0.0))
    plain = DoneRecord(client_id, day, str(movement), float(str(load)), side=str(side), rir=float(str(rir)), source="demo", pain=pain)
    rows = [replace(plain, reps=n, clean_reps=n, pain_next_morning=float(extra.get("pain_next_morning", 0.0))) for n in reps]
    if "form" in extra:  # a film of that day is told, not shipped
        rows[0] = replace(rows[0], form_json=json.dumps(extra["form"]))
    return rows


def _ago(today: date, days: int) -> date:
    return today - timedelta(days=days)
