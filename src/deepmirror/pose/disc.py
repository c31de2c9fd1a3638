"""A disc in pictures, such as the near plate of a bar: found in a few pictures of a film and followed as a disc through all of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.fitted import fitted

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

# Of the shank: plates of 250 to 450 mm, nearer the camera by a quarter to a half than shanks of 35 to 45 cm.
RADII, RADIUS_STEP = (0.26, 1.0), 0.04
ASPECTS = (0.97, 0.87)  # a disc seen from up to 30° beside its axis is that much narrower than high
BESIDE = 1.5  # of the radius: so near lies a disc to the point it is looked for around
LEVEL_REACH = 0.8  # of the shank, to either side: where its centre may lie from there
UP_DOWN = (0.95, 0.5)  # of the shank, over and under the point, if nothing else is said: a bar on the back lies over the shoulder
COARSE_SHANK_PX = 50.0  # pictures are made so small for the wide search, in which centres lie two pixels apart
RIM_POINTS = 36  # looked at around a rim; our own choice
COARSE_PX, FINE_PX = 2.0, 4.0  # a rim is some px wide: it is looked for on every other one, then closely around the best
EDGE_OF_MEDIAN, EDGE = 2.0, (2.0, 12.0)  # times the median gradient there, grey levels per px, within: an edge half as sure as a sharp one
PLAIN = fitted("plate_rim")
STEP_REACH = 0.10  # of the shank: furthest a disc goes in one picture beyond what it did in the one before
KEPT_SHARE, AGAIN_SHARE = 0.65, 0.85  # of the rim that showed when it was found must show later, and where it is looked for wide
GROWS, GROWN_MOST = 0.01, 0.12  # share its radius may change by from picture to picture, and altogether; our own choice
LOOKS_WIDE_EVERY = 3  # pictures, while it is lost


@dataclass(frozen=True)
class Disc:
    """An upright ellipse: half its height, px, its width as a share of its height, and how much of its rim shows (share)."""

    radius: float
    aspect: float
    share: float


class _Edges:
    """Picture gradients around a place, and how much of a rim lies on edges that cross it. Places are px of the whole picture."""

    def __init__(self, grey: Picture, around: Array, reach: float, shrink: float = 1.0) -> None:
        size = np.array(grey.shape[::-1])
        corner = np.clip(np.floor(around - reach), 0, size - 1).astype(int)  # one pixel is left of a place outside the picture
        far = np.clip(np.ceil(around + reach).astype(int) + 1, corner + 1, size)
        part = np.asarray(grey[corner[1] : far[1], corner[0] : far[0]])
        if shrink < 1:
            small = np.maximum(np.array(part.shape[::-1]) * shrink, 1)
            part = np.asarray(cv2.resize(part, (int(small[0]), int(small[1])), interpolation=cv2.INTER_AREA))
        soft = cv2.GaussianBlur(part, (0, 0), 1.2)
        self._corner, self._shrink = corner, min(shrink, 1.0)
        self._x = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.25)
        self._y = cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.25)
        self._strength = np.hypot(self._x, self._y)
        self._edge = float(np.clip(EDGE_OF_MEDIAN * np.median(self._strength), *EDGE))

    def fit(self, centres: Array, radius: float, aspect: float) -> Array:
        """Share (N,) of the rim around each centre (N, 2) px that is seen; what leaves the picture is not."""
        turn = np.arange(RIM_POINTS) * 2 * np.pi / RIM_POINTS
        rim = radius * np.stack([aspect * np.cos(turn), np.sin(turn)], axis=1)
        normal = np.stack([np.cos(turn), aspect * np.sin(turn)], axis=1).astype(np.float32)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        at = np.rint((centres[:, None] + rim - self._corner) * self._shrink).astype(int)
        height, width = self._x.shape
        inside = (at[..., 0] >= 0) & (at[..., 0] < width) & (at[..., 1] >= 0) & (at[..., 1] < height)
        flat = np.clip(at[..., 1], 0, height - 1) * width + np.clip(at[..., 0], 0, width - 1)
        across = np.abs(self._x.ravel()[flat] * normal[:, 0] + self._y.ravel()[flat] * normal[:, 1])
        return np.asarray((np.where(inside, across / (self._strength.ravel()[flat] + self._edge), 0.0)).mean(axis=1))

    def settle(self, about: Array, radius: float, aspect: float, reach: float) -> tuple[Array, float]:
        """Best centre within `reach` px: the middle of all that fit nearly as well, and the best fit."""
        if reach > FINE_PX:
            coarse = _around(about, reach, COARSE_PX)
            about = coarse[int(np.argmax(self.fit(coarse, radius, aspect)))]
        centres = _around(about, min(reach, FINE_PX), 1.0)
        share = self.fit(centres, radius, aspect)
        best = float(share.max())
        if best <= 0:
            return about, 0.0
        weight = np.clip(share - 0.9 * best, 0, None) ** 2
        return np.asarray((centres * weight[:, None]).sum(axis=0) / weight.sum()), best


def _around(about: Array, reach: float, step: float) -> Array:
    """Places (N, 2) px on a grid around one, as far as `reach` to each side."""
    grid = np.arange(-np.ceil(reach / step), np.ceil(reach / step) + 0.5) * step
    return np.asarray(about + np.stack(np.meshgrid(grid, grid), axis=-1).reshape(-1, 2))


class _WideLook:
    """One picture made small, in which a disc is looked for around a point (2,) px."""

    def __init__(self, grey: Picture, point: Array, shank_px: float, up_down: tuple[float, float]) -> None:
        shrink = min(COARSE_SHANK_PX / shank_px, 1.0)
        step = COARSE_PX / shrink
        level = np.arange(-LEVEL_REACH * shank_px, LEVEL_REACH * shank_px + step, step)
        upright = np.arange(-up_down[0] * shank_px, up_down[1] * shank_px + step, step)
        self._centres = point + np.stack(np.meshgrid(level, upright), axis=-1).reshape(-1, 2)
        self._away = np.linalg.norm(self._centres - point, axis=1)
        self._edges = _Edges(grey, point, (max(up_down) + RADII[1] + 0.1) * shank_px, shrink)

    def best(self, radius: float, aspect: float) -> tuple[Array, float]:
        """Centre (2,) px of the disc of this size that shows best, and the share of its rim that does."""
        near = self._centres[self._away < BESIDE * radius]
        share = self._edges.fit(near, radius, aspect)
        k = int(np.argmax(share))
        return near[k], float(share[k])


def find_disc(
    pictures: Sequence[Picture], points: Array, shank_px: float, up_down: tuple[float, float] = UP_DOWN
) -> tuple[Disc, Array] | None:
    """The disc that most of the pictures show around their points (N, 2) px, and its centre (N, 2) px in each picture, NaN where it does
    not show; None where they show none. up_down: how far over and under its point it may lie, share of the shank."""
    looks = [_WideLook(grey, point, shank_px, up_down) for grey, point in zip(pictures, points, strict=True)]
    sizes = [(float(r), a) for r in np.arange(*RADII, RADIUS_STEP) * shank_px for a in ASPECTS]
    found = [[look.best(*size) for look in looks] for size in sizes]
    centres, shares = np.array([[c for c, _ in row] for row in found]), np.array([[s for _, s in row] for row in found])
    scores = np.sort(shares, axis=1)[:, len(looks) // 2 :].mean(axis=1)
    best = int(np.argmax(scores))  # a plate's rim or one of its rings: their centre is one
    disc, settled, shown = _closely(pictures, centres[best], shares[best], sizes[best])
    if disc.share < PLAIN:
        return None
    return disc, np.where((shown >= KEPT_SHARE * disc.share)[:, None], settled, np.nan)


def _closely(pictures: Sequence[Picture], centres: Array, shares: Array, size: tuple[float, float]) -> tuple[Disc, Array, Array]:
    """The disc to a pixel of its radius, with its centre (N, 2) px in each picture and the share (N,) of its rim that shows there."""
    radius, aspect = size
    reach = 0.06 * radius + 2
    edges = [_Edges(grey, centre, 1.3 * radius + 8) for grey, centre in zip(pictures, centres, strict=True)]
    clearest = np.argsort(-shares)[: max(len(pictures) // 2, 1)]
    radii = radius + np.arange(-2, 2.1, 0.5) * max(0.03 * radius, 1.0)
    finer = [(float(r), a) for r in radii for a in (aspect - 0.04, aspect, aspect + 0.03)]
    sure = [np.mean([edges[i].settle(centres[i], *each, reach)[1] for i in clearest]) for each in finer]
    radius, aspect = finer[int(np.argmax(sure))]
    settled = [e.settle(c, radius, aspect, reach) for e, c in zip(edges, centres, strict=True)]
    return Disc(radius, aspect, float(max(sure))), np.array([c for c, _ in settled]), np.array([s for _, s in settled])


class DiscFollower:
    """Follows a disc picture by picture, given in order; up_down: as in find_disc."""

    def __init__(self, disc: Disc, shank_px: float, up_down: tuple[float, float] = UP_DOWN) -> None:
        self._disc, self._shank, self._first_radius, self._up_down = disc, shank_px, disc.radius, up_down
        self._last: Array | None = None
        self._move = np.zeros(2)
        self._lost = 0

    @property
    def radius(self) -> float:
        """Half the disc's height in the last picture that showed it, px."""
        return self._disc.radius

    def find(self, grey: Picture, beside: Array) -> Array:
        """The disc's centre (2,) px in the next picture, NaN where it is not seen; beside (2,) px: the point it is beside, about."""
        reach = STEP_REACH * self._shank
        about = self._wide(grey, beside) if self._last is None else self._last + self._move
        if about is None:
            return np.full(2, np.nan)
        edges = _Edges(grey, about, reach + self._disc.radius * (1 + GROWS) + 4)
        centre, share = edges.settle(about, self._disc.radius, self._disc.aspect, reach)
        if share < KEPT_SHARE * self._disc.share:
            self._last, self._move, self._lost = None, np.zeros(2), 0
            return np.full(2, np.nan)
        self._grow(edges, centre)
        self._move = np.zeros(2) if self._last is None else centre - self._last
        self._last = centre
        return centre

    def _wide(self, grey: Picture, beside: Array) -> Array | None:
        """About where it is, looked for wide every few pictures; None where it does not show."""
        self._lost += 1
        if self._lost % LOOKS_WIDE_EVERY != 1:
            return None
        centre, share = _WideLook(grey, beside, self._shank, self._up_down).best(self._disc.radius, self._disc.aspect)
        return centre if share >= AGAIN_SHARE * self._disc.share else None

    def _grow(self, edges: _Edges, centre: Array) -> None:
        """What comes nearer grows."""
        radii = self._disc.radius * (1 + GROWS * np.array([-1.0, 0.0, 1.0]))
        shares = [float(edges.fit(_around(centre, 1.0, 1.0), float(r), self._disc.aspect).max()) for r in radii]
        most = self._first_radius * (1 + GROWN_MOST * np.array([-1.0, 1.0]))
        if shares[1] < max(shares):
            self._disc = replace(self._disc, radius=float(np.clip(radii[int(np.argmax(shares))], *most)))
