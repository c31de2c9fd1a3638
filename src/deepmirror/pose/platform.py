"""A sled's platform in front and rear films: marks on it move with it, and its way counts the reps.

Followed from picture to picture, its points drift as legs pass before them. Wherever the platform shows as it did in the first picture
it is laid over that one, and what was believed in between is put right by it.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Points = NDArray[np.float32]
Picture = NDArray[np.uint8]

# All our own choice.
PLATFORM_SHARE = 0.92  # of the marked platform, from its middle: its rim hides and shows what lies behind it
AROUND, SMALLEST_PX = 1.5, 32  # of its breadth: so far around its first place it is looked for; and never in less
WORKING_PX = 200  # a platform that looks broader is followed in smaller pictures
POINTS, APART_PX = 140, 4
AGREE_PX = 1.5
FEWEST, AGAIN_SHARE = 6, 0.4  # of the first picture's points found again together: fewer do not tell where it lies
GUESS = 0.3  # of its breadth: how surely it lies where it was not found again; three films whose legs hide it (docs/accuracy.md) ask for it
LASTS = 4  # pictures in a row
TELLING_SHARE = 0.15  # of the points: fewer go somewhere together by chance
STAYED = 3  # pictures more in which a point stayed behind what goes: it is something before the platform
SIZES = (0.6, 1.6)  # a platform looks so much smaller or larger where a press carries it
DRIFT, MOST_GUESSED = 0.15, 0.3  # of its breadth: what drifted further meanwhile is guessed; and most of a film that may be so
_LK = {"winSize": (21, 21), "maxLevel": 3, "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.03)}


@dataclass(frozen=True)
class _Lain:
    """One way in which points went together: the move (2, 3), and which of them agree (N,)."""

    move: Array
    agree: NDArray[np.bool_]


class PlatformFollower:
    """What lies between the platform's corners (4, 2) px on the first picture."""

    def __init__(self, corners: Array) -> None:
        breadth = float(np.ptp(corners, axis=0).max())
        self._shrink = max(1, round(breadth / WORKING_PX))
        self._breadth = breadth / self._shrink  # px of the smaller pictures, as all else here
        self._corners, self._origin = corners, np.zeros(2)  # where those begin is in px of the film
        self._part = slice(None), slice(None)  # rows and columns of a picture around the platform
        self._first: Picture | None = None
        self._before: Picture | None = None
        self._marks = _none()  # points of the first picture
        self._went = np.zeros(0, int)  # by mark: pictures in which it went with what goes furthest, less those in which it stayed behind
        self._points, self._home = _none(), _none()  # followed ones in the last picture, and where they lay in the first
        self._path: list[Array] = []
        self._put_right: dict[int, Array] = {}  # by picture: from where it was believed to where it was found again, (2, 3)

    def add(self, grey: Picture) -> None:
        """Take the next picture."""
        if self._first is None:
            self._choose_part((grey.shape[1], grey.shape[0]))
        here = self._smaller(grey[self._part])
        if self._first is None:
            self._first = here
            still: Array = np.eye(2, 3)
            self._path.append(still)
            self._put_right[0] = still
            self._marks = self._seeds(here, still)
            self._went = np.zeros(len(self._marks), int)
        else:
            self._path.append(self._followed(here))
            found = self._again(here)
            if found is not None:
                self._put_right[len(self._path) - 1] = _after(found, _back(self._path[-1]))
                self._path[-1] = found
        self._points = self._seeds(here, self._path[-1])
        self._home = _at(_back(self._path[-1]), self._points)
        self._before = here

    def _choose_part(self, size: tuple[int, int]) -> None:
        around, least = AROUND * self._breadth * self._shrink, SMALLEST_PX * self._shrink
        low = np.clip(self._corners.min(axis=0) - around, 0, np.maximum(np.array(size) - least, 0)).astype(int)
        high = np.maximum(self._corners.max(axis=0) + around, low + least).astype(int)
        self._part = slice(low[1], high[1]), slice(low[0], high[0])
        self._corners, self._origin = (self._corners - low + 0.5) / self._shrink - 0.5, low.astype(float)

    def _smaller(self, part: Picture) -> Picture:
        rows, columns = (n // self._shrink * self._shrink for n in part.shape)
        size = (columns // self._shrink, rows // self._shrink)
        return np.asarray(cv2.resize(part[:rows, :columns], size, interpolation=cv2.INTER_AREA), np.uint8)

    def _followed(self, present: Picture) -> Array:
        """First picture to the present one, by the points of the last; where they were when too few are left."""
        found = None
        if len(self._points) >= FEWEST:
            assert self._before is not None
            moved, ok, _ = cv2.calcOpticalFlowPyrLK(self._before, present, self._points, None, **_LK)  # type: ignore[call-overload]
            good = ok[:, 0] == 1
            self._points, self._home = moved[good], self._home[good]
            found = _similar(self._home, self._points, np.ones(len(self._points), bool))
        return self._path[-1] if found is None else found.move

    def _again(self, present: Picture) -> Array | None:
        """Where the first picture's own points lie in the present one (2, 3): looked for where they went, and where they were.

        What keeps its place before it while it goes (a head, an upright) is no part of it and is not looked for again.
        """
        still: Array = np.eye(2, 3)
        found = self._laid_over(present, self._path[-1]) or self._laid_over(present, still)
        if not found:
            return None
        many = [lain for lain in found if lain.agree.sum() >= TELLING_SHARE * len(self._marks)] or found
        furthest = max(many, key=lambda lain: self._way(lain.move))
        for lain in many:
            if self._way(furthest.move) - self._way(lain.move) > APART_PX:
                self._went += furthest.agree.astype(int) - (lain.agree & ~furthest.agree)
        part = self._went > -STAYED
        best = max(found, key=lambda lain: int((lain.agree & part).sum()))
        return best.move if (best.agree & part).sum() >= max(FEWEST, AGAIN_SHARE * float(part.sum())) else None

    def _laid_over(self, present: Picture, near: Array) -> list[_Lain]:
        """The first picture laid over the present one around `near`: as most points agree, and as most of the others do."""
        if len(self._marks) < FEWEST:
            return []
        guess = _at(near, self._marks)
        flags = {"flags": cv2.OPTFLOW_USE_INITIAL_FLOW}
        moved, ok, _ = cv2.calcOpticalFlowPyrLK(self._first, present, self._marks, guess, **_LK, **flags)  # type: ignore[call-overload]
        left, found = (ok[:, 0] == 1) & (self._went > -STAYED), list[_Lain]()
        while len(found) < 2 and (lain := _similar(self._marks, moved, left)) is not None:
            found.append(lain)
            left = left & ~lain.agree
        return found

    def _way(self, move: Array) -> float:
        """How far a move takes the platform's middle from where it was at first, px."""
        middle = self._corners.mean(axis=0, keepdims=True)
        return float(np.linalg.norm(_at(move, middle) - middle))

    def _seeds(self, present: Picture, home: Array) -> Points:
        mask, middle = np.zeros(present.shape, np.uint8), self._corners.mean(axis=0)
        corners = _at(home, middle + PLATFORM_SHARE * (self._corners - middle))
        cv2.fillConvexPoly(mask, cv2.convexHull(corners).astype(np.int32), 255)
        found = cv2.goodFeaturesToTrack(present, POINTS, 0.01, APART_PX, mask=mask)
        return _none() if found is None else found.astype(np.float32)

    def _sure(self) -> list[int]:
        """Pictures in which it was found again, and in those beside them too: by chance a few points agree for a moment."""
        found = set(self._put_right)
        begins = [i for i in found if found.issuperset(range(i, i + LASTS))]
        return sorted({i + k for i in begins for k in range(LASTS)} | set(range(min(len(self._path), 1))))

    def path(self) -> Array:
        """(T, 2, 3): first picture to each one, px."""
        path = np.array(self._path).reshape(-1, 2, 3)
        for before, after in pairwise(self._sure()):
            for i in range(before + 1, after):
                share = (i - before) / (after - before)
                path[i] = _after((1 - share) * np.eye(2, 3) + share * self._put_right[after], path[i])
        corner = self._origin + (self._shrink - 1) / 2
        path[:, :, 2] = self._shrink * path[:, :, 2] + corner - path[:, :, :2] @ corner
        return path

    def believed(self) -> tuple[Array, Array]:
        """The path and how surely it lies there (T,) px; both empty where too much of it is guessed."""
        if self.guessed() >= MOST_GUESSED:
            return np.empty((0, 2, 3)), np.empty(0)
        return self.path(), self.sigma()

    def sigma(self) -> Array:
        """How surely the platform lies where it is believed in each picture, px."""
        sigma = np.full(len(self._path), GUESS * self._breadth)
        sigma[self._sure()] = AGREE_PX
        return sigma * self._shrink

    def guessed(self) -> float:
        """Share of the pictures in which nobody knows where it is: before it is found again far from where it was believed."""
        guess, sure = np.ones(len(self._path), bool), self._sure()
        for before, after in pairwise(sure):
            guess[before:after] = self._put_right_by(after) > DRIFT * self._breadth
        guess[sure[-1:]] = False
        return float(guess.mean()) if len(guess) else 1.0

    def _put_right_by(self, picture: int) -> float:
        """How far its middle was believed off in a picture where it was found again, px."""
        middle = _at(self._path[picture], self._corners.mean(axis=0, keepdims=True))
        return float(np.linalg.norm(_at(self._put_right[picture], middle) - middle))


def _none() -> Points:
    return np.empty((0, 1, 2), np.float32)


def _at(move: Array, points: NDArray[np.floating]) -> Points:
    """Points (N, 2) or (N, 1, 2) after a move (2, 3). (N, 1, 2)."""
    return np.asarray(points.reshape(-1, 1, 2) @ move[:, :2].T + move[:, 2], np.float32)


def _after(second: Array, first: Array) -> Array:
    """One move (2, 3) after another."""
    return np.asarray(second[:, :2] @ first + np.column_stack([np.zeros((2, 2)), second[:, 2]]))


def _similar(home: Points, now: Points, among: NDArray[np.bool_]) -> _Lain | None:
    """As most of some points (N, 1, 2) went together: turned, grown evenly and shifted; None where too few did, or to no such size."""
    if among.sum() < FEWEST:
        return None
    found, inside = cv2.estimateAffinePartial2D(home[among], now[among], ransacReprojThreshold=AGREE_PX)
    if found is None or inside.sum() < FEWEST or not SIZES[0] < float(np.hypot(found[0, 0], found[1, 0])) < SIZES[1]:
        return None
    agree = np.zeros(len(home), bool)
    agree[among] = inside[:, 0] == 1
    return _Lain(np.asarray(found, float), agree)


def _back(move: Array) -> Array:
    """The move (2, 3) that undoes one."""
    return np.asarray(cv2.invertAffineTransform(move), float)
