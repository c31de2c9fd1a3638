"""The followed points for other programs: where they lie, in which unit.

The film's plane: x along the picture, y up, z zero; millimetres where the film has a scale, else pixels.
"""

from __future__ import annotations

import math

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
