"""Following points from picture to picture: optical-flow steps and turned-patch correlation.

Both are guided by a first estimate of where the points are, so that neither can wander off.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.evidence import Keyframe, carrier_turns, directions

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

CLOUD_RADIUS = 0.075  # of the shank's length: small enough to stay on the limb
PATCH_RADIUS = 0.20  # of the shank's length
SEARCH_RADIUS = 0.11  # of the shank's length
WORKING_SHANK_PX = 150.0  # patches of larger bodies are shrunk to this size: finer pictures only cost time
AROUND_PX = 96  # of the picture around the points is enough for flow and its pyramid
# From picture to picture a joint goes by what lies before it when it is thought to move this much (px, share of the shank), and what
# moves no more than this (px, share of that) has stayed where it is; our own choice.
GOES_BY_PX, GOES_BY_SHARE = 1.5, 0.012
STAYS_PX, STAYS_SHARE = 0.3, 0.25
FEWEST = 6  # points of a cloud that must agree; our own choice
FORWARD_BACKWARD_PX = 1.0  # flow there and back may miss by so much; our own choice
MATCH_SIGMA_SHARE = 0.02  # of the shank's length: what a perfect-looking match may still be off
SCORE_FLOOR = 0.55  # correlation below which a patch was not found; our own choice
_LK = {"winSize": (17, 17), "maxLevel": 3, "criteria": (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 20, 0.02)}


def cloud(radius: float) -> NDArray[np.float32]:
    """Offsets (N, 2) px of the points followed around a joint: a disc of three rings."""
    rows = [(0.0, 0.0)]
    for share, count in ((0.4, 6), (0.75, 8), (1.0, 10)):
        for k in range(count):
            a = 2 * np.pi * k / count
            rows.append((radius * share * np.cos(a), radius * share * np.sin(a)))
    return np.array(rows, np.float32)


@dataclass(frozen=True)
class Flow:
    """Of the clouds of N points around P joints: how far each went (P, N, 2) px, by how much it missed on the way back (P, N) px, and
    whether that will do (P, N)."""

    moves: Array
    error: Array
    good: NDArray[np.bool_]


class StepFollower:
    """Measures how far each point moved between two neighbouring frames."""

    def __init__(self, shank_px: float) -> None:
        self._cloud = cloud(max(4.0, CLOUD_RADIUS * shank_px))
        self._goes_by = max(GOES_BY_PX, GOES_BY_SHARE * shank_px)
        self._before: Picture | None = None

    def flow(self, grey: Picture, centres: Array) -> Flow | None:
        """How the clouds around the points went from the previous picture; None in the first one. centres (P, 2) px: where the points are
        thought to be in the *previous* picture."""
        flow = None
        if self._before is not None:
            rows, columns = _window(centres, grey.shape)
            corner = np.array([columns.start, rows.start], np.float32)
            before, now = self._before[rows, columns], grey[rows, columns]
            start = (centres[:, None, :].astype(np.float32) - corner + self._cloud).reshape(-1, 1, 2)
            there, ok1, _ = cv2.calcOpticalFlowPyrLK(before, now, start, None, **_LK)  # type: ignore[call-overload]
            back, ok2, _ = cv2.calcOpticalFlowPyrLK(now, before, there, None, **_LK)  # type: ignore[call-overload]
            error = np.linalg.norm(back - start, axis=2)[:, 0].reshape(len(centres), -1)
            good = (np.minimum(ok1, ok2).reshape(error.shape) == 1) & (error < FORWARD_BACKWARD_PX)
            good &= np.isfinite(centres).all(axis=1, keepdims=True)
            flow = Flow((there - start)[:, 0].reshape(*error.shape, 2), error, good)
        self._before = grey
        return flow

    def steps(self, flow: Flow | None, moved: Array, stayed: Array) -> tuple[Array, Array]:
        """Steps (P, 2) px from the previous picture and their sigma (P,) px; inf where the flow did not agree with itself.

        moved (P, 2) px: how far the points are thought to go from there; stayed (P, 2) px: how far the still room goes there.
        """
        steps, sigma = np.full(moved.shape, np.nan), np.full(len(moved), np.inf)
        if flow is None:
            return steps, sigma
        good = flow.good & ~self._left_behind(flow.moves, moved, stayed)
        for p, g in enumerate(good):
            if g.sum() >= FEWEST:
                m = flow.moves[p, g]
                steps[p] = np.median(m, axis=0)
                spread = 1.48 * np.median(np.abs(m - steps[p]))
                sigma[p] = 0.15 + 0.5 * spread + 0.3 * float(np.median(flow.error[p, g]))
        return steps, sigma

    def _left_behind(self, moves: Array, moved: Array, stayed: Array) -> NDArray[np.bool_]:
        """(P, N) points of the clouds that stay with the room while their joint goes by: an upright before it, a wall behind it."""
        ahead = np.linalg.norm(moved - stayed, axis=1)
        behind = np.linalg.norm(moves - stayed[:, None], axis=2) < STAYS_PX + STAYS_SHARE * ahead[:, None]
        return np.asarray(behind & (ahead > self._goes_by)[:, None])


def _window(centres: Array, shape: tuple[int, ...]) -> tuple[slice, slice]:
    """Rows and columns of the picture around points (P, 2) px; the whole picture where they lie outside it."""
    known = centres[np.isfinite(centres).all(axis=1)]
    if not len(known):
        return slice(0, shape[0]), slice(0, shape[1])
    (x0, y0), (x1, y1) = np.floor(known.min(axis=0)).astype(int) - AROUND_PX, np.ceil(known.max(axis=0)).astype(int) + AROUND_PX
    rows, columns = slice(max(int(y0), 0), min(int(y1), shape[0])), slice(max(int(x0), 0), min(int(x1), shape[1]))
    if rows.stop - rows.start < AROUND_PX or columns.stop - columns.start < AROUND_PX:
        return slice(0, shape[0]), slice(0, shape[1])
    return rows, columns


@dataclass(frozen=True)
class Patch:
    """A turned picture patch around a point on a keyframe: along which carrier, how that and the first carrier lay there."""

    frame: int
    point: int
    carrier: int
    centre: Array
    direction: float
    first_turn: float
    pixels: NDArray[np.float32]


class PatchFollower:
    """Looks for the keyframes' patches near where a point should be, turned as its segment has turned."""

    def __init__(self, shank_px: float) -> None:
        self._shrink = min(1.0, WORKING_SHANK_PX / max(shank_px, 1.0))
        self._radius = int(np.clip(round(PATCH_RADIUS * shank_px * self._shrink), 8, 60))
        self._search = int(np.clip(round(SEARCH_RADIUS * shank_px * self._shrink), 5, 30))
        self._sigma_floor = max(1.0, MATCH_SIGMA_SHARE * shank_px)
        self._patches: list[Patch] = []

    def learn(self, grey: Picture, keyframe: Keyframe, names: list[str], centres: Array) -> None:
        """Keep the patches of the points clicked on this frame; centres (P, 2) px give place and direction.

        A point that was placed outside the picture, as the body goes on there, has none.
        """
        turns, first = directions(centres[None], names)[0], carrier_turns(centres[None], names)[0]
        for p, name in enumerate(names):
            if name not in keyframe.points or not in_picture(grey, centres[p]):
                continue
            for c in range(2):
                if np.isfinite(turns[p, c]):
                    pixels = turned(grey, centres[p], float(turns[p, c]), self._radius, self._shrink)
                    if pixels.std() > 4:
                        self._patches.append(Patch(keyframe.frame, p, c, centres[p].copy(), float(turns[p, c]), float(first[p]), pixels))

    def learned(self) -> Array:
        """(K, 5): frame, point, centre x, centre y, first carrier's turn of every patch."""
        rows = [(p.frame, p.point, p.centre[0], p.centre[1], p.first_turn) for p in self._patches]
        return np.array(rows, float).reshape(-1, 5)

    def match(self, grey: Picture, centres: Array, names: list[str]) -> tuple[Array, Array, Array]:
        """Best places (P, 2) px of the patches, their sigma (P,) px (inf where none fits well), and which patch (P,) fitted."""
        turns = directions(centres[None], names)[0]
        found, best, which = np.full((len(names), 2), np.nan), np.full(len(names), -1.0), np.full(len(names), -1.0)
        reach = self._radius + self._search
        for k, patch in enumerate(self._patches):
            turn = turns[patch.point, patch.carrier]
            if not np.isfinite(turn) or not np.isfinite(centres[patch.point]).all():
                continue
            field = turned(grey, centres[patch.point], float(turn), reach, self._shrink)
            score = np.asarray(cv2.matchTemplate(field, patch.pixels, cv2.TM_CCOEFF_NORMED), np.float32)
            value, (dx, dy) = peak(score)
            if value > best[patch.point]:
                shift = np.array([dx - self._search, dy - self._search]) / self._shrink
                c, s = np.cos(turn), np.sin(turn)
                found[patch.point] = centres[patch.point] + np.array([c * shift[0] - s * shift[1], s * shift[0] + c * shift[1]])
                best[patch.point], which[patch.point] = value, k
        best[[p for p, at in enumerate(found) if best[p] > SCORE_FLOOR and not in_picture(grey, at)]] = -1.0
        sigma = np.where(best > SCORE_FLOOR, self._sigma_floor + 14.0 * np.clip(1 - best, 0, 1) ** 1.5, np.inf)
        found[~np.isfinite(sigma)] = np.nan
        return found, sigma, which


