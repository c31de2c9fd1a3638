"""Forgetting a client: every row and file that is hers, in the library and in its backups."""

from __future__ import annotations

import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import text

from deepmirror.errors import LibraryError
from deepmirror.store.library import LibraryStore
from deepmirror.store.post import ArrivalRecord


@dataclass(frozen=True)
class Belongings:
    """What the library holds of a client: files by kind (with folders), and rows by kind."""

    files: dict[str, list[Path]]
    rows: dict[str, int]
    backups: list[Path]
    handed: list[str]

    def megabytes(self, kind: str) -> float:
        """Size of the files of a kind, MB."""
        return sum(_size(p) for p in self.files[kind]) / 1e6


def belongings(store: LibraryStore, client_id: int) -> Belongings:
    """Everything of a client's. Raises LibraryError when she is not there."""
    client = store.client(client_id)
    films = store.films(client_id)
    ids = [f.id for f in films]
    arrivals = arrivals_of(store, client.name, ids)
    replies = store.replies.of_films(ids)
    folder = store.folder
    files = {
        "films": [f.path for f in films],
        "what was seen in them": [p for i in ids for p in folder.glob(f"evidence/**/film-{i}.npz")]
        + [p for i in ids for p in folder.glob(f"evidence/kept/film-{i}-*.npz")],
        "their small pictures": [p for i in ids for p in folder.glob(f"strips/{i}-*.jpg")],
        "replies and requests": [p for i in ids if (p := folder / "replies" / f"film-{i}").exists()],
        "set-up sheets": sorted(folder.glob(f"sheets/{slug(client.name)}-*")),
        "what came in": [a.path for a in arrivals if a.path is not None and a.path.exists()],
    }
    rows = {
        "films": len(films),
        "replies and requests": len(replies),
        "watched corrections": len(store.watches.of_client(client_id)),
        "changes of the record": len(store.client_changes(client_id)),
        "arrivals": len(arrivals),
    }
    return Belongings(files, rows, sorted(folder.glob("library.before-*.db")), [r.sentence for r in replies if r.state == "handed"])


def slug(words: str) -> str:
    """Words as the beginning of a sheet's file name."""
    return "-".join("".join(c if c.isalnum() else " " for c in words).lower().split())


def arrivals_of(store: LibraryStore, name: str, film_ids: list[int]) -> list[ArrivalRecord]:
    """Arrivals that became her films, or whose set.json names her."""
    named = [a for a in store.arrivals.newest(1_000_000) if str(a.told.get("client", "")).casefold() == name.casefold()]
    return list({a.id: a for a in [*store.arrivals.of_films(film_ids), *named]}.values())


def forget(store: LibraryStore, client_id: int) -> None:
    """Delete a client with everything that is hers; backups of the database lose her rows as well. Raises LibraryError."""
    client = store.client(client_id)
    ids = [f.id for f in store.films(client_id)]
    held = belongings(store, client_id)
    arrival_ids = [a.id for a in arrivals_of(store, client.name, ids)]
    with store.transaction() as s:
        s.execute(text("PRAGMA secure_delete=ON"))
        for statement, values in _statements(client_id, ids, arrival_ids):
            s.execute(text(statement), values)
    for paths in held.files.values():
        for path in paths:
            _remove(path)
    for backup in held.backups:
        _purge(backup, client_id, ids)
    store.shrink()


def _statements(client_id: int, film_ids: list[int], arrival_ids: list[int]) -> Iterator[tuple[str, dict[str, int]]]:
    """What to delete, rows that point to others first."""
    for arrival in arrival_ids:
        yield "DELETE FROM arrival WHERE id = :id", {"id": arrival}
    yield "DELETE FROM watch_look WHERE watch_id IN (SELECT id FROM watch WHERE client_id = :id)", {"id": client_id}
    yield "DELETE FROM watch WHERE client_id = :id", {"id": client_id}
    for film in film_ids:
        yield "DELETE FROM reply WHERE film_id = :id", {"id": film}
    for table in ("film", "client_change"):
        yield f"DELETE FROM {table} WHERE client_id = :id", {"id": client_id}
    yield "DELETE FROM client WHERE id = :id", {"id": client_id}


def _purge(backup: Path, client_id: int, film_ids: list[int]) -> None:
    """Take her rows out of a backup; an older backup has fewer tables."""
    try:
        with closing(sqlite3.connect(backup)) as db:
            db.execute("PRAGMA secure_delete=ON")
            tables = {r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            for statement, values in _statements(client_id, film_ids, []):
                if statement.split()[2] in tables:
                    db.execute(statement, values)
            db.commit()
            db.execute("VACUUM")
    except sqlite3.DatabaseError as error:
        raise LibraryError(f"The backup “{backup.name}” could not be cleared: {error}. Delete that file by hand.") from error


def _remove(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)


def _size(path: Path) -> int:
    return sum(p.stat().st_size for p in path.rglob("*") if p.is_file()) if path.is_dir() else path.stat().st_size if path.exists() else 0
