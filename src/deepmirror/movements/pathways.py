"""What to do, in order, when pain is noted: read from data/pathways.toml."""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from importlib import resources

from pydantic import Field, TypeAdapter

from deepmirror.movements.schema import Strict

PATHWAYS_FILE = "pathways.toml"


class Pathway(Strict):
    """Words that call for it, its title, its steps in order, and movements that may take the place of what hurts."""

    words: list[str] = Field(min_length=1)
    title: str
    steps: list[str] = Field(min_length=1)
    instead: list[str] = Field(default=[])


@lru_cache(maxsize=1)
def pathways() -> dict[str, Pathway]:
    """All pathways by name."""
    data = (resources.files("deepmirror.movements") / "data" / PATHWAYS_FILE).read_text("utf-8")
    return TypeAdapter(dict[str, Pathway]).validate_python(tomllib.loads(data))


def pathways_for(pain: list[str]) -> list[Pathway]:
    """The pathways that noted pains call for, by whole words and their plurals: "both knees" calls for the knee's, "kneeling" does not.

    A place named by a longer one belongs to that: the back of the thigh has its own pathway, the back of the knee is the knee.
    """
    found: list[Pathway] = []
    for note in pain:
        rest = note.lower()
        for pattern, pathway in _longest_first():
            if re.search(pattern, rest):
                found.append(pathway)
                rest = re.sub(pattern, " ", rest)
    return [p for p in pathways().values() if p in found]


@lru_cache(maxsize=1)
def _longest_first() -> list[tuple[str, Pathway]]:
    """Patterns of words with their pathway; a back "of" something is a side of that."""
    rows = sorted(((word, p) for p in pathways().values() for word in p.words), key=lambda row: -len(row[0]))
    return [(r"\b" + r"s?\s+".join(map(_pattern, word.split())) + r"s?\b(?!\s+of\b)", p) for word, p in rows]


def _pattern(word: str) -> str:
    """A star stands for up to two words."""
    return r"(?:\w+\s+)?\w+" if word == "*" else re.escape(word)
