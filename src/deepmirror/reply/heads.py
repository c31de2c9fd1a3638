"""Where the client's face is on every frame, so that it can be blurred."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.sketches.sketch import Circle
from deepmirror.core.trajectories import Track

HEAD_OF_TRUNK = 0.38  # radius over the shoulder-hip length: head height is 0.130 and hip to shoulder 0.288 of stature
# (Drillis & Contini 1966, in Winter, from memory), so half a head is 0.226 of the trunk; two thirds more covers hair and leaves a margin


def head_circles(track: Track) -> list[tuple[Circle, ...]]:
    """One circle per frame around the head; where no ear was followed, above the shoulders on the trunk's line."""
    shoulder, hip, ear = (_middle(track, joint) for joint in ("shoulder", "hip", "ear"))
    if shoulder is None or hip is None:
        return [()] * len(track.times)
    trunk = np.linalg.norm(shoulder - hip, axis=1)
    radius = HEAD_OF_TRUNK * float(np.percentile(trunk, 90))
    if ear is None:
        ear = shoulder + (shoulder - hip) / np.maximum(trunk, 1.0)[:, None] * radius
    doubt = _doubt(track)
    return [((float(x), float(y), float(radius + min(d, radius))),) for (x, y), d in zip(ear, doubt, strict=True)]


def _middle(track: Track, joint: str) -> NDArray[np.float64] | None:
    names = [sided(joint, s) for s in SIDES if sided(joint, s) in track.names]
    return np.mean([track.point(n) for n in names], axis=0) if names else None


def _doubt(track: Track) -> NDArray[np.float64]:
    """How far (px, k = 2) the head may lie from where it is thought to be."""
    names = [sided("ear", s) for s in SIDES if sided("ear", s) in track.names]
    return 2 * np.max([track.sigma(n) for n in names], axis=0) if names else np.full(len(track.times), 0.0)
