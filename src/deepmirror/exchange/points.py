"""The followed points for other programs: C3D (written by ezc3d) and TRC (tab-separated text).

Both hold the film's plane: x along the picture, y up, z zero; millimetres where the film has a scale, else pixels.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.trajectories import Track

Array = NDArray[np.float64]
MM_PER_CM = 10.0


def plane_points(track: Track, px_per_cm: float | None) -> tuple[Array, str]:
    """Positions (T, P, 3) with y up from the lowest point of the film and x from its leftmost, and their unit, mm or px."""
    xy = track.positions * [1.0, -1.0]
    xy = xy - np.nanmin(xy.reshape(-1, 2), axis=0)
    if px_per_cm is not None and math.isfinite(px_per_cm) and px_per_cm > 0:
        xy, unit = xy / px_per_cm * MM_PER_CM, "mm"
    else:
        unit = "px"
    return np.concatenate([xy, np.zeros((*xy.shape[:2], 1))], axis=2), unit


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


def trc(track: Track, fps: float, px_per_cm: float | None) -> str:
    """Points as TRC text: five lines of head, then frame, time (s) and x, y, z of every point."""
    points, unit = plane_points(track, px_per_cm)
    frames, count = points.shape[:2]
    rate = f"{fps:.4f}"
    lines = [
        "PathFileType\t4\t(X/Y/Z)\tpoints.trc",
        "DataRate\tCameraRate\tNumFrames\tNumMarkers\tUnits\tOrigDataRate\tOrigDataStartFrame\tOrigNumFrames",
        f"{rate}\t{rate}\t{frames}\t{count}\t{unit}\t{rate}\t1\t{frames}",
        "Frame#\tTime\t" + "\t\t\t".join(track.names) + "\t\t",
        "\t\t" + "\t".join(f"X{i + 1}\tY{i + 1}\tZ{i + 1}" for i in range(count)),
    ]
    for i in range(frames):
        lines.append("\t".join([str(i + 1), f"{track.times[i]:.5f}", *(f"{v:.3f}" for v in points[i].ravel())]))
    return "\n".join(lines) + "\n"
