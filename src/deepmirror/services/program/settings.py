"""The coach's own settings of a library."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from deepmirror.errors import LibraryError
from deepmirror.services.films.film_library import FilmLibrary


@dataclass
class Settings:
    """The coach's settings of this library; an empty folder means the library's own."""

    coach: str = ""
    blur: bool = False
    inbox: str = ""
    outbox: str = ""


def settings_of(library: FilmLibrary) -> Settings:
    """The settings as they stand."""
    kept = library.store.phrases
    return Settings(kept.setting("coach", ""), kept.setting("blur", False), kept.setting("inbox", ""), kept.setting("outbox", ""))


def keep_settings(library: FilmLibrary, new: Settings) -> None:
    """Keep them. Raises LibraryError when a folder is not one."""
    for name, folder in (("watched folder", new.inbox), ("outbox", new.outbox)):
        if folder and not Path(folder).is_dir():
            raise LibraryError(f"The {name} “{folder}” is not a folder.")
    for key in ("coach", "blur", "inbox", "outbox"):
        library.store.phrases.set(key, getattr(new, key))
