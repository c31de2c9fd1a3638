"""Following a machine's weight stack: it only moves up and down, so its patch is looked for along the upright through a click."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

HALF_WIDTH, HALF_HEIGHT = 26, 13  # of the patch, px at 720 lines: the front of a few plates
SIDEWAYS = 5  # px at 720 lines: how far off the upright it may look
SCORE_FLOOR = 0.6  # below it the stack is hidden
PLAIN = 4.0  # a patch with less contrast than this holds nothing to follow


def follow_stack(frames: Iterable[Picture], at: tuple[float, float], tick: Callable[[int], None]) -> Array:
    """Rise (T,) px of the stack over where it was clicked on the first frame; NaN where it is hidden.

    frames: grey pictures (H, W). Empty when the click lies on nothing that can be followed.
    """
    heights: list[float] = []
    patch: Picture | None = None
    for number, grey in enumerate(frames):
        tick(number)
        unit = max(grey.shape[0] / 720, 0.5)
        half, high, aside = (round(v * unit) for v in (HALF_WIDTH, HALF_HEIGHT, SIDEWAYS))
        left, top = round(at[0]) - half, round(at[1]) - high
        if patch is None:
            patch = grey[max(top, 0) : top + 2 * high + 1, max(left, 0) : left + 2 * half + 1].copy()
            if patch.shape[0] < high or patch.shape[1] < half or patch.std() < PLAIN:
                return np.empty(0)
        strip = grey[:, max(left - aside, 0) : left + 2 * half + 1 + aside]
        score = np.asarray(cv2.matchTemplate(strip, patch, cv2.TM_CCOEFF_NORMED), np.float32).max(axis=1)
        row = int(np.argmax(score))
        heights.append(max(top, 0) - _between(score, row) if score[row] > SCORE_FLOOR else np.nan)
    return np.array(heights)


def _between(score: NDArray[np.float32], row: int) -> float:
    """The peak to a fraction of a pixel, by a parabola through its neighbours."""
    if not 0 < row < len(score) - 1:
        return float(row)
    before, here, after = (float(v) for v in score[row - 1 : row + 2])
    bend = before - 2 * here + after
    return row + (0.0 if bend >= 0 else float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)))
