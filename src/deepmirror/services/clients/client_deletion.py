"""What the library keeps of a client, and how she is deleted."""

from __future__ import annotations

from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.store.forget import belongings, forget
from deepmirror.words import say


def what_goes(library: FilmLibrary, client_id: int) -> list[str]:
    """What deleting a client deletes, line by line, and what it cannot reach."""
    held = belongings(library.store, client_id)
    lines = [
        say("{paths} × {kind} ({megabytes:.1f} MB)", paths=len(paths), kind=kind, megabytes=held.megabytes(kind))
        for kind, paths in held.files.items()
        if paths
    ]
    lines += [say("{count} {kind} in the records", count=count, kind=kind) for kind, count in held.rows.items() if count]
    lines += [say("her rows in the backup {name}", name=path.name) for path in held.backups]
    lines += [say("not deleted, it is no longer here: a reply {sentence}", sentence=sentence) for sentence in held.handed]
    return [*lines, "not deleted: files that still lie in the watched folder"]


def delete_client(library: FilmLibrary, client_id: int) -> None:
    """Delete a client and everything `what_goes` lists. Raises LibraryError."""
    forget(library.store, client_id)
