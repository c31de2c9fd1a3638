"""Whether flow and patches followed the body, or something else that lies before it or behind it.

An upright before the knee, a hand on a handle before the hip or a dark wall behind dark clothes has corners of its own, and flow
holds on to them. The network errs by a part of a limb, and slowly; but it does not stay behind while a leg goes by. So what was
followed is believed as long as it goes where the network goes, within what the network errs by.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SEGMENTS, sided, split
from deepmirror.pose.evidence import Evidence, shank_px, steady

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]

SPAN_S = 0.5  # over which ways are compared: long enough for a limb's way to stand out of the network's wandering; our own choice
SEEN_SHARE = 0.6  # of a span's frames, that flow must have been measured in for its way to be compared; our own choice
# What the network's way may be off by over a span: a share of the shank, and a share of the way itself.
NETWORK_WANDERS, NETWORK_SHORT = 0.08, 0.20
NETWORK_LAG_S = 0.05  # a look every 0.13 s is late or early by so much where a limb turns round; our own estimate, no source
PATCH_WANDERS, PATCH_SHORT = 0.16, 0.40  # the same from the clicked frame on, where its offset turns with posture
LOST_SHARE = 0.15  # of the shank: a look this far from its neighbours, which agree better than that, has lost the joint; our own choice
MOSTLY = 0.4  # of the spans in which a point moves: from here on what was followed is something else all the while
OTHER_SIGMA_FACTOR = 60.0  # what is seen of something else says that much less of the body


def without_other_things(evidence: Evidence) -> Evidence:
    """Flow and patches lose their say where they went another way than the body."""
    shank = shank_px(evidence.network, evidence.names)
    evidence = _without_lost_looks(evidence, shank)
    calm = steady(evidence.network)
    step_sigma, match_sigma = evidence.step_sigma.copy(), evidence.match_sigma.copy()
    step_sigma[_flow_elsewhere(evidence, calm, shank)] *= OTHER_SIGMA_FACTOR
    match_sigma[_patch_elsewhere(evidence, calm, shank)] *= OTHER_SIGMA_FACTOR
    return replace(evidence, step_sigma=step_sigma, match_sigma=match_sigma)


def _without_lost_looks(evidence: Evidence, shank: float) -> Evidence:
    """Single looks of the network that contradict the looks before and after, while those agree with one another by the flow between.

    Two networks take turns, each in its own region: one that has lost the body for a second errs on every second look.
    """
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    seen = np.isfinite(evidence.step_sigma) & np.isfinite(evidence.step[..., 0])
    way = np.cumsum(np.where(seen[..., None], evidence.step, 0.0), axis=0)
    told = np.cumsum(seen, axis=0)
    for p in range(network.shape[1]):
        looks = np.flatnonzero(np.isfinite(network[:, p, 0]))
        if len(looks) < 3:
            continue
        lost = _lost(evidence.network[looks, p] - way[looks, p], told[looks, p], looks, LOST_SHARE * shank)
        network[lost, p], sigma[lost, p] = np.nan, np.inf
    return evidence.with_network(network, sigma)


def _lost(still: Array, told: Array, looks: NDArray[np.intp], limit: float) -> list[int]:
    """Frames of the looks (K,) to drop. still (K, 2) px: where each saw the joint less its flow till then, which a joint that goes with
    its flow keeps; told (K,): frames of flow measured till then."""
    out, kept = [], 0
    for i in range(1, len(looks) - 1):
        steady_before = np.linalg.norm(still[i] - still[kept]) <= limit
        covered = told[i + 1] - told[kept] >= SEEN_SHARE * (looks[i + 1] - looks[kept])
        passes = np.linalg.norm(still[i + 1] - still[i]) > limit and np.linalg.norm(still[i + 1] - still[kept]) <= limit
        if not steady_before and covered and passes:
            out.append(int(looks[i]))
        else:
            kept = i
    return out


def _flow_elsewhere(evidence: Evidence, calm: Array, shank: float) -> Mask:
    """(T, P): frames whose flow belongs to a span in which it went another way than the network.

    calm: the network's places steadied (T, P, 2) px.
    """
    frames = len(evidence.times)
    half = max(1, round(SPAN_S / 2 / float(np.median(np.diff(evidence.times)))))
    first, last = np.clip(np.arange(frames) - half, 0, None), np.clip(np.arange(frames) + half, None, frames - 1)
    seen = np.isfinite(evidence.step_sigma) & np.isfinite(evidence.step[..., 0])
    way = np.cumsum(np.where(seen[..., None], evidence.step, 0.0), axis=0)
    told = np.cumsum(seen, axis=0)
    share = (told[last] - told[first]) / np.maximum(last - first, 1)[:, None]
    whole = np.maximum(share, SEEN_SHARE)[..., None]
    flowed, moved = (way[last] - way[first]) / whole, calm[last] - calm[first]
    far = np.linalg.norm(moved, axis=2)
    speed = np.gradient(calm, evidence.times, axis=0)
    doubt = _network_doubt(evidence)
    allowed = NETWORK_WANDERS * shank + NETWORK_LAG_S * np.linalg.norm(speed[last] - speed[first], axis=2) + doubt[first] + doubt[last]
    astray = (
        np.min(
            [
                np.linalg.norm(flowed - ways, axis=2) - allowed - NETWORK_SHORT * np.linalg.norm(ways, axis=2)
                for ways in (moved, moved[:, _carriers(evidence.names)])
            ],
            axis=0,
        )
        > 0
    )
    astray &= share >= SEEN_SHARE
    travels = far > 2 * NETWORK_WANDERS * shank
    always = (astray & travels).sum(axis=0) > MOSTLY * np.maximum(travels.sum(axis=0), 1)
    return np.asarray(_spread(astray, half) | (always & travels.any(axis=0))[None])


def _network_doubt(evidence: Evidence) -> Array:
    """(T, P) px by which two networks disagree beyond what is usual: one that does not know where a joint is has no say on its flow."""
    frames, out = np.arange(len(evidence.times)), np.zeros_like(evidence.network_sigma)
    for p in range(out.shape[1]):
        looked = np.isfinite(evidence.network_sigma[:, p])
        if looked.any():
            sigma = np.interp(frames, frames[looked], evidence.network_sigma[looked, p])
            out[:, p] = np.maximum(sigma - 2 * float(np.percentile(sigma, 10)), 0.0)
    return out


def _carriers(names: list[str]) -> list[int]:
    """For each point the one whose way it may take as well as its own: the ankle's for a shoe's ends, which the network knows worst."""
    own = {n: i for i, n in enumerate(names)}
    carried = [split(n) for n in names]
    return [own.get(sided("ankle", side or ""), i) if joint in SEGMENTS["foot"] else i for i, (joint, side) in enumerate(carried)]


def _spread(mask: Mask, half: int) -> Mask:
    """Every frame within `half` of one that is marked."""
    count = np.cumsum(np.pad(mask, ((half + 1, half), (0, 0))).astype(int), axis=0)
    return np.asarray(count[2 * half + 1 :] - count[: -2 * half - 1] > 0)


def _patch_elsewhere(evidence: Evidence, calm: Array, shank: float) -> Mask:
    """(T, P): frames whose patch has gone another way since it was learned than the network has."""
    out, carriers, doubt = np.zeros(evidence.match_sigma.shape, bool), _carriers(evidence.names), _network_doubt(evidence)
    for k, (frame, point, x, y, _) in enumerate(evidence.learned):
        p, f = int(point), int(frame)
        if p < 0 or f >= len(calm):
            continue
        rows = evidence.match_key[:, p] == k
        moved, gone = calm[:, p] - calm[f, p], evidence.match[:, p] - np.array([x, y])
        carried = calm[:, carriers[p]] - calm[f, carriers[p]]
        with np.errstate(invalid="ignore"):
            miss = [np.linalg.norm(gone - way, axis=1) - PATCH_SHORT * np.linalg.norm(way, axis=1) for way in (moved, carried)]
            out[:, p] |= rows & (np.min(miss, axis=0) > PATCH_WANDERS * shank + doubt[:, p] + doubt[f, p])
    return out
