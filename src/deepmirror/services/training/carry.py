"""A client's training out of the library and into it: the whole record without loss, tables, and what comes back from the client."""

from __future__ import annotations

import json
from dataclasses import asdict, fields, replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from deepmirror.documents import Document
from deepmirror.errors import BadPlan
from deepmirror.exchange.brief import check_client, read_json
from deepmirror.exchange.plan_file import DonePart, PainPart, check_training, said
from deepmirror.exchange.training_csv import Table as Table
from deepmirror.exchange.training_csv import done_csv, read_done, read_table
from deepmirror.exchange.training_csv import guess_columns as guess_columns
from deepmirror.files import write_whole
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.training.training_file import TrainingFile
from deepmirror.store.training import DoneRecord, OverrideRecord, PainRecord
from deepmirror.words import say

FORMAT, VERSION = "deep-mirror-training", 1
LARGEST_BYTES = 100_000_000


def whole_record(file: TrainingFile) -> Document:
    """Everything kept of a client's training, films by their hash: what `take_record` brings back without loss."""
    films = {f.id: f.path.stem for f in file.library.store.films(file.client_id)}
    return {
        "format": FORMAT,
        "version": VERSION,
        "client": {"name": file.name, **file.body.model_dump(mode="json", exclude_defaults=True)},
        "training": file.part.model_dump(mode="json", exclude_defaults=True),
        "done": [_told(d, films) | {"changes": _changes(file, d, films)} for d in file.everything()],
        "pain": [_bare(asdict(p)) for p in file.pain],
        "overrides": [_bare(asdict(o)) for o in file.overrides],
    }


def _bare(row: Document) -> Document:
    return {k: list(v) if isinstance(v, tuple) else v for k, v in row.items() if k not in ("id", "client_id")}


def _told(done: DoneRecord, films: dict[int, str]) -> Document:
    row = _bare(asdict(done))
    row["film"] = films.get(row.pop("film_id") or 0)
    row["settings"] = dict(done.settings)
    return row


def _changes(file: TrainingFile, done: DoneRecord, films: dict[int, str]) -> list[Document]:
    return [{"at": at, "label": label, "before": _told(before, films)} for at, label, before in reversed(file.changes_of(done.id))]


def export_record(file: TrainingFile, path: Path) -> Path:
    """Write the whole record as JSON. Raises BadPlan."""
    return _written(path, json.dumps(whole_record(file), indent=1, ensure_ascii=False))


def export_table(file: TrainingFile, path: Path) -> Path:
    """Write the done sets as CSV. Raises BadPlan."""
    rows = ({**asdict(d), "date": d.day} for d in file.everything())
    return _written(path, done_csv(rows))


def _written(path: Path, text: str) -> Path:
    try:
        write_whole(path, text.encode())
    except OSError as error:
        raise BadPlan(say("“{path}” could not be written: {error}.", path=path, error=error.strerror or error)) from error
    return path


def take_record(library: FilmLibrary, path: Path) -> int:
    """A client with all her training from a file `export_record` wrote; returns her id. Raises BadPlan; nothing is taken in then."""
    data = read_json(path, "training record", LARGEST_BYTES, BadPlan)
    if not isinstance(data, dict) or (data.get("format"), data.get("version")) != (FORMAT, VERSION):
        raise BadPlan(say("“{name}” is no training record of this program.", name=path.name))
    try:
        return _take(library, data)
    except ValidationError as error:
        raise BadPlan(say("“{name}” is not right at {said}.", name=path.name, said=said(error))) from error
    except (KeyError, TypeError, AttributeError) as error:
        raise BadPlan(say("“{name}” is not whole: {error}.", name=path.name, error=error)) from error


def _take(library: FilmLibrary, data: Document) -> int:
    library.must_write()
    told = dict(data["client"])
    name = str(told.pop("name"))
    body, part = check_client(told), check_training(data["training"])
    with library.store.transaction():
        client = library.store.add_client(name, body.model_dump(mode="json", exclude_defaults=True))
        store, films = library.store.training, {f.path.stem: f.id for f in library.films()}
        store.keep_record(client.id, part.model_dump(mode="json", exclude_defaults=True))
        _take_done(library, client.id, data["done"], films)
        for row in data["pain"]:
            store.add_pain(PainRecord(client_id=client.id, **(row | {"signs": tuple(row["signs"])})))
        for row in data["overrides"]:
            store.add_override(OverrideRecord(client_id=client.id, **row))
    return client.id


def _take_done(library: FilmLibrary, client_id: int, rows: list[Document], films: dict[str, int]) -> None:
    """Sets with their history: first as they were at the beginning, then each change anew."""
    store, known = library.store.training, {f.name for f in fields(DoneRecord)} - {"id", "client_id", "film_id", "settings"}
    taken = {d.film_id for d in store.done() if d.film_id is not None}

    def made(row: Document) -> DoneRecord:
        film = films.get(row.get("film") or "")
        settings = tuple((str(k), str(v)) for k, v in row["settings"].items())
        plain: dict[str, Any] = {k: v for k, v in row.items() if k in known}
        DonePart.model_validate({k: row[k] for k in ("movement", "side", "kind", "rir", "pain")} | _counts(row))
        return DoneRecord(client_id=client_id, film_id=film if film not in taken else None, settings=settings, **plain)

    for row in rows:
        states = [made(c["before"]) for c in row["changes"]] + [made(row)]
        done_id = store.add_done([states[0]])[0]
        for change, after in zip(row["changes"], states[1:], strict=True):
            changed = {f.name: getattr(after, f.name) for f in fields(DoneRecord) if f.name not in ("id", "client_id")}
            store.change_done(done_id, change["at"], change["label"], **changed)


