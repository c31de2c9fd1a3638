"""measures.json: the batch contract's result file, and the same numbers as a table."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np

from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.series import series_spec
from deepmirror.core.trajectories import Series, Track
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
    """Name of a series that has a unit -> its values per frame."""
    return {k: numbers(s.values, 2) for k, s in series.items() if series_spec(k).unit}


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


def rep_csv(reps: list[Rep], values: Iterable[dict[str, Value]]) -> str:
    """One row per rep: times, phases, and every measure with its u."""
    rows, names = [], []
    for rep, table in zip(reps, values, strict=True):
        row: Document = {
            "rep": rep.number,
            "start_s": round(rep.start_s, 3),
            "bottom_s": round(rep.bottom_s, 3),
            "end_s": round(rep.end_s, 3),
        }
        row |= {f"{k}_s": None if v is None else round(v, 3) for k, v in rep.phases_s.items()}
        for k, v in table.items():
            row |= {k: round(v.value, 3), f"{k}_u": round(v.u, 3)}
        rows.append(row)
        names += [k for k in row if k not in names]
    out = io.StringIO()
    writer = csv.DictWriter(out, names or ["rep"], lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def series_csv(times: np.ndarray[Any, Any], series: dict[str, Series]) -> str:
    """One row per frame: time and every angle."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time_s", *series])
    for i, t in enumerate(times):
        writer.writerow([f"{t:.4f}", *(f"{s.values[i]:.2f}" for s in series.values())])
    return out.getvalue()
