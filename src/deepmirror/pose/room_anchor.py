"""Whether the still room really lies where it is believed to: the first picture laid over the present one.

Points that are followed can be dragged along by whoever walks past, all of them together and so without a contradiction. Laid over
each other, the room's edges then no longer agree.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

# All our own choice.
BODY_MARGIN = 0.10  # of the body's size: nearer than this the body's own edges move
LOCAL = 0.05  # of the picture's width: brightness is compared within so much, as cameras change their exposure
EDGE = 12.0  # grey levels off its surroundings: what is less tells nothing of where it lies
ALIKE_SHARE, ALIKE_GREY = 0.5, 6.0  # of an edge's own height, and beyond it, that two pictures of it may differ by
FEWEST_EDGES, MOST_EDGES = 200, 1500  # pixels: fewer tell nothing, more cost time
POINTS, FEWEST_POINTS = 200, 12
_LK = {"winSize": (21, 21), "maxLevel": 3, "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.03)}


class RoomAnchor:
    """The room as the first picture shows it, beside the body."""

    def __init__(self, first: Picture, body: Array) -> None:
        """first (H, W) grey; body (P, 2) px in it."""
        self._first, room = first, room_mask(first.shape, body, BODY_MARGIN)
        relief = _relief(first)
        rows, columns = np.nonzero((np.abs(relief) > EDGE) & (room > 0))
        some = np.linspace(0, len(rows) - 1, min(len(rows), MOST_EDGES)).astype(int)
        self._edges, self._heights = np.stack([columns[some], rows[some]], axis=1).astype(float), relief[rows[some], columns[some]]
        found = cv2.goodFeaturesToTrack(first, POINTS, 0.01, 6, mask=room)
        self._points = np.empty((0, 1, 2), np.float32) if found is None else found.astype(np.float32)

    def agreement(self, present: Picture, body: Array, home: Array) -> float | None:
        """Share of the first picture's edges that lie in the present one where `home` (2, 3) puts them; None where too few are seen."""
        there = self._edges @ home[:, :2].T + home[:, 2]
        low, high = _around(body, BODY_MARGIN)
        size = np.array([present.shape[1], present.shape[0]]) - 1
        seen = np.all((there >= 0) & (there <= size), axis=1) & ~np.all((there >= low) & (there <= high), axis=1)
        if int(seen.sum()) < FEWEST_EDGES:
            return None
        x, y = there[seen].T.astype(np.float32)
        now = cv2.remap(_relief(present), x[None], y[None], cv2.INTER_LINEAR)[0]
        own = self._heights[seen]
        return float(np.mean(np.abs(now - own) < ALIKE_SHARE * np.abs(own) + ALIKE_GREY))

    def found_again(self, present: Picture, near: Array) -> Array | None:
        """Where the first picture's own points lie in the present one (2, 3), looked for around `near`; None where too few are found."""
        if len(self._points) < FEWEST_POINTS:
            return None
        guess = (self._points[:, 0] @ near[:, :2].T + near[:, 2])[:, None].astype(np.float32)
        flags = {"flags": cv2.OPTFLOW_USE_INITIAL_FLOW}
        moved, ok, _ = cv2.calcOpticalFlowPyrLK(self._first, present, self._points, guess, **_LK, **flags)  # type: ignore[call-overload]
        good = ok[:, 0] == 1
        if good.sum() < FEWEST_POINTS:
            return None
        home, now = self._points[good, 0].astype(float), moved[good, 0].astype(float)
        found, inside = cv2.estimateAffinePartial2D(home, now, ransacReprojThreshold=1.0)
        return None if found is None or inside.sum() < FEWEST_POINTS else np.asarray(found, float)


def room_mask(shape: tuple[int, ...], body: Array, margin_share: float) -> Picture:
    """Non-zero (H, W) beside the body (P, 2) px, with a margin of its own size."""
    mask = np.full(shape[:2], 255, np.uint8)
    (x0, y0), (x1, y1) = (end.astype(int) for end in _around(body, margin_share))
    mask[max(y0, 0) : max(y1, 0), max(x0, 0) : max(x1, 0)] = 0
    return mask


def _around(body: Array, margin_share: float) -> tuple[Array, Array]:
    """Two corners of a body's surroundings, px."""
    low, high = body.min(axis=0), body.max(axis=0)
    margin = margin_share * float((high - low).max())
    return low - margin, high + margin


def _relief(grey: Picture) -> NDArray[np.float32]:
    """How far each pixel is off the mean around it."""
    across = max(3, round(LOCAL * grey.shape[1])) | 1
    fine = cv2.GaussianBlur(grey, (0, 0), 0.8).astype(np.float32)
    return np.asarray(fine - cv2.blur(fine, (across, across)), np.float32)
