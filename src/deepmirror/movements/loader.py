"""Reads the movement definitions: the shipped ones, and a coach's own from her library folder."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import TypeVar

from pydantic import TypeAdapter, ValidationError

from deepmirror.errors import BadMovement, one_line
from deepmirror.files import private_folder, write_whole
from deepmirror.movements.cameras import CAMERAS_FILE
from deepmirror.movements.fitness import text_codes, unfit
from deepmirror.movements.pathways import PATHWAYS_FILE, READINESS_FILE
from deepmirror.movements.schema import Fault, FaultText, Movement
from deepmirror.movements.schools import SCHOOLS_FILE, SchoolTopic, untitled
from deepmirror.words import joined, say

T = TypeVar("T")

FAULTS_FILE, SHARED_FILE = "faults.toml", "shared.toml"
LARGEST_BYTES = 500_000
NOT_MOVEMENTS = (FAULTS_FILE, SHARED_FILE, CAMERAS_FILE, PATHWAYS_FILE, READINESS_FILE, SCHOOLS_FILE)


@dataclass(frozen=True)
class Catalogue:
    """All movements by id, the texts of all faults by code, the topics in which schools differ, and what is not right with a coach's own
    files."""

    movements: dict[str, Movement]
    faults: dict[str, FaultText]
    topics: dict[str, SchoolTopic] = field(default_factory=dict)
    problems: tuple[str, ...] = ()

    def movement(self, name: str) -> Movement:
        """A movement by id. Raises BadMovement when there is none."""
        if name not in self.movements:
            raise BadMovement(
                say("No movement is called “{name}”. Known are: {movements}.", name=name, movements=joined(", ", sorted(self.movements)))
            )
        return self.movements[name]

    def title(self, name: str) -> str:
        """A movement's title; its id in words where it is not known any longer."""
        found = self.movements.get(name)
        return found.title if found is not None else name.replace("_", " ")

    def by_name(self) -> dict[str, str]:
        """Movement ids by everything they may be called, in small letters: title, id, id with spaces."""
        spaced = {m.replace("_", " "): m for m in self.movements}
        return spaced | {m: m for m in self.movements} | {str.casefold(m.title): m.id for m in self.movements.values()}

    def text(self, movement: Movement, code: str) -> FaultText:
        """How a fault, or a group of them, is explained in a movement's family."""
        return _text(self.faults, movement, code)


def _text(faults: Mapping[str, FaultText], movement: Movement, code: str) -> FaultText:
    return faults[code].said_in(movement.family).saying(movement.words.get(code))


@dataclass(frozen=True)
class _Shipped:
    """What ships: movements by id, the texts of faults, groups of faults that movements share, and the topics of schools."""

    movements: dict[str, Movement]
    faults: dict[str, FaultText]
    shared: dict[str, list[Fault]]
    topics: dict[str, SchoolTopic]


@lru_cache(maxsize=1)
def _shipped() -> _Shipped:
    """The shipped definitions, read and checked once. Raises BadMovement."""
    data = resources.files("deepmirror.movements") / "data"
    faults = _checked(data / FAULTS_FILE, TypeAdapter(dict[str, FaultText]).validate_python)
    shared = _checked(data / SHARED_FILE, TypeAdapter(dict[str, list[Fault]]).validate_python)
    topics = _checked(data / SCHOOLS_FILE, TypeAdapter(dict[str, SchoolTopic]).validate_python)
    files: list[Traversable] = [
        f for f in sorted(data.iterdir(), key=lambda f: f.name) if f.name.endswith(".toml") and f.name not in NOT_MOVEMENTS
    ]
    movements = {m.id: m for m in (_movement(f, faults, shared, topics) for f in files)}
    families = {m.family for m in movements.values()}
    for code, text in faults.items():
        if strange := set(text.family) - families:
            raise BadMovement(
                say(
                    "{place}: {code}: no movement is of the family {strange}",
                    place=_place(data / FAULTS_FILE, (code,)),
                    code=code,
                    strange=min(strange),
                )
            )
    return _Shipped(movements, faults, shared, topics)


@lru_cache(maxsize=4)
def load_catalogue(own_folder: Path | None = None) -> Catalogue:
    """Shipped definitions, then a coach's own, which may replace them.

    A file of the coach's that is not right is left out and told in `problems`, with file, line and what is wrong. Raises
    BadMovement for shipped ones.
    """
    shipped = _shipped()
    movements, problems = dict(shipped.movements), []
    for file in _own_files(own_folder):
        try:
            if file.stat().st_size > LARGEST_BYTES:
                raise BadMovement(say("{name}: too large to be a movement", name=file.name))
            movement = _movement(file, shipped.faults, shipped.shared, shipped.topics)
        except (BadMovement, OSError) as error:
            problems.append(
                error.sentence
                if isinstance(error, BadMovement)
                else one_line(say("{name}: {error}", name=file.name, error=error.strerror or error))
            )
        else:
            movements[movement.id] = movement
    return Catalogue(movements, shipped.faults, shipped.topics, tuple(problems))


