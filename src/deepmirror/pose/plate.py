"""The near plate of a bar on the back: a disc found on a clicked frame and followed as a disc.

It hides the shoulder, and flow there follows the plate, which lies half a metre nearer the camera and so moves faster across
the picture than the client does. Followed for itself it tells where the shoulder went: bar and shoulder girdle are one.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.skeleton import near_side, sided
from deepmirror.pose.evidence import Evidence, Keyframe, rotate
from deepmirror.pose.rigid_attachment import blend

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

RADII = (0.32, 0.68)  # of the shank: plates of 250 to 450 mm, nearer the camera than shanks of 35 to 45 cm; heads are smaller
BESIDE = 1.3  # of the radius: a bar on the back holds its plate this near the shoulder; a head is further off
ASPECTS = (1.0, 0.96, 0.91, 0.85)  # a disc seen from up to 30° beside its axis is that much narrower than high
LEVEL_REACH, UP_REACH, DOWN_REACH = 0.7, 0.85, 0.35  # of the shank: where its centre may lie from the shoulder
STEP_REACH = 0.10  # of the shank: furthest a plate goes in one frame beyond what it did in the one before
STANDS_OUT = 3.0  # times what circles anywhere around there show: a patterned shirt has edges everywhere
RIM_POINTS = 48  # looked at around a rim; our own choice
COARSE_PX, FINE_PX = 2.0, 4.0  # a rim is some px wide: it is looked for on every other one, then closely around the best
EDGE = 12.0  # grey levels per px: an edge half as sure as a sharp one
FIT_FLOOR, KEPT_SHARE = 0.50, 0.60  # share of the rim that must be seen on the clicked frame; and later, of that
BAR_UP_CM, BAR_BACK_CM, BAR_SD_CM = 4.0, 9.0, 4.0  # a bar on the back, from the shoulder joint, along and across the trunk; our estimate
PLATE_NEARER_CM = 50.0  # a bar's inner plate stands 65 cm beside its middle (collars 1.31 m apart), a shoulder joint 16; from memory
FOCAL_SD = 0.2  # share that the picture's angle, and so the plate's gain, may be off


@dataclass(frozen=True)
class Disc:
    """An upright ellipse: centre (2,) px, half its height, px, and its width as a share of its height."""

    centre: Array
    radius: float
    aspect: float


class _Edges:
    """Picture gradients, and how much of a rim lies on edges that cross it."""

    def __init__(self, grey: Picture, around: Array, reach: float) -> None:
        size = np.array(grey.shape[::-1])
        self.corner = np.clip(np.floor(around - reach), 0, size - 1).astype(int)  # one pixel is left of a place outside the picture
        far = np.clip(np.ceil(around + reach).astype(int) + 1, self.corner + 1, size)
        part = cv2.GaussianBlur(grey[self.corner[1] : far[1], self.corner[0] : far[0]], (0, 0), 1.2)
        self.x = cv2.Sobel(part, cv2.CV_32F, 1, 0, scale=0.25)
        self.y = cv2.Sobel(part, cv2.CV_32F, 0, 1, scale=0.25)

    def fit(self, centres: Array, radius: float, aspect: float) -> Array:
        """Share (N,) of the rim around each centre (N, 2) px that is seen; what leaves the picture is not."""
        turn = np.arange(RIM_POINTS) * 2 * np.pi / RIM_POINTS
        rim = radius * np.stack([aspect * np.cos(turn), np.sin(turn)], axis=1)
        normal = np.stack([np.cos(turn), aspect * np.sin(turn)], axis=1)
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        at = np.rint(centres[:, None] + rim - self.corner).astype(int)
        height, width = self.x.shape
        inside = (at[..., 0] >= 0) & (at[..., 0] < width) & (at[..., 1] >= 0) & (at[..., 1] < height)
        column, row = np.clip(at[..., 0], 0, width - 1), np.clip(at[..., 1], 0, height - 1)
        gx, gy = self.x[row, column], self.y[row, column]
        across = np.abs(gx * normal[:, 0] + gy * normal[:, 1])
        return np.asarray((np.where(inside, across / (np.hypot(gx, gy) + EDGE), 0.0)).mean(axis=1))


def find_disc(grey: Picture, shoulder: Array, shank_px: float) -> tuple[Disc, float] | None:
    """The plate around a shoulder (2,) px and the share of its rim that is seen; None where there is none."""
    middle = shoulder + np.array([0.0, 0.5 * (DOWN_REACH - UP_REACH) * shank_px])
    edges = _Edges(grey, middle, (0.5 * (UP_REACH + DOWN_REACH) + RADII[1] + 0.1) * shank_px)
    step = max(1.0, 0.02 * shank_px)
    level = np.arange(-LEVEL_REACH, LEVEL_REACH, step / shank_px) * shank_px
    upright = np.arange(-UP_REACH, DOWN_REACH, step / shank_px) * shank_px
    centres = shoulder + np.stack(np.meshgrid(level, upright), axis=-1).reshape(-1, 2)
    best: tuple[float, Disc] | None = None
    anywhere: list[float] = []
    away = np.linalg.norm(centres - shoulder, axis=1)
    for radius in np.arange(*RADII, step / shank_px) * shank_px:
        near = centres[away < BESIDE * radius]
        for aspect in ASPECTS:
            share = edges.fit(near, float(radius), aspect)
            k = int(np.argmax(share))
            anywhere.append(float(np.median(share)))
            if best is None or share[k] > best[0]:
                best = float(share[k]), Disc(near[k], float(radius), aspect)
    assert best is not None
    rough = best[1]
    for radius in rough.radius + np.arange(-step, step + 0.1, 0.5):
        centre, share_there = _settle(edges, rough.centre, float(radius), rough.aspect, step)
        if share_there > best[0]:
            best = share_there, Disc(centre, float(radius), rough.aspect)
    plain = best[0] >= max(FIT_FLOOR, STANDS_OUT * float(np.median(anywhere)))
    return (best[1], best[0]) if plain else None


def _settle(edges: _Edges, about: Array, radius: float, aspect: float, reach: float) -> tuple[Array, float]:
    """Best centre within `reach` px: the middle of all that fit nearly as well, and the best fit."""
    if reach > FINE_PX:
        coarse = _around(about, reach, COARSE_PX)
        about = coarse[int(np.argmax(edges.fit(coarse, radius, aspect)))]
    centres = _around(about, min(reach, FINE_PX), 1.0)
    share = edges.fit(centres, radius, aspect)
    best = float(share.max())
    if best <= 0:
        return about, 0.0
    weight = np.clip(share - 0.9 * best, 0, None) ** 2
    return np.asarray((centres * weight[:, None]).sum(axis=0) / weight.sum()), best


def _around(about: Array, reach: float, step: float) -> Array:
    """Places (N, 2) px on a grid around one, as far as `reach` to each side."""
    grid = np.arange(-np.ceil(reach / step), np.ceil(reach / step) + 0.5) * step
    return np.asarray(about + np.stack(np.meshgrid(grid, grid), axis=-1).reshape(-1, 2))


class PlateFollower:
    """Follows the plate of a clicked frame through the film, forwards from where it was last seen."""

    def __init__(self, shank_px: float) -> None:
        self._shank = shank_px
        self._disc: Disc | None = None
        self._share = 0.0
        self._beside = np.zeros(2)
        self._last: Array | None = None
        self._move = np.zeros(2)

    def learn(self, grey: Picture, shoulder: Array) -> bool:
        """Find the plate beside a clicked shoulder (2,) px; False where there is none."""
        found = find_disc(grey, shoulder, self._shank)
        if found is not None:
            self._disc, self._share = found
            self._beside = self._disc.centre - shoulder
        return found is not None

    def find(self, grey: Picture, shoulder: Array) -> Array:
        """The plate's centre (2,) px in the next picture, NaN where it is not seen; shoulder (2,) px: about where that is."""
        if self._disc is None:
            return np.full(2, np.nan)
        lost = self._last is None
        about = shoulder + self._beside if self._last is None else self._last + self._move
        reach = (3 if lost else 1) * STEP_REACH * self._shank
        edges = _Edges(grey, about, reach + self._disc.radius + 4)
        centre, share = _settle(edges, about, self._disc.radius, self._disc.aspect, reach)
        if share < KEPT_SHARE * self._share:
            self._last, self._move = None, np.zeros(2)
            return np.full(2, np.nan)
        self._move = np.zeros(2) if self._last is None else centre - self._last
        self._last = centre
        return centre


