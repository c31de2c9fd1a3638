"""The library folder: one SQLite database, and the files that are too large for it.

library.db      clients, films, briefs, drafts
films/          the films as they came, named by their hash; never altered
evidence/       what was seen in each film (NumPy .npz)
arrivals/       everything that came in, as it came
replies/        everything sent, exactly as sent
movements/      the coach's own movement definitions
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import AbstractContextManager, closing, contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Row, Select, create_engine, event, func, select
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from deepmirror.errors import LibraryError
from deepmirror.store.post import ArrivalStore, ReplyStore
from deepmirror.store.tables import ClientChangeRow, ClientRow, FilmRow
from deepmirror.store.watches import PhraseStore, WatchStore

KEPT_EVIDENCE = 6  # ways of clicking one film whose evidence is kept
FOLDERS = ("films", "evidence", "arrivals", "replies", "movements")


@dataclass(frozen=True)
class ClientRecord:
    """One client; body is the brief's client part as a dictionary."""

    id: int
    name: str
    body: dict[str, Any]
    note: str


@dataclass(frozen=True)
class FilmRecord:
    """One film. Its JSON columns are read when they are asked for: a list of thousands needs few of them.

    brief always carries the client as the library knows her now; draft is the reply being composed; turns are the frame
    numbers of the turn-rounds; told is what its sender said of the set.
    """

    id: int
    client_id: int
    client_name: str
    path: Path
    original_name: str
    arrived_at: str
    due_at: str
    note: str
    state: str
    line: str
    brief_json: str
    client_json: str
    turns_json: str
    draft_json: str
    set_json: str

    @cached_property
    def brief(self) -> dict[str, Any]:
        """What the coach knows of the film, with the client's record in it."""
        return dict(json.loads(self.brief_json)) | {"client": json.loads(self.client_json)}

    @cached_property
    def turns(self) -> tuple[int, ...]:
        """Frame numbers of its turn-rounds."""
        return tuple(json.loads(self.turns_json))

    @cached_property
    def draft(self) -> dict[str, Any]:
        """The reply being composed, or {}."""
        return dict(json.loads(self.draft_json or "{}"))

    @cached_property
    def told(self) -> dict[str, Any]:
        """What its sender said of the set."""
        return dict(json.loads(self.set_json))


