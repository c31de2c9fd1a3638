"""The still room before a hand-held camera: pad lines, pivots and the floor stay put where the camera moves."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.room_anchor import RoomAnchor, room_mask

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

POINTS = 140  # of the room, followed; our own choice
FEWEST = 30  # fewer are looked for anew; our own choice
WORKING_PX = 640  # registration runs on pictures about this wide, at most half the size
STILL_PX = 0.7  # a camera that never moved more than this stood still
BODY_MARGIN = 0.35  # of the body's own size, kept out on every side
LEAST_AGREED = 0.75  # of the usual agreement: below it the room is hidden or was lost; our own choice
USUAL_LEARNS = 0.05  # of each picture; our own choice
EVERY = 3  # pictures from one check of where the room lies to the next; our own choice
RENEWED, BETTER = 3 * EVERY, 0.02  # every so many it is looked for anew, as points drift; and taken where it agrees so much better
# Of the small picture, from one to the next: a camera that is swung, and one that pans or sways. The lot's pans go about 0.6 (worked out
# from how they are drawn), who walked past in the one film that this was made on 3.7; our own choice.
STEP_PX, PANS_PX = 4.0, 1.5
_LK = {"winSize": (15, 15), "maxLevel": 3, "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 15, 0.03)}


class RoomFollower:
    """The still room, from what lies around the body; where it cannot be followed, it is looked for where it was last sure."""

    def __init__(self) -> None:
        self._before: Picture | None = None
        self._shrink = 2
        self._points = np.empty((0, 1, 2), np.float32)  # in the present picture
        self._home = np.empty((0, 2))  # the same points in the first picture
        self._path: list[Array] = []
        self._anchor: RoomAnchor | None = None
        self._usual = 1.0  # the agreement of a picture that shows the room
        self._sure: list[bool] = []
        self._showed = np.eye(2, 3)  # where it lay when its edges last told so

    def add(self, grey: Picture, body: Array) -> None:
        """Take the next picture; body (P, 2) px tells what is not room."""
        self._register(grey, body)
        small, about = self._before, body / self._shrink
        assert small is not None
        if self._anchor is None:
            self._anchor = RoomAnchor(small, about)
            self._sure.append(True)
            return
        if len(self._path) % EVERY:  # dragged along for so short a time it is not far off
            self._sure.append(self._sure[-1])
            return
        home = self._path[-1]
        agreed = self._anchor.agreement(small, about, home)
        if agreed is None:
            self._unshown(self._anchor, small, about)
        elif agreed >= LEAST_AGREED * self._usual and len(self._path) % RENEWED:
            self._usual += USUAL_LEARNS * (agreed - self._usual)
            self._sure.append(True)
            self._showed = home
        else:
            self._look_again(self._anchor, small, about, agreed)

    def _register(self, grey: Picture, body: Array) -> None:
        """Follow the points to the next picture: rotation, even scale and shift since the first one."""
        if self._before is None:
            self._shrink = max(2, round(max(grey.shape) / WORKING_PX))
        size = (grey.shape[1] // self._shrink, grey.shape[0] // self._shrink)
        small: Picture = np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.uint8)
        home = np.eye(2, 3) if not self._path else self._path[-1]
        if self._before is not None and len(self._points):
            moved, ok, _ = cv2.calcOpticalFlowPyrLK(self._before, small, self._points, None, **_LK)  # type: ignore[call-overload]
            good = ok[:, 0] == 1
            self._points, self._home = moved[good], self._home[good]
            home = self._fit(home)
        if len(self._points) < FEWEST:
            self._seed(small, room_mask(small.shape, body / self._shrink, BODY_MARGIN), home)
        self._path.append(home)
        self._before = small

    def _fit(self, last: Array) -> Array:
        """First picture to present one; points that do not agree are dropped."""
        if len(self._points) < 6:
            return last
        found, inside = cv2.estimateAffinePartial2D(self._home, self._points[:, 0].astype(float), ransacReprojThreshold=1.0)
        if found is None or inside.sum() < 6:
            return last
        keep = inside[:, 0] == 1
        self._points, self._home = self._points[keep], self._home[keep]
        return np.asarray(found, float)

    def _seed(self, small: Picture, mask: Picture, home: Array) -> None:
        found = cv2.goodFeaturesToTrack(small, POINTS, 0.01, 10, mask=mask)
        self._points = np.empty((0, 1, 2), np.float32) if found is None else found.astype(np.float32)
        back = cv2.invertAffineTransform(home)
        self._home = np.asarray(self._points[:, 0].astype(float) @ back[:, :2].T + back[:, 2], float)

    def _whole_path(self) -> Array:
        """(T, 2, 3): first picture to each one, px of the whole picture."""
        out = np.array(self._path)
        out[:, :, 2] *= self._shrink
        out[:, :, 2] += (self._shrink - 1) / 2 * (1 - out[:, :, :2].sum(axis=2))
        return out

    def _unshown(self, anchor: RoomAnchor, small: Picture, about: Array) -> None:
        """Hardly any of it would show where its points went: a body fills the picture, or somebody dragged them along. Unless it shows
        where it last did, they are believed as far as a camera moves, a quick move only where nothing could show that it was none."""
        home, last = self._path[-1], self._path[-2]
        known, there = self._best_known(anchor, small, about, self._showed)
        if known >= LEAST_AGREED * self._usual:
            self._take(there)
            self._showed = there
            self._sure.append(True)
            return
        self._sure.append(_apart(home, last, small.shape) < (PANS_PX if known else STEP_PX))
        self._path[-1] = home if self._sure[-1] else last

    def _look_again(self, anchor: RoomAnchor, small: Picture, about: Array, agreed: float) -> None:
        """Where the room lies: as its points went, as it last surely lay, or where it is found again, whichever agrees best."""
        if agreed < LEAST_AGREED * self._usual:  # those since the last check may have been dragged along already
            since = max(len(self._sure) - EVERY + 1, 1)
            self._sure[since:] = [False] * len(self._sure[since:])
        last = next(h for h, sure in zip(self._path[-2::-1], self._sure[::-1], strict=True) if sure)
        best, there = max((agreed, self._path[-1]), self._best_known(anchor, small, about, last), key=lambda r: r[0])
        self._sure.append(best >= LEAST_AGREED * self._usual)
        told = best if self._sure[-1] else LEAST_AGREED * self._usual  # a light that was switched off stays off
        self._usual += USUAL_LEARNS * (told - self._usual)
        if best > agreed + BETTER:
            self._take(there)
        if self._sure[-1]:
            self._showed = self._path[-1]

    def _best_known(self, anchor: RoomAnchor, small: Picture, about: Array, lay: Array) -> tuple[float, Array]:
        """Where it lay, or where it is found again around there, whichever agrees better, and how well."""
        places = [h for h in (lay, anchor.found_again(small, lay)) if h is not None]
        return max(((anchor.agreement(small, about, h) or 0.0, h) for h in places), key=lambda r: r[0])

    def _take(self, there: Array) -> None:
        """The room lies there, so that the points that were followed are not the room's."""
        self._path[-1] = there
        self._points, self._home = np.empty((0, 1, 2), np.float32), np.empty((0, 2))

    def last_move(self, places: Array) -> Array:
        """How far (P, 2) px the still room moved at places (P, 2) px from the last picture but one to the last."""
        if len(self._path) < 2:
            return np.zeros_like(places)
        before, now = (np.vstack([m, [0, 0, 1]]) for m in self._path[-2:])
        step = now @ np.linalg.inv(before)
        small = places / self._shrink
        return np.asarray((small @ step[:2, :2].T + step[:2, 2] - small) * self._shrink)

    def path(self) -> Array:
        """(T, 2, 3): first picture to each one, px of the whole picture; empty when the camera stood still."""
        if not self._path:
            return np.empty((0, 2, 3))
        out, sure = self._whole_path(), np.flatnonzero(self._sure)
        for row, column in np.ndindex(2, 3):  # what was hidden lies between what was seen before and after
            out[:, row, column] = np.interp(np.arange(len(out)), sure, out[sure, row, column])
        corners = np.array([[0, 0], [1280, 0], [0, 720], [1280, 720]], float)
        there = np.einsum("tij,cj->tci", out[:, :, :2], corners) + out[:, None, :, 2]
        return out if np.abs(there - corners).max() > STILL_PX else np.empty((0, 2, 3))


def _apart(home: Array, other: Array, shape: tuple[int, ...]) -> float:
    """How far two places of the room lie apart at the picture's corners, px."""
    high, wide = shape[:2]
    corners = np.array([[0, 0, 1], [wide, 0, 1], [0, high, 1], [wide, high, 1]], float)
    return float(np.abs(corners @ (home - other).T).max())
