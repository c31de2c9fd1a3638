"""Which of the two legs the network names is the near one, where clicks or the movement know better.

In loose dark clothes the network may take one leg for the other throughout. Legs that stand one before the other are told apart by
where they stand: from a clicked frame outwards each leg is the one that was there a moment ago.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.views import facing
from deepmirror.pose.evidence import DISAGREEMENT_SHARE, Evidence, Keyframe, shank_px, steady

Array = NDArray[np.float64]

LEG = ("knee", "ankle", "heel", "toe")
EXCHANGED = 0.6  # the other leg lies nearer to the clicks than this share of the way to the named one: they are exchanged
CLEARLY_OFF = 0.25  # of the shank: a named leg this near its clicks is that leg
APART = 0.6  # of the shank between the ankles: legs that stand so are told apart by where they stand
SAME_WAY = 0.4  # of the legs' distance: two networks this near to being as far apart as the legs differ in which leg is which
SEEN_SIGMA = 0.06  # of the shank: of a leg point then, twice its usual spread
MEMORY_S = 0.6  # of where a leg was: longer than the network mistakes one for the other in passing; our own choice


def near_leg(evidence: Evidence, keys: list[Keyframe], view: str, front_leg_near: bool) -> Evidence:
    """The evidence with the two legs' network points exchanged where the near one is the other.

    From the front and rear legs that lie crosswise to the shoulders are exchanged. front_leg_near: the movement is filmed from the
    side of the leg in front.
    """
    near = near_side(view)
    if near is None:
        crossed = _crosswise(evidence)
        return _exchanged(evidence, *SIDES, crossed) if crossed.any() else evidence
    far = "right" if near == "left" else "left"
    mine, other = ([evidence.names.index(sided(j, s)) for j in LEG] for s in (near, far))
    calm = steady(evidence.network)
    shank = shank_px(calm, evidence.names)
    at_clicks = {k.frame: _nearer_to_other(k, calm, near, mine, other, shank) for k in keys if k.frame < len(calm)}
    told = {f: swap for f, swap in at_clicks.items() if swap is not None}
    apart = np.linalg.norm(calm[:, mine[1]] - calm[:, other[1]], axis=1) > APART * shank
    if apart.mean() > 0.5 and (told or front_leg_near):
        if not told:
            first = int(np.flatnonzero(apart)[0])
            ahead = facing(view) * (calm[first, mine[1], 0] - calm[first, other[1], 0])
            told = {first: bool(ahead < 0)}
        swaps = _followed(calm, mine, other, told, evidence.times)
    elif any(told.values()):
        swaps = np.full(len(calm), sum(told.values()) * 2 > len(told))
    else:
        return evidence
    told_apart = _without_leg_mistakes(evidence, calm, near, far, shank)
    return _exchanged(told_apart, near, far, swaps) if swaps.any() else told_apart


def _crosswise(evidence: Evidence) -> NDArray[np.bool_]:
    """(T,) frames in which hips, knees and ankles lie the other way round than the shoulders, as no body can turn.

    Somebody who came in facing the camera and turned round may keep her legs' old names in the network.
    """
    apart = np.array([_left_of_right(evidence, joint) for joint in ("shoulder", "hip", "knee", "ankle")])
    with np.errstate(invalid="ignore"):
        return np.asarray((apart[0] * apart[1:] < 0).all(axis=0))


def _left_of_right(evidence: Evidence, joint: str) -> Array:
    left, right = (evidence.network[:, evidence.names.index(sided(joint, s)), 0] for s in SIDES)
    return np.asarray(left - right)


def _nearer_to_other(key: Keyframe, calm: Array, near: str, mine: list[int], other: list[int], shank: float) -> bool | None:
    """Whether the clicked near leg is the one the network names the far one; None where the clicks do not tell."""
    rows = [(i, o, np.array(key.points[n])) for j, i, o in zip(LEG, mine, other, strict=True) if (n := sided(j, near)) in key.points]
    if len(rows) < 2:
        return None
    named = float(np.mean([np.linalg.norm(calm[key.frame, i] - click) for i, _, click in rows]))
    exchanged = float(np.mean([np.linalg.norm(calm[key.frame, o] - click) for _, o, click in rows]))
    if named < CLEARLY_OFF * shank:
        return False
    return exchanged < EXCHANGED * named


def _followed(calm: Array, mine: list[int], other: list[int], told: dict[int, bool], times: Array) -> NDArray[np.bool_]:
    """(T,) whether the legs are exchanged in each frame, carried from the told frames to all others by where the legs were."""
    out = np.zeros(len(calm), bool)
    frames = sorted(told)
    for k, frame in enumerate(frames):
        first = 0 if k == 0 else (frames[k - 1] + frame) // 2
        last = len(calm) - 1 if k == len(frames) - 1 else (frame + frames[k + 1]) // 2
        for way, end in ((1, last), (-1, first)):
            was = calm[frame, other if told[frame] else mine]
            for t in range(frame, end + way, way):
                kept, exchanged = calm[t, mine], calm[t, other]
                out[t] = np.linalg.norm(exchanged - was, axis=1).mean() < np.linalg.norm(kept - was, axis=1).mean()
                now = exchanged if out[t] else kept
                pace = abs(times[min(t + 1, len(times) - 1)] - times[t]) / MEMORY_S
                was = was + min(pace, 1.0) * (now - was)
    return out


def _without_leg_mistakes(evidence: Evidence, calm: Array, near: str, far: str, shank: float) -> Evidence:
    """Two networks that lie as far apart as the legs do differ in which leg is which, and that is settled here."""
    sigma = evidence.network_sigma.copy()
    for joint in LEG:
        a, b = (evidence.names.index(sided(joint, s)) for s in (near, far))
        apart = np.linalg.norm(calm[:, a] - calm[:, b], axis=1)
        for p in (a, b):
            between = sigma[:, p] / DISAGREEMENT_SHARE
            mistaken = (apart > APART * shank) & np.isfinite(sigma[:, p]) & (np.abs(between - apart) < SAME_WAY * apart)
            sigma[mistaken, p] = SEEN_SIGMA * shank
    return replace(evidence, network_sigma=sigma)


def _exchanged(evidence: Evidence, near: str, far: str, swaps: NDArray[np.bool_]) -> Evidence:
    """Left and right leg of the network exchanged in the frames of swaps (T,)."""
    pairs = [tuple(evidence.names.index(sided(joint, s)) for s in (near, far)) for joint in ("hip", *LEG)]
    return evidence.exchanged(swaps, pairs)
