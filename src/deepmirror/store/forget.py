"""Forgetting a client: every row and file that is hers, in the library and in its backups."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import delete, text

from deepmirror.store.backups import all_copies
from deepmirror.store.correspondence import ArrivalRecord
from deepmirror.store.library import LibraryStore
from deepmirror.store.tables import ArrivalRow, ClientRow, RemovalRow


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
    store.client(client_id)
    films = store.films(client_id)
    ids = [f.id for f in films]
    arrivals = arrivals_of(store, client_id)
    replies = store.replies.of_films(ids)
    folder = store.folder
    files = {
        "films": [f.path for f in films],
        "what was seen in them": [p for i in ids for p in folder.glob(f"evidence/**/film-{i}.npz")]
        + [p for i in ids for p in folder.glob(f"evidence/kept/film-{i}-*.npz")],
        "their small pictures": [p for i in ids for p in folder.glob(f"strips/{i}-*.jpg")],
        "replies and requests": [p for i in ids if (p := folder / "replies" / f"film-{i}").exists()],
        "set-up sheets": [p for p in (sheet_folder(store, client_id),) if p.exists()] + _sheets_by_name(store, client_id),
        "what came in": [a.path for a in arrivals if a.path is not None and a.path.exists()],
        "damaged databases that were put aside, whole": sorted(folder.glob("library.damaged-*.db*")),
    }
    rows = {
        "films": len(films),
        "replies and requests": len(replies),
        "watched corrections": len(store.watches.of_client(client_id)),
        "changes of the record": len(store.client_changes(client_id)),
        "done sets": len(store.training.done(client_id)),
        "pains noted": len(store.training.pain(client_id)),
        "arrivals": len(arrivals),
    }
    copies = [p for p in all_copies(folder) if not p.name.startswith("library.damaged-")]
    return Belongings(files, rows, copies, [r.sentence for r in replies if r.state == "handed"])


def sheet_folder(store: LibraryStore, client_id: int) -> Path:
    """Where a client's set-up sheets lie."""
    return store.folder / "sheets" / f"client-{client_id}"


def _sheets_by_name(store: LibraryStore, client_id: int) -> list[Path]:
    """Sheets of earlier versions, which were named by the client: hers are those that begin with no other client's name as well."""

    def slug(words: str) -> str:
        return "-".join("".join(c if c.isalnum() else " " for c in words).lower().split()) + "-"

    names = {c.id: slug(c.name) for c in store.clients()}
    mine = names.pop(client_id)
    longer = [n for n in names.values() if n.startswith(mine)]
    return [p for p in sorted(store.folder.glob(f"sheets/{mine}*")) if not any(p.name.startswith(n) for n in longer)]


def arrivals_of(store: LibraryStore, client_id: int) -> list[ArrivalRecord]:
    """Arrivals that became her films, and those that wait and name her and nobody else."""
    clients = store.clients()
    name = next(c.name for c in clients if c.id == client_id).casefold()
    alone = sum(c.name.casefold() == name for c in clients) == 1
    waiting = [a for a in store.arrivals.newest(1_000_000) if a.film_id is None] if alone else []
    named = [a for a in waiting if str(a.told.get("client", "")).strip().casefold() == name]
    return [*store.arrivals.of_films([f.id for f in store.films(client_id)]), *named]


def forget(store: LibraryStore, client_id: int) -> None:
    """Delete a client with everything that is hers, in the copies of the database too. Raises LibraryError.

    Her rows go and the list of what must still be removed is kept in one step: a program that is killed before everything is gone
    goes on at its next start.
    """
    store.must_write()
    held = belongings(store, client_id)
    arrivals = [a.id for a in arrivals_of(store, client_id)]
    with store.transaction() as s:
        s.execute(text("PRAGMA secure_delete=ON"))
        s.execute(delete(ArrivalRow).where(ArrivalRow.id.in_(arrivals)))
        s.execute(delete(ClientRow).where(ClientRow.id == client_id))  # all that hangs on her goes with her
        paths = [(p, None) for found in held.files.values() for p in found] + [(p, client_id) for p in held.backups]
        s.add_all(RemovalRow(path=str(p.relative_to(store.folder)), client_id=purged) for p, purged in paths)
    store.finish_removals()


def _size(path: Path) -> int:
    return sum(p.stat().st_size for p in path.rglob("*") if p.is_file()) if path.is_dir() else path.stat().st_size if path.exists() else 0
