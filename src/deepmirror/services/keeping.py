"""What the library keeps of a client, how she is deleted, and the coach's own settings."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from deepmirror.errors import LibraryError
from deepmirror.services.desk import Desk
from deepmirror.store.forget import belongings, forget


@dataclass
class Settings:
    """The coach's settings of this library; an empty folder means the library's own."""

    coach: str = ""
    blur: bool = False
    inbox: str = ""
    outbox: str = ""


def settings_of(desk: Desk) -> Settings:
    """The settings as they stand."""
    kept = desk.store.phrases
    return Settings(kept.setting("coach", ""), kept.setting("blur", False), kept.setting("inbox", ""), kept.setting("outbox", ""))


def keep_settings(desk: Desk, new: Settings) -> None:
    """Keep them. Raises LibraryError when a folder is not one."""
    for name, folder in (("watched folder", new.inbox), ("outbox", new.outbox)):
        if folder and not Path(folder).is_dir():
            raise LibraryError(f"The {name} “{folder}” is not a folder.")
    for key in ("coach", "blur", "inbox", "outbox"):
        desk.store.phrases.set(key, getattr(new, key))


def what_goes(desk: Desk, client_id: int) -> list[str]:
    """What deleting a client deletes, line by line, and what it cannot reach."""
    held = belongings(desk.store, client_id)
    lines = [f"{len(paths)} × {kind} ({held.megabytes(kind):.1f} MB)" for kind, paths in held.files.items() if paths]
    lines += [f"{count} {kind} in the records" for kind, count in held.rows.items() if count]
    lines += [f"her rows in the backup {path.name}" for path in held.backups]
    lines += [f"not deleted, it is no longer here: a reply {sentence}" for sentence in held.handed]
    return [*lines, "not deleted: files that still lie in the watched folder"]


def delete_client(desk: Desk, client_id: int) -> None:
    """Delete a client and everything `what_goes` lists. Raises LibraryError."""
    forget(desk.store, client_id)
