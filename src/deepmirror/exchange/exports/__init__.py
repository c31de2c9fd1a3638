"""The open data that goes with a reply: one file of this package for each format, found by being here.

A format's file has an `EXPORT`: the name of the file it writes, and what writes it.
"""

from __future__ import annotations

import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from pathlib import Path

from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import Value
from deepmirror.documents import Document


@dataclass(frozen=True)
class ExportData:
    """All that a format may write: points (px, as the film shows them), angles, reps with their measures, and measures.json's record.

    px_per_cm is None for a film without a scale.
    """

    track: Track
    angles: dict[str, Series]
    reps: list[Rep]
    rep_values: tuple[dict[str, Value], ...]
    record: Document
    fps: float
    px_per_cm: float | None


@dataclass(frozen=True)
class Export:
    """One format: the name of its file, and what writes it. Raises OSError."""

    name: str
    write: Callable[[Path, ExportData], None]


@cache
def exports() -> tuple[Export, ...]:
    """Every format of this package, by the name of its file."""
    modules = (import_module(f"{__name__}.{found.name}") for found in pkgutil.iter_modules(__path__))
    return tuple(sorted((module.EXPORT for module in modules), key=lambda export: export.name))


def write_exports(folder: Path, data: ExportData) -> list[Path]:
    """Write every format; returns the files. Raises OSError."""
    for export in exports():
        export.write(folder / export.name, data)
    return [folder / export.name for export in exports()]
