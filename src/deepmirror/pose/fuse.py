"""One robust least-squares problem over the whole film: where every point was in every frame, and how surely.

Unknowns are all positions (T x P x 2, px). Terms: keyframe clicks, network positions moved by each point's own offset,
patch matches, flow steps, the lengths segments must show, and a weak dislike of acceleration that carries points through
gaps. Lengths couple points inside one frame; steps and smoothness couple a point with itself one and two frames on. The
normal matrix is therefore banded: banded Cholesky solves it, and the covariance inside the band comes from the same
factor (Takahashi's recursion).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_solve_banded as solve_factor
from scipy.linalg import cholesky_banded

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SEGMENTS, sided, split
from deepmirror.pose.evidence import Evidence, Keyframe, filled, rotate, shank_px

Array = NDArray[np.float64]

# A click further than this share of the shank from the network's point means that the network saw something else there.
OFFSET_LIMIT = 0.4
LIKE_POSTURE = 0.25  # of the whole movement: postures closer than this are alike to the network; our own estimate
PASSING_SHARE, PASSING_S = 0.7, 0.8  # of the lasting offset: a limb misjudged for a moment says little of other moments
NETWORK_LOOK_SHARE = 0.003  # what is left of one look's noise when five are steadied
PASSES = 5
# One look's error lasts for many frames: a second of agreeing looks is worth a few, not thirty.
NETWORK_MEMORY = 6.0
MATCH_MEMORY = 8.0
TURN_MEMORY = 4.0
STEP_DRAG = 0.12

Lengths = dict[tuple[str, str], tuple[Callable[[Array], Array], float]]
"""(joint, joint) -> the length (T,) px they must be apart for directions (T, 2), and its sigma (px)."""

Bearings = dict[tuple[str, str], list[tuple[Array, Array, int | None]]]
"""(joint, joint) -> how far their direction has turned (T,) rad, NaN where unknown, its sigma (T,) rad, and since which frame;
None: that is the direction itself."""


@dataclass(frozen=True)
class Trust:
    """How far each source is believed for one joint: multiplies its sigma."""

    network: float = 1.0
    step: float = 1.0
    match: float = 1.0


@dataclass(frozen=True)
class Habit:
    """Where a joint's centre usually lies from the network's point: along and across its direction, and the spread; shares of
    the shank. The bend parts are added in proportion to how far the body is bent (0 straight, 1 deep). across is taken to
    the right of the direction on the screen for a client who faces right, or for the side that is on the screen's right in
    front views, and mirrored otherwise. wander: what remains to change with posture. Both are those along; the narrow ones are
    those across, the same where absent: a network knows the middle of a limb better than where along it a joint lies."""

    along: float
    across: float
    spread: float
    bend_along: float = 0.0
    bend_across: float = 0.0
    wander: float = 0.03
    narrow: float | None = None
    narrow_wander: float | None = None

    def spreads(self) -> list[tuple[float, float]]:
        """Spread and wander along, and across."""
        across = self.spread if self.narrow is None else self.narrow, self.wander if self.narrow_wander is None else self.narrow_wander
        return [(self.spread, self.wander), across]


@dataclass(frozen=True)
class Posture:
    """What offsets turn and bend with: direction (T, P) rad, how far bent (T, P), side -> sign of across, and where the body is
    in its movement (T, F), 1 apart from end to end: what a click says of the network holds in like postures."""

    turn: Array
    bend: Array
    mirror: dict[str | None, int]
    place: Array


@dataclass(frozen=True)
class Solution:
    """Positions (T, P, 2) px and their covariance within each frame (T, 2P, 2P) px²."""

    positions: Array
    covariance: Array

    def sigma(self) -> Array:
        """Radial standard deviation of each point (T, P), px, per axis."""
        variance = np.diagonal(self.covariance, axis1=1, axis2=2).reshape(*self.positions.shape)
        return np.asarray(np.sqrt(np.maximum(variance.mean(axis=2), 0)))


@dataclass(frozen=True)
class Offsets:
    """What to add to the network's positions (T, P, 2) px, and how sure each point's offset is along and across its direction
    (T, P, 2) px, which lies turned by turn (T, P) rad in the picture."""

    move: Array
    sigma: Array
    turn: Array

    def only(self, kept: list[int]) -> Offsets:
        """Those of some points."""
        return Offsets(self.move[:, kept], self.sigma[:, kept], self.turn[:, kept])


def offsets(evidence: Evidence, keys: list[Keyframe], habits: dict[str, Habit], posture: Posture) -> Offsets:
    """Joint centres minus network: each joint's usual offset (habits), and what the clicks say of this client's own.

    The own offset is a Gaussian process: one part that lasts, one that changes with posture, one that passes in a moment. A
    click at the bottom of a squat so speaks for all bottoms, and for the standing frames only as far as it must.
    """
    calm = steady(evidence.network)
    shank = shank_px(calm, evidence.names)
    move, sure = np.zeros_like(evidence.network), np.zeros_like(evidence.network)
    for p, name in enumerate(evidence.names):
        habit = habits.get(split(name)[0], Habit(0, 0, 0.12))
        sign, bend, turn = posture.mirror.get(split(name)[1], 0), posture.bend[:, p], posture.turn[:, p]
        usual = np.stack([habit.along + habit.bend_along * bend, sign * (habit.across + habit.bend_across * bend)], axis=1) * shank
        clicked = [k for k in sorted(keys, key=lambda k: k.frame) if name in k.points]
        rows = [(k.frame, np.array(k.points[name]), (k.sigma_px, k.narrow.get(name, k.sigma_px))) for k in clicked]
        rows = [r for r in rows if np.linalg.norm(r[1] - calm[r[0], p]) < OFFSET_LIMIT * shank]
        own = np.array([rotate(click - calm[frame, p], -turn[frame]) - usual[frame] for frame, click, _ in rows]).reshape(-1, 2)
        noise = np.array([np.hypot(sigma, NETWORK_LOOK_SHARE * shank) for _, _, sigma in rows]).reshape(-1, 2)
        frames = np.array([r[0] for r in rows], int)
        personal = np.zeros((len(calm), 2))
        for axis, (lasting, wandering) in enumerate(habit.spreads()):
            likeness = _likeness(frames, evidence.times, posture.place, shank * lasting, shank * wandering)
            personal[:, axis], sure[:, p, axis] = _regressed(likeness, frames, own[:, axis], noise[:, axis])
        move[:, p] = rotate(usual + personal, turn)
    return Offsets(move, sure, posture.turn)


def _likeness(frames: NDArray[np.int_], times: Array, place: Array, lasting: float, wandering: float) -> tuple[Array, float]:
    """Prior covariance (T, K) px² of the own offset in every frame with that in the clicked ones, and its variance."""
    passing = PASSING_SHARE * lasting
    apart = np.linalg.norm(place[:, None] - place[None, frames], axis=2)
    gap = np.abs(times[:, None] - times[None, frames])
    like = wandering**2 * np.exp(-0.5 * (apart / LIKE_POSTURE) ** 2) + passing**2 * np.exp(-gap / PASSING_S)
    return lasting**2 + like, lasting**2 + wandering**2 + passing**2


def _regressed(likeness: tuple[Array, float], frames: NDArray[np.int_], values: Array, noise: Array) -> tuple[Array, Array]:
    """Mean (T,) and standard deviation (T,) of the process, given its values (K,) with their noise (K,)."""
    along, whole = likeness
    if not len(frames):
        return np.zeros(len(along)), np.full(len(along), np.sqrt(whole))
    gain = np.linalg.solve(along[frames] + np.diag(noise**2), along.T).T
    return gain @ values, np.sqrt(np.maximum(whole - np.sum(gain * along, axis=1), 0.0))


def steady(points: Array, half: int = 2) -> Array:
    """Running median over 2 half + 1 frames of positions (T, P, 2), gaps bridged: more than one noisy look."""
    whole = filled(points)
    padded = np.pad(whole, ((half, half), (0, 0), (0, 0)), mode="edge")
    return np.asarray(np.median(np.stack([padded[k : k + len(whole)] for k in range(2 * half + 1)]), axis=0))


class _Normal:
    """The banded normal equations: blocks of one frame (T, n, n), and couplings of an unknown with itself 1 and 2 frames on."""

    def __init__(self, frames: int, count: int) -> None:
        n = 2 * count
        self.frames, self.n = frames, n
        self.block = np.zeros((frames, n, n))
        self.one, self.two = np.zeros((frames, n)), np.zeros((frames, n))
        self.right = np.zeros((frames, n))
        self._diagonal = self.block.reshape(frames, n * n)[:, :: n + 1]

    def pull(self, target: Array, weight: Array) -> None:
        """x = target, both (T, n); non-finite targets have no say."""
        keep = np.isfinite(target) & np.isfinite(weight)
        w = np.where(keep, weight, 0.0)
        self._diagonal += w
        self.right += w * np.where(keep, target, 0.0)

    def step(self, change: Array, weight: Array) -> None:
        """x[t + 1] - x[t] = change, both (T - 1, n)."""
        keep = np.isfinite(change) & np.isfinite(weight)
        w, d = np.where(keep, weight, 0.0), np.where(keep, change, 0.0)
        self._diagonal[1:] += w
        self._diagonal[:-1] += w
        self.one[:-1] -= w
        self.right[1:] += w * d
        self.right[:-1] -= w * d

    def bend(self, a: Array, b: Array, c: Array, weight: float) -> None:
        """a x[t] + b x[t + 1] + c x[t + 2] = 0, factors (T - 2,)."""
        a, b, c = (f[:, None] for f in (a, b, c))
        self._diagonal[:-2] += weight * a * a
        self._diagonal[1:-1] += weight * b * b
        self._diagonal[2:] += weight * c * c
        self.one[:-2] += weight * a * b
        self.one[1:-1] += weight * b * c
        self.two[:-2] += weight * a * c

    def apart(self, i: int, j: int, unit: Array, length: Array, weight: Array | float) -> None:
        """unit · (x_j - x_i) = length for points i, j in every frame; unit (T, 2), weight (T,) or one for all."""
        rows = np.zeros((self.frames, 4))
        rows[:, :2], rows[:, 2:] = -unit, unit
        at = np.array([2 * i, 2 * i + 1, 2 * j, 2 * j + 1])
        weighted = rows * np.broadcast_to(weight, self.frames)[:, None]
        self.block[:, at[:, None], at[None, :]] += weighted[:, :, None] * rows[:, None, :]
        self.right[:, at] += weighted * length[:, None]

    def banded(self) -> Array:
        """Upper banded storage (2n + 1, T n)."""
        n, size = self.n, self.frames * self.n
        out = np.zeros((2 * n + 1, size))
        for a in range(n):
            for b in range(a, n):
                out[2 * n - (b - a), b::n] = self.block[:, a, b]
        out[n, n:] = self.one[:-1].ravel()
        out[0, 2 * n :] = self.two[:-2].ravel()
        out[2 * n] += 1e-6
        return out


def solve(
    evidence: Evidence,
    keys: list[Keyframe],
    trust: dict[str, Trust],
    moved: Offsets,
    lengths: Lengths | None,
    acceleration_px: float,
    start: Array | None = None,
    passes: int = PASSES,
    doubt: bool = True,
    turns: Bearings | None = None,
) -> Solution:
    """Positions and covariance of every point in every frame.

    trust: joint -> Trust; moved: offsets of the network; acceleration_px: standard deviation of the second difference per
    frame that a body makes. start: (T, P, 2) first guess; taken from the corrected network when absent.
    doubt: work out the covariance too (zeros otherwise).
    """
    frames, count = evidence.network.shape[:2]
    guided = evidence.network + moved.move
    x = filled(guided) if start is None else start
    ties = {ends: tie for ends, tie in (lengths or {}).items() if set(ends) <= set(evidence.names)}
    bearings = {ends: turn for ends, turn in (turns or {}).items() if set(ends) <= set(evidence.names)}
    groups = _groups(evidence.names, [*ties, *bearings])
    parts = [(at, evidence.only([evidence.names[i] for i in at])) for at in groups]
    factors: list[Array] = []
    for _ in range(passes):
        factors, new = [], np.empty_like(x)
        for at, part in parts:
            normal = _Normal(frames, len(at))
            _add_points(normal, part, guided[:, at], trust, x[:, at])
            _add_keys(normal, part, keys)
            _add_steps(normal, part, trust, x[:, at])
            for (a, b), (length, sigma) in ties.items():
                if a in part.names:
                    _add_length(normal, part.names, a, b, length, sigma, x[:, at])
            for (a, b), since in bearings.items():
                if a in part.names:
                    _add_turns(normal, part.names, a, b, since, x[:, at])
            _add_smoothness(normal, part.times, acceleration_px)
            factor = cholesky_banded(normal.banded())
            new[:, at] = solve_factor((factor, False), normal.right.ravel()).reshape(frames, len(at), 2)
            factors.append(factor)
        x = new
    return Solution(x, _whole_covariance(factors, groups, frames, count) if doubt else np.zeros((frames, 2 * count, 2 * count)))


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


def _trusted(names: list[str], trust: dict[str, Trust], source: str) -> Array:
    """A source's trust per point: the point's own where it has one, its joint's otherwise."""
    return np.array([getattr(trust.get(n, trust.get(split(n)[0], Trust())), source) for n in names])


