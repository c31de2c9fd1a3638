"""How far each segment has turned since a keyframe, seen on the segment as a whole.

Where a joint lies in a moving limb is a matter of opinion; how far a thigh has turned is not. A strip of the picture along the
segment, outline and cloth, is laid over the same strip of the keyframe (Evangelidis & Psarakis 2008, as in OpenCV). That needs
no joint and does not drift. Postures too unlike the keyframe are reached over stepping stones: frames between, themselves laid
over it before.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SEGMENTS, sided
from deepmirror.pose.evidence import TURNING
from deepmirror.pose.sole import clear, sole_direction

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Field = NDArray[np.float32]

EVERY = 2  # frames between strips: a turn is smooth, and flow tells what lies between
ROWS = 64  # of a strip, whatever the film's size
MARGIN = 7  # rows and columns kept around a strip, so that it may lie askew
FLATTEN, SOFTEN = 4.0, 0.9  # rows: shading wider than the one is no cloth, detail finer than the other is noise
FITS = 0.72  # correlation below which nothing was found
STONE_BELOW = 0.92  # a frame that fits no better becomes a stepping stone
ERR_TOGETHER = 20.0  # px of a strip
APART_DEG, LEARNED = 4.0, 3  # a segment turned this far from what it lies over tells its own pixels from the room's; after so many
MIN_CORRELATION, CORRELATION_REACH_PX, MIN_MATCHING_SHARE = (
    0.6,
    2.0,
    0.15,
)  # correlation within so many px of what is its own, and the least share of a strip


@dataclass(frozen=True)
class Manner:
    """How a segment's strip is cut and laid.

    start, end, half: which part of the segment, from its first joint, and half the width, as shares of its length; guesses: turns
    (degrees) to begin from; askew: a fit further off than this (degrees) is a mistake; farthest: turned further (degrees) the
    segment shows another side; growth: how uncertainty grows with the turn, and floor: what a perfect-looking fit may be off
    (degrees), both from our bench; fits: correlation below which nothing was found; stones: how many are tried.
    """

    start: float
    end: float
    half: float
    guesses: tuple[float, ...] = (0.0, -5.0, 5.0)
    askew: float = 15.0
    farthest: float = 110.0
    growth: float = 0.045
    floor: float = 0.3
    fits: float = FITS
    stones: int = 1


BESIDE_PLATE = (0.0, 0.62)  # of the trunk: what the plate of a bar on the back leaves to be seen
# A shoe turns in the picture and shows the same side throughout; part of it may be hidden.
MANNERS = {
    "thigh": Manner(0.10, 0.95, 0.22),
    "shank": Manner(0.05, 0.85, 0.15),
    "trunk": Manner(0.10, 0.75, 0.22, floor=1.0),  # it bends: hip and shoulder may turn otherwise than the shirt between them
    "foot": Manner(0.0, 1.1, 0.38, (0.0, -7.0, 7.0, -14.0, 14.0), 25.0, farthest=180.0, growth=0.01, fits=0.60, stones=2),
}


@dataclass(frozen=True)
class Strip:
    """One segment's strip of one frame: pixels with their margin, and the direction (degrees) it was cut along."""

    pixels: Field
    direction: float


@dataclass(frozen=True)
class _Stone:
    """A strip that lies over the keyframe's: the direction (degrees) of its segment, and how surely."""

    pixels: Field
    direction: float
    sigma: float


@dataclass(frozen=True)
class Turns:
    """For K keyframes: turn (K, T, S) rad since each, NaN where not seen, sigma (K, T, S) rad, inf there; since (K,) frames;
    sole (T,): direction of the shoe, rad, NaN where its sole shows no clear edge."""

    turn: Array
    sigma: Array
    since: Array
    sole: Array


def watch_turns(
    frames: Iterable[Picture],
    positions: Array,
    names: list[str],
    side: str,
    keyframes: list[int],
    seen: dict[str, tuple[float, float]],
    tick: Callable[[int], None],
) -> Turns:
    """How the segments of one side turn, seen along positions (T, P, 2) px of `names`.

    frames: grey pictures in order; seen: segment -> which part of it shows, from its first joint 0 to its last 1, where not its manner's.
    """
    axes = {s: _axis(s, positions, names, side, seen.get(s)) for s in TURNING}
    strips: dict[str, dict[int, Strip]] = {s: {} for s in TURNING}
    shoe = [positions[:, names.index(sided(j, side))] for j in ("heel", "toe", "ankle")]
    soles = np.full(len(positions), np.nan)
    for number, grey in zip(range(len(positions)), frames, strict=False):
        tick(number)
        if number % EVERY and number not in keyframes:
            continue
        soles[number] = sole_direction(grey, *(p[number] for p in shoe))
        for segment, (a, b, half) in axes.items():
            d = b[number] - a[number]
            if np.hypot(*d) > 1:
                strips[segment][number] = Strip(cut(grey, a[number], b[number], half), float(np.degrees(np.arctan2(d[1], d[0]))))
    turn, sigma = _laid(strips, keyframes, len(positions))
    return Turns(turn, sigma, np.array(keyframes, float), soles if clear(soles[::EVERY]) else np.full_like(soles, np.nan))


