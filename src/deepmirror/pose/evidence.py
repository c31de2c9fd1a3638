"""What was seen of each point in each frame, before anything is concluded from it."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import CARRIERS, SEGMENTS, sided, split

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Keyframe:
    """Points placed by hand on one frame: name -> (x, y) px, with the hand's own noise."""

    frame: int
    points: dict[str, tuple[float, float]]
    sigma_px: float = 2.0


@dataclass
class Evidence:
    """All observations of one film.

    times (T,) presentation times, s; names: P point names.
    network (T, P, 2) px, NaN where nothing was found; network_sigma (T, P) px.
    step (T, P, 2): movement from frame t-1 to t, px; step_sigma (T, P) px, inf where not measured.
    match (T, P, 2): place of the keyframe's patch, px; match_sigma (T, P) px, inf where not found.
    """

    times: Array
    names: list[str]
    network: Array
    network_sigma: Array
    step: Array = field(default_factory=lambda: np.empty(0))
    step_sigma: Array = field(default_factory=lambda: np.empty(0))
    match: Array = field(default_factory=lambda: np.empty(0))
    match_sigma: Array = field(default_factory=lambda: np.empty(0))

    def __post_init__(self) -> None:
        shape = self.network.shape
        for points, sigma in (("step", "step_sigma"), ("match", "match_sigma")):
            if getattr(self, points).size == 0:
                setattr(self, points, np.full(shape, np.nan))
                setattr(self, sigma, np.full(shape[:2], np.inf))

    def save(self, path: Path) -> None:
        """Write everything as one compressed NumPy file (an open format)."""
        data = {k: v.astype(np.float32) for k, v in vars(self).items() if k not in ("names", "times")}
        np.savez_compressed(path, times=self.times, names=np.array(self.names), allow_pickle=False, **data)

    @classmethod
    def load(cls, path: Path) -> Evidence:
        with np.load(path, allow_pickle=False) as data:
            rest = {k: data[k].astype(float) for k in data.files if k not in ("names", "times", "allow_pickle")}
            return cls(times=data["times"], names=[str(n) for n in data["names"]], **rest)


def directions(points: Array, names: list[str]) -> Array:
    """Direction (rad) of the two carrying segments of each point: (T, P, 2), NaN where there is none.

    points: (T, P, 2) px.
    """
    index = {n: i for i, n in enumerate(names)}
    out = np.full((points.shape[0], len(names), 2), np.nan)
    for i, name in enumerate(names):
        joint, side = split(name)
        for k, segment in enumerate(CARRIERS.get(joint, ())):
            a, b = (index.get(sided(j, side or "")) for j in SEGMENTS[segment])
            if a is not None and b is not None:
                d = points[:, b] - points[:, a]
                out[:, i, k] = np.arctan2(d[:, 1], d[:, 0])
    return out


def shank_px(points: Array, names: list[str]) -> float:
    """Length of the shank in the picture (px): the 90th percentile over frames and sides, robust to foreshortening."""
    lengths = []
    for side in ("left", "right"):
        if f"knee_{side}" in names and f"ankle_{side}" in names:
            d = points[:, names.index(f"knee_{side}")] - points[:, names.index(f"ankle_{side}")]
            lengths.append(np.linalg.norm(d, axis=1))
    if not lengths:
        return 100.0
    return float(np.nanpercentile(np.concatenate(lengths), 90))