def _counts(row: Document) -> Document:
    """What a set must hold together by, where it is told."""
    told = {"date": row["day"], "reps": row["reps"] or 0, "load_kg": row["load_kg"] or 0.0}
    return told | ({"clean_reps": row["clean_reps"]} if row["clean_reps"] is not None else {})


def table_of(path: Path) -> Table:
    """A spreadsheet of past training (CSV), for the mapping step. Raises BadPlan."""
    try:
        raw = path.read_bytes()
    except OSError as error:
        raise BadPlan(say("“{path}” cannot be read: {error}.", path=path, error=error.strerror or error)) from error
    if len(raw) > LARGEST_BYTES:
        raise BadPlan(say("“{name}” is too large to be a table of training.", name=path.name))
    try:
        return read_table(raw.decode("utf-8"))
    except UnicodeDecodeError:
        return read_table(raw.decode("cp1252", "replace"))


def guess_movements(library: FilmLibrary, words: list[str]) -> dict[str, str]:
    """Which movement each of a table's words means, "" where none is plain; for the coach to confirm."""
    known = library.catalogue.by_name()
    out = {}
    for word in words:
        plain = word.casefold().replace("-", " ").replace("_", " ").strip()
        plain = {"squat": "back squat", "rdl": "romanian deadlift", "leg curl": "lying leg curl"}.get(plain, plain)
        out[word] = known.get(plain) or known.get(plain.replace(" ", "-")) or known.get(plain.removesuffix("s")) or ""
    return out


def take_table(file: TrainingFile, table: Table, mapping: dict[str, str], movements: dict[str, str], pounds: bool) -> int:
    """Bring a mapped table's sets into a client's log; returns how many. Raises BadPlan, and nothing is taken in then."""
    rows = [done_record(file.client_id, part, "import") for part in read_done(table, mapping, movements, pounds)]
    if not rows:
        raise BadPlan("No row of the table names a movement the program knows: say what its words mean.")
    file.log(rows, say("bring in {rows} sets", rows=len(rows)))
    return len(rows)


def done_record(client_id: int, part: DonePart, source: str) -> DoneRecord:
    """A set as the library keeps it."""
    form = json.dumps(part.form.model_dump(mode="json")) if part.form is not None else ""
    counts = (part.load_kg, part.reps, part.clean_reps, None, part.side, part.kind, part.rir, part.pain, part.pain_next_morning)
    plain = DoneRecord(client_id, part.date.isoformat(), part.movement, *counts, part.tempo, part.rest_s, lighter=part.lighter)
    return replace(plain, note=part.note, form_json=form, source=source)


def take_back(library: FilmLibrary, client_id: int, done: list[DonePart], pain: list[PainPart]) -> int:
    """What a client's bundle carries back of a session: sets that are not in the log yet, and pain. Returns how many sets.

    What only the coach may say is left out: a form, which opens gates, and a clinician's word.
    """
    store = library.store.training
    there = {replace(d, id=0, film_id=None, form_json="", source="") for d in store.done(client_id)}
    rows = [done_record(client_id, part.model_copy(update={"form": None}), "client") for part in done]  # form is what our films show
    fresh = [r for r in rows if replace(r, source="") not in there]
    store.add_done(fresh)
    for p in pain:
        entry = PainRecord(client_id, p.date.isoformat(), p.where, p.level, p.next_morning, tuple(p.signs))
        if entry not in {replace(x, id=0) for x in store.pain(client_id)}:
            store.add_pain(entry)
    return len(fresh)


def client_file(file: TrainingFile) -> Document:
    """The training as the plan command reads it (schema plan). Raises BadPlan without a plan."""
    plan = file.must_have_plan()
    trainee = {
        "name": file.name,
        "level": file.part.level,
        "units": "imperial" if file.body.imperial else "metric",
        "rules": file.part.rules,
    }
    return {
        "client": file.body.model_dump(mode="json", exclude_defaults=True) | trainee,
        "equipment": file.part.equipment.model_dump(mode="json", exclude_defaults=True),
        "plan": plan.model_dump(mode="json"),
        "history": [_history_row(d) for d in file.everything() if d.reps is not None],
        "pain": [_pain_row(p) for p in file.pain],
        "overrides": [{"date": o.day, "movement": o.movement, "code": o.code, "who": o.who, "why": o.why} for o in file.overrides],
    }


def _history_row(done: DoneRecord) -> Document:
    form = done.form
    keys = ("movement", "side", "reps", "clean_reps", "rir", "kind", "pain", "pain_next_morning", "lighter")
    told = {k: getattr(done, k) for k in keys} | {"date": done.day, "load_kg": done.load_kg or 0.0}
    return told | {"form": {k: form[k] for k in ("findings", "range_loss_pct", "told", "view", "cleared") if k in form} if form else None}


def _pain_row(p: PainRecord) -> Document:
    return {
        "date": p.day,
        "where": p.place,
        "level": p.level,
        "signs": list(p.signs),
        "next_morning": p.next_morning,
        "clinician": p.clinician,
    }
