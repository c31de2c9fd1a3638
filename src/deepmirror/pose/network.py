"""The pose network: finds a body in a picture and its landmarks inside a turned square region.

The three model files are BlazePose-family networks (Apache-2.0, see pose/models/LICENSE and NOTICE); this module only
runs them. Coordinates are pixels with (0, 0) at the centre of the top-left pixel.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from importlib import resources
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Quality = Literal["full", "heavy"]

# Index of each landmark in the network's output.
NETWORK_INDEX = {
    "ear_left": 7,
    "ear_right": 8,
    "shoulder_left": 11,
    "shoulder_right": 12,
    "elbow_left": 13,
    "elbow_right": 14,
    "wrist_left": 15,
    "wrist_right": 16,
    "hip_left": 23,
    "hip_right": 24,
    "knee_left": 25,
    "knee_right": 26,
    "ankle_left": 27,
    "ankle_right": 28,
    "heel_left": 29,
    "heel_right": 30,
    "toe_left": 31,
    "toe_right": 32,
}
COLUMNS = [NETWORK_INDEX[n] for n in ALL_POINTS]
CLEAR_JOINTS = [i for n, i in NETWORK_INDEX.items() if n.split("_")[0] in ("shoulder", "hip", "knee", "ankle")]
LANDMARKS = 39  # what the network gives, as its makers run it, from memory
_OTHER = {i: NETWORK_INDEX[f"{n.rpartition('_')[0]}_{'right' if n.endswith('left') else 'left'}"] for n, i in NETWORK_INDEX.items()}
IN_MIRROR = [_OTHER.get(i, i) for i in range(LANDMARKS)]  # which landmark shows where each is seen in a mirror
CROP = 256  # px, the network's input, as its makers run it, from memory
DETECT = 224  # px, the detector's input, as its makers run it, from memory
REGION_MARGIN = 1.25  # of the body's circle, as the network was trained on; as its makers run it, from memory
HEAT_KERNEL = 7  # cells around a landmark that refine it; as its makers run it, from memory
HEAT_FLOOR = 0.5  # a heat map below it refines nothing; as its makers run it, from memory
DETECT_FLOOR = 0.5  # score of a body found; as its makers run it, from memory


@dataclass(frozen=True)
class Region:
    """A square to look into: centre (px), side (px), and the turn (rad) that makes the body upright in it."""

    x: float
    y: float
    side: float
    turn: float

    def to_crop(self) -> Array:
        """2 x 3 affine map from picture pixels to crop pixels. (2, 3)."""
        s = CROP / self.side
        c, n = np.cos(-self.turn) * s, np.sin(-self.turn) * s
        mid = CROP / 2 - 0.5
        return np.array([[c, -n, mid - c * self.x + n * self.y], [n, c, mid - n * self.x - c * self.y]])


@dataclass(frozen=True)
class Detection:
    """Landmarks (39, 2) px, their visibility (39,) 0..1, the network's belief that a body is there, and how clearly it tells where
    shoulders, hips, knees and ankles are (0..1): a region turned away from the body blurs them, whatever the belief says.

    sureness (39,): how surely the network's own map of a landmark holds it to be where it was put (0..1).
    body (256, 256): positive where the region's square shows the body; to_picture (2, 3): the affine map from the square to the picture.
    """

    points: Array
    visibility: Array
    presence: float
    clearness: float
    sureness: Array
    body: NDArray[np.float32]
    to_picture: Array

    def next_region(self) -> Region:
        return region_from(self.points[33], self.points[34])


def region_from(centre: Array, top: Array) -> Region:
    """The square whose upright axis runs from the hip centre to the body-scale point. centre, top (2,) px."""
    d = top - centre
    return Region(float(centre[0]), float(centre[1]), float(2 * np.hypot(*d) * REGION_MARGIN), float(np.arctan2(d[0], -d[1])))


def region_around(points: dict[str, tuple[float, float]]) -> Region | None:
    """The region that clicked points ask for: centred on the hips, the trunk upright in it; None without hip and shoulder."""
    hips = [np.array(v) for k, v in points.items() if k.startswith("hip")]
    shoulders = [np.array(v) for k, v in points.items() if k.startswith("shoulder")]
    if not hips or not shoulders:
        return None
    hip, shoulder = np.mean(hips, axis=0), np.mean(shoulders, axis=0)
    reach = max(float(np.hypot(*(np.array(v) - hip))) for v in points.values())
    up = (shoulder - hip) / max(float(np.hypot(*(shoulder - hip))), 1e-6)
    return region_from(hip, hip + up * reach)


_QUIET = threading.Lock()  # the error stream is one for all threads


def _interpreter(name: str, threads: int) -> Any:
    os.environ.setdefault("TF_CPP_MIN_LOG_LEVEL", "2")
    from ai_edge_litert.interpreter import Interpreter

    path = resources.files("deepmirror.pose") / "models" / f"{name}.tflite"
    with _quiet():
        interpreter = Interpreter(str(path), num_threads=threads)
        interpreter.allocate_tensors()
    return interpreter


@contextmanager
def _quiet() -> Iterator[None]:
    """The runtime tells of itself on the error stream, from below Python; a command's refusal is one line there and no more."""
    with _QUIET:
        kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
        try:
            os.dup2(nowhere, 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)
            os.close(nowhere)


