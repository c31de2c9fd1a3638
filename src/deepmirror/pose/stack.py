"""Following a machine's weight stack: it only moves up and down, so its patch is looked for along the upright through a click."""

from __future__ import annotations

from collections.abc import Iterable

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

HALF_WIDTH, HALF_HEIGHT = 26, 13  # of the patch, px at 720 lines: the front of a few plates
SIDEWAYS = 5  # px at 720 lines: how far off the upright it may look
SCORE_FLOOR = 0.6  # below it the stack is hidden
PLAIN = 4.0  # a patch with less contrast than this holds nothing to follow


class StackFollower:
    """Follows a stack picture by picture from where it was clicked on the first one (px)."""

    def __init__(self, at: tuple[float, float]) -> None:
        self._at, self._patch = at, np.empty((0, 0), np.uint8)
        self._rises: list[float] = []
        self._plain = False

    def add(self, grey: Picture) -> None:
        """Take the next picture (H, W)."""
        unit = max(grey.shape[0] / 720, 0.5)
        half, high, aside = (round(v * unit) for v in (HALF_WIDTH, HALF_HEIGHT, SIDEWAYS))
        left, top = round(self._at[0]) - half, round(self._at[1]) - high
        if not self._patch.size and not self._plain:
            self._patch = grey[max(top, 0) : top + 2 * high + 1, max(left, 0) : left + 2 * half + 1].copy()
            self._plain = self._patch.shape[0] < high or self._patch.shape[1] < half or bool(self._patch.std() < PLAIN)
        if self._plain:
            return
        strip = grey[:, max(left - aside, 0) : left + 2 * half + 1 + aside]
        score = np.asarray(cv2.matchTemplate(strip, self._patch, cv2.TM_CCOEFF_NORMED), np.float32).max(axis=1)
        row = int(np.argmax(score))
        self._rises.append(max(top, 0) - _between(score, row) if score[row] > SCORE_FLOOR else np.nan)

    def rises(self) -> Array:
        """Rise (T,) px over where it was clicked; NaN where it is hidden. Empty when the click lies on nothing that can be followed."""
        return np.array(self._rises)


def follow_stack(frames: Iterable[Picture], at: tuple[float, float]) -> Array:
    """Rise (T,) px of the stack over where it was clicked on the first of the frames (see StackFollower)."""
    follower = StackFollower(at)
    for grey in frames:
        follower.add(grey)
    return follower.rises()


def _between(score: NDArray[np.float32], row: int) -> float:
    """The peak to a fraction of a pixel, by a parabola through its neighbours."""
    if not 0 < row < len(score) - 1:
        return float(row)
    before, here, after = (float(v) for v in score[row - 1 : row + 2])
    bend = before - 2 * here + after
    return row + (0.0 if bend >= 0 else float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)))
