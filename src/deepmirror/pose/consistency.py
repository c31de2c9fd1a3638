"""Whether what was seen of a point agrees with where it was put; a disagreement beyond the uncertainties widens them.

A solver that takes everything together is sure of itself even where its sources contradict one another, because far-off looks lose
their say. Where nothing but flow and its neighbours hold a point in place while the network keeps seeing it elsewhere, one of them
is wrong, and nobody knows which: so the uncertainty reaches over to the other (the Birge ratio, Birge 1932, from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.source_weights import SourceWeights, weight_of
from deepmirror.pose.trajectory_solver import Solution

Array = NDArray[np.float64]

AROUND_S = 0.4  # to each side: what was seen there speaks for a frame; our own choice
FOUND_SHARE = 0.04  # of the shank: a patch found this near where the point was put bears it out
# How far off its click a point may lie: of the click's own sd, and of the shank; our own choice.
CLICK_SLACK_SD, CLICK_SLACK_SHARE = 3.0, 0.02
HELD_PX = 5.0  # flow or a patch less sure than this leads no point; our own choice
MOSTLY_HELD = 0.4  # of a film's frames; our own choice
SUPPORT = 0.5  # of the frames around: so many found patches bear a point out whatever the network sees


def misfit(evidence: Evidence, own: Offsets, weights: dict[str, SourceWeights], solution: Solution) -> Array:
    """(T, P) by how much the variance of each point must grow for its sources to agree, at least 1."""
    guided = evidence.network + own.move
    share = np.array([weight_of(weights, name).network for name in evidence.names])
    variance = (evidence.network_sigma * np.maximum(share, 1.0)) ** 2 + (own.sigma**2).mean(axis=2)
    variance = variance + (solution.sigma() ** 2)
    with np.errstate(invalid="ignore"):
        ratio = ((guided - solution.positions) ** 2).sum(axis=2) / 2 / variance
        patch = np.linalg.norm(evidence.match - solution.positions, axis=2)
    near = FOUND_SHARE * shank_px(solution.positions, evidence.names)
    found = np.where(np.isfinite(patch), patch < near, False) & (evidence.match_sigma < near)
    borne_out = _around(found.astype(float), evidence.times)
    looked = np.isfinite(ratio)
    mean = _around(np.where(looked, ratio, 0.0), evidence.times) / np.maximum(_around(looked.astype(float), evidence.times), 1e-6)
    needed = 1 - np.clip(borne_out / SUPPORT, 0, 1)
    return np.asarray(1 + needed * np.maximum(mean - 1, 0.0))


@dataclass(frozen=True)
class LooseClick:
    """A click that what the film shows does not go with: which point on which frame, and how far off it lies, px."""

    name: str
    frame: int
    miss_px: float


def loose_clicks(keys: Sequence[Keyframe], names: list[str], solution: Solution) -> tuple[LooseClick, ...]:
    """The clicks that lie further from where their points were put than their own noise explains."""
    slack, out = CLICK_SLACK_SHARE * shank_px(solution.positions, names), []
    for key in keys:
        for name in (n for n in key.points if n in names):
            miss = float(np.linalg.norm(solution.positions[key.frame, names.index(name)] - np.array(key.points[name])))
            if miss > CLICK_SLACK_SD * key.sigma_px + slack:
                out.append(LooseClick(name, key.frame, miss))
    return tuple(out)


def followed(evidence: Evidence) -> Array:
    """(T, P) share of the frames around each in which flow or a patch held the point, so that the network did not lead it there."""
    held = (evidence.step_sigma < HELD_PX) | (evidence.match_sigma < HELD_PX)
    return _around(held.astype(float), evidence.times)


def hidden_share(evidence: Evidence, keys: Sequence[Keyframe]) -> Array:
    """(T, P) from 0 where flow or a patch holds a clicked point as it does else to 1 where neither does: something hides it. 0 throughout
    for a point that they hardly ever hold, and for one that was not clicked: of these nothing can be told."""
    held, clicked = followed(evidence), {name for key in keys for name in key.points}
    usual = np.where([name in clicked for name in evidence.names], held.mean(axis=0), 0.0)
    return np.where(usual > MOSTLY_HELD, np.clip(1 - held / np.maximum(usual, MOSTLY_HELD), 0, 1), 0.0)


def widened(covariance: Array, grown: Array) -> Array:
    """Covariance (T, 2P, 2P) px² with each point's variance grown (T, P) times."""
    root = np.repeat(np.sqrt(grown), 2, axis=1)
    return np.asarray(covariance * root[:, :, None] * root[:, None, :])


def _around(values: Array, times: Array) -> Array:
    """Mean of values (T, P) over the frames around each."""
    half = max(1, round(AROUND_S / float(np.median(np.diff(times)))))
    total = np.cumsum(np.pad(values, ((1, 0), (0, 0))), axis=0)
    first, last = np.clip(np.arange(len(values)) - half, 0, None), np.clip(np.arange(len(values)) + half + 1, None, len(values))
    return np.asarray((total[last] - total[first]) / (last - first)[:, None])
