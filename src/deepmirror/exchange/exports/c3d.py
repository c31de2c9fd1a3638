"""Points as C3D, written by ezc3d."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from deepmirror.core.trajectories import Track
from deepmirror.exchange.exports import Export, ExportData
from deepmirror.exchange.points import MM_PER_CM, plane_points


def write_c3d(path: Path, track: Track, fps: float, px_per_cm: float | None) -> None:
    """Points as C3D, a point's residual being its standard deviation in the file's unit."""
    import ezc3d

    points, unit = plane_points(track, px_per_cm)
    scale = MM_PER_CM / px_per_cm if unit == "mm" and px_per_cm else 1.0
    file = ezc3d.c3d()
    file["parameters"]["POINT"]["RATE"]["value"] = [float(fps)]
    file["parameters"]["POINT"]["LABELS"]["value"] = list(track.names)
    file["parameters"]["POINT"]["UNITS"]["value"] = [unit]
    data = np.ones((4, len(track.names), len(track.times)))
    data[:3] = points.transpose(2, 1, 0)
    file["data"]["points"] = data
    file["data"]["meta_points"]["residuals"] = np.stack([track.sigma(n) * scale for n in track.names])[None]
    part = path.with_suffix(".part.c3d")
    file.write(str(part))
    part.replace(path)


def _write(path: Path, data: ExportData) -> None:
    write_c3d(path, data.track, data.fps, data.px_per_cm)


EXPORT = Export("points.c3d", _write)
