"""The library folder: one SQLite database, and the files that are too large for it.

library.db      clients, films, briefs, drafts; backups/ holds copies of it
library.lock    held by the one program that may write
films/          the films as they came, named by their hash; never altered
evidence/       what was seen in each film (NumPy .npz)
arrivals/       everything that came in, as it came
replies/        everything sent, exactly as sent
movements/      the coach's own movement definitions
work/           passing files; emptied at every start
state/          the program's log and crash reports

Only its owner may enter it. What a killed program left half-done is settled when the library is opened (store.sweep).
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from contextlib import AbstractContextManager
from functools import partial
from pathlib import Path
from sqlite3 import Error as SqliteError
from typing import Any

from sqlalchemy import ColumnElement, Row, Select, case, func, select
from sqlalchemy.orm import Session

from deepmirror.documents import Document
from deepmirror.errors import Gone, LibraryError, ReadOnly, one_line
from deepmirror.files import copy_part, make_private, private_folder, put_in_place
from deepmirror.store.backups import check_database
from deepmirror.store.correspondence import ArrivalStore, ReplyStore
from deepmirror.store.database import Database
from deepmirror.store.film_list import FilmList
from deepmirror.store.lock import WriterLock
from deepmirror.store.records import ClientRecord as ClientRecord
from deepmirror.store.records import FilmRecord as FilmRecord
from deepmirror.store.records import FilmState as FilmState
from deepmirror.store.records import film_state, parsed
from deepmirror.store.steps import StepStore
from deepmirror.store.sweep import WORK, finish_removals, sweep
from deepmirror.store.tables import ClientChangeRow, ClientRow, FilmRow
from deepmirror.store.training import TrainingStore, add_for_film
from deepmirror.store.watches import PhraseStore, WatchStore
from deepmirror.words import say

LONGEST_NAME, MOST_SUFFIX = 200, 8
KEPT_EVIDENCE = 6  # ways of clicking one film whose evidence is kept
RECORDINGS = "recordings"
FOLDERS = ("films", "evidence", "evidence/kept", "arrivals", "replies", "movements", "strips", "sheets", "state", WORK, RECORDINGS)


class LibraryStore:
    """Reads and writes one library folder.

    Raises LibraryError when the folder or its database cannot be used, LibraryBusy when another program writes to it,
    LibraryDamaged when its database is damaged.
    """

    def __init__(self, folder: Path, read_only: bool = False) -> None:
        self.folder, self.read_only = folder, read_only
        self._lock = None if read_only else _made_ready(folder)
        try:
            check_database(folder)
            self._db = Database(folder, read_only)
        except BaseException:
            self._release()
            raise
        try:
            session = self._db.session
            self._films = FilmList(self._read_films)
            self.arrivals, self.replies = ArrivalStore(session, folder), ReplyStore(session, folder)
            self.watches, self.phrases, self.steps = WatchStore(session), PhraseStore(session), StepStore(session)
            self.training = TrainingStore(session)
            if not read_only:
                self._settle()
        except BaseException:
            self.close()
            raise

    def _settle(self) -> None:
        """Finish or clear what a killed program left half-done."""
        try:
            with self._session() as session:
                sweep(self.folder, session)
            self.finish_removals()
        except OSError as error:
            raise LibraryError(
                say("The library folder “{folder}” cannot be put in order: {error}.", folder=self.folder, error=error.strerror or error)
            ) from error

    def _release(self) -> None:
        if self._lock is not None:
            self._lock.release()
            self._lock = None

    def close(self) -> None:
        """Close the database and let another program write."""
        self._db.close()
        self._release()

    def must_write(self) -> None:
        """Raises ReadOnly where nothing may be changed: asked before an edit is taken."""
        if self.read_only:
            raise ReadOnly

    def work_folder(self) -> Path:
        """Where passing files belong: inside the library, as private as the rest of it."""
        return self.folder / WORK

    def recordings_folder(self) -> Path:
        """Where sets are recorded: what lies there when the program was killed is a set that has still to be taken in."""
        return self.folder / RECORDINGS

    def state_folder(self) -> Path:
        """Where the program's log and crash reports lie."""
        return self.folder / "state"

    def _session(self) -> AbstractContextManager[Session]:
        return self._db.session()

    def transaction(self) -> AbstractContextManager[Session]:
        """All changes of this thread in here are kept together or not at all. Raises LibraryError."""
        return self._db.transaction()

    def when_kept(self, action: Callable[[], object], otherwise: Callable[[], object] = lambda: None) -> None:
        """See Database.when_kept."""
        self._db.when_kept(action, otherwise)

    def finish_removals(self) -> None:
        """Remove what a deletion still has to, and leave no trace of it in the database file. Raises LibraryError."""
        self.films_changed()
        with self._session() as session:
            try:
                gone = finish_removals(self.folder, session)
            except (SqliteError, OSError) as error:
                raise LibraryError(
                    say("Not everything could be deleted yet: {error}. It is tried again at the next start.", error=error)
                ) from error
        if gone:
            self._db.shrink()

    def clients(self) -> list[ClientRecord]:
        """All clients by name."""
        with self._session() as s:
            return [_client(r) for r in s.scalars(select(ClientRow).order_by(ClientRow.name))]

    def add_client(self, name: str, body: Document, note: str = "") -> ClientRecord:
        """A new client. Raises LibraryError for an empty name."""
        if not name.strip():
            raise LibraryError("A client needs a name.")
        with self._session() as s:
            row = ClientRow(name=name.strip(), body_json=json.dumps(body), note=note)
            s.add(row)
            s.flush()
            return _client(row)

    def rename_client(self, client_id: int, name: str, at: str) -> None:
        """Another name for a client; the change stands in her history. Raises LibraryError for an empty one."""
        if not name.strip():
            raise LibraryError("A client needs a name.")
        with self._session() as s:
            row = self._client_row(s, client_id)
            label = say("{name} is now {name2}", name=row.name, name2=name.strip())[:200]
            row.name = name.strip()
            s.add(ClientChangeRow(client_id=client_id, at=at, label=label, body_json=row.body_json))
        self.films_changed(partial(self._films.note_client, client_id))

    def set_archived(self, client_id: int, archived: bool) -> None:
        """Take a client out of the lists of those who train, or back; nothing of hers is touched. Raises LibraryError when she is gone."""
        with self._session() as s:
            self._client_row(s, client_id).archived = archived
        self.films_changed(partial(self._films.note_client, client_id))

    @staticmethod
    def _client_row(session: Session, client_id: int) -> ClientRow:
        row = session.get(ClientRow, client_id)
        if row is None:
            raise Gone("That client is no longer in the library.")
        return row

    def client(self, client_id: int) -> ClientRecord:
        """One client by id. Raises LibraryError when it is not there."""
        with self._session() as s:
            return _client(self._client_row(s, client_id))

    def update_client(self, client_id: int, body: Document, at: str, label: str) -> None:
        """Change a client's record and keep the change in the history."""
        with self._session() as s:
            row = self._client_row(s, client_id)
            row.body_json = json.dumps(body)
            s.add(ClientChangeRow(client_id=client_id, at=at, label=label, body_json=row.body_json))
        self.films_changed(partial(self._films.note_client, client_id))

    def client_changes(self, client_id: int) -> list[tuple[str, str]]:
        """When and what was changed in a client's record, newest first."""
        with self._session() as s:
            rows = s.scalars(select(ClientChangeRow).where(ClientChangeRow.client_id == client_id).order_by(ClientChangeRow.id.desc()))
            return [(r.at, r.label) for r in rows]

    def films(self, client_id: int | None = None, state: str | None = None) -> list[FilmRecord]:
        """All films, or one client's, or those in a state, newest arrival first."""
        if self.read_only:
            self._films.note_all()  # another program may write
        films = self._films.films()
        return [f for f in films if client_id in (None, f.client_id) and state in (None, f.state)]

    def _read_films(self, ids: set[int] | None) -> list[FilmRecord]:
        query = _film_query() if ids is None else _film_query().where(FilmRow.id.in_(ids))
        with self._session() as s:
            return [self._film(row) for row in s.execute(query)]

    def films_changed(self, note: Callable[[], None] | None = None) -> None:
        """Films were changed, any number of them when no note says which: also said once that is kept, or is not, as others read
        what was there before until then."""
        note = note or self._films.note_all
        note()
        if self._db.in_transaction():
            self._db.when_kept(note, note)

    def machines(self) -> list[str]:
        """Machines and places named in briefs, by name."""
        return sorted({f.machine for f in self.films()} - {""})

    def briefs_on(self, machine: str, view: str) -> list[tuple[int, Document]]:
        """Film ids and briefs of a machine seen from a side, newest first."""
        with self._session() as s:
            rows = s.scalars(
                select(FilmRow)
                .where(_in_brief("machine") == machine)
                .where(_in_brief("view") == view)
                .order_by(FilmRow.arrived_at.desc(), FilmRow.id.desc())
            )
            return [(r.id, parsed(r.brief_json)) for r in rows]

    def film(self, film_id: int) -> FilmRecord:
        """One film by id. Raises LibraryError when it is not there."""
        with self._session() as s:
            row = s.execute(_film_query().where(FilmRow.id == film_id)).first()
            if row is None:
                raise Gone("That film is no longer in the library.")
            return self._film(row)

    def add_film(
        self,
        source: Path,
        client_id: int,
        brief: Document,
        arrived_at: str,
        note: str = "",
        due_at: str = "",
        told: Document | None = None,
    ) -> FilmRecord:
        """Copy a film into the library. Raises LibraryError when it is there already or cannot be copied."""
        digest = file_hash(source)
        twin = self.film_with_hash(digest)
        if twin is not None:
            raise LibraryError(say("This film is in the library already, as “{twin}”.", twin=twin[1]), film_id=twin[0])
        name = f"{digest[:20]}{_suffix(source)}"
        target = self.folder / "films" / name
        try:
            part = copy_part(source, target)
        except OSError as error:
            raise LibraryError(
                say("“{name}” could not be copied into the library: {error}.", name=source.name, error=error.strerror or error)
            ) from error
        with self.transaction() as s:
            self.when_kept(lambda: put_in_place(part, target), lambda: part.unlink(missing_ok=True))
            row = FilmRow(
                client_id=client_id,
                sha256=digest,
                file=name,
                original_name=one_line(source.name, LONGEST_NAME),
                arrived_at=arrived_at,
                due_at=due_at,
                note=note,
                brief_json=json.dumps(brief),
                set_json=json.dumps(told or {}),
            )
            s.add(row)
            s.flush()
            add_for_film(s, client_id, row.id, arrived_at, brief, told or {})
            self.films_changed(partial(self._films.note, row.id))
            return self.film(row.id)

    def update_film(self, film_id: int, **changes: Any) -> None:
        """Change fields of a film: brief, draft, turns, told (kept as JSON), state, line, note, due_at."""
        as_json = {"brief": "brief_json", "draft": "draft_json", "turns": "turns_json", "told": "set_json"}
        with self._session() as s:
            row = s.get(FilmRow, film_id)
            if row is None:
                raise Gone("That film is no longer in the library.")
            for key, value in changes.items():
                setattr(row, as_json.get(key, key), json.dumps(value) if key in as_json else value)
        self.films_changed(partial(self._films.note, film_id))

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
        """Keep the film's present evidence under a key; the oldest go when there are more than KEPT_EVIDENCE of a film.

        Raises LibraryError.
        """
        path = self.kept_evidence(film_id, key)
        try:
            put_in_place(copy_part(self.evidence_path(film_id), path), path)
        except OSError as error:
            raise LibraryError(say("What was seen in the film could not be kept: {error}.", error=error.strerror or error)) from error
        for old in sorted(path.parent.glob(f"film-{film_id}-*.npz"), key=lambda p: p.stat().st_mtime)[:-KEPT_EVIDENCE]:
            old.unlink()

    def reply_folder(self, film_id: int) -> Path:
        """Where the film's next reply is written before it is sent."""
        return self.folder / "replies" / f"film-{film_id}" / "unsent"

    def _film(self, row: Row[*tuple[Any, ...]]) -> FilmRecord:
        film_id, client_id, name, file, original, arrived, due, note, state, *rest = tuple(row)
        return FilmRecord(film_id, client_id, name, self.folder / "films" / file, original, arrived, due, note, film_state(state), *rest)


