"""Plans, done sets, pain and overrides of each client."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from deepmirror.core.training.effort import LOWEST_RPE, rir_from_rpe
from deepmirror.documents import Document
from deepmirror.errors import Gone, LibraryError
from deepmirror.store.correspondence import Sessions
from deepmirror.store.records import parsed, parsed_list
from deepmirror.store.steps import StepStore
from deepmirror.store.tables import (
    DoneSetChangeRow,
    DoneSetRow,
    GateOverrideRow,
    PainEntryRow,
    PlanTemplateRow,
    TrainingRow,
    TrainingStepRow,
)


@dataclass(frozen=True)
class DoneRecord:
    """One set as it was done; id 0 is one that is not kept yet. form: what its film says, {} when none does; reps: None until told."""

    client_id: int
    day: str
    movement: str
    load_kg: float | None = None
    reps: int | None = None
    clean_reps: int | None = None
    partial_reps: int | None = None
    side: str = "both"
    kind: str = "work"
    rir: float | None = None
    pain: float | None = None
    pain_next_morning: float | None = None
    tempo: str = ""
    rest_s: int | None = None
    settings: tuple[tuple[str, str], ...] = ()
    note: str = ""
    film_id: int | None = None
    form_json: str = ""
    lighter: bool = False
    source: str = "coach"
    id: int = 0

    @property
    def form(self) -> Document:
        """What its film says, {} when none does."""
        return parsed(self.form_json) if self.form_json else {}


@dataclass(frozen=True)
class PainRecord:
    """Pain noted at a place on a day; clinician: a clinician's word that allows training."""

    client_id: int
    day: str
    place: str
    level: float | None = None
    next_morning: float | None = None
    signs: tuple[str, ...] = ()
    clinician: bool = False
    note: str = ""
    id: int = 0


@dataclass(frozen=True)
class OverrideRecord:
    """The coach's own decision against the gate."""

    client_id: int
    day: str
    movement: str
    code: str
    who: str
    why: str
    id: int = 0


PLAIN = [f for f in DoneRecord.__dataclass_fields__ if f not in ("settings", "id")]
NEWEST = 120  # sets of a lift that are always at hand; our own choice
WORDS = frozenset(("tempo", "note", "form_json"))  # texts that are mostly empty
_COLUMNS = [func.nullif(getattr(DoneSetRow, n), "").label(n) if n in WORDS else getattr(DoneSetRow, n) for n in PLAIN]


