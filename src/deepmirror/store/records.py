"""Clients and films as the library hands them out."""

from __future__ import annotations

import json
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from typing import Any

from deepmirror.documents import Document


def parsed(text: str) -> Document:
    """A JSON column as a dictionary; one that was damaged costs itself only and reads as empty."""
    try:
        found = json.loads(text or "{}")
    except (ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def parsed_list(text: str) -> list[Any]:
    """A JSON column as a list; one that was damaged reads as empty."""
    try:
        found = json.loads(text or "[]")
    except (ValueError, RecursionError):
        return []
    return found if isinstance(found, list) else []


class FilmState(StrEnum):
    """What has become of a film."""

    NEW = "new"  # waits to be measured
    MEASURING = "measuring"
    READY = "ready"  # measured, to be answered
    REFILM = "refilm"  # measured, and shows no rep
    FAILED = "failed"  # could not be measured; waits for a key
    ASKED = "asked"  # a new film was asked for
    REPLACED = "replaced"  # the new film came
    SENT = "sent"  # answered


def film_state(text: str) -> FilmState:
    """A state as it was kept; one that was damaged reads as failed, which a key tries again."""
    return FilmState(text) if text in list(FilmState) else FilmState.FAILED


@dataclass(frozen=True)
class ClientRecord:
    """One client; body is the brief's client part as a dictionary; archived: no longer among those who train."""

    id: int
    name: str
    body: Document
    note: str
    archived: bool = False


@dataclass(frozen=True)
class SetWords:
    """What a sender said of a set, as far as the Desk tells it: which set it was, and how hard."""

    number: int | None = None
    effort: float | None = None


@dataclass(frozen=True)
class FilmRecord:
    """One film. Its JSON columns are read when they are asked for: a list of thousands needs few of them.

    brief always carries the client as the library knows her now; draft is the reply being composed; turns are the frame
    numbers of the reversals; told is what its sender said of the set.
    """

    id: int
    client_id: int
    client_name: str
    path: Path
    original_name: str
    arrived_at: str
    due_at: str
    note: str
    state: FilmState
    line: str
    brief_json: str
    client_json: str
    turns_json: str
    draft_json: str
    set_json: str
    archived: bool = False  # its client is

    @cached_property
    def brief(self) -> Document:
        """What the coach knows of the film, with the client's record in it."""
        return self._of_film | {"client": parsed(self.client_json)}

    @cached_property
    def _of_film(self) -> Document:
        """The brief without the client: all that a list needs."""
        return parsed(self.brief_json)

    @cached_property
    def movement(self) -> str:
        """Its movement's id; empty when its brief cannot be read."""
        return str(self._of_film.get("movement", ""))

    @cached_property
    def view(self) -> str:
        """From which side it was filmed; empty when its brief cannot be read."""
        return str(self._of_film.get("view", ""))

    @cached_property
    def load_kg(self) -> float | None:
        """The load its brief names."""
        load = self._of_film.get("load_kg")
        return float(load) if isinstance(load, int | float) else None

    @cached_property
    def machine(self) -> str:
        """The machine its brief names; empty when none."""
        return str(self._of_film.get("machine") or "")

    @cached_property
    def turns(self) -> tuple[int, ...]:
        """Frame numbers of its reversals."""
        return tuple(n for n in parsed_list(self.turns_json) if isinstance(n, int))

    @cached_property
    def draft(self) -> Document:
        """The reply being composed, or {}."""
        return parsed(self.draft_json)

    @cached_property
    def told(self) -> SetWords:
        """What its sender said of the set."""
        said = parsed(self.set_json)
        number, effort = said.get("number"), said.get("effort")
        return SetWords(number if isinstance(number, int) else None, float(effort) if isinstance(effort, int | float) else None)