def _add_points(normal: _Normal, ev: Evidence, guided: Array, trust: dict[str, Trust], x: Array) -> None:
    frames, n = normal.frames, normal.n
    for name, places, base, memory in (
        ("network", guided, ev.network_sigma, NETWORK_MEMORY),
        ("match", ev.match, ev.match_sigma, MATCH_MEMORY),
    ):
        sigma = base * _trusted(ev.names, trust, name)
        miss = np.linalg.norm(places - x, axis=2)
        with np.errstate(invalid="ignore"):
            weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 2.5) / sigma**2 / memory, 0.0)
        normal.pull(places.reshape(frames, n), np.repeat(weight, 2, axis=1))


def _add_keys(normal: _Normal, ev: Evidence, keys: list[Keyframe]) -> None:
    target, weight = np.full((normal.frames, normal.n), np.nan), np.zeros((normal.frames, normal.n))
    for key in keys:
        for p, name in enumerate(ev.names):
            if name in key.points:
                target[key.frame, 2 * p : 2 * p + 2] = key.points[name]
                weight[key.frame, 2 * p : 2 * p + 2] = key.sigma_px**-2.0
    normal.pull(target, weight)


def _add_steps(normal: _Normal, ev: Evidence, trust: dict[str, Trust], x: Array) -> None:
    # flow on a moving limb always drags a little of the still background along
    change = ev.step[1:]
    moved = np.linalg.norm(np.nan_to_num(change), axis=2)
    sigma = np.hypot(ev.step_sigma[1:], STEP_DRAG * moved) * _trusted(ev.names, trust, "step")
    miss = np.linalg.norm(change - np.diff(x, axis=0), axis=2)
    with np.errstate(invalid="ignore"):
        weight = np.where(np.isfinite(sigma), _robust(miss, sigma, 3.0) / sigma**2, 0.0)
    normal.step(change.reshape(-1, normal.n), np.repeat(weight, 2, axis=1))


