"""measures.json: the batch contract's result file."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.series import series_spec
from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.core.uncertain_value import Band, Value
from deepmirror.documents import Document


def numbers(values: Iterable[float], digits: int) -> list[float | None]:
    """Rounded numbers for JSON; what is not finite becomes null."""
    return [round(float(v), digits) if math.isfinite(v) else None for v in values]


def landmarks(track: Track) -> Document:
    """Point name -> x, y, sigma_px per frame."""
    return {
        n: {"x": numbers(track.point(n)[:, 0], 2), "y": numbers(track.point(n)[:, 1], 2), "sigma_px": numbers(track.sigma(n), 2)}
        for n in track.names
    }


def angles(series: dict[str, Series]) -> Document:
    """Name of a series that has a unit -> its values per frame, null where nothing is known."""
    return {k: numbers(np.where(s.u < UNKNOWN_U, s.values, np.nan), 2) for k, s in series.items() if series_spec(k).unit}


def measure_table(values: dict[str, Value]) -> Document:
    """Measure name -> value and u."""
    return {k: {"value": round(v.value, 3), "u": round(v.u, 3)} for k, v in values.items() if math.isfinite(v.value) and math.isfinite(v.u)}


def rep_record(rep: Rep, values: dict[str, Value]) -> Document:
    """One rep as the contract writes it."""
    phases = {k: None if v is None else round(v, 4) for k, v in rep.phases_s.items()}
    return {
        "start_s": round(rep.start_s, 4),
        "bottom_s": round(rep.bottom_s, 4),
        "end_s": round(rep.end_s, 4),
        "complete": rep.complete,
        "block": rep.block,
        "half_reps": rep.halves,
        "leg": rep.leg,
        "phases_s": phases,
        "mean_speeds": {phase: round(speed, 3) for phase, speed in rep.mean_speeds.items()},
        "measures": measure_table(values),
    }


def target_pair(band: Band) -> list[float | None]:
    """[low, high] with null for an open end."""
    return [band.low, band.high]


def write_json(path: Path, data: object) -> None:
    """Write whole or not at all."""
    part = path.with_suffix(path.suffix + ".part")
    part.write_text(json.dumps(data, allow_nan=False, separators=(",", ":")), "utf-8")
    part.replace(path)