def behind_plate(evidence: Evidence, keys: list[Keyframe], view: str, positions: Array, px_per_cm: float, camera_cm: float) -> Evidence:
    """The evidence with the near shoulder where the plate says it is, in place of what patch and flow saw of the plate.

    Between a clicked frame and another the bar's way is the plate's way, made smaller by how much nearer the plate is; and the
    shoulder turns about the bar as the trunk (positions (T, P, 2) px) does. camera_cm: the camera's distance from the client.
    """
    near = near_side(view)
    names = [sided(j, near or "left") for j in ("shoulder", "hip")]
    if near is None or not len(evidence.plate) or not set(names) <= set(evidence.names):
        return evidence
    at, hip = (evidence.names.index(n) for n in names)
    plate = compensate_camera_motion(evidence.plate[: len(evidence.times), None], evidence.room)[:, 0]
    seen = np.isfinite(plate[:, 0])
    rows = [k for k in sorted(keys, key=lambda k: k.frame) if names[0] in k.points and k.frame < len(seen) and seen[k.frame]]
    if not rows:
        return evidence
    trunk = positions[:, at] - positions[:, hip]
    turn = np.unwrap(np.arctan2(trunk[:, 1], trunk[:, 0]))
    way = 1 if view == "side-right" else -1
    gain = 1 + PLATE_NEARER_CM / max(camera_cm - PLATE_NEARER_CM, PLATE_NEARER_CM)
    paths, sigmas = [], []
    for key in rows:
        moved, bend = plate - plate[key.frame], turn - turn[key.frame]
        ahead = rotate(np.array([1.0, 0.0]), turn[key.frame])
        below = -px_per_cm * (BAR_UP_CM * ahead + BAR_BACK_CM * rotate(ahead, -way * np.pi / 2))
        shoulder = compensate_camera_motion(np.array([[key.points[names[0]]]]), evidence.room[key.frame : key.frame + 1])[0, 0]
        paths.append(shoulder + moved / gain + rotate(np.tile(below, (len(bend), 1)), bend) - below)
        doubts = (FOCAL_SD * (gain - 1) * np.linalg.norm(moved, axis=1), BAR_SD_CM * px_per_cm * 2 * np.abs(np.sin(bend / 2)))
        sigmas.append(np.sqrt(key.sigma_px**2 + doubts[0] ** 2 + doubts[1] ** 2))
    frames = [k.frame for k in rows]
    out = replace(evidence, match=evidence.match.copy(), match_sigma=evidence.match_sigma.copy(), step_sigma=evidence.step_sigma.copy())
    # flow and patches there are the plate's
    out.match[:, at] = np.where(seen[:, None], _shaken(blend(np.array(paths), frames), evidence.room), np.nan)
    out.match_sigma[:, at] = np.where(seen, np.min(sigmas, axis=0), np.inf)
    out.step_sigma[seen, at] = np.inf
    return out


def _shaken(path: Array, room: Array) -> Array:
    """A still path (T, 2) px as the moving camera sees it; room as in `stilled`."""
    if not len(room):
        return path
    room = room[: len(path)]
    return np.asarray(np.einsum("tij,tj->ti", room[:, :, :2], path) + room[:, :, 2])
