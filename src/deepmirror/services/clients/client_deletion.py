"""What the library keeps of a client, and how she is deleted."""

from __future__ import annotations

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.store.forget import belongings, forget


def what_goes(library: FilmLibrary, client_id: int) -> list[str]:
    """What deleting a client deletes, line by line, and what it cannot reach."""
    held = belongings(library.store, client_id)
    lines = [f"{len(paths)} × {kind} ({held.megabytes(kind):.1f} MB)" for kind, paths in held.files.items() if paths]
    lines += [f"{count} {kind} in the records" for kind, count in held.rows.items() if count]
    lines += [f"her rows in the backup {path.name}" for path in held.backups]
    lines += [f"not deleted, it is no longer here: a reply {sentence}" for sentence in held.handed]
    return [*lines, "not deleted: files that still lie in the watched folder"]


def delete_client(library: FilmLibrary, client_id: int) -> None:
    """Delete a client and everything `what_goes` lists. Raises LibraryError."""
    forget(library.store, client_id)
