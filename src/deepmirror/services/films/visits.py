"""Films of one client that came within a chosen span are one visit, answered together with the few things worth saying over all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property, lru_cache

from deepmirror.services.films.film_library import FilmLibrary, FilmRecord, FilmState

SPAN_H = 12.0  # hours within which a client's films are one visit; our own choice, the coach's setting
TO_ANSWER = (FilmState.NEW, FilmState.MEASURING, FilmState.READY, FilmState.REFILM, FilmState.FAILED)


@dataclass(frozen=True)
class Visit:
    """Films of one client, in the order in which they came."""

    films: tuple[FilmRecord, ...]

    @cached_property
    def movements(self) -> tuple[str, ...]:
        """What was lifted, each once."""
        return tuple(dict.fromkeys(f.movement.replace("_", " ") for f in self.films))

    def place(self, film_id: int) -> int:
        """Which of its films this is, from 1."""
        return next((i for i, f in enumerate(self.films, 1) if f.id == film_id), 1)


def visits(films: Sequence[FilmRecord], span_h: float) -> list[Visit]:
    """Films that are still to be answered, grouped; every other film by itself. A visit ends `span_h` after its first film came."""
    found: list[list[FilmRecord]] = []
    begun: dict[int, list[FilmRecord]] = {}
    span = timedelta(hours=span_h)
    ends: dict[int, datetime] = {}  # of each client's newest visit
    for film in sorted(films, key=lambda f: (f.arrived_at, f.id)):
        if film.state not in TO_ANSWER or span_h <= 0:
            found.append([film])
            continue
        came, client = _instant(film.arrived_at), film.client_id
        if client in ends and came <= ends[client]:
            begun[client].append(film)
            continue
        found.append([film])
        begun[client], ends[client] = found[-1], came + span
    return [Visit(tuple(row)) for row in found]


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
