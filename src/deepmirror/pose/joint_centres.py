"""Where joints' centres lie from the network's points, as a small second network reads it from the picture around each point.

The pose network was trained on what people click in photographs: its hips lie where hips look to be, not where they turn. This one
was trained on rendered pictures whose joints are known exactly (`studio/learn_centres.py`), and says for every joint and look how
far it may be off. It is a few small convolutions, run by NumPy.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS, JOINTS, SEGMENTS, SIDES, near_side, sided
from deepmirror.core.views import UP, facing, outward
from deepmirror.pose.network import COLUMNS, Detection

Array = NDArray[np.float64]
Floats = NDArray[np.float32]
Picture = NDArray[np.uint8]

READ = ("shoulder", "hip", "knee", "ankle", "heel", "toe")  # the joints whose centres are read
# From the side: what runs down in the little picture around a joint, which is what its offsets turn with; around a foot the shank.
UPRIGHT = {"shoulder": ("shoulder", "hip"), "hip": ("hip", "knee"), "knee": ("hip", "knee")}
PATCH = 72  # px, side of the little picture
SPAN = 1.6  # its side in body units
CONVOLUTIONS = 4
LEAST_WIDTH = 0.003  # body units: nothing is said to be surer
FEATURE_LIMIT = 4.0  # half sides of a little picture; what lies further off is no part of this body


@dataclass(frozen=True)
class Patch:
    """One joint's little picture: its name, the affine map (2, 3) from the picture to it, and how many px of the picture one body
    unit is."""

    name: str
    to_patch: Array
    unit: float


@dataclass(frozen=True)
class Centres:
    """Of ALL_POINTS in one look: where each centre lies from the network's point (P, 2) px, NaN where none was read, and how sure that
    is (P, 2) px along and across the little picture, inf there."""

    move: Array
    sigma: Array


def body_unit(points: Array, side: str, view: str) -> float:
    """About the length of a shank (px), from all segments of a side that a view shows at their length. points (P, 2) px of ALL_POINTS."""

    def length(a: str, b: str) -> float:
        return float(np.hypot(*(points[ALL_POINTS.index(sided(a, side))] - points[ALL_POINTS.index(sided(b, side))])))

    trunk, shank = length("shoulder", "hip"), length("knee", "ankle")
    return (trunk + length("hip", "knee") + shank) / 3.4 if near_side(view) else (trunk + shank) / 2.3


def patches(points: Array, view: str) -> list[Patch]:
    """The little pictures of a look, turned so that the limb runs down, and mirrored so that she faces right (from the side) or that the
    leg is the one on the screen's right. points (P, 2) px of ALL_POINTS."""
    near = near_side(view)
    return [_patch(points, joint, side, view) for side in ([near] if near else SIDES) for joint in READ]


def _patch(points: Array, joint: str, side: str, view: str) -> Patch:
    unit = max(body_unit(points, side, view), 4.0)
    turn = 0.0
    if near_side(view):
        start, end = (points[ALL_POINTS.index(sided(j, side))] for j in UPRIGHT.get(joint, ("knee", "ankle")))
        turn = float(np.arctan2(end[0] - start[0], end[1] - start[1]))  # how far down is turned towards the right of the screen
    mirror = facing(view) or outward(view, side)
    grow = PATCH / (SPAN * unit)
    c, s = np.cos(turn) * grow, np.sin(turn) * grow
    affine = np.array([[c, -s], [s, c]])
    affine[0] *= mirror
    middle = np.full(2, PATCH / 2 - 0.5)
    at = points[ALL_POINTS.index(sided(joint, side))]
    return Patch(sided(joint, side), np.hstack([affine, (middle - affine @ at)[:, None]]), unit)


