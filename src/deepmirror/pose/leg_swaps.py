"""Looks in which the network took the left leg for the right one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SWAP_GAIN = 0.5  # exchanging the legs must bring the frame at least this much nearer to the one before
LEG = ("hip", "knee", "ankle", "heel", "toe")


def fix_side_swaps(network: Array, names: list[str]) -> None:
    """Undo frames where the network took the left leg for the right one: each frame is kept or exchanged, in place.

    network (T, P, 2) px, changed in place.
    """
    left = [names.index(f"{j}_left") for j in LEG]
    right = [names.index(f"{j}_right") for j in LEG]
    before: Array | None = None
    for t in range(len(network)):
        if not np.isfinite(network[t, left + right]).all():
            continue
        now = network[t, left + right]
        if before is not None:
            other = network[t, right + left]
            kept, exchanged = (float(np.linalg.norm(v - before, axis=1).mean()) for v in (now, other))
            if exchanged < SWAP_GAIN * kept and kept > 4:
                network[t, left + right] = other
                now = other
        before = now
