"""Scale and level of a film: from a known length, and from the client's own measured leg."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.client_body import Body
from deepmirror.core.skeleton import SEGMENTS, near_side, sided
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value

Array = NDArray[np.float64]

# A known length rarely stands exactly where the client's leg does: 10 cm nearer or further at 3-4 m is 3 %.
PLANE_SHARE = 0.035
CLICK_PX = 2.0  # standard deviation of a click; our own estimate, no source
PLATE_CM = 45.0  # IWF and IPF equipment rules: largest discs 450 mm


def from_length(points_px: Array, length_cm: float) -> Value:
    """px per cm from two clicked ends (2, 2) of a known length; k = 2."""
    pixels = float(np.linalg.norm(points_px[1] - points_px[0]))
    u = np.hypot(2 * CLICK_PX * np.sqrt(2) / pixels, PLANE_SHARE)
    return Value(pixels / length_cm, pixels / length_cm * float(u))


def from_body(track: Track, view: str, body: Body) -> Value | None:
    """px per cm from the near leg's thigh and shank, where each lies most nearly in the picture plane (side views)."""
    near = near_side(view)
    if near is None or not body.known():
        return None
    rows = []
    for segment in ("thigh", "shank"):
        a, b = (sided(j, near) for j in SEGMENTS[segment])
        if not track.has(a, b):
            continue
        pixels = np.percentile(np.linalg.norm(track.point(a) - track.point(b), axis=1), 85)
        length = body.length(segment)
        rows.append((float(pixels) / length.cm, length.u_cm / length.cm + 0.02))
    if not rows:
        return None
    value = float(np.mean([r[0] for r in rows]))
    return Value(value, value * float(np.mean([r[1] for r in rows])))


def combine(known: Value | None, body: Value | None) -> Value | None:
    """The two scales weighted by their uncertainties; far apart, the uncertainty grows to cover both."""
    if known is None or body is None:
        return known or body
    w1, w2 = known.u**-2, body.u**-2
    value = (w1 * known.value + w2 * body.value) / (w1 + w2)
    spread = abs(known.value - body.value) / 2
    return Value(value, max((w1 + w2) ** -0.5, spread))


def up_from_floor(floor: Array) -> Array:
    """Picture direction (2,) that is up in the room, from two points (2, 2) of a level line."""
    d = floor[1] - floor[0]
    d = d if d[0] >= 0 else -d
    unit = d / np.linalg.norm(d)
    return np.array([unit[1], -unit[0]])


def up_from_plumb(plumb: Array) -> Array:
    """Picture direction (2,) that is up in the room, from two points (2, 2) of a vertical line."""
    d = plumb[1] - plumb[0]
    d = d if d[1] < 0 else -d
    return np.asarray(d / np.linalg.norm(d))


def up_from_roll(roll_rad: float) -> Array:
    """Picture direction (2,) that is up in the room, from how far the picture shows the room turned clockwise, rad."""
    return np.array([np.sin(roll_rad), -np.cos(roll_rad)])