def _film_query() -> Select[*tuple[Any, ...]]:
    """The columns of a FilmRecord in its order; plain columns, because rows as objects take twice as long by the thousand."""
    f = FilmRow
    return select(
        *(f.id, f.client_id, ClientRow.name, f.file, f.original_name, f.arrived_at, f.due_at, f.note, f.state, f.line, f.brief_json),
        *(ClientRow.body_json, f.turns_json, f.draft_json, f.set_json, ClientRow.archived),
    ).join(ClientRow, f.client_id == ClientRow.id)


def _client(row: ClientRow) -> ClientRecord:
    return ClientRecord(row.id, row.name, parsed(row.body_json), row.note, row.archived)


def _in_brief(key: str) -> ColumnElement[str]:
    """A field of a film's brief; null where the brief cannot be read."""
    return case((func.json_valid(FilmRow.brief_json) == 1, func.json_extract(FilmRow.brief_json, f"$.{key}")), else_=None)


def _suffix(path: Path) -> str:
    """The ending of a file's name, as far as it is a plain one."""
    ending = path.suffix.lower()
    return ending if ending[1:].isascii() and ending[1:].isalnum() and len(ending) <= MOST_SUFFIX else ""


def _made_ready(folder: Path) -> WriterLock:
    """The library's folders, for its owner alone, and the lock that makes this the one writer."""
    try:
        open_to_others = folder.exists() and bool(folder.stat().st_mode & 0o077)
        private_folder(folder)
        lock = WriterLock(folder)
        if open_to_others:  # made by a version that did not mind
            make_private(folder)
        for name in FOLDERS:
            private_folder(folder / name)
    except OSError as error:
        raise LibraryError(
            say("The library folder “{folder}” cannot be used: {error}.", folder=folder, error=error.strerror or error)
        ) from error
    return lock


def file_hash(path: Path) -> str:
    """SHA-256 of a file's bytes, hexadecimal. Raises LibraryError."""
    digest = hashlib.sha256()
    try:
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    except OSError as error:
        raise LibraryError(say("“{name}” cannot be read: {error}.", name=path.name, error=error.strerror or error)) from error
    return digest.hexdigest()
