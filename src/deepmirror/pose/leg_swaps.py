"""Looks in which the network took the left leg for the right one."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SWAP_GAIN = 0.5  # exchanging the legs must bring the frame at least this much nearer to the one before
LEG = ("hip", "knee", "ankle", "heel", "toe")


def exchange(values: Array, rows: NDArray[np.bool_], pairs: Iterable[tuple[int, ...]]) -> None:
    """Pairs of points exchanged in values (T, P, ...) in the frames of rows (T,), in place."""
    for a, b in pairs:
        values[rows, a], values[rows, b] = values[rows, b].copy(), values[rows, a].copy()


def exchange_legs(values: Array, names: list[str], rows: NDArray[np.bool_]) -> None:
    """What belongs to the left leg and to the right one (T, P, ...) exchanged in the frames of rows (T,), in place."""
    exchange(values, rows, [(names.index(f"{joint}_left"), names.index(f"{joint}_right")) for joint in LEG])


def fix_side_swaps(network: Array, names: list[str]) -> NDArray[np.bool_]:
    """Undo frames where the network took the left leg for the right one: each frame is kept or exchanged, in place; which were (T,).

    network (T, P, 2) px, changed in place.
    """
    left = [names.index(f"{j}_left") for j in LEG]
    right = [names.index(f"{j}_right") for j in LEG]
    swapped = np.zeros(len(network), bool)
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
                swapped[t] = True
                now = other
        before = now
    return swapped
