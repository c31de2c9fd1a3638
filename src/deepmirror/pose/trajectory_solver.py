"""One robust least-squares problem over the whole film: where every point was in every frame, and how surely.

Unknowns are all positions (T x P x 2, px). Terms: keyframe clicks, network positions moved by each point's own offset,
patch matches, flow steps, the lengths segments must show, and a weak dislike of acceleration that carries points through
gaps. Lengths couple points inside one frame; steps and smoothness couple a point with itself one and two frames on. The
normal matrix is therefore banded: banded Cholesky solves it, and the covariance inside the band comes from the same
factor (Takahashi's recursion).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cholesky_banded, solveh_banded

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SEGMENTS, sided
from deepmirror.fitted import fitted
from deepmirror.pose.evidence import Evidence, Keyframe, filled, shank_px
from deepmirror.pose.joint_limits import JointLimit
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.source_weights import SourceWeights, weight_of

Array = NDArray[np.float64]

PASSES = 5  # of robust weights; more change nothing that is shown; our own choice
# What a body point accelerates by from frame to frame, as a share of the shank (30 frames a second).
ACCELERATION_SHARE = 0.02
# One look's error lasts, s: a second of agreeing looks is as unsure as a few, however many they are. Flow, patches and lengths err alike
# for as long, which their weights do not say: so that these do not outvote the looks, from the side places are found with looks that count
# for more (see solve).
NETWORK_MEMORY_S, NETWORK_COUNTS_S = 0.6, fitted("network_counts")
MATCH_MEMORY_S = 0.27  # the same for patches; our own estimate, no source
TURN_MEMORY_S = 0.27  # the same for segments' rotations; our own estimate, no source
SHORTEST_SEGMENT = 0.3  # of its usual length: a segment shorter than this was not followed; our own choice
STAYS = 1e-6  # weight, px^-2, with which a point that nothing tells of stays where it was first guessed; our own choice
STEP_DRAG = 0.12  # of a step: how far the still background holds flow back; our own estimate, no source

Lengths = dict[tuple[str, str], tuple[Callable[[Array], Array], float]]
"""(joint, joint) -> the length (T,) px they must be apart for directions (T, 2), and its sigma (px)."""

SegmentRotations = dict[tuple[str, str], list[tuple[Array, Array, int | None]]]
"""(joint, joint) -> how far their direction has turned (T,) rad, NaN where unknown, its sigma (T,) rad, and since which frame;
None: that is the direction itself."""


@dataclass(frozen=True)
class Solution:
    """Positions (T, P, 2) px and their covariance within each frame (T, 2P, 2P) px²."""

    positions: Array
    covariance: Array

    def sigma(self) -> Array:
        """Radial standard deviation of each point (T, P), px, per axis."""
        variance = np.diagonal(self.covariance, axis1=1, axis2=2).reshape(*self.positions.shape)
        return np.asarray(np.sqrt(np.maximum(variance.mean(axis=2), 0)))


class _Normal:
    """The banded normal equations: blocks of one frame (T, n, n), and couplings of an unknown with itself 1 and 2 frames on."""

    def __init__(self, frames: int, count: int) -> None:
        n = 2 * count
        self.frames, self.n = frames, n
        self.block = np.zeros((frames, n, n))
        self.one, self.two = np.zeros((frames, n)), np.zeros((frames, n))
        self.right = np.zeros((frames, n))
        self._diagonal = self.block.reshape(frames, n * n)[:, :: n + 1]

    def add_position(self, target: Array, weight: Array) -> None:
        """x = target, both (T, n); non-finite targets have no say."""
        keep = np.isfinite(target) & np.isfinite(weight)
        w = np.where(keep, weight, 0.0)
        self._diagonal += w
        self.right += w * np.where(keep, target, 0.0)

    def add_displacement(self, change: Array, weight: Array) -> None:
        """x[t + 1] - x[t] = change, both (T - 1, n)."""
        keep = np.isfinite(change) & np.isfinite(weight)
        w, d = np.where(keep, weight, 0.0), np.where(keep, change, 0.0)
        self._diagonal[1:] += w
        self._diagonal[:-1] += w
        self.one[:-1] -= w
        self.right[1:] += w * d
        self.right[:-1] -= w * d

    def add_smoothness(self, a: Array, b: Array, c: Array, weight: float) -> None:
        """a x[t] + b x[t + 1] + c x[t + 2] = 0, factors (T - 2,)."""
        a, b, c = (f[:, None] for f in (a, b, c))
        self._diagonal[:-2] += weight * a * a
        self._diagonal[1:-1] += weight * b * b
        self._diagonal[2:] += weight * c * c
        self.one[:-2] += weight * a * b
        self.one[1:-1] += weight * b * c
        self.two[:-2] += weight * a * c

    def add_distance(self, i: int, j: int, unit: Array, length: Array, weight: Array | float) -> None:
        """unit · (x_j - x_i) = length for points i, j in every frame; unit (T, 2), weight (T,) or one for all."""
        self.add_rows([i, j], np.concatenate([-unit, unit], axis=1), length, weight)

    def add_rows(self, points: list[int], rows: Array, target: Array, weight: Array | float) -> None:
        """rows (T, 2 K) · the K points' coordinates = target (T,) in every frame; weight (T,) or one for all."""
        at = np.array([[2 * p, 2 * p + 1] for p in points]).ravel()
        weighted = rows * np.broadcast_to(weight, self.frames)[:, None]
        self.block[:, at[:, None], at[None, :]] += weighted[:, :, None] * rows[:, None, :]
        self.right[:, at] += weighted * target[:, None]

    def banded(self) -> Array:
        """Upper banded storage (2n + 1, T n)."""
        n, size = self.n, self.frames * self.n
        out = np.zeros((2 * n + 1, size))
        for a in range(n):
            for b in range(a, n):
                out[2 * n - (b - a), b::n] = self.block[:, a, b]
        out[n, n:] = self.one[:-1].ravel()
        out[0, 2 * n :] = self.two[:-2].ravel()
        out[2 * n] += STAYS
        return out


