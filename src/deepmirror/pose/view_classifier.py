"""From which side a body is seen, by its landmarks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

NOSE, EARS, SHOULDERS, HIPS = 0, (7, 8), (11, 12), (23, 24)  # the network's own numbering, left before right
WIDE_SHARE = 0.45  # of the trunk: shoulders that look wider than this are seen from the front or from behind
MIN_PRESENCE = 0.5  # as in pose_tracker


def view_of(p: NDArray[np.float64]) -> str:
    """From which side a body is seen, from the network's own points (33, 2) px."""
    trunk = p[list(SHOULDERS)].mean(axis=0) - p[list(HIPS)].mean(axis=0)
    long = float(np.hypot(*trunk))
    up = trunk / max(long, 1e-6)
    across = np.array([-up[1], up[0]])  # to the right on the screen of a standing body
    apart = float((p[SHOULDERS[0]] - p[SHOULDERS[1]]) @ across)
    if abs(apart) > WIDE_SHARE * long:
        return "front" if apart > 0 else "rear"
    forward = float((p[NOSE] - p[list(EARS)].mean(axis=0)) @ across)
    return "side-right" if forward > 0 else "side-left"