def in_picture(grey: Picture, place: Array) -> bool:
    """True where a place (2,) px lies inside the picture."""
    return bool(np.all(place >= 0) and np.all(place <= np.array(grey.shape[1::-1]) - 1))


def turned(grey: Picture, centre: Array, turn: float, radius: int, shrink: float = 1.0) -> NDArray[np.float32]:
    """Square patch (2 radius + 1)² around `centre` (px) whose x axis points along `turn` in the picture, at `shrink` of its size."""
    c, s = np.cos(turn) / shrink, np.sin(turn) / shrink
    inverse = np.array([[c, -s, centre[0] - c * radius + s * radius], [s, c, centre[1] - s * radius - c * radius]])
    size = 2 * radius + 1
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(grey, inverse, (size, size), flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32)


def peak(score: NDArray[np.float32]) -> tuple[float, tuple[float, float]]:
    """Highest score and its place, to a fraction of a pixel by parabolas through the neighbours. score (H, W)."""
    row, col = np.unravel_index(int(np.argmax(score)), score.shape)
    value, y, x = float(score[row, col]), float(row), float(col)
    if 0 < col < score.shape[1] - 1:
        x += _vertex(score[row, col - 1], value, score[row, col + 1])
    if 0 < row < score.shape[0] - 1:
        y += _vertex(score[row - 1, col], value, score[row + 1, col])
    return value, (x, y)


def _vertex(before: float, at: float, after: float) -> float:
    bend = before - 2 * at + after
    return 0.0 if bend >= 0 else float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5))