def solve(
    evidence: Evidence,
    keys: list[Keyframe],
    weights: dict[str, SourceWeights],
    corrections: Offsets,
    lengths: Lengths | None,
    acceleration_px: float,
    start: Array | None = None,
    passes: int = PASSES,
    with_covariance: bool = True,
    turns: SegmentRotations | None = None,
    limits: Sequence[JointLimit] = (),
    looks_last_s: float = NETWORK_MEMORY_S,
) -> Solution:
    """Positions and covariance of every point in every frame.

    weights: joint -> SourceWeights; corrections: offsets of the network; acceleration_px: standard deviation of the second difference per
    frame that a body makes. start: (T, P, 2) first guess; taken from the corrected network when absent.
    with_covariance: work out the covariance too (zeros otherwise). limits: what joints do not go beyond; where one has to be held back
    nothing is known better for it, so that they have no say in the covariance. looks_last_s: for how long a look's error is taken to last
    where places are found; it does last NETWORK_MEMORY_S, by which the covariance goes.
    """
    frames, count = evidence.network.shape[:2]
    guided = evidence.network + corrections.move
    x = filled(guided) if start is None else start
    ties = {ends: tie for ends, tie in (lengths or {}).items() if set(ends) <= set(evidence.names)}
    bearings = {ends: turn for ends, turn in (turns or {}).items() if set(ends) <= set(evidence.names)}
    limits = [limit for limit in limits if set(limit.points) <= set(evidence.names)]
    groups = _groups(evidence.names, [*ties, *bearings, *(pair for limit in limits for pair in pairwise(limit.points))])
    parts = [(at, evidence.only([evidence.names[i] for i in at])) for at in groups]

    def normal_of(at: list[int], part: Evidence, x: Array, counts_s: float) -> _Normal:
        normal = _Normal(frames, len(at))
        normal.right += STAYS * x.reshape(frames, -1)
        _add_points(normal, part, guided[:, at], weights, x, counts_s)
        _add_keys(normal, part, keys)
        _add_steps(normal, part, weights, x)
        for (a, b), (length, sigma) in ties.items():
            if a in part.names:
                _add_length(normal, part.names, a, b, length, sigma, x)
        for (a, b), since in bearings.items():
            if a in part.names:
                _add_turns(normal, part, a, b, since, x)
        _add_smoothness(normal, part.times, acceleration_px)
        return normal

    last = x
    for _ in range(passes):
        last, x = x, np.empty_like(x)
        for at, part in parts:
            normal = normal_of(at, part, last[:, at], looks_last_s)
            _hold(normal, part.names, limits, last[:, at])
            x[:, at] = solveh_banded(normal.banded(), normal.right.ravel()).reshape(frames, len(at), 2)
    if not with_covariance:
        return Solution(x, np.zeros((frames, 2 * count, 2 * count)))
    factors = [cholesky_banded(normal_of(at, part, last[:, at], NETWORK_MEMORY_S).banded()) for at, part in parts]
    return Solution(x, _whole_covariance(factors, groups, frames, count))


