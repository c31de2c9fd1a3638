"""The films of a library as they were last read: only those that changed since are read again."""

from __future__ import annotations

import threading
from collections.abc import Callable

from deepmirror.store.records import FilmRecord

Read = Callable[[set[int] | None], list[FilmRecord]]


class FilmList:
    """All films by id. A library has one writer, this program, which says what it changed; any thread may ask or say.

    read: films of some ids, or all of them for None.
    """

    def __init__(self, read: Read) -> None:
        self._read, self._lock = read, threading.Lock()
        self._films: dict[int, FilmRecord] = {}
        self._newest_first: list[FilmRecord] = []
        self._changed: set[int] | None = None  # None: all of them

    def note(self, film_id: int) -> None:
        """This film was changed, added or taken away."""
        with self._lock:
            if self._changed is not None:
                self._changed.add(film_id)

    def note_client(self, client_id: int) -> None:
        """Her record was changed, which stands in each of her films."""
        with self._lock:
            if self._changed is not None:
                self._changed |= {i for i, film in self._films.items() if film.client_id == client_id}

    def note_all(self) -> None:
        """More than one film was changed."""
        with self._lock:
            self._changed = None

    def films(self) -> list[FilmRecord]:
        """Newest arrival first. Raises LibraryError; what changed is then read the next time."""
        with self._lock:
            changed = self._changed
            if changed == set():
                return list(self._newest_first)
            if changed is None:
                self._films = {f.id: f for f in self._read(None)}
            else:
                found = {f.id: f for f in self._read(changed)}
                self._films = {i: f for i, f in self._films.items() if i not in changed} | found
            self._changed = set()
            self._newest_first = sorted(self._films.values(), key=lambda f: (f.arrived_at, f.id), reverse=True)
            return list(self._newest_first)
