"""Whole copies of the database, made while it is in use, checked, and kept with a small history; and what to do with damage.

backups/library-20260302-1200000.db     the last few, and the last of each of the last days
library.before-0004.db                  as it was before a newer program changed its tables
library.damaged-20260302-120000.db      a damaged one that a backup took the place of; never deleted by the program
"""

from __future__ import annotations

import filecmp
import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from deepmirror.errors import LibraryDamaged, LibraryError
from deepmirror.files import copy_part, part_of, private_folder, put_in_place
from deepmirror.words import say

DATABASE, FOLDER = "library.db", "backups"
LATEST_KEPT, DAYS_KEPT = 3, 7
SIDE_FILES = ("-wal", "-shm")


def database_of(folder: Path) -> Path:
    """A library's database."""
    return folder / DATABASE


def backups(folder: Path) -> list[Path]:
    """The rolling backups, newest first."""
    return sorted((folder / FOLDER).glob("library-*.db"), reverse=True)


def all_copies(folder: Path) -> list[Path]:
    """Every copy of the database that may hold a client's rows."""
    return [*backups(folder), *sorted(folder.glob("library.before-*.db")), *sorted(folder.glob("library.damaged-*.db"))]


def copy_whole(source: Path, target: Path) -> None:
    """A whole copy of a database, with what still stands in its write-ahead log. Raises LibraryError."""
    part = part_of(target)
    try:
        part.touch(mode=0o600)
        with closing(sqlite3.connect(source)) as old, closing(sqlite3.connect(part)) as new:
            old.backup(new)
            new.execute("PRAGMA journal_mode=DELETE")
        problem = damage(part)
        if problem:
            raise LibraryError(say("The backup “{name}” could not be made: {problem}.", name=target.name, problem=problem))
        put_in_place(part, target)
    except (sqlite3.Error, OSError) as error:
        raise LibraryError(say("The backup “{name}” could not be made: {error}.", name=target.name, error=error)) from error
    finally:
        part.unlink(missing_ok=True)


def back_up(folder: Path, now: datetime | None = None) -> Path | None:
    """Make a rolling backup when the database changed since the newest one; old ones go. Raises LibraryError."""
    present, known = database_of(folder), backups(folder)
    changed = max(p.stat().st_mtime for p in (present, *(Path(f"{present}{s}") for s in SIDE_FILES)) if p.exists())
    if known and known[0].stat().st_mtime >= changed:
        return None
    try:
        place = private_folder(folder / FOLDER)
    except OSError as error:
        raise LibraryError(say("The backup could not be made: {error}.", error=error.strerror or error)) from error
    target = place / f"library-{(now or datetime.now(UTC)):%Y%m%d-%H%M%S%f}.db"
    copy_whole(present, target)
    if known and filecmp.cmp(known[0], target, shallow=False):  # only the clock moved
        target.unlink()
        return None
    _prune(folder)
    return target


def _prune(folder: Path) -> None:
    known = backups(folder)
    days: dict[str, Path] = {}
    for path in known:
        days.setdefault(path.name.split("-")[1], path)
    kept = {*known[:LATEST_KEPT], *[days[d] for d in sorted(days, reverse=True)[:DAYS_KEPT]]}
    for path in known:
        if path not in kept:
            path.unlink(missing_ok=True)


def forgiving(raw: bytes) -> str:
    """Text of a database, where its bytes were damaged with signs that say so: it costs that text and no more."""
    return raw.decode("utf-8", "replace")


def damage(database: Path) -> str:
    """What SQLite's own check says of a database, in a few words; empty when it is sound."""
    try:
        with closing(sqlite3.connect(database)) as db:
            db.text_factory = forgiving
            said = str(db.execute("PRAGMA quick_check(1)").fetchone()[0])
            tables = db.execute("SELECT count(*) FROM sqlite_master WHERE name = 'alembic_version'").fetchone()[0]
    except sqlite3.Error as error:
        return str(error)
    except UnicodeDecodeError:  # what SQLite says of it quotes bytes that are no text
        return "its schema is torn"
    return said if said != "ok" else "" if tables else "it holds no library"


def check_database(folder: Path) -> None:
    """Raises LibraryDamaged when the library's database is there and damaged; a folder without one is a new library."""
    path = database_of(folder)
    if not path.exists():
        return
    if path.stat().st_size == 0:
        if backups(folder) or any((folder / "films").glob("*.*")):
            raise LibraryDamaged(
                say("The library database in “{folder}” is empty: it was cut off. The films beside it are whole.", folder=folder)
            )
        return
    problem = damage(path)
    if problem and problem != "it holds no library":
        raise LibraryDamaged(
            say("The library database in “{folder}” is damaged: {problem}. The films beside it are whole.", folder=folder, problem=problem)
        )


def sound_backups(folder: Path) -> list[Path]:
    """Rolling backups that pass the check, newest first."""
    return [p for p in backups(folder) if not damage(p)]


def restore(folder: Path, backup: Path, now: datetime | None = None) -> Path:
    """Put a backup in the place of a damaged database, which is kept beside it; returns where. Raises LibraryError."""
    present = database_of(folder)
    aside = folder / f"library.damaged-{(now or datetime.now(UTC)):%Y%m%d-%H%M%S}.db"
    try:
        part = copy_part(backup, present)
        for ending in ("", *SIDE_FILES):
            old = Path(f"{present}{ending}")
            if old.exists():
                old.replace(f"{aside}{ending}")
        put_in_place(part, present)
    except OSError as error:
        raise LibraryError(say("The backup could not be put in place: {error}.", error=error.strerror or error)) from error
    return aside
