"""The outline of the back in a side view: where the body ends behind the line from hip to shoulder.

The landmark network gives, with every look, how surely each pixel of its square shows the body. No point on the back need be clicked
to see it round: the outline bulges away from the line.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import sided
from deepmirror.pose.network import NETWORK_INDEX, Detection

Array = NDArray[np.float64]

SHARES = np.linspace(0.0, 1.0, 15)  # of the way from hip to shoulder at which the outline is read; our own choice
REACH = 0.45  # of that line, behind it: a body that is thicker is none, or hides before something that is taken for it; our own choice
STEP_PX = 0.25  # of the network's square, along the way out; our own choice


def back_in_picture(seen: Detection, near: str, behind: float) -> Array:
    """The back's outline (K, 2) px in the picture a look was into. near: the side that faces the camera; behind: see `back_outline`."""
    to_square = cv2.invertAffineTransform(seen.to_picture)
    hip, shoulder = (seen.points[NETWORK_INDEX[sided(joint, near)]] @ to_square[:, :2].T + to_square[:, 2] for joint in ("hip", "shoulder"))
    return back_outline(seen.body, hip, shoulder, behind) @ seen.to_picture[:, :2].T + seen.to_picture[:, 2]


def back_outline(body: NDArray[np.float32], hip: Array, shoulder: Array, behind: float) -> Array:
    """Places (K, 2) px where the body ends behind the line from hip to shoulder, NaN where it does not end within reach.

    body (H, W): positive where the body is; hip, shoulder (2,) px in the same square; behind: 1 where the back lies to the right of a
    line that runs upward, -1 where it lies to the left.
    """
    line = shoulder - hip
    length = float(np.hypot(*line))
    if length < 1:
        return np.full((len(SHARES), 2), np.nan)
    out = behind * np.array([-line[1], line[0]]) / length
    away = np.arange(0.0, REACH * length, STEP_PX)
    ways = hip + SHARES[:, None, None] * line + away[None, :, None] * out
    across, down = ways[..., 0].astype(np.float32), ways[..., 1].astype(np.float32)
    surely = np.asarray(cv2.remap(body, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT), np.float32)
    return np.array([_end(row, way) for row, way in zip(surely, ways, strict=True)])


def _end(surely: NDArray[np.float32], way: Array) -> Array:
    """Where a row of values first passes from positive to not: (2,) px on its way, NaN where it never is or never ends."""
    beyond = np.flatnonzero(surely <= 0)
    if not len(beyond) or beyond[0] == 0:
        return np.full(2, np.nan)
    k = int(beyond[0])
    share = float(surely[k - 1] / (surely[k - 1] - surely[k]))
    return np.asarray(way[k - 1] + share * (way[k] - way[k - 1]))