def _add_length(normal: _Normal, names: list[str], a: str, b: str, length: Callable[[Array], Array], sigma: float, x: Array) -> None:
    i, j = names.index(a), names.index(b)
    d = x[:, j] - x[:, i]
    unit = d / np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-6)
    normal.apart(i, j, unit, length(unit), sigma**-2.0)


def _add_turns(normal: _Normal, names: list[str], a: str, b: str, since: list[tuple[Array, Array, int | None]], x: Array) -> None:
    """A segment points where it pointed on a keyframe, turned as far as it was seen to turn since."""
    i, j = names.index(a), names.index(b)
    d = x[:, j] - x[:, i]
    now, length = np.arctan2(d[:, 1], d[:, 0]), np.linalg.norm(d, axis=1)
    for turn, sigma, key in since:
        seen = np.isfinite(turn)
        angle = np.where(seen, np.nan_to_num(turn) + (0.0 if key is None else now[key]), now)
        miss = np.abs(wrapped(angle - now, 2 * np.pi))
        with np.errstate(invalid="ignore"):
            weight = np.where(seen, _robust(miss, sigma, 3.0) / (sigma * length) ** 2 / TURN_MEMORY, 0.0)
        normal.apart(i, j, np.stack([-np.sin(angle), np.cos(angle)], axis=1), np.zeros(len(x)), weight)


def _add_smoothness(normal: _Normal, times: Array, acceleration_px: float) -> None:
    """Second differences on presentation times: uneven frames count as what they are."""
    if len(times) < 3:
        return
    h0, h1 = np.diff(times)[:-1], np.diff(times)[1:]
    typical = float(np.median(np.diff(times)))
    normal.bend(typical / h0, -typical / h0 - typical / h1, typical / h1, acceleration_px**-2.0)


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
