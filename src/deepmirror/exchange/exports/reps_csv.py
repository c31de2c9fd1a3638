"""One row per rep: times, phases, and every measure with its u."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from pathlib import Path

from deepmirror.core.motion.reps import Rep
from deepmirror.core.uncertain_value import Value
from deepmirror.documents import Document
from deepmirror.exchange.exports import Export, ExportData


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


def _write(path: Path, data: ExportData) -> None:
    path.write_bytes(rep_csv(data.reps, data.rep_values).encode())


EXPORT = Export("reps.csv", _write)
