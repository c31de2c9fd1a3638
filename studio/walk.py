"""Walking to the place of the set and away from it, with alternating steps that end with both feet at home."""

from __future__ import annotations

import numpy as np

STEP_M = 0.42
LIFT_M = 0.07
PACE_M_S = 0.95
DROP_M = 0.03  # a walking pelvis rides that much lower, so that the legs reach


class Walk:
    """Forward places (m, the set's own place is 0) over time."""

    def __init__(self, walk_s: tuple[float, float], set_s: tuple[float, float], end_s: float) -> None:
        self.walk_s, self.set_s, self.end_s = walk_s, set_s, end_s

    def place(self, t: float) -> float:
        """Where the body is: comes from behind, walks on ahead."""
        before, after = max(self.set_s[0] - t, 0.0), max(t - self.set_s[1], 0.0)
        ease = lambda s: PACE_M_S * s**2 / (s + 0.3)
        return -ease(before) if before else ease(after)

    def steps(self, t: float) -> tuple[dict[str, tuple[float, float]], float]:
        """Each foot's place against the body's (forward, up), m, and how far the pelvis drops."""
        at = self.place(t)
        share = float(np.clip(abs(at) / 0.4, 0, 1))
        out = {}
        for side, phase in (("left", 0.0), ("right", STEP_M)):
            turns = (at + phase) / (2 * STEP_M)
            whole, part = np.floor(turns), turns - np.floor(turns)
            swing = float(np.clip(2 * part, 0, 1))
            foot = 2 * STEP_M * (whole + swing * swing * (3 - 2 * swing)) - phase
            out[side] = (share * float(foot - at - 0.5 * STEP_M), share * LIFT_M * float(np.sin(np.pi * swing)))
        return out, share * DROP_M
