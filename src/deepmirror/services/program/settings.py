"""The coach's own settings of a library."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from pathlib import Path

from deepmirror.errors import LibraryError
from deepmirror.services.films.answer_due import REPLY_DAYS, check_country
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.visits import SPAN_H
from deepmirror.words import say

KEYS, WINDOW = "keys", "window"


@dataclass
class Settings:
    """The coach's settings of this library; an empty folder means the library's own."""

    coach: str = ""
    blur: bool = False
    inbox: str = ""
    outbox: str = ""
    reply_days: int = REPLY_DAYS  # working days until a film is answered
    country: str = ""  # whose holidays are kept; none when empty
    visit_hours: float = SPAN_H  # a client's films that came within so many are answered together; 0: each by itself


def settings_of(library: FilmLibrary) -> Settings:
    """The settings as they stand."""
    kept = library.store.phrases.settings([f.name for f in fields(Settings)])
    return replace(Settings(), **kept)


def keep_settings(library: FilmLibrary, new: Settings) -> None:
    """Keep them. Raises LibraryError when a folder is not one, or a country's holidays are not known."""
    for name, folder in (("watched folder", new.inbox), ("outbox", new.outbox)):
        if folder and not Path(folder).is_dir():
            raise LibraryError(say("The {name} “{folder}” is not a folder.", name=name, folder=folder))
    new = replace(new, country=check_country(new.country))
    for f in fields(Settings):
        library.store.phrases.set(f.name, getattr(new, f.name))


def own_keys(library: FilmLibrary) -> dict[str, str]:
    """The keys the coach chose, by action."""
    kept = library.store.phrases.setting(KEYS, {})
    return {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}


def keep_key(library: FilmLibrary, action: str, key: str) -> None:
    """Keep one key. Raises LibraryError."""
    library.store.phrases.set(KEYS, own_keys(library) | {action: key})


def window_place(library: FilmLibrary) -> str:
    """Where and how large the window was when it was closed, as it was kept; empty the first time."""
    return str(library.store.phrases.setting(WINDOW, ""))


def keep_window_place(library: FilmLibrary, place: str) -> None:
    """Keep it; a library that may not be changed keeps nothing."""
    if not library.read_only:
        library.store.phrases.set(WINDOW, place)
