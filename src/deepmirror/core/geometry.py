"""Plane geometry of picture points.

Pictures have x to the right and y down; every angle is in degrees unless said. Points are arrays whose last axis is (x, y).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def included_angle(a: Array, b: Array, c: Array) -> Array:
    """Angle abc (degrees, 0..180) at b, shapes (..., 2) -> (...)."""
    u, v = a - b, c - b
    cross = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
    return np.asarray(np.degrees(np.arctan2(np.abs(cross), (u * v).sum(axis=-1))))


def signed_turn(u: Array, v: Array) -> Array:
    """Turn (degrees, -180..180) that takes direction u into v, positive clockwise on the screen (y down)."""
    cross = u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]
    return np.asarray(np.degrees(np.arctan2(cross, (u * v).sum(axis=-1))))


def wrapped(angle: Array | float, whole: float = 360.0) -> Array:
    """Angles (...) brought to -half..half of a whole turn; degrees unless `whole` says otherwise."""
    return np.asarray((angle + whole / 2) % whole - whole / 2)


def along_and_across(points: Array, origin: Array, direction: Array) -> tuple[Array, Array]:
    """Coordinates of points in the frame of a line: along it, and across it (positive to its right on the screen).

    points (..., 2), origin (2,) and direction (2,) -> two arrays (...).
    """
    unit = direction / np.linalg.norm(direction)
    d = points - origin
    return d @ unit, d[..., 1] * unit[0] - d[..., 0] * unit[1]


def compensate_camera_motion(positions: Array, room: Array) -> Array:
    """Positions (T, P, 2) px as a camera would have seen them that stayed where it was on frame 0.

    room (>= T, 2, 3): frame 0 to each frame, px; empty when the camera stood still.
    """
    if not len(room):
        return positions
    room = room[: len(positions)]
    return np.asarray(np.einsum("tij,tpj->tpi", np.linalg.inv(room[:, :, :2]), positions - room[:, None, :, 2]))