def _own_files(folder: Path | None) -> list[Path]:
    try:
        return sorted(folder.glob("*.toml")) if folder is not None and folder.is_dir() else []
    except OSError:
        return []


def copy_definition(movement_id: str, folder: Path) -> Path:
    """Write a copy of a shipped definition, renamed, for a coach to change; returns its path. Raises BadMovement."""
    source = resources.files("deepmirror.movements") / "data" / f"{movement_id}.toml"
    path = folder / f"own_{movement_id}.toml"
    named = re.fullmatch(r"[a-z0-9_]+", movement_id) is not None
    if not named or f"{movement_id}.toml" in NOT_MOVEMENTS or not source.is_file():
        raise BadMovement(say("No shipped movement is called “{movement_id}”.", movement_id=movement_id))
    if path.exists():
        raise BadMovement(say("“{path}” is there already: change it, or rename it first.", path=path))
    try:
        private_folder(folder)
        write_whole(path, source.read_text("utf-8").replace(f'id = "{movement_id}"', f'id = "own_{movement_id}"', 1).encode())
    except OSError as error:
        raise BadMovement(say("“{path}” cannot be written: {error}.", path=path, error=error.strerror or error)) from error
    return path


def _movement(file: Traversable, faults: dict[str, FaultText], shared: dict[str, list[Fault]], topics: dict[str, SchoolTopic]) -> Movement:
    movement = _checked(file, Movement.model_validate)
    for name in movement.shares:
        if name not in shared:
            raise BadMovement(
                say(
                    "{place}: {shared_file} has no group called {name}; it has {shared}",
                    place=_place(file, ("shares",)),
                    shared_file=SHARED_FILE,
                    name=name,
                    shared=joined(", ", sorted(shared)),
                )
            )
    own = {f.code for f in movement.fault}
    borrowed = [f for name in movement.shares for f in shared[name] if f.code not in own]
    movement = movement.model_copy(update={"fault": [*movement.fault, *borrowed]})
    for i, fault in enumerate(movement.fault):
        if (fault.group or fault.code) not in faults:
            raise BadMovement(
                say(
                    "{place}: fault {code} has no text in {faults_file}",
                    place=_place(file, ("fault", i, "code")),
                    code=fault.code,
                    faults_file=FAULTS_FILE,
                )
            )
        if missing := untitled(fault, topics):
            raise BadMovement(say("{place}: {missing}", place=_place(file, ("fault", i, "school")), missing=missing))
    texts = {code: _text(faults, movement, code) for code in text_codes(movement)}
    if wrong := unfit(movement, texts):
        key, sentence = wrong
        raise BadMovement(say("{place}: {sentence}", place=_place(file, (key,)), sentence=sentence))
    return movement


def _checked(file: Traversable, check: Callable[[object], T]) -> T:
    """A file's content, checked. Raises BadMovement with file:line."""
    try:
        content = tomllib.loads(file.read_text("utf-8"))
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        raise BadMovement(say("{name}:{line}: {error}", name=file.name, line=line[1] if line else 1, error=error)) from error
    except UnicodeDecodeError as error:
        raise BadMovement(say("{name}:1: not a text file in UTF-8", name=file.name)) from error
    except (ValueError, RecursionError, OverflowError) as error:  # a number of thousands of digits, brackets without end
        raise BadMovement(say("{name}: cannot be read: {error}", name=file.name, error=error)) from error
    try:
        return check(content)
    except ValidationError as error:
        # a misspelt key is also a missing one: name the misspelling
        first = min(error.errors(), key=lambda e: e["type"] != "extra_forbidden")
        raise BadMovement(
            say("{place}: {key}: {msg}", place=_place(file, first["loc"]), key=".".join(str(p) for p in first["loc"]), msg=first["msg"])
        ) from error


def _place(file: Traversable, where: tuple[int | str, ...]) -> str:
    """file:line of a place in a definition: the n-th table of its name, then the innermost key found below it."""
    lines = file.read_text("utf-8").splitlines()
    at, end = 0, len(lines)
    for i, part in enumerate(where):
        if isinstance(part, int):
            heads = [n for n, text in enumerate(lines) if text.strip() == f"[[{where[i - 1]}]]"]
            if part < len(heads):
                at = heads[part]
                end = heads[part + 1] if part + 1 < len(heads) else len(lines)
            continue
        pattern = re.compile(rf"^\s*(?:{re.escape(part)}\s*=|\[+(?:[\w.]*\.)?{re.escape(part)}\]+\s*$|.*[{{,]\s*{re.escape(part)}\s*=)")
        at = next((n for n in range(at, end) if pattern.match(lines[n])), at)
    return f"{file.name}:{at + 1}"
