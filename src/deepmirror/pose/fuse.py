"""One robust least-squares problem over the whole film: where every point was in every frame, and how surely.

Unknowns are all positions (T x P x 2, px). Terms: keyframe clicks, network positions moved by each point's own offset,
flow steps, patch matches, segment lengths where the movement lies in the picture plane, and a weak dislike of
acceleration that carries points through gaps. Neighbouring frames only are coupled, so the normal matrix is banded: it
is solved by banded Cholesky, and the covariance inside the band comes from the same factor (Takahashi's recursion).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_solve_banded as solve_factor
from scipy.linalg import cholesky_banded
from scipy.sparse import coo_matrix

from deepmirror.core.skeleton import SEGMENTS, sided, split
from deepmirror.pose.evidence import Evidence, Keyframe, directions, shank_px

Array = NDArray[np.float64]

OFFSET_PRIOR_PX = 8.0
# A click further than this share of the shank from the network's point means that the network saw something else there.
OFFSET_LIMIT = 0.4
PASSES = 6
# One look's error lasts for many frames: a second of agreeing looks is worth a few, not thirty.
NETWORK_MEMORY = 12.0
MATCH_MEMORY = 8.0
STEP_DRAG = 0.12


@dataclass(frozen=True)
class Trust:
    """How far each source is believed for one joint: multiplies its sigma."""

    network: float = 1.0
    step: float = 1.0
    match: float = 1.0


@dataclass(frozen=True)
class Plane:
    """Segment lengths (px) known to lie in the picture plane, with their share of uncertainty."""

    lengths_px: dict[str, float]
    sigma_share: float = 0.015


@dataclass(frozen=True)
class Solution:
    """Positions (T, P, 2) px and their covariance within each frame (T, 2P, 2P) px²."""

    positions: Array
    covariance: Array

    def sigma(self) -> Array:
        """Radial standard deviation of each point (T, P), px, per axis."""
        variance = np.diagonal(self.covariance, axis1=1, axis2=2).reshape(*self.positions.shape)
        return np.asarray(np.sqrt(np.maximum(variance.mean(axis=2), 0)))


def offsets(evidence: Evidence, keys: list[Keyframe]) -> Array:
    """What to add to the network's positions (T, P, 2): clicks minus network, turned with the carrying segment.

    Between keyframes the offset is interpolated in time; a click is shrunk towards the network by its own noise.
    """
    steady = _steady(evidence.network)
    turns = directions(steady, evidence.names)
    turn = np.where(np.isfinite(turns[..., 1]), _mean_angle(turns), turns[..., 0])
    turn = np.where(np.isfinite(turn), turn, 0.0)
    # an arm that points at the camera has no steady direction to turn an offset with
    turn[:, [i for i, n in enumerate(evidence.names) if split(n)[0] in ("elbow", "wrist")]] = 0.0
    out = np.zeros_like(evidence.network)
    shank = shank_px(steady, evidence.names)
    frames = np.arange(len(evidence.times))
    for p, name in enumerate(evidence.names):
        rows = [(k.frame, np.array(k.points[name]), k.sigma_px) for k in sorted(keys, key=lambda k: k.frame) if name in k.points]
        rows = [r for r in rows if np.linalg.norm(r[1] - steady[r[0], p]) < OFFSET_LIMIT * shank]
        if not rows:
            continue
        local = []
        for frame, click, sigma in rows:
            shrink = OFFSET_PRIOR_PX**2 / (OFFSET_PRIOR_PX**2 + sigma**2)
            local.append(_rotate((click - steady[frame, p]) * shrink, -turn[frame, p]))
        at, values = [r[0] for r in rows], np.array(local)
        bent = np.stack([np.interp(frames, at, values[:, k]) for k in range(2)], axis=1)
        out[:, p] = _rotate(bent, turn[:, p])
    return out


def _rotate(v: Array, angle: Array | float) -> Array:
    c, s = np.cos(angle), np.sin(angle)
    return np.stack([c * v[..., 0] - s * v[..., 1], s * v[..., 0] + c * v[..., 1]], axis=-1)


def _mean_angle(turns: Array) -> Array:
    return np.asarray(np.angle(np.exp(1j * turns).sum(axis=-1)))


def _steady(points: Array, half: int = 2) -> Array:
    """Running median over 2 half + 1 frames, to take an offset from more than one noisy look."""
    padded = np.pad(points, ((half, half), (0, 0), (0, 0)), mode="edge")
    windows = np.stack([padded[k : k + len(points)] for k in range(2 * half + 1)])
    with np.errstate(all="ignore"):
        return np.asarray(np.median(windows, axis=0))


class _Problem:
    """Collects weighted rows; each row has up to four unknowns."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.matrix: list[tuple[Array, Array, Array]] = []
        self.right = np.zeros(size)
        self.diagonal = np.zeros(size)

    def add(self, columns: list[NDArray[np.int64]], factors: list[Array], target: Array, weight: Array) -> None:
        """Rows sum_k factors[k] * x[columns[k]] = target with the given weights (1 / sigma²), all (N,)."""
        keep = np.isfinite(target) & (weight > 0) & np.isfinite(weight)
        cols = [c[keep] for c in columns]
        facs = [np.broadcast_to(f, keep.shape)[keep] for f in factors]
        w, t = weight[keep], target[keep]
        for i, (ci, fi) in enumerate(zip(cols, facs, strict=True)):
            np.add.at(self.right, ci, w * fi * t)
            for cj, fj in zip(cols[: i + 1], facs[: i + 1], strict=True):
                low, high = np.minimum(ci, cj), np.maximum(ci, cj)
                self.matrix.append((low.astype(float), high.astype(float), w * fi * fj))

    def banded(self, width: int) -> Array:
        """Upper banded storage (width + 1, size)."""
        rows = np.concatenate([m[0] for m in self.matrix]).astype(np.int64)
        cols = np.concatenate([m[1] for m in self.matrix]).astype(np.int64)
        data = np.concatenate([m[2] for m in self.matrix])
        flat = coo_matrix((data, (width - (cols - rows), cols)), shape=(width + 1, self.size))
        return np.asarray(flat.toarray())