HEAD_FLOOR = 0.3  # a face too many is blurred rather than one too few
HEAD_BEYOND, HEAD_RADIUS = 0.3, 0.55  # of hip to shoulder: where a head is beyond the shoulders, and a circle that surely covers it


class Detector:
    """Finds the bodies in a whole picture."""

    def __init__(self, threads: int = 1) -> None:
        self._net = _interpreter("pose_detection", threads)
        self._input = self._net.get_input_details()[0]["index"]
        by_width = {int(d["shape"][-1]): d["index"] for d in self._net.get_output_details()}
        self._boxes, self._scores = by_width[12], by_width[1]
        self._anchors = _anchors()

    def find(self, rgb: Picture) -> list[tuple[float, Region]]:
        """Bodies as (score, region), best first."""
        raw, score, scale, pad = self._run(rgb)
        found: list[tuple[float, Region]] = []
        for i in np.argsort(-score)[:60]:
            if score[i] < DETECT_FLOOR:
                break
            points = raw[i, 4:8].reshape(2, 2) / DETECT + self._anchors[i]
            pixels = (points * DETECT - pad) / scale - 0.5
            region = region_from(pixels[0], pixels[1])
            if all(np.hypot(region.x - r.x, region.y - r.y) > 0.3 * r.side for _, r in found):
                found.append((float(score[i]), region))
        return found

    def _run(self, rgb: Picture) -> tuple[Array, Array, float, Array]:
        """Raw boxes (A, 12), scores (A,) 0..1, the scale to the network's square and the padding in it."""
        height, width = rgb.shape[:2]
        scale = DETECT / max(height, width)
        small = cv2.resize(rgb, (max(round(width * scale), 1), max(round(height * scale), 1)), interpolation=cv2.INTER_AREA)
        pad_x, pad_y = (DETECT - small.shape[1]) // 2, (DETECT - small.shape[0]) // 2
        square = np.zeros((DETECT, DETECT, 3), np.uint8)
        square[pad_y : pad_y + small.shape[0], pad_x : pad_x + small.shape[1]] = small
        self._net.set_tensor(self._input, square[None].astype(np.float32) / 127.5 - 1)
        self._net.invoke()
        raw = np.asarray(self._net.get_tensor(self._boxes)[0], float)
        score = 1 / (1 + np.exp(-np.clip(self._net.get_tensor(self._scores)[0, :, 0], -50, 50)))
        return raw, np.asarray(score, float), scale, np.array([pad_x, pad_y], float)

    def heads(self, rgb: Picture) -> list[tuple[float, float, float]]:
        """Heads of all bodies in a picture as generous circles (x, y, radius), px, from the detector's hips and shoulders."""
        raw, score, scale, pad = self._run(rgb)
        circles: list[tuple[float, float, float]] = []
        for i in np.argsort(-score)[:60]:
            if score[i] < HEAD_FLOOR:
                break
            hip, _, shoulder, _ = ((raw[i, 4:12].reshape(4, 2) / DETECT + self._anchors[i]) * DETECT - pad) / scale - 0.5
            trunk = shoulder - hip
            (x, y), radius = shoulder + HEAD_BEYOND * trunk, HEAD_RADIUS * float(np.hypot(*trunk))
            if all(np.hypot(x - a, y - b) > 0.5 * r for a, b, r in circles):
                circles.append((float(x), float(y), radius))
        return circles


def _anchors() -> Array:
    rows = []
    for stride, per_cell in ((8, 2), (16, 2), (32, 6)):
        n = DETECT // stride
        y, x = np.mgrid[0:n, 0:n]
        cells = np.stack([(x.ravel() + 0.5) / n, (y.ravel() + 0.5) / n], 1)
        rows.append(np.repeat(cells, per_cell, axis=0))
    return np.concatenate(rows)


