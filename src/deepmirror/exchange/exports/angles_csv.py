"""One row per frame: time and every angle."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from deepmirror.core.trajectories import Array, Series
from deepmirror.exchange.exports import Export, ExportData


def series_csv(times: Array, series: dict[str, Series]) -> str:
    """One row per frame: time and every angle."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time_s", *series])
    for i, t in enumerate(times):
        writer.writerow([f"{t:.4f}", *(f"{s.values[i]:.2f}" for s in series.values())])
    return out.getvalue()


def _write(path: Path, data: ExportData) -> None:
    path.write_bytes(series_csv(data.track.times, data.angles).encode())


EXPORT = Export("angles.csv", _write)
