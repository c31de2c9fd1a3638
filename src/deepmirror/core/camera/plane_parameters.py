"""What is fitted of a side film's picture plane, by name."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

TILTED = ("thigh", "shank")  # a foot set wider than its hip tilts them


class PlaneParameters(NamedTuple):
    """What is fitted: degrees, natural logarithms of shares of the first guess, and cm."""

    yaw_deg: float
    thigh_deg: float  # opened outward, out of the picture plane
    shank_deg: float
    foot_deg: float
    log_scale: float
    log_thigh: float
    log_shank: float
    splay_cm: float  # how much further out the ankle stands than its hip
    sole_deg: float = 0.0  # slope of the standing sole, toes up: told after the fit, from where the shoe then lies

    def opened_deg(self, segment: str) -> float:
        """How far a segment opens out of the side plane; a trunk does not."""
        return float({"thigh": self.thigh_deg, "shank": self.shank_deg, "foot": self.foot_deg}.get(segment, 0.0))

    def stretch(self, segment: str) -> float:
        """A segment's length as a share of the client's own."""
        return float(np.exp({"thigh": self.log_thigh, "shank": self.log_shank}.get(segment, 0.0)))

    def slant(self, segment: str, scale: float) -> tuple[float, float]:
        """How far a segment's end lies nearer the camera than its start: slope per px of level reach, and a constant, px.

        scale: px per cm.
        """
        slope = float(np.tan(np.radians(np.clip(self.yaw_deg + self.opened_deg(segment), -60, 60))))
        if segment not in TILTED:
            return slope, 0.0
        half, turn = 0.5 * self.splay_cm * scale, np.radians(self.yaw_deg)
        return slope, float(half * (np.cos(turn) + slope * np.sin(turn)))
