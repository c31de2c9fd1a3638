"""What is fitted of a side film's picture plane, by name."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

TILTED = ("thigh", "shank")  # a foot set wider than its hip tilts them


class Slant(NamedTuple):
    """How far a segment's end lies nearer the camera than its start, along the camera's axis: per px of level and of upright reach
    in the picture, and a constant, px.

    With a camera that looks down by p, a point that lies u level, y up and z towards the camera is seen at v = y cos p - z sin p and
    lies y sin p + z cos p nearer. Where z = s u + c, it lies (s u + c) / cos p + v tan p nearer.
    """

    level: float
    upright: float
    constant: float

    def depth(self, level: Array, upright: Array) -> Array:
        """See above, for reaches (T,) px."""
        return np.asarray(self.level * level + self.upright * upright + self.constant)


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
    pitch_deg: float = 0.0  # camera looks down
    sole_deg: float = 0.0  # slope of the standing sole, toes up: told after the fit, from where the shoe then lies

    def opened_deg(self, segment: str) -> float:
        """How far a segment opens out of the side plane; a trunk does not."""
        return float({"thigh": self.thigh_deg, "shank": self.shank_deg, "foot": self.foot_deg}.get(segment, 0.0))

    def stretch(self, segment: str) -> float:
        """A segment's length as a share of the client's own."""
        return float(np.exp({"thigh": self.log_thigh, "shank": self.log_shank}.get(segment, 0.0)))

    def slant(self, segment: str, scale: float) -> Slant:
        """How far a segment's end lies nearer the camera than its start. scale: px per cm."""
        slope = float(np.tan(np.radians(np.clip(self.yaw_deg + self.opened_deg(segment), -60, 60))))
        down = np.radians(np.clip(self.pitch_deg, -60, 60))
        constant = 0.0
        if segment in TILTED:
            half, turn = 0.5 * self.splay_cm * scale, np.radians(self.yaw_deg)
            constant = half * (np.cos(turn) + slope * np.sin(turn))
        return Slant(slope / float(np.cos(down)), float(np.tan(down)), float(constant / np.cos(down)))
