"""Reads the movement definitions: the shipped ones, and a coach's own from her library folder."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from importlib.resources.abc import Traversable
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from deepmirror.errors import BadMovement
from deepmirror.movements.schema import FaultText, Movement

FAULTS_FILE = "faults.toml"


@dataclass(frozen=True)
class Catalogue:
    """All movements by id, and the texts of all faults by code."""

    movements: dict[str, Movement]
    faults: dict[str, FaultText]

    def movement(self, name: str) -> Movement:
        """A movement by id. Raises BadMovement when there is none."""
        if name not in self.movements:
            raise BadMovement(f"No movement is called “{name}”. Known are: {', '.join(sorted(self.movements))}.")
        return self.movements[name]


@lru_cache(maxsize=4)
def load_catalogue(own_folder: Path | None = None) -> Catalogue:
    """Shipped definitions, then a coach's own, which may replace them. Raises BadMovement naming file and place."""
    data = resources.files("deepmirror.movements") / "data"
    faults = TypeAdapter(dict[str, FaultText]).validate_python(_read(data / FAULTS_FILE))
    movements: dict[str, Movement] = {}
    files: list[Traversable] = [
        f for f in sorted(data.iterdir(), key=lambda f: f.name) if f.name.endswith(".toml") and f.name != FAULTS_FILE
    ]
    if own_folder is not None and own_folder.is_dir():
        files += sorted(own_folder.glob("*.toml"))
    for file in files:
        movement = _movement(file, faults)
        movements[movement.id] = movement
    return Catalogue(movements, faults)


def _read(file: Traversable) -> dict[str, object]:
    try:
        return tomllib.loads(file.read_text("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BadMovement(f"{file.name}: {error}") from error


def _movement(file: Traversable, faults: dict[str, FaultText]) -> Movement:
    try:
        movement = Movement.model_validate(_read(file))
    except ValidationError as error:
        # a misspelt key is also a missing one: name the misspelling
        first = min(error.errors(), key=lambda e: e["type"] != "extra_forbidden")
        raise BadMovement(f"{file.name}: {'.'.join(str(p) for p in first['loc'])}: {first['msg']}") from error
    for fault in movement.fault:
        if (fault.group or fault.code) not in faults:
            raise BadMovement(f"{file.name}: fault {fault.code} has no text in {FAULTS_FILE}")
    return movement