class LibraryStore:
    """Reads and writes one library folder. Raises LibraryError when the folder or its database cannot be used."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        try:
            for name in FOLDERS:
                (folder / name).mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise LibraryError(f"The library folder “{folder}” cannot be used: {error.strerror or error}.") from error
        self._engine = create_engine(f"sqlite:///{folder / 'library.db'}")
        event.listen(self._engine, "connect", _pragmas)
        try:
            self._migrate()
        except (DatabaseError, OperationalError) as error:
            raise LibraryError(f"The library database in “{folder}” cannot be opened: {error.orig}.") from error
        self._sessions = sessionmaker(self._engine)
        self.arrivals, self.replies = ArrivalStore(self._session, folder), ReplyStore(self._session, folder)
        self.watches, self.phrases = WatchStore(self._session), PhraseStore(self._session)

    def close(self) -> None:
        """Close the database."""
        self._engine.dispose()

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", "deepmirror:store/migrations")
        newest = ScriptDirectory.from_config(config).get_current_head()
        known = {s.revision for s in ScriptDirectory.from_config(config).walk_revisions()}
        with self._engine.begin() as connection:
            present = MigrationContext.configure(connection).get_current_revision()
            if present is not None and present not in known:
                raise LibraryError("This library was made by a newer Deep Mirror. Install that version to open it; nothing was changed.")
            if present == newest:
                return
            if present is not None:
                _back_up(self.folder / "library.db", self.folder / f"library.before-{newest}.db")
            config.attributes["connection"] = connection
            command.upgrade(config, "head")

    @contextmanager
    def _session(self) -> Iterator[Session]:
        try:
            with self._sessions.begin() as session:
                yield session
        except OperationalError as error:
            raise LibraryError(f"The library could not be written: {error.orig}. Nothing was lost; try again.") from error

    def transaction(self) -> AbstractContextManager[Session]:
        """A session whose changes are kept together or not at all."""
        return self._session()

    def shrink(self) -> None:
        """Give the room of deleted rows back, so that nothing of them is left in the file."""
        with self._engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.exec_driver_sql("VACUUM")
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")

    def clients(self) -> list[ClientRecord]:
        """All clients by name."""
        with self._session() as s:
            return [_client(r) for r in s.scalars(select(ClientRow).order_by(ClientRow.name))]

    def add_client(self, name: str, body: dict[str, Any], note: str = "") -> ClientRecord:
        """A new client. Raises LibraryError for an empty name."""
        if not name.strip():
            raise LibraryError("A client needs a name.")
        with self._session() as s:
            row = ClientRow(name=name.strip(), body_json=json.dumps(body), note=note)
            s.add(row)
            s.flush()
            return _client(row)

    def client(self, client_id: int) -> ClientRecord:
        """One client by id. Raises LibraryError when it is not there."""
        with self._session() as s:
            row = s.get(ClientRow, client_id)
            if row is None:
                raise LibraryError("That client is no longer in the library.")
            return _client(row)

    def update_client(self, client_id: int, body: dict[str, Any], at: str, label: str) -> None:
        """Change a client's record and keep the change in the history."""
        with self._session() as s:
            row = s.get(ClientRow, client_id)
            if row is None:
                raise LibraryError("That client is no longer in the library.")
            row.body_json = json.dumps(body)
            s.add(ClientChangeRow(client_id=client_id, at=at, label=label, body_json=row.body_json))

    def client_changes(self, client_id: int) -> list[tuple[str, str]]:
        """When and what was changed in a client's record, newest first."""
        with self._session() as s:
            rows = s.scalars(select(ClientChangeRow).where(ClientChangeRow.client_id == client_id).order_by(ClientChangeRow.id.desc()))
            return [(r.at, r.label) for r in rows]

    def films(self, client_id: int | None = None) -> list[FilmRecord]:
        """All films, or one client's, newest arrival first."""
        query = _film_query().order_by(FilmRow.arrived_at.desc(), FilmRow.id.desc())
        if client_id is not None:
            query = query.where(FilmRow.client_id == client_id)
        with self._session() as s:
            return [self._film(row) for row in s.execute(query)]

    def machines(self) -> list[str]:
        """Machines and places named in briefs, by name."""
        name = func.json_extract(FilmRow.brief_json, "$.machine")
        with self._session() as s:
            return sorted(s.scalars(select(name).where(name.is_not(None)).distinct()))

    def briefs_on(self, machine: str, view: str) -> list[tuple[int, dict[str, Any]]]:
        """Film ids and briefs of a machine seen from a side, newest first."""
        with self._session() as s:
            rows = s.scalars(
                select(FilmRow)
                .where(func.json_extract(FilmRow.brief_json, "$.machine") == machine)
                .where(func.json_extract(FilmRow.brief_json, "$.view") == view)
                .order_by(FilmRow.arrived_at.desc(), FilmRow.id.desc())
            )
            return [(r.id, json.loads(r.brief_json)) for r in rows]

    def film(self, film_id: int) -> FilmRecord:
        """One film by id. Raises LibraryError when it is not there."""
        with self._session() as s:
            row = s.execute(_film_query().where(FilmRow.id == film_id)).first()
            if row is None:
                raise LibraryError("That film is no longer in the library.")
            return self._film(row)

    def add_film(
        self,
        source: Path,
        client_id: int,
        brief: dict[str, Any],
        arrived_at: str,
        note: str = "",
        due_at: str = "",
        told: dict[str, Any] | None = None,
    ) -> FilmRecord:
        """Copy a film into the library. Raises LibraryError when it is there already or cannot be copied."""
        digest = file_hash(source)
        twin = self.film_with_hash(digest)
        if twin is not None:
            raise LibraryError(f"This film is in the library already, as “{twin[1]}”.", film_id=twin[0])
        name = f"{digest[:20]}{source.suffix.lower()}"
        target = self.folder / "films" / name
        try:
            part = target.with_suffix(".part")
            shutil.copyfile(source, part)
            part.replace(target)
        except OSError as error:
            raise LibraryError(f"“{source.name}” could not be copied into the library: {error.strerror or error}.") from error
        with self._session() as s:
            row = FilmRow(
                client_id=client_id,
                sha256=digest,
                file=name,
                original_name=source.name,
                arrived_at=arrived_at,
                due_at=due_at,
                note=note,
                brief_json=json.dumps(brief),
                set_json=json.dumps(told or {}),
            )
            s.add(row)
            s.flush()
            film_id = row.id
        return self.film(film_id)

    def update_film(self, film_id: int, **changes: Any) -> None:
        """Change fields of a film: brief, draft, turns, told (kept as JSON), state, line, note, due_at."""
        as_json = {"brief": "brief_json", "draft": "draft_json", "turns": "turns_json", "told": "set_json"}
        with self._session() as s:
            row = s.get(FilmRow, film_id)
            if row is None:
                raise LibraryError("That film is no longer in the library.")
            for key, value in changes.items():
                setattr(row, as_json.get(key, key), json.dumps(value) if key in as_json else value)

    def film_with_hash(self, digest: str) -> tuple[int, str] | None:
        """Id and original name of the film with exactly these bytes."""
        with self._session() as s:
            row = s.scalar(select(FilmRow).where(FilmRow.sha256 == digest))
            return (row.id, row.original_name) if row is not None else None

    def evidence_path(self, film_id: int) -> Path:
        """Where the film's evidence lies or will lie."""
        return self.folder / "evidence" / f"film-{film_id}.npz"

    def kept_evidence(self, film_id: int, key: str) -> Path:
        """Where evidence from one way of clicking is kept, so that going back to it does not look again."""
        return self.folder / "evidence" / "kept" / f"film-{film_id}-{key}.npz"

    def keep_evidence(self, film_id: int, key: str) -> None:
        """Keep the film's present evidence under a key; the oldest go when there are more than KEPT_EVIDENCE of a film."""
        path = self.kept_evidence(film_id, key)
        path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(self.evidence_path(film_id), path)
        for old in sorted(path.parent.glob(f"film-{film_id}-*.npz"), key=lambda p: p.stat().st_mtime)[:-KEPT_EVIDENCE]:
            old.unlink()

    def reply_folder(self, film_id: int) -> Path:
        """Where the film's next reply is written before it is sent."""
        return self.folder / "replies" / f"film-{film_id}" / "unsent"

    def _film(self, row: Row[*tuple[Any, ...]]) -> FilmRecord:
        film_id, client_id, name, file, *rest = tuple(row)
        return FilmRecord(film_id, client_id, name, self.folder / "films" / file, *rest)