def solve(
    evidence: Evidence,
    keys: list[Keyframe],
    trust: dict[str, Trust],
    plane: Plane | None,
    acceleration_px: float,
    start: Array | None = None,
) -> Solution:
    """Positions and covariance of every point in every frame.

    trust: joint -> Trust; acceleration_px: standard deviation of the second difference per frame that a body makes.
    start: (T, P, 2) first guess; taken from the corrected network when absent.
    """
    frames, count = evidence.network.shape[:2]
    guided = evidence.network + offsets(evidence, keys)
    x = _fill(guided if start is None else start)
    index = np.arange(frames * count * 2).reshape(frames, count, 2)
    factor = np.empty(0)
    for _ in range(PASSES):
        problem = _Problem(index.size)
        _add_points(problem, index, evidence, guided, trust, x)
        _add_keys(problem, index, evidence, keys)
        _add_steps(problem, index, evidence, trust, x)
        if plane is not None:
            _add_lengths(problem, index, evidence.names, plane, x)
        _add_smoothness(problem, index, evidence.times, acceleration_px)
        band = problem.banded(6 * count - 1)
        band[-1] += 1e-6
        factor = cholesky_banded(band)
        x = solve_factor((factor, False), problem.right).reshape(frames, count, 2)
    return Solution(x, _covariance(factor, frames, 2 * count))


def _robust(residual: Array, sigma: Array, soft: float) -> Array:
    """Cauchy weights: one far-off look loses its say."""
    return np.asarray(1 / (1 + (residual / (soft * sigma)) ** 2))


def _add_points(problem: _Problem, index: NDArray[np.int64], ev: Evidence, guided: Array, trust: dict[str, Trust], x: Array) -> None:
    for p, name in enumerate(ev.names):
        t = trust.get(split(name)[0], Trust())
        for source, base, factor, memory in (
            (guided, ev.network_sigma, t.network, NETWORK_MEMORY),
            (ev.match, ev.match_sigma, t.match, MATCH_MEMORY),
        ):
            sigma = base[:, p] * factor
            miss = np.linalg.norm(source[:, p] - x[:, p], axis=1)
            with np.errstate(invalid="ignore", divide="ignore"):
                weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 2.5) / sigma**2 / memory, 0.0)
            for k in range(2):
                problem.add([index[:, p, k]], [np.ones(len(x))], source[:, p, k], weight)


def _add_keys(problem: _Problem, index: NDArray[np.int64], ev: Evidence, keys: list[Keyframe]) -> None:
    for key in keys:
        for p, name in enumerate(ev.names):
            if name in key.points:
                for k in range(2):
                    problem.add(
                        [index[key.frame : key.frame + 1, p, k]],
                        [np.ones(1)],
                        np.array([key.points[name][k]]),
                        np.array([key.sigma_px**-2.0]),
                    )


