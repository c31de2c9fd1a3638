"""Where joints' centres lie from the network's points: what is usual, and what the clicks say of this client.

The own offset is a Gaussian process over posture and time: a click at the bottom of a squat speaks for all bottoms.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SEGMENTS, split
from deepmirror.fitted import fitted
from deepmirror.pose.evidence import Evidence, Keyframe, filled, rotate, shank_px, steady, usual_network_sigma
from deepmirror.pose.posture import Posture

Array = NDArray[np.float64]

# A click further than this share of the shank from the network's point means that the network saw something else there.
OFFSET_LIMIT = 0.4
BEND_DOUBT = fitted("bend_doubt")
LIKE_POSTURE = 0.25  # of the whole movement: postures closer than this are alike to the network; our own estimate
PASSING_SHARE, PASSING_S = 0.7, 0.8  # of the lasting offset: a limb misjudged for a moment says little of other moments
MISSED_GROWS = fitted("missed_grows")
READ_LASTS = fitted("centre_reading_lasts")
MOST_UNSURER = 3.0  # times: a picture that shows nothing makes a joint no less sure than that; our own choice
READ_SHARE = 0.3  # of the looks, of which every second is read from the side: where fewer were the usual offset holds; our own choice
NETWORK_LOOK_SHARE = 0.003  # what is left of one look's noise when five are steadied


@dataclass(frozen=True)
class JointOffsetPrior:
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
class Offsets:
    """What to add to the network's positions (T, P, 2) px, and how sure each point's offset is along and across its direction
    (T, P, 2) px, which lies turned by turn (T, P) rad in the picture."""

    move: Array
    sigma: Array
    turn: Array

    def only(self, kept: list[int]) -> Offsets:
        """Those of some points."""
        return Offsets(self.move[:, kept], self.sigma[:, kept], self.turn[:, kept])


def offsets(evidence: Evidence, keys: list[Keyframe], habits: dict[str, JointOffsetPrior], posture: Posture) -> Offsets:
    """Joint centres minus network: each joint's usual offset (habits), and what the clicks say of this client's own.

    The own offset is a Gaussian process: one part that lasts, one that changes with posture, one that passes in a moment. A
    click at the bottom of a squat so speaks for all bottoms, and for the standing frames only as far as it must.
    """
    calm = steady(evidence.network)
    shank = shank_px(calm, evidence.names)
    move, sure, unseen = np.zeros_like(evidence.network), np.zeros_like(evidence.network), mostly_unseen(evidence, shank)
    for p, name in enumerate(evidence.names):
        habit = habits.get(split(name)[0], JointOffsetPrior(0, 0, 0.12))
        bend, turn = posture.bend[:, p], posture.turn[:, p]
        usual = _with_what_was_read(evidence, p, turn, _usual(habit, bend, posture.mirror.get(split(name)[1], 0), shank), habit, shank)
        clicked = [k for k in sorted(keys, key=lambda k: k.frame) if name in k.points]
        rows = [(k.frame, np.array(k.points[name]), (k.sigma_px, k.narrow.get(name, k.sigma_px))) for k in clicked]
        rows = [r for r in rows if np.linalg.norm(r[1] - calm[r[0], p]) < OFFSET_LIMIT * shank]
        own = np.array([rotate(click - calm[frame, p], -turn[frame]) - usual.steady[frame] for frame, click, _ in rows]).reshape(-1, 2)
        noise = np.array([np.hypot(sigma, NETWORK_LOOK_SHARE * shank) for _, _, sigma in rows]).reshape(-1, 2)
        frames = np.array([r[0] for r in rows], int)
        personal = np.zeros((len(calm), 2))
        for axis, (spread, wandering) in enumerate(habit.spreads()):
            lasting = float(np.hypot(usual.lasting[axis], (unseen[p] - 1) * shank * spread))  # no reading makes up for a joint not found
            likeness = _likeness(frames, evidence.times, posture.place, lasting, shank * wandering)
            personal[:, axis], sure[:, p, axis] = _regressed(likeness, frames, own[:, axis], noise[:, axis])
            with_bend = float(np.hypot(habit.bend_along, habit.bend_across))
            sure[:, p, axis] = np.hypot(sure[:, p, axis], BEND_DOUBT * with_bend * shank * _bent_since(bend, frames))
        sure[:, p] *= usual.unsurer
        move[:, p] = rotate(usual.move + personal, turn)
    return Offsets(move, sure, posture.turn)


def mostly_unseen(evidence: Evidence, shank: float) -> Array:
    """(P,) by how many times more than usual a client's own offset may be off throughout, at least 1: a joint that the network's own map
    does not find in most looks is put where such joints mostly are, in all of them alike. A shoe's ends are told by the shoe and by what
    carries it as well, and what the network says of them is weakened on purpose there."""
    times = np.ones(len(evidence.names))
    for p, usual in enumerate(usual_network_sigma(evidence.names, shank)):
        looks = evidence.network_sigma[np.isfinite(evidence.network_sigma[:, p]), p]
        if len(looks) and split(evidence.names[p])[0] not in SEGMENTS["foot"]:
            times[p] = max(float(np.median(looks)) / usual, 1.0)
    return np.asarray(times**MISSED_GROWS)


@dataclass(frozen=True)
class _Usual:
    """A joint's offset (T, 2) px along and across its direction before its own clicks are asked, the same as several looks tell it, by
    how much less sure it is in some frames than in most (T, 2), and what this client's own lies off it by throughout (2,) px, a standard
    deviation."""

    move: Array
    steady: Array
    unsurer: Array
    lasting: Array


def _usual(habit: JointOffsetPrior, bend: Array, sign: int, shank: float) -> Array:
    """As it is with most clients (T, 2) px, along and across."""
    return shank * np.stack([habit.along + habit.bend_along * bend, sign * (habit.across + habit.bend_across * bend)], axis=1)


def _with_what_was_read(evidence: Evidence, p: int, turn: Array, usual: Array, habit: JointOffsetPrior, shank: float) -> _Usual:
    """What is usual with most clients and what the pictures around this client's joint tell (see joint_centres), each by its doubt."""
    spread = shank * np.array([lasting for lasting, _ in habit.spreads()])
    looked, nothing = np.isfinite(evidence.network[:, p, 0]), _Usual(usual, usual, np.ones_like(usual), spread)
    if not len(evidence.centre) or not looked.any():
        return nothing
    told = np.isfinite(evidence.centre[:, p, 0])
    if (told & looked).sum() < READ_SHARE * looked.sum():
        return nothing
    read = rotate(filled(evidence.centre[:, [p]])[:, 0], -turn)
    sigma = steady(np.where(told[:, None], evidence.centre_sigma[:, p], np.nan)[:, None])[:, 0]
    share = spread**2 / (spread**2 + (READ_LASTS * sigma) ** 2)
    both, left = usual + share * (read - usual), spread * np.sqrt(1 - np.median(share[told], axis=0))
    return _Usual(both, steady(both[:, None])[:, 0], np.clip(sigma / np.median(sigma[told], axis=0), 1.0, MOST_UNSURER), left)


def _bent_since(bend: Array, frames: NDArray[np.int_]) -> Array:
    """By how much (T,) the body is bent otherwise than in the clicked frame most like it; than straight where none was clicked."""
    clicked = bend[frames] if len(frames) else np.zeros(1)
    return np.asarray(np.abs(bend[:, None] - clicked[None]).min(axis=1))


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