def _film_query() -> Select[*tuple[Any, ...]]:
    """The columns of a FilmRecord in its order; plain columns, because rows as objects take twice as long by the thousand."""
    f = FilmRow
    return select(
        *(f.id, f.client_id, ClientRow.name, f.file, f.original_name, f.arrived_at, f.due_at, f.note, f.state, f.line, f.brief_json),
        *(ClientRow.body_json, f.turns_json, f.draft_json, f.set_json),
    ).join(ClientRow, f.client_id == ClientRow.id)


def _client(row: ClientRow) -> ClientRecord:
    return ClientRecord(row.id, row.name, json.loads(row.body_json), row.note)


def _pragmas(connection: sqlite3.Connection, _: object) -> None:
    for line in ("foreign_keys=ON", "journal_mode=WAL", "synchronous=NORMAL", "busy_timeout=5000"):
        connection.execute(f"PRAGMA {line}")


def _back_up(source: Path, target: Path) -> None:
    """A whole copy of a database, with what still stands in its write-ahead log."""
    with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(target)) as new:
        old.backup(new)


def file_hash(path: Path) -> str:
    """SHA-256 of a file's bytes, hexadecimal. Raises LibraryError."""
    digest = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    except OSError as error:
        raise LibraryError(f"“{path.name}” cannot be read: {error.strerror or error}.") from error
    return digest.hexdigest()
