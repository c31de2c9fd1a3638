"""What a program that was killed left half-done in a library folder: finished where the database knows of it, cleared where not.

Runs at every start, by the one writer, before anything else looks into the folder. The order of every work that writes files and
rows is the same: the file beside its place, then the rows in one transaction, then the file in its place.
"""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from deepmirror.files import PART, put_in_place
from deepmirror.store.records import parsed
from deepmirror.store.tables import ArrivalRow, BriefStepRow, ClientChangeRow, ClientRow, FilmRow, RemovalRow, ReplyRow

WORK = "work"  # what is unpacked and looked at while it is worked on; nothing in it outlives the program
SEALED = "sealed.json"  # in a reply's folder until its rows are kept


def sweep(folder: Path, session: Session) -> None:
    """Leave nothing half-done. Raises OSError when the folder cannot be changed."""
    clear_work(folder)
    _settle_parts(folder / "films", set(session.scalars(select(FilmRow.file))))
    _settle_parts(folder / "arrivals", {Path(f).name for f in session.scalars(select(ArrivalRow.file)) if f})
    for place in ("evidence", "strips", "sheets", "backups"):
        for part in (folder / place).rglob(f"*{PART}"):
            remove(part)
    _forget_strangers(folder, {str(i) for i in session.scalars(select(FilmRow.id))})
    _forget_unused_takes(folder, session)
    _unsend(folder, set(session.scalars(select(ReplyRow.folder))))
    _mend(session)


def _forget_strangers(folder: Path, films: set[str]) -> None:
    """What was seen of films that are no longer there: looked at or drawn while their client was being deleted."""
    for path in (*(folder / "evidence").rglob("film-*.npz"), *(folder / "strips").glob("*-*.jpg")):
        if path.stem.removeprefix("film-").split("-")[0] not in films:
            remove(path)


def _forget_unused_takes(folder: Path, session: Session) -> None:
    """What was spoken over a reply's film and left out again: nothing brings it back once the program was closed."""
    for take in (folder / "replies").glob("film-*/spoken-*"):
        film_id = take.parent.name.removeprefix("film-")
        if f'"{take.name}"' not in (session.scalar(select(FilmRow.draft_json).where(FilmRow.id == film_id)) or ""):
            remove(take)


def _mend(session: Session) -> None:
    """A client or a brief whose JSON was damaged is read from its newest change that can be read."""
    for row in session.scalars(select(ClientRow).where(func.json_valid(ClientRow.body_json) == 0)):
        changes = select(ClientChangeRow.body_json).where(ClientChangeRow.client_id == row.id).order_by(ClientChangeRow.id.desc())
        row.body_json = next((t for t in session.scalars(changes) if parsed(t)), row.body_json)
    for film in session.scalars(select(FilmRow).where(func.json_valid(FilmRow.brief_json) == 0)):
        steps = select(BriefStepRow.brief_json).where(BriefStepRow.film_id == film.id, BriefStepRow.done).order_by(BriefStepRow.id.desc())
        film.brief_json = next((t for t in session.scalars(steps) if parsed(t)), film.brief_json)


def clear_work(folder: Path) -> None:
    """Empty the folder of passing files, and what earlier versions unpacked among the arrivals."""
    for path in (*(folder / WORK).glob("*"), *(folder / "arrivals").glob("tmp*")):
        remove(path)


def _settle_parts(folder: Path, known: set[str]) -> None:
    """A copy whose rows were kept gets its name; one without rows goes."""
    for part in folder.glob(f"*{PART}"):
        name = part.name.removesuffix(PART)
        if name in known and not (folder / name).exists():
            put_in_place(part, folder / name)
        else:
            remove(part)


def _unsend(folder: Path, known: set[str]) -> None:
    """A reply that was moved to its last place and not kept is unsent again; the seal of a kept one goes."""
    for seal in (folder / "replies").glob(f"film-*/*/{SEALED}"):
        place = seal.parent
        if str(place.relative_to(folder)) in known:
            unlock(place)
            seal.unlink()
            for path in place.iterdir():
                path.chmod(0o400)
        elif not place.name.startswith("unsent"):
            unlock(place)
            unsent = place.with_name("unsent" if place.name.startswith("reply") else "unsent-request")
            remove(unsent)
            place.replace(unsent)


def unlock(folder: Path) -> None:
    """Let a kept folder be changed again by its owner."""
    folder.chmod(0o700)


def finish_removals(folder: Path, session: Session) -> int:
    """Remove what a deletion still has to: files, folders, rows in copies of the database; returns how many.

    Raises OSError, sqlite3.Error.
    """
    rows = list(session.scalars(select(RemovalRow).order_by(RemovalRow.id)))
    for row in rows:
        path = folder / row.path
        if row.client_id is None:
            remove(path)
        elif path.exists():
            purge(path, row.client_id)
        session.execute(delete(RemovalRow).where(RemovalRow.id == row.id))
    return len(rows)


def purge(copy: Path, client_id: int) -> None:
    """Take a client's rows out of a copy of the database; an older copy has fewer tables and no cascades. Raises sqlite3.Error."""
    db = sqlite3.connect(copy)
    try:
        db.execute("PRAGMA foreign_keys=OFF")
        db.execute("PRAGMA secure_delete=ON")
        db.execute("PRAGMA temp_store=MEMORY")
        tables = {r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
        films = "(SELECT id FROM film WHERE client_id = :client)"
        watches, name = "(SELECT id FROM watch WHERE client_id = :client)", "(SELECT name FROM client WHERE id = :client)"
        for table, where in (
            ("watch_look", f"watch_id IN {watches}" if "watch" in tables else "0"),
            ("watch_look", f"film_id IN {films}"),
            ("watch", "client_id = :client"),
            ("brief_step", f"film_id IN {films}"),
            ("reply", f"film_id IN {films}"),
            ("arrival", f"film_id IN {films} OR (json_valid(told_json) AND json_extract(told_json, '$.client') = {name} COLLATE NOCASE)"),
            ("client_change", "client_id = :client"),
            ("film", "client_id = :client"),
            ("client", "id = :client"),
        ):
            if table in tables:
                db.execute(f"DELETE FROM {table} WHERE {where}", {"client": client_id})
        db.commit()
        db.execute("VACUUM")
    finally:
        db.close()


def remove(path: Path) -> None:
    """Remove a file or a folder with everything in it, also one that was kept read-only. Raises OSError."""
    if path.is_dir() and not path.is_symlink():
        for folder in (path, *(p for p in path.rglob("*") if p.is_dir() and not p.is_symlink())):
            unlock(folder)
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)