def _add_steps(problem: _Problem, index: NDArray[np.int64], ev: Evidence, trust: dict[str, Trust], x: Array) -> None:
    for p, name in enumerate(ev.names):
        # flow on a moving limb always drags a little of the still background along
        moved = np.linalg.norm(np.nan_to_num(ev.step[1:, p]), axis=1)
        sigma = np.hypot(ev.step_sigma[1:, p], STEP_DRAG * moved) * trust.get(split(name)[0], Trust()).step
        miss = np.linalg.norm(ev.step[1:, p] - np.diff(x[:, p], axis=0), axis=1)
        with np.errstate(invalid="ignore", divide="ignore"):
            weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 3.0) / sigma**2, 0.0)
        for k in range(2):
            problem.add([index[1:, p, k], index[:-1, p, k]], [np.ones(len(x) - 1), -np.ones(len(x) - 1)], ev.step[1:, p, k], weight)


def _add_lengths(problem: _Problem, index: NDArray[np.int64], names: list[str], plane: Plane, x: Array) -> None:
    """Segment lengths, straightened around the present estimate."""
    for segment, length in plane.lengths_px.items():
        for side in ("left", "right"):
            try:
                a, b = (names.index(sided(j, side)) for j in SEGMENTS[segment])
            except ValueError:
                continue
            d = x[:, b] - x[:, a]
            unit = d / np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-6)
            sigma = max(plane.sigma_share * length, 1.0)
            problem.add(
                [index[:, a, 0], index[:, b, 0], index[:, a, 1], index[:, b, 1]],
                [-unit[:, 0], unit[:, 0], -unit[:, 1], unit[:, 1]],
                np.full(len(x), length),
                np.full(len(x), 1 / sigma**2),
            )


def _add_smoothness(problem: _Problem, index: NDArray[np.int64], times: Array, acceleration_px: float) -> None:
    """Second differences on presentation times: uneven frames count as what they are."""
    if len(times) < 3:
        return
    h0, h1 = np.diff(times)[:-1], np.diff(times)[1:]
    typical = float(np.median(np.diff(times)))
    for p in range(index.shape[1]):
        for k in range(2):
            ones = np.ones(len(h0))
            problem.add(
                [index[:-2, p, k], index[1:-1, p, k], index[2:, p, k]],
                [typical / h0, -typical / h0 - typical / h1, typical / h1 * ones],
                np.zeros(len(h0)),
                np.full(len(h0), acceleration_px**-2.0),
            )


def _fill(points: Array) -> Array:
    """Bridge missing positions in time; a point never seen starts in the middle of what was."""
    out = points.copy()
    frames = np.arange(len(out))
    middle = np.nanmean(out.reshape(-1, 2), axis=0)
    for p in range(out.shape[1]):
        for k in range(2):
            good = np.isfinite(out[:, p, k])
            out[:, p, k] = np.interp(frames, frames[good], out[good, p, k]) if good.any() else middle[k]
    return out


def _covariance(factor: Array, frames: int, block: int) -> Array:
    """In-frame blocks of the inverse of the normal matrix from its upper banded Cholesky factor.

    A = RᵀR. Takahashi: for the last block upwards, Z_ij inside the band follows from rows of R already inverted.
    Done per frame: R's frame rows are dense over the frame itself and the two after it.
    """
    width, size = factor.shape[0] - 1, factor.shape[1]
    reach = 3 * block
    out = np.empty((frames, block, block))
    later = np.zeros((2 * block, 2 * block))  # inverse over the two frames after the present one
    for t in range(frames - 1, -1, -1):
        rows = np.arange(t * block, (t + 1) * block)
        columns = np.arange(t * block, min(t * block + reach, size))
        r = np.zeros((block, reach))
        offset = columns[None, :] - rows[:, None]
        inside = (offset >= 0) & (offset <= width)
        source = np.where(inside, width - offset, 0)
        r[:, : len(columns)] = np.where(inside, factor[source, np.broadcast_to(columns, offset.shape)], 0.0)
        own, cross = r[:, :block], r[:, block:]
        inverse = np.linalg.inv(own)
        gain = inverse @ cross
        here = inverse @ inverse.T + gain @ later @ gain.T
        here = (here + here.T) / 2
        side = -gain @ later
        out[t] = here
        new = np.empty_like(later)
        new[:block, :block], new[:block, block:] = here, side[:, :block]
        new[block:, :block], new[block:, block:] = side[:, :block].T, later[:block, :block]
        later = new
    return out