def _groups(names: list[str], lengths: list[tuple[str, str]]) -> list[list[int]]:
    """Points that lengths or turns tie together, and every other point alone: what is not coupled is solved apart, which is far quicker."""
    group = {n: {n} for n in names}
    for a, b in lengths:
        joined = group[a] | group[b]
        for n in joined:
            group[n] = joined
    return [list(t) for t in sorted({tuple(sorted(names.index(n) for n in members)) for members in group.values()})]


def _whole_covariance(factors: list[Array], groups: list[list[int]], frames: int, count: int) -> Array:
    """In-frame covariance (T, 2P, 2P) from the groups' factors; groups of one size are worked out together."""
    out = np.zeros((frames, 2 * count, 2 * count))
    for size in {len(g) for g in groups}:
        chosen = [i for i, g in enumerate(groups) if len(g) == size]
        blocks = _covariance(np.stack([factors[i] for i in chosen]), frames, 2 * size)
        for k, i in enumerate(chosen):
            at = np.array([[2 * p, 2 * p + 1] for p in groups[i]]).ravel()
            out[:, at[:, None], at[None, :]] = blocks[:, k]
    return out


def _robust(residual: Array, sigma: Array, soft: float) -> Array:
    """Cauchy weights: one far-off look loses its say."""
    return np.asarray(1 / (1 + (residual / (soft * sigma)) ** 2))


def _weights_of(names: list[str], weights: dict[str, SourceWeights], source: str) -> Array:
    """A source's multiplier per point: the point's own where it has one, its joint's otherwise."""
    return np.array([getattr(weight_of(weights, n), source) for n in names])


def _add_points(normal: _Normal, ev: Evidence, guided: Array, weights: dict[str, SourceWeights], x: Array, counts_s: float) -> None:
    frames, n = normal.frames, normal.n
    for name, places, base, memory_s in (
        ("network", guided, ev.network_sigma, counts_s),
        ("match", ev.match, ev.match_sigma, MATCH_MEMORY_S),
    ):
        memory = _looks_within(memory_s, ev.times, np.asarray(np.isfinite(base).any(axis=1)))
        sigma = base * _weights_of(ev.names, weights, name)
        miss = np.linalg.norm(places - x, axis=2)
        with np.errstate(invalid="ignore"):
            weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 2.5) / sigma**2 / memory, 0.0)
        normal.add_position(places.reshape(frames, n), np.repeat(weight, 2, axis=1))


def _looks_within(span_s: float, times: Array, looked: NDArray[np.bool_]) -> float:
    """How many looks fall into a span of time, at least one; looked (T,): the frames that were looked at."""
    at = times[looked]
    return max(1.0, span_s / float(np.median(np.diff(at)))) if len(at) > 1 else 1.0


def _add_keys(normal: _Normal, ev: Evidence, keys: list[Keyframe]) -> None:
    target, weight = np.full((normal.frames, normal.n), np.nan), np.zeros((normal.frames, normal.n))
    for key in keys:
        for p, name in enumerate(ev.names):
            if name in key.points:
                target[key.frame, 2 * p : 2 * p + 2] = key.points[name]
                weight[key.frame, 2 * p : 2 * p + 2] = key.sigma_px**-2.0
    normal.add_position(target, weight)


def _add_steps(normal: _Normal, ev: Evidence, weights: dict[str, SourceWeights], x: Array) -> None:
    # flow on a moving limb always drags a little of the still background along
    change = ev.step[1:]
    moved = np.linalg.norm(np.nan_to_num(change), axis=2)
    sigma = np.hypot(ev.step_sigma[1:], STEP_DRAG * moved) * _weights_of(ev.names, weights, "step")
    miss = np.linalg.norm(change - np.diff(x, axis=0), axis=2)
    with np.errstate(invalid="ignore"):
        weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 3.0) / sigma**2, 0.0)
    normal.add_displacement(change.reshape(-1, normal.n), np.repeat(weight, 2, axis=1))


