"""What to do, in order, when pain is noted (data/pathways.toml), and what is asked before a programme (data/readiness.toml)."""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from importlib import resources

from pydantic import Field, TypeAdapter

from deepmirror.movements.schema import Pattern, Strict

PATHWAYS_FILE, READINESS_FILE = "pathways.toml", "readiness.toml"


class Step(Strict):
    """One change of the second stage: its words, and what it does to the plan where a plan can do it."""

    words: str
    tempo: str = ""
    load_share: float = Field(default=1.0, gt=0, le=1)
    sets_share: float = Field(default=1.0, gt=0, le=1)
    movement: dict[Pattern, str] = Field(default={})  # what takes the place of a movement of this pattern


class Pathway(Strict):
    """Words that call for it, its title, its steps in order as a sheet shows them, and what planning makes of its stages.

    loads: patterns that load the region; bench: the first stage's test; dose: how the movements of the third are done; exit: when
    it is over; change: the second stage's changes, one a session; instead: the third's movements; noted: only with a clinician's note.
    """

    words: list[str] = Field(min_length=1)
    title: str
    steps: list[str] = Field(min_length=1)
    loads: list[Pattern] = Field(min_length=1)
    bench: str
    dose: str
    exit: str
    change: list[Step] = Field(min_length=1)
    instead: list[str] = Field(default=[])
    noted: bool = False


class RedFlag(Strict):
    """A sign that belongs to a clinician at once: words that name it, and what is said."""

    words: list[str] = Field(min_length=1)
    says: str
    everything: bool = False  # no training at all until a clinician has seen it


class Question(Strict):
    """One line of the screen before a programme. kind: a yes that asks for a physician's word, or a test with its unit."""

    ask: str
    unit: str = ""
    source: str


class Readiness(Strict):
    """Red flags by name, the screen's questions and tests by name."""

    red_flag: dict[str, RedFlag]
    question: dict[str, Question]
    test: dict[str, Question]


@lru_cache(maxsize=1)
def readiness() -> Readiness:
    """The screen before a programme and the signs that stop one."""
    data = (resources.files("deepmirror.movements") / "data" / READINESS_FILE).read_text("utf-8")
    return Readiness.model_validate(tomllib.loads(data))


def red_flags(signs: list[str]) -> tuple[dict[str, RedFlag], list[str]]:
    """The red flags that told signs name, by the beginnings of their words, and the signs that name none."""
    found: dict[str, RedFlag] = {}
    rest = []
    for sign in signs:
        words = sign.lower().replace("_", " ")
        named = {name: flag for name, flag in readiness().red_flag.items() if any(re.search(rf"\b{w}", words) for w in flag.words)}
        found |= named
        rest += [] if named else [sign]
    return found, rest


@lru_cache(maxsize=1)
def pathways() -> dict[str, Pathway]:
    """All pathways by name."""
    data = (resources.files("deepmirror.movements") / "data" / PATHWAYS_FILE).read_text("utf-8")
    return TypeAdapter(dict[str, Pathway]).validate_python(tomllib.loads(data))


def pathways_for(pain: list[str]) -> list[Pathway]:
    """The pathways that noted pains call for (see `regions_for`)."""
    return [pathways()[name] for name in regions_for(pain)]


def regions_for(pain: list[str]) -> list[str]:
    """The names of the pathways that noted pains call for, by whole words and their plurals.

    "Both knees" calls for the knee's, "kneeling" does not.

    A place named by a longer one belongs to that: the back of the thigh has its own pathway, the back of the knee is the knee.
    """
    found: list[Pathway] = []
    for note in pain:
        rest = note.lower()
        for pattern, pathway in _longest_first():
            if re.search(pattern, rest):
                found.append(pathway)
                rest = re.sub(pattern, " ", rest)
    return [name for name, p in pathways().items() if p in found]


@lru_cache(maxsize=1)
def _longest_first() -> list[tuple[str, Pathway]]:
    """Patterns of words with their pathway; a back "of" something is a side of that."""
    rows = sorted(((word, p) for p in pathways().values() for word in p.words), key=lambda row: -len(row[0]))
    return [(r"\b" + r"s?\s+".join(map(_pattern, word.split())) + r"s?\b(?!\s+of\b)", p) for word, p in rows]


def _pattern(word: str) -> str:
    """A star stands for up to two words."""
    return r"(?:\w+\s+)?\w+" if word == "*" else re.escape(word)
