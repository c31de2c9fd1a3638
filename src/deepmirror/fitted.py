"""Numbers that were set on films of our own: fitted.toml holds each with its unit, what it was set on, and the command to see why."""

from __future__ import annotations

import tomllib
from importlib import resources
from typing import Any

_TABLE: dict[str, dict[str, Any]] = tomllib.loads((resources.files("deepmirror") / "fitted.toml").read_text("utf-8"))


def fitted(name: str) -> float:
    """One number. Raises KeyError for a name that is not in the table."""
    return float(_TABLE[name]["value"])


def fitted_by_name(name: str) -> dict[str, float]:
    """Numbers by name."""
    return {key: float(value) for key, value in _TABLE[name]["value"].items()}


def fitted_rows(name: str) -> dict[str, dict[str, float]]:
    """Rows of named numbers by name, one per joint."""
    return {joint: {key: float(value) for key, value in row.items()} for joint, row in _TABLE[name]["value"].items()}