def _axis(segment: str, positions: Array, names: list[str], side: str, seen: tuple[float, float] | None) -> tuple[Array, Array, int]:
    """Both ends (T, 2) px of a segment's strip and half its width in rows."""
    manner = MANNERS[segment]
    start, end = seen or (manner.start, manner.end)
    a, b = (positions[:, names.index(sided(j, side))] for j in SEGMENTS[segment])
    return a + (b - a) * start, a + (b - a) * end, round(manner.half / (end - start) * ROWS)


def _laid(strips: dict[str, dict[int, Strip]], keyframes: list[int], frames: int) -> tuple[Array, Array]:
    shape = (len(keyframes), frames, len(TURNING))
    turn, sigma = np.full(shape, np.nan), np.full(shape, np.inf)
    with ThreadPoolExecutor(2) as pool:
        jobs = [
            (k, TURNING.index(s), pool.submit(_walk, cuts, frame, MANNERS[s]))
            for s, cuts in strips.items()
            for k, frame in enumerate(keyframes)
            if frame in cuts
        ]
        for k, s, job in jobs:
            for frame, (degrees, fit_sd) in job.result().items():
                turn[k, frame, s], sigma[k, frame, s] = np.radians(degrees), np.radians(fit_sd)
    return turn, sigma


def _walk(strips: dict[int, Strip], key: int, manner: Manner) -> dict[int, tuple[float, float]]:
    """Frame -> turn since the keyframe and its sigma, degrees; from the keyframe outwards, so that stones lie ready."""
    walker, placed = Walker(strips[key], manner), dict[int, tuple[float, float] | None]()
    for outwards in (sorted(f for f in strips if f >= key), sorted((f for f in strips if f < key), reverse=True)):
        walker.last = None
        placed |= {f: walker.place(strips[f]) for f in outwards}
    return {f: p for f, p in placed.items() if p is not None}


class Walker:
    """Lays the strips of one segment over one keyframe's."""

    def __init__(self, key: Strip, manner: Manner) -> None:
        self.key, self._manner = key, manner
        self._stones = [_Stone(key.pixels, key.direction, 0.0)]
        self._own = _Own(key.pixels.shape)
        self.last: Field | None = None  # how the strip before lay: the next one lies much like it

    def place(self, strip: Strip) -> tuple[float, float] | None:
        """Turn (degrees) since the keyframe and its sigma; None where nothing fits."""
        if abs(wrapped(strip.direction - self.key.direction)) > self._manner.farthest:
            return None
        best: _Stone | None = None
        under = self._stones[0]
        for stone in self._near(strip):
            score, moved = lay(stone.pixels, self._own.mask, _inner(strip.pixels), self._manner, self.last)
            off = -float(np.degrees(np.arctan2(moved[1, 0], moved[0, 0])))
            if score < self._manner.fits or abs(off) > self._manner.askew:
                continue
            laid = _straightened(strip.pixels, moved)
            own = fit_sd(stone.pixels, laid, self._own.mask)
            sigma = float(np.linalg.norm([stone.sigma, self._manner.floor, 2 * own]))
            if best is None or sigma < best.sigma:
                best, under, self.last = _Stone(laid, strip.direction - off, sigma), stone, moved
            if score > STONE_BELOW:
                break
        else:
            if best is not None:
                self._stones.append(best)
        if best is None:
            return None
        if abs(best.direction - under.direction) > APART_DEG:
            self._own.learn(under.pixels, best.pixels)
        turn = float(wrapped(best.direction - self.key.direction))
        return turn, float(np.hypot(best.sigma, self._manner.growth * turn))

    def _near(self, strip: Strip) -> list[_Stone]:
        stones = sorted(self._stones[1:], key=lambda s: abs(wrapped(s.direction - strip.direction)))
        return [self._stones[0], *stones[: self._manner.stones]]


