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
    """The pathways that noted pains call for, by whole words: "left knee" calls for the knee's, "kneeling" does not."""
    said = {w for note in pain for w in re.findall(r"[a-z]+", note.lower())}
    return [p for p in pathways().values() if said & set(p.words)]
