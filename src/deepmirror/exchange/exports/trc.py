"""Points as TRC, tab-separated text."""

from __future__ import annotations

from pathlib import Path

from deepmirror.core.trajectories import Track
from deepmirror.exchange.exports import Export, ExportData
from deepmirror.exchange.points import plane_points


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


def _write(path: Path, data: ExportData) -> None:
    path.write_bytes(trc(data.track, data.fps, data.px_per_cm).encode())


EXPORT = Export("points.trc", _write)