class LandmarkNetwork:
    """Finds the landmarks inside one region; mirrored: in a mirror, landmarks given as if there were none."""

    def __init__(self, quality: Quality, threads: int = 1, mirrored: bool = False) -> None:
        self._mirrored = mirrored
        self._net = _interpreter(f"pose_landmark_{quality}", threads)
        self._input = self._net.get_input_details()[0]["index"]
        outputs = {tuple(int(v) for v in d["shape"]): d["index"] for d in self._net.get_output_details()}
        self._points, self._flag, self._heat = outputs[(1, 195)], outputs[(1, 1)], outputs[(1, 64, 64, 39)]
        self._body = outputs[(1, CROP, CROP, 1)]

    def look(self, rgb: Picture, region: Region) -> Detection:
        """Landmarks of the body in `region` of a picture (H, W, 3) uint8 RGB."""
        crop = _crop(rgb, region)
        if self._mirrored:
            crop = np.asarray(cv2.flip(crop, 1), np.uint8)
        self._net.set_tensor(self._input, crop[None].astype(np.float32) / 255)
        self._net.invoke()
        raw = self._net.get_tensor(self._points)[0].reshape(LANDMARKS, 5)
        heat, body = self._net.get_tensor(self._heat)[0], self._net.get_tensor(self._body)[0, :, :, 0]
        xy, there = _refine(raw[:, :2].astype(float), heat) - 0.5, raw[:, 3].astype(float)
        sure = _sureness(xy + 0.5, heat)
        if self._mirrored:
            xy[:, 0] = CROP - 1 - xy[:, 0]
            xy, there, sure, body = xy[IN_MIRROR], there[IN_MIRROR], sure[IN_MIRROR], body[:, ::-1].copy()
        back = np.asarray(cv2.invertAffineTransform(region.to_crop()), float)
        points = xy @ back[:, :2].T + back[:, 2]
        clearness = float(np.mean(1 / (1 + np.exp(-heat[..., CLEAR_JOINTS].max(axis=(0, 1)).astype(float)))))
        presence = float(self._net.get_tensor(self._flag)[0, 0])
        return Detection(points, 1 / (1 + np.exp(-there)), presence, clearness, sure, body, back)


def _crop(rgb: Picture, region: Region) -> Picture:
    affine, picture = region.to_crop(), rgb
    if region.side > 2 * CROP:
        # average first: plain sampling of a large region would alias
        factor = int(region.side // CROP)
        picture = np.asarray(cv2.resize(rgb, (rgb.shape[1] // factor, rgb.shape[0] // factor), interpolation=cv2.INTER_AREA), np.uint8)
        sx, sy = rgb.shape[1] / picture.shape[1], rgb.shape[0] / picture.shape[0]
        grow = np.array([[sx, 0, (sx - 1) / 2], [0, sy, (sy - 1) / 2], [0, 0, 1]])
        affine = affine @ grow
    return np.asarray(cv2.warpAffine(picture, affine, (CROP, CROP), flags=cv2.INTER_LINEAR), np.uint8)


def _sureness(points: Array, heat: NDArray[np.float32]) -> Array:
    """What each landmark's map (N, N, K) holds of the place (K, 2) it was put to in the crop, 0..1; 0 outside."""
    size = heat.shape[0]
    col, row = (np.floor(points / CROP * size).astype(int)).T
    inside = (col >= 0) & (col < size) & (row >= 0) & (row < size)
    own = heat[np.clip(row, 0, size - 1), np.clip(col, 0, size - 1), np.arange(len(points))].astype(float)
    return np.where(inside, 1 / (1 + np.exp(-own)), 0.0)


def _refine(points: Array, heat: NDArray[np.float32]) -> Array:
    """Move each landmark to the weighted middle of its heat map around it, where the map is sure."""
    size, half = heat.shape[0], HEAT_KERNEL // 2
    out = points.copy()
    for k in range(len(points)):
        col, row = int(points[k, 0] / CROP * size), int(points[k, 1] / CROP * size)
        if not (0 <= col < size and 0 <= row < size):
            continue
        r0, r1, c0, c1 = max(0, row - half), min(size, row + half + 1), max(0, col - half), min(size, col + half + 1)
        w = 1 / (1 + np.exp(-heat[r0:r1, c0:c1, k].astype(float)))
        if w.max() >= HEAT_FLOOR:
            ys, xs = np.mgrid[r0:r1, c0:c1]
            out[k] = np.array([(xs * w).sum(), (ys * w).sum()]) / w.sum() * CROP / size
    return out
