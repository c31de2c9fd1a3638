"""Films of one client that came within a chosen span are one visit, answered together with the few things worth saying over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache

from deepmirror.services.films.film_library import FilmLibrary, FilmRecord, FilmState

SPAN_H = 12.0  # hours within which a client's films are one visit; our own choice, the coach's setting
TO_ANSWER = (FilmState.NEW, FilmState.MEASURING, FilmState.READY, FilmState.REFILM, FilmState.FAILED)


@dataclass(frozen=True)
class Visit:
    """Films of one client, in the order in which they came."""

    films: tuple[FilmRecord, ...]

    def place(self, film_id: int) -> int:
        """Which of its films this is, from 1."""
        return next((i for i, f in enumerate(self.films, 1) if f.id == film_id), 1)


def visits(films: Sequence[FilmRecord], span_h: float) -> list[Visit]:
    """Films that are still to be answered, grouped; every other film by itself. A visit ends `span_h` after its first film came."""
    found: list[list[FilmRecord]] = []
    begun: dict[int, list[FilmRecord]] = {}
    for film in sorted(films, key=lambda f: (f.arrived_at, f.id)):
        present = begun.get(film.client_id)
        if film.state in TO_ANSWER and present and _came(film) - _came(present[0]) <= timedelta(hours=span_h):
            present.append(film)
            continue
        found.append([film])
        if film.state in TO_ANSWER and span_h > 0:
            begun[film.client_id] = found[-1]
    return [Visit(tuple(row)) for row in found]


def _came(film: FilmRecord) -> datetime:
    return _instant(film.arrived_at)


@lru_cache(maxsize=8192)
def _instant(iso: str) -> datetime:
    return datetime.fromisoformat(iso)


def span_of(library: FilmLibrary) -> float:
    """The span the coach chose, hours; 0: every film is answered by itself."""
    return float(library.store.phrases.setting("visit_hours", SPAN_H))


def visit_of(library: FilmLibrary, film_id: int) -> Visit:
    """The visit a film belongs to; by itself when it was answered."""
    record = library.store.film(film_id)
    films = library.store.films(record.client_id)
    return next((v for v in visits(films, span_of(library)) if any(f.id == film_id for f in v.films)), Visit((record,)))
