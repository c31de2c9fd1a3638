"""The library's database: opening it, bringing an older one up to date, and transactions that also put files in their places."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import create_engine, event
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from deepmirror.errors import LibraryError, ReadOnly
from deepmirror.interpreter import give_way
from deepmirror.store.backups import copy_whole, database_of, forgiving
from deepmirror.words import say

BUSY_MS = 1500  # how long another connection is waited for; an edit that still cannot be written is kept and tried again
NEWER = "This library was made by a newer Deep Mirror. Install that version to open it; nothing was changed."


class _Unit(threading.local):
    """The transaction this thread is in, and what is to be done when it was kept, or not."""

    session: Session | None = None
    kept: list[Callable[[], object]]
    dropped: list[Callable[[], object]]


class Database:
    """One SQLite database. Raises LibraryError when it cannot be opened, read or written."""

    def __init__(self, folder: Path, read_only: bool = False) -> None:
        self.folder, self.read_only = folder, read_only
        self._unit = _Unit()
        self._engine = create_engine(f"sqlite:///{database_of(folder)}")
        event.listen(self._engine, "connect", self._pragmas)
        try:
            self._migrate()
        except (DatabaseError, OperationalError) as error:
            self._engine.dispose()
            raise LibraryError(
                say("The library database in “{folder}” cannot be opened: {orig}.", folder=folder, orig=error.orig)
            ) from error
        except UnicodeDecodeError as error:  # what SQLite says of damage may quote bytes that are no text
            self._engine.dispose()
            raise LibraryError(say("The library database in “{folder}” cannot be opened: it is damaged.", folder=folder)) from error
        except LibraryError:
            self._engine.dispose()
            raise
        database_of(folder).chmod(0o600)
        self._sessions = sessionmaker(self._engine)

    def close(self) -> None:
        """Close all connections."""
        self._engine.dispose()

    def _pragmas(self, connection: sqlite3.Connection, _: object) -> None:
        lines = ("foreign_keys=ON", "journal_mode=WAL", "synchronous=NORMAL", "temp_store=MEMORY", f"busy_timeout={BUSY_MS}")
        connection.text_factory = forgiving
        for line in ("query_only=ON",) if self.read_only else lines:
            connection.execute(f"PRAGMA {line}")

    def _migrate(self) -> None:
        config = Config()
        config.set_main_option("script_location", "deepmirror:store/migrations")
        script = ScriptDirectory.from_config(config)
        newest, known = script.get_current_head(), {s.revision for s in script.walk_revisions()}
        with self._engine.connect() as connection:
            present = MigrationContext.configure(connection).get_current_revision()
        if present is not None and present not in known:
            raise LibraryError(NEWER)
        if present == newest:
            return
        if self.read_only:
            raise LibraryError("This library was made by an older Deep Mirror: open it for writing once, which brings it up to date.")
        if present is not None:
            copy_whole(database_of(self.folder), self.folder / f"library.before-{newest}.db")
        with self._engine.connect() as connection:
            # Tables are rebuilt, which must cascade nowhere; and all of it happens or nothing, also when the program is killed.
            connection.exec_driver_sql("PRAGMA foreign_keys=OFF")
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            if wrong := connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall():
                raise LibraryError(
                    say("The library could not be brought up to date: {wrong} rows point nowhere. Nothing was changed.", wrong=len(wrong))
                )
            connection.commit()
        self._engine.dispose()  # the next connections mind the keys again

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session that commits at its end; inside `transaction` it is that one's."""
        if self._unit.session is not None:
            yield self._unit.session
            return
        give_way()
        with _told(), self._sessions.begin() as session:
            yield session

    @contextmanager
    def transaction(self) -> Iterator[Session]:
        """All that this thread does to the library in here is kept together or not at all; files get their places after it."""
        unit = self._unit
        if unit.session is not None:
            yield unit.session
            return
        unit.kept, unit.dropped = [], []
        try:
            with self.session() as session:
                unit.session = session
                try:
                    yield session
                finally:
                    unit.session = None
        except BaseException:
            for action in unit.dropped:
                action()
            raise
        for action in unit.kept:
            action()

    def in_transaction(self) -> bool:
        """True inside of `transaction` on this thread."""
        return self._unit.session is not None

    def when_kept(self, action: Callable[[], object], otherwise: Callable[[], object] = lambda: None) -> None:
        """Do something once the present transaction is in the database, or something else when it did not come to that."""
        assert self._unit.session is not None
        self._unit.kept.append(action)
        self._unit.dropped.append(otherwise)

    def shrink(self) -> None:
        """Give the room of deleted rows back, so that nothing of them is left in the file. Raises LibraryError."""
        with _told(), self._engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.exec_driver_sql("VACUUM")
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")


@contextmanager
def _told() -> Iterator[None]:
    """What the database refuses, in words. A broken rule between rows is our own mistake and stays one."""
    try:
        yield
    except IntegrityError:
        raise
    except DatabaseError as error:
        if "readonly" in str(error.orig):
            raise ReadOnly from error
        raise LibraryError(
            say("The library could not be written: {orig}. Nothing was lost; it can be tried again.", orig=error.orig)
        ) from error
    except UnicodeDecodeError as error:
        raise LibraryError("The library could not be read: its database is damaged.") from error