class TrainingStore:
    """Reads and writes what a client trains."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        self.steps = StepStore(sessions, TrainingStepRow)

    def record(self, client_id: int) -> Document:
        """A client's level, equipment, plan and screen; {} when none was kept."""
        with self._sessions() as s:
            row = s.get(TrainingRow, client_id)
            return parsed(row.record_json) if row else {}

    def keep_record(self, client_id: int, record: Document) -> None:
        """Keep it in place of the one before."""
        with self._sessions() as s:
            s.merge(TrainingRow(client_id=client_id, record_json=json.dumps(record)))

    def planned(self) -> dict[int, Document]:
        """All clients' records."""
        with self._sessions() as s:
            return {row.client_id: parsed(row.record_json) for row in s.scalars(select(TrainingRow))}

    def templates(self) -> dict[str, Document]:
        """Plans without a client by name."""
        with self._sessions() as s:
            return {row.name: parsed(row.plan_json) for row in s.scalars(select(PlanTemplateRow).order_by(PlanTemplateRow.name))}

    def keep_template(self, name: str, plan: Document) -> None:
        """Keep a plan under a name, in place of the one before. Raises LibraryError without a name."""
        if not name.strip():
            raise LibraryError("A template needs a name.")
        with self._sessions() as s:
            row = s.scalar(select(PlanTemplateRow).where(PlanTemplateRow.name == name.strip()))
            if row is None:
                s.add(PlanTemplateRow(name=name.strip(), plan_json=json.dumps(plan)))
            else:
                row.plan_json = json.dumps(plan)

    def done(self, client_id: int | None = None, since: str = "") -> list[DoneRecord]:
        """A client's done sets, or all, in the order they were done.

        since: a day; of lifts that were not done since then the newest NEWEST sets of each side are read, and nothing else before it.
        """
        empty = func.nullif(DoneSetRow.settings_json, "{}").label("settings_json")
        query = select(DoneSetRow.id, empty, *_COLUMNS).where(~DoneSetRow.gone).order_by(DoneSetRow.day, DoneSetRow.id)
        if client_id is not None:
            query = query.where(DoneSetRow.client_id == client_id)
        if since:
            mine = (DoneSetRow.client_id == client_id, ~DoneSetRow.gone)
            lately = select(DoneSetRow.movement).where(*mine, DoneSetRow.day >= since).distinct()
            newest = (DoneSetRow.day.desc(), DoneSetRow.id.desc())
            rank = func.row_number().over(partition_by=(DoneSetRow.movement, DoneSetRow.side), order_by=newest)
            older = select(DoneSetRow.id, rank.label("rank")).where(*mine, DoneSetRow.movement.not_in(lately)).subquery()
            kept = select(older.c.id).where(older.c.rank <= NEWEST)
            query = query.where((DoneSetRow.day >= since) | DoneSetRow.id.in_(kept))
        with self._sessions() as s:
            return [_made(*row) for row in s.execute(query)]

    def done_of_film(self, film_id: int) -> DoneRecord | None:
        """The set a film shows."""
        with self._sessions() as s:
            row = s.scalar(select(DoneSetRow).where(DoneSetRow.film_id == film_id, ~DoneSetRow.gone))
            return _of_row(row) if row is not None else None

    def add_done(self, records: Iterable[DoneRecord]) -> list[int]:
        """Keep new sets; returns their ids in order."""
        with self._sessions() as s:
            rows = [DoneSetRow(**_columns(r)) for r in records]
            s.add_all(rows)
            s.flush()
            return [row.id for row in rows]

    def change_done(self, done_id: int, at: str, label: str, **changes: Any) -> DoneRecord:
        """Change a set and keep what it was; gone=True takes it out. Raises LibraryError when it is not there."""
        with self._sessions() as s:
            row = s.get(DoneSetRow, done_id)
            if row is None:
                raise Gone("That set is no longer in the library.")
            before = _of_row(row)
            gone = bool(changes.pop("gone", False))
            after = replace(before, **changes)
            if after == before and gone == row.gone:
                return before
            s.add(DoneSetChangeRow(done_set_id=done_id, at=at, label=label, before_json=json.dumps(asdict(before))))
            for name, value in _columns(after).items():
                setattr(row, name, value)
            row.gone = gone
            return after

    def renew_done(self, done_id: int, **changes: Any) -> None:
        """Put into a set what its film shows now: no edit of the coach's, so no history. form: as JSON is read."""
        form = changes.pop("form", None)
        with self._sessions() as s:
            row = s.get(DoneSetRow, done_id)
            if row is not None:
                for name, value in changes.items():
                    setattr(row, name, value)
                if form is not None:
                    row.form_json = json.dumps(form)

    def changes_of(self, done_id: int) -> list[tuple[str, str, DoneRecord]]:
        """When, what, and the set as it was before, newest first."""
        with self._sessions() as s:
            rows = s.scalars(select(DoneSetChangeRow).where(DoneSetChangeRow.done_set_id == done_id).order_by(DoneSetChangeRow.id.desc()))
            return [(r.at, r.label, _kept(parsed(r.before_json))) for r in rows]

    def pain(self, client_id: int) -> list[PainRecord]:
        """A client's noted pains, oldest first."""
        with self._sessions() as s:
            rows = s.scalars(select(PainEntryRow).where(PainEntryRow.client_id == client_id).order_by(PainEntryRow.day, PainEntryRow.id))
            return [_pain(r) for r in rows]

    def add_pain(self, entry: PainRecord) -> int:
        """Note pain; returns its id."""
        told = {k: v for k, v in asdict(entry).items() if k not in ("id", "signs")}
        return self._add(PainEntryRow(**told, signs_json=json.dumps(list(entry.signs))))

    def overrides(self, client_id: int) -> list[OverrideRecord]:
        """A client's overrides, oldest first."""
        with self._sessions() as s:
            rows = s.scalars(select(GateOverrideRow).where(GateOverrideRow.client_id == client_id).order_by(GateOverrideRow.id))
            return [OverrideRecord(r.client_id, r.day, r.movement, r.code, r.who, r.why, r.id) for r in rows]

    def add_override(self, entry: OverrideRecord) -> int:
        """Note an override; returns its id."""
        return self._add(GateOverrideRow(**{k: v for k, v in asdict(entry).items() if k != "id"}))

    def remove(self, entry: PainRecord | OverrideRecord) -> None:
        """Take a pain entry or an override back."""
        table = PainEntryRow if isinstance(entry, PainRecord) else GateOverrideRow
        with self._sessions() as s:
            s.execute(delete(table).where(table.id == entry.id))

    def _add(self, row: PainEntryRow | GateOverrideRow) -> int:
        with self._sessions() as s:
            s.add(row)
            s.flush()
            return row.id


def add_for_film(session: Session, client_id: int, film_id: int, day: str, brief: Document, told: Document) -> None:
    """The set a new film shows, as far as its brief and its sender tell."""
    effort = told.get("effort")
    done = DoneRecord(
        client_id,
        str(told.get("filmed_at") or day)[:10],
        str(brief.get("movement", "")),
        brief.get("load_kg"),
        told.get("reps"),
        rir=rir_from_rpe(max(float(effort), LOWEST_RPE)) if isinstance(effort, int | float) else None,
        tempo=str(brief.get("tempo") or ""),
        film_id=film_id,
        source="film",
    )
    session.add(DoneSetRow(**_columns(done)))


def _columns(done: DoneRecord) -> dict[str, Any]:
    return {name: getattr(done, name) for name in PLAIN} | {"settings_json": json.dumps(dict(done.settings))}


def _made(done_id: int, settings: str | None, *plain: Any) -> DoneRecord:
    """A set from its columns in the order of PLAIN, texts that say nothing being None: they are many, and quick that way."""
    told = tuple(parsed(settings).items()) if settings else ()
    values: dict[str, Any] = {name: "" if v is None and name in WORDS else v for name, v in zip(PLAIN, plain, strict=True)}
    return DoneRecord(**values, settings=told, id=done_id)


def _of_row(row: DoneSetRow) -> DoneRecord:
    return _made(row.id, row.settings_json, *(getattr(row, name) for name in PLAIN))


def _kept(document: Document) -> DoneRecord:
    settings = tuple((str(k), str(v)) for k, v in document.pop("settings", []))
    return DoneRecord(**document, settings=settings)


def _pain(row: PainEntryRow) -> PainRecord:
    signs = tuple(str(s) for s in parsed_list(row.signs_json))
    return PainRecord(row.client_id, row.day, row.place, row.level, row.next_morning, signs, row.clinician, row.note, row.id)
