"""What came in and what went out, as the library keeps it."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from deepmirror.documents import Document
from deepmirror.errors import Gone
from deepmirror.store.records import parsed
from deepmirror.store.tables import ArrivalRow, ReplyRow

Sessions = Callable[[], AbstractContextManager[Session]]


@dataclass(frozen=True)
class ArrivalRecord:
    """One arrival. state: taking (under way), taken, waiting (the coach must say whose it is), refused,
    twin, aside. told is its set.json or {}."""

    id: int
    letter: str
    name: str
    sha256: str
    path: Path | None
    came_at: str
    state: str
    sentence: str
    told: Document
    film_id: int | None


@dataclass(frozen=True)
class ReplyRecord:
    """One reply or request. kind: reply, refilm. state: kept, handed (to the outbox), failed (sentence says why)."""

    id: int
    film_id: int
    kind: str
    made_at: str
    folder: Path
    files: dict[str, str]
    reply: Document
    state: str
    sentence: str


class ArrivalStore:
    """Every arrival, also the refused ones: nothing that came is forgotten."""

    def __init__(self, sessions: Sessions, folder: Path) -> None:
        self._sessions, self._folder = sessions, folder

    def add(self, **fields: Any) -> ArrivalRecord:
        """Note an arrival; `told` is kept as JSON, `file` is relative to the library."""
        told = json.dumps(fields.pop("told", {}))
        with self._sessions() as s:
            row = ArrivalRow(**fields, told_json=told)
            s.add(row)
            s.flush()
            return self._record(row)

    def update(self, arrival_id: int, **changes: Any) -> ArrivalRecord:
        """Change state, sentence, told or film_id. Raises LibraryError when it is gone."""
        with self._sessions() as s:
            row = s.get(ArrivalRow, arrival_id)
            if row is None:
                raise Gone("That arrival is no longer in the library.")
            for key, value in changes.items():
                setattr(row, "told_json" if key == "told" else key, json.dumps(value) if key == "told" else value)
            return self._record(row)

    def newest(self, count: int = 200) -> list[ArrivalRecord]:
        """The last arrivals, newest first."""
        with self._sessions() as s:
            return [self._record(r) for r in s.scalars(select(ArrivalRow).order_by(ArrivalRow.id.desc()).limit(count))]

    def waiting(self) -> list[ArrivalRecord]:
        """Arrivals of which the coach must say whose they are, oldest first."""
        with self._sessions() as s:
            rows = s.scalars(select(ArrivalRow).where(ArrivalRow.state == "waiting").order_by(ArrivalRow.id))
            return [self._record(r) for r in rows]

    def under_way(self) -> list[ArrivalRecord]:
        """Arrivals whose taking in a program that ended did not come to finish, oldest first."""
        with self._sessions() as s:
            return [self._record(r) for r in s.scalars(select(ArrivalRow).where(ArrivalRow.state == "taking").order_by(ArrivalRow.id))]

    def of_films(self, film_ids: list[int]) -> list[ArrivalRecord]:
        """What these films came as."""
        with self._sessions() as s:
            return [self._record(r) for r in s.scalars(select(ArrivalRow).where(ArrivalRow.film_id.in_(film_ids)))]

    def has(self, letter: str) -> bool:
        """True when the letter of this name was seen before."""
        with self._sessions() as s:
            return s.scalar(select(ArrivalRow.id).where(ArrivalRow.letter == letter)) is not None

    def with_hash(self, digest: str) -> ArrivalRecord | None:
        """The first arrival of exactly these bytes that was not refused."""
        with self._sessions() as s:
            row = s.scalar(select(ArrivalRow).where(ArrivalRow.sha256 == digest, ArrivalRow.state != "refused").limit(1))
            return self._record(row) if row else None

    def _record(self, row: ArrivalRow) -> ArrivalRecord:
        path = self._folder / row.file if row.file else None
        told = parsed(row.told_json)
        return ArrivalRecord(row.id, row.letter, row.name, row.sha256, path, row.came_at, row.state, row.sentence, told, row.film_id)


class ReplyStore:
    """Everything sent, exactly as sent."""

    def __init__(self, sessions: Sessions, folder: Path) -> None:
        self._sessions, self._folder = sessions, folder

    def add(self, film_id: int, kind: str, made_at: str, folder: str, files: dict[str, str], reply: Document) -> ReplyRecord:
        """Note a reply; folder is relative to the library, files are names with their sha256."""
        with self._sessions() as s:
            row = ReplyRow(
                film_id=film_id, kind=kind, made_at=made_at, folder=folder, files_json=json.dumps(files), reply_json=json.dumps(reply)
            )
            s.add(row)
            s.flush()
            return self._record(row)

    def set_outcome(self, reply_id: int, state: str, sentence: str = "") -> None:
        """Say what became of it in the outbox."""
        with self._sessions() as s:
            row = s.get(ReplyRow, reply_id)
            if row is not None:
                row.state, row.sentence = state, sentence

    def of_film(self, film_id: int) -> list[ReplyRecord]:
        """What was sent about a film, newest first."""
        return self.of_films([film_id])

    def of_films(self, film_ids: list[int]) -> list[ReplyRecord]:
        """What was sent about these films, newest first."""
        with self._sessions() as s:
            rows = s.scalars(select(ReplyRow).where(ReplyRow.film_id.in_(film_ids)).order_by(ReplyRow.id.desc()))
            return [self._record(r) for r in rows]

    def in_state(self, *states: str) -> list[ReplyRecord]:
        """Replies in any of these states, oldest first."""
        with self._sessions() as s:
            return [self._record(r) for r in s.scalars(select(ReplyRow).where(ReplyRow.state.in_(states)).order_by(ReplyRow.id))]

    def _record(self, row: ReplyRow) -> ReplyRecord:
        files, reply = parsed(row.files_json), parsed(row.reply_json)
        return ReplyRecord(row.id, row.film_id, row.kind, row.made_at, self._folder / row.folder, files, reply, row.state, row.sentence)