def little_picture(rgb: Picture, patch: Patch) -> Picture:
    """(PATCH, PATCH, 3) uint8; a larger picture is averaged before it is sampled, or it would alias."""
    shrink = patch.unit * SPAN / PATCH
    affine = patch.to_patch
    if shrink > 2:
        corners = cv2.invertAffineTransform(affine) @ np.array([[0, 0, 1], [PATCH, 0, 1], [0, PATCH, 1], [PATCH, PATCH, 1]]).T
        (x0, y0), (x1, y1) = np.floor(corners.min(axis=1)).astype(int) - 2, np.ceil(corners.max(axis=1)).astype(int) + 2
        x0, y0 = max(x0, 0), max(y0, 0)
        part = rgb[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)]
        if part.size:
            factor = int(shrink)
            small = cv2.resize(part, (max(part.shape[1] // factor, 1), max(part.shape[0] // factor, 1)), interpolation=cv2.INTER_AREA)
            sx, sy = part.shape[1] / small.shape[1], part.shape[0] / small.shape[0]
            grow = np.array([[sx, 0, (sx - 1) / 2 + x0], [0, sy, (sy - 1) / 2 + y0], [0, 0, 1]])
            rgb, affine = np.asarray(small, np.uint8), affine @ grow
    return np.asarray(cv2.warpAffine(rgb, affine, (PATCH, PATCH), flags=cv2.INTER_LINEAR), np.uint8)


def features(points: Array, visibility: Array, clearness: float, patch: Patch, view: str, down: Array = -UP) -> Floats:
    """What is known of the look besides the little picture (F,): all points as they lie in it, own side first, how surely each was
    seen, how clearly all were, which joint and which view this is, and `down`: where the lower side of the square lies that was looked
    into, which is turned with the trunk (a kept look is that square, so it is its own down)."""
    joint, _, side = patch.name.rpartition("_")
    other = SIDES[1 - SIDES.index(side)]
    order = [ALL_POINTS.index(sided(j, s)) for s in (side, other) for j in JOINTS]
    placed = (points[order] @ patch.to_patch[:, :2].T + patch.to_patch[:, 2]) / (PATCH / 2) - 1
    down = patch.to_patch[:, :2] @ down
    kind = ["side", "front", "rear"].index("side" if near_side(view) else view)
    told = [
        np.clip(placed, -FEATURE_LIMIT, FEATURE_LIMIT).ravel(),
        visibility[order],
        [clearness],
        down / np.hypot(*down),
        np.eye(len(READ))[READ.index(joint)],
        np.eye(3)[kind],
    ]
    return np.concatenate(told).astype(np.float32)


class CentreReader:
    """Reads the centres of a look's joints out of its picture."""

    def __init__(self, view: str) -> None:
        self._view, self._weights = view, weights()

    def read(self, rgb: Picture, seen: Detection) -> Centres:
        """seen: what the pose network saw in a picture (H, W, 3) RGB."""
        points, visibility, clearness = seen.points[COLUMNS], seen.visibility[COLUMNS], seen.clearness
        around, down = patches(points, self._view), seen.to_picture[:, 1]
        pictures = np.stack([little_picture(rgb, patch) for patch in around]).astype(np.float32).transpose(0, 3, 1, 2) / 255
        known = np.stack([features(points, visibility, clearness, patch, self._view, down) for patch in around])
        out = run(self._weights, pictures.astype(np.float32), known)
        move, spread = np.full((len(ALL_POINTS), 2), np.nan), np.full((len(ALL_POINTS), 2), np.inf)
        for patch, told in zip(around, out.astype(float), strict=True):
            p = ALL_POINTS.index(patch.name)
            move[p] = np.linalg.inv(patch.to_patch[:, :2]) @ told[:2] * PATCH / SPAN
            across, along = patch.unit * np.sqrt(2) * (np.logaddexp(0, told[2:]) + LEAST_WIDTH)  # of a Laplace distribution
            # a foot's own direction runs about across the shank
            spread[p] = (across, along) if near_side(self._view) and patch.name.startswith(SEGMENTS["foot"]) else (along, across)
        return Centres(move, spread)


@cache
def weights() -> dict[str, Floats]:
    """What was learned, by the name of the layer."""
    with (resources.files("deepmirror.pose") / "models" / "joint_centres.npz").open("rb") as file, np.load(file) as data:
        learned = {k: data[k].astype(np.float32) for k in data.files if k != "about"}
    return {k: np.ascontiguousarray(v.transpose(0, 2, 3, 1)) if k.startswith("kernel") else v for k, v in learned.items()}


def run(learned: dict[str, Floats], pictures: Floats, known: Floats) -> Floats:
    """The network: (N, 4) across and along in body units, and the widths of both before `softplus`. pictures (N, 3, PATCH, PATCH) 0..1,
    known (N, F)."""
    x = pictures.transpose(0, 2, 3, 1)
    for k in range(CONVOLUTIONS):
        x = _convolved(x, learned[f"kernel_{k}"], learned[f"bias_{k}"])
    seen = _layer(x.transpose(0, 3, 1, 2).reshape(len(x), -1), learned, "seen")
    both = _layer(np.concatenate([seen, _layer(known, learned, "known")], axis=1), learned, "both")
    return np.asarray(both @ learned["out_weight"].T + learned["out_bias"], np.float32)


def _layer(x: Floats, learned: dict[str, Floats], name: str) -> Floats:
    return np.asarray(np.maximum(x @ learned[f"{name}_weight"].T + learned[f"{name}_bias"], 0), np.float32)


def _convolved(x: Floats, kernel: Floats, bias: Floats) -> Floats:
    """Every second place of a convolution, cut off below zero. x (N, H, W, C), kernel (D, k, k, C) -> (N, H/2, W/2, D)."""
    size = kernel.shape[1]
    padded = np.pad(x, ((0, 0), (size // 2, size // 2), (size // 2, size // 2), (0, 0)))
    windows = np.lib.stride_tricks.sliding_window_view(padded, (size, size), axis=(1, 2))[:, ::2, ::2].transpose(0, 1, 2, 4, 5, 3)
    out = windows.reshape(-1, kernel[0].size) @ kernel.reshape(len(kernel), -1).T + bias
    return np.asarray(np.maximum(out, 0), np.float32).reshape(*windows.shape[:3], len(kernel))