def _add_length(normal: _Normal, names: list[str], a: str, b: str, length: Callable[[Array], Array], sigma: float, x: Array) -> None:
    i, j = names.index(a), names.index(b)
    d = x[:, j] - x[:, i]
    unit = d / np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-6)
    normal.add_distance(i, j, unit, length(unit), sigma**-2.0)


def _hold(normal: _Normal, names: list[str], limits: Sequence[JointLimit], x: Array) -> None:
    """Hold joints back from beyond their limits."""
    for limit in (one for one in limits if one.points[0] in names):
        at = [names.index(name) for name in limit.points]
        rows, target, weight = limit.rows(x[:, at])
        if weight.any():
            normal.add_rows(at, rows, target, weight)


def _add_turns(normal: _Normal, part: Evidence, a: str, b: str, since: list[tuple[Array, Array, int | None]], x: Array) -> None:
    """A segment points where it pointed on a keyframe, turned as far as it was seen to turn since."""
    i, j = part.names.index(a), part.names.index(b)
    d = x[:, j] - x[:, i]
    now, length = np.arctan2(d[:, 1], d[:, 0]), np.linalg.norm(d, axis=1)
    length = np.maximum(length, SHORTEST_SEGMENT * float(np.median(length)))  # ends that fall together would count without limit
    for turn, sigma, key in since:
        seen = np.isfinite(turn)
        memory = _looks_within(TURN_MEMORY_S, part.times, seen)
        angle = np.where(seen, np.nan_to_num(turn) + (0.0 if key is None else now[key]), now)
        miss = np.abs(wrapped(angle - now, 2 * np.pi))
        with np.errstate(invalid="ignore"):
            weight = np.where(seen, _robust(miss, sigma, 3.0) / (sigma * length) ** 2 / memory, 0.0)
        normal.add_distance(i, j, np.stack([-np.sin(angle), np.cos(angle)], axis=1), np.zeros(len(x)), weight)


def _add_smoothness(normal: _Normal, times: Array, acceleration_px: float) -> None:
    """Second differences on presentation times: uneven frames count as what they are."""
    if len(times) < 3:
        return
    h0, h1 = np.diff(times)[:-1], np.diff(times)[1:]
    typical = float(np.median(np.diff(times)))
    normal.add_smoothness(typical / h0, -typical / h0 - typical / h1, typical / h1, acceleration_px**-2.0)


def acceleration_px(evidence: Evidence) -> float:
    """Standard deviation of a body point's second difference from frame to frame, px."""
    step = float(np.median(np.diff(evidence.times)))
    return ACCELERATION_SHARE * shank_px(evidence.network, evidence.names) * (step * 30) ** 2


def segment_ends(segment: str, side: str) -> tuple[str, str]:
    """Names of a segment's two joints on a side."""
    a, b = SEGMENTS[segment]
    return sided(a, side), sided(b, side)


def _covariance(factors: Array, frames: int, block: int) -> Array:
    """In-frame blocks (T, G, block, block) of the inverses of G normal matrices from their upper banded Cholesky factors.

    A = RᵀR. Takahashi: for the last block upwards, Z_ij inside the band follows from rows of R already inverted.
    Done per frame: R's frame rows reach over the frame itself and the two after it. factors: (G, width + 1, size).
    """
    count, width = factors.shape[0], factors.shape[1] - 1
    rows, columns = np.arange(block)[:, None], np.arange(3 * block)[None, :]
    inside = (columns >= rows) & (columns - rows <= width)
    source = np.where(inside, width - (columns - rows), 0)
    padded = np.concatenate([factors, np.zeros((count, width + 1, 2 * block))], axis=2)
    out = np.empty((frames, count, block, block))
    later = np.zeros((count, 2 * block, 2 * block))  # inverse over the two frames after the present one
    for t in range(frames - 1, -1, -1):
        r = np.where(inside, padded[:, source, t * block + columns], 0.0)
        inverse = np.linalg.inv(r[..., :block])
        gain = inverse @ r[..., block:]
        carried = gain @ later
        here = inverse @ inverse.swapaxes(1, 2) + carried @ gain.swapaxes(1, 2)
        here = (here + here.swapaxes(1, 2)) / 2
        out[t] = here
        new = np.empty_like(later)
        new[:, :block, :block], new[:, :block, block:] = here, -carried[..., :block]
        new[:, block:, :block], new[:, block:, block:] = -carried[..., :block].swapaxes(1, 2), later[:, :block, :block]
        later = new
    return out