class _Own:
    """Which pixels of a strip are the segment's own: those that stay alike while it turns, as the room behind it does not."""

    def __init__(self, shape: tuple[int, ...]) -> None:
        self._both, self._first, self._second = (np.zeros(shape, np.float32) for _ in range(3))
        self._seen = 0
        self.mask = np.full(shape, 255, np.uint8)

    def learn(self, a: Field, b: Field) -> None:
        """Two strips laid over one another whose segment had turned between them."""
        self._both += a * b
        self._first += a * a
        self._second += b * b
        self._seen += 1
        if self._seen % LEARNED:
            return
        both, first, second = (cv2.GaussianBlur(v, (0, 0), CORRELATION_REACH_PX) for v in (self._both, self._first, self._second))
        alike = both > MIN_CORRELATION * np.sqrt(first * second + 1e-6)
        if alike.mean() > MIN_MATCHING_SHARE:
            self.mask = np.asarray(alike * 255, np.uint8)


def cut(grey: Picture, a: Array, b: Array, half: int) -> Field:
    """The picture along a -> b (px): ROWS + 1 rows, 2 half + 1 columns and MARGIN around; a row is as high as a column is wide."""
    down = (b - a) / ROWS
    right = np.array([-down[1], down[0]])
    corner = a - MARGIN * down - (half + MARGIN) * right
    inverse = np.array([[right[0], down[0], corner[0]], [right[1], down[1], corner[1]]])
    size = (2 * (half + MARGIN) + 1, ROWS + 2 * MARGIN + 1)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out = np.asarray(cv2.warpAffine(grey, inverse, size, flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32)
    out -= cv2.GaussianBlur(out, (0, 0), FLATTEN)
    return np.asarray(cv2.GaussianBlur(out, (0, 0), SOFTEN), np.float32)


def lay(reference: Field, mask: Picture, pixels: Field, manner: Manner, last: Field | None = None) -> tuple[float, Field]:
    """Correlation, and the rigid movement (2, 3) that lays `pixels` (without margin) over `reference` (with it) where the mask is set.

    last: a movement to begin from before the manner's own guesses.
    """
    best, moved = -1.0, np.eye(2, 3, dtype=np.float32)
    starts = [_about_middle(degrees, pixels.shape) for degrees in manner.guesses]
    for start in [last, *starts] if last is not None else starts:
        try:
            score, found = cv2.findTransformECC(pixels, reference, start.copy(), cv2.MOTION_EUCLIDEAN, (3, 30, 1e-4), mask, 1)
        except cv2.error:  # it wandered off
            continue
        if score > best:
            best, moved = float(score), np.asarray(found, np.float32)
        if best > manner.fits:
            break
    return best, moved


def _about_middle(degrees: float, shape: tuple[int, ...]) -> Field:
    """The movement (2, 3) from a strip without margin into one with it that only turns."""
    out = cv2.getRotationMatrix2D(((shape[1] - 1) / 2, (shape[0] - 1) / 2), -degrees, 1.0)
    out[:, 2] += MARGIN
    return out.astype(np.float32)


def fit_sd(reference: Field, laid: Field, mask: Picture) -> float:
    """Standard deviation (degrees) of the turn: what is left of the difference, against what a turn would have changed."""
    own = mask[MARGIN:-MARGIN, MARGIN:-MARGIN] > 0
    a, b = _inner(reference), _inner(laid)
    gx, gy = cv2.Sobel(b, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(b, cv2.CV_32F, 0, 1) / 8
    y, x = np.mgrid[0 : b.shape[0], 0 : b.shape[1]]
    turning = gy * (x - x.mean()) - gx * (y - y.mean())
    a, b = a[own] - a[own].mean(), b[own] - b[own].mean()
    gain = float((a * b).sum() / max(float((b * b).sum()), 1e-6))
    j = gain * np.stack([turning[own], gx[own], gy[own]], axis=1)
    inverse = np.linalg.inv(j.T @ j + 1e-3 * np.eye(3))
    return float(np.degrees(np.sqrt(inverse[0, 0] * float(((a - gain * b) ** 2).mean()) * ERR_TOGETHER)))


def _inner(pixels: Field) -> Field:
    return np.ascontiguousarray(pixels[MARGIN:-MARGIN, MARGIN:-MARGIN])


def _straightened(pixels: Field, moved: Field) -> Field:
    """A strip with margin as it lies over the reference; `moved` takes places without margin there."""
    height, width = pixels.shape
    whole = np.array(moved, np.float32)
    whole[:, 2] -= whole[:, :2] @ np.array([MARGIN, MARGIN], np.float32)
    return np.asarray(cv2.warpAffine(pixels, whole, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)
