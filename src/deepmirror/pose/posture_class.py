"""What a film seems to show, from a few of its pictures: from which side, and which family of movement. For the coach to confirm.

The rules say what each family of movement looks like (common practice, no source). Three of them (curl or extension by the posture
at rest, hinge or bridge by the knee, feet apart) were mended after a first run over the 19 films in docs/accuracy.md, so its numbers
there are no proof.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.network import Detector, LandmarkNetwork
from deepmirror.pose.view_classifier import MIN_PRESENCE, view_of

Array = NDArray[np.float64]
SIDE = {"left": (11, 23, 25, 27), "right": (12, 24, 26, 28)}  # shoulder, hip, knee, ankle in the network's own numbering
LYING_DEG = 65.0  # trunk from upright
SEATED_DEG = 50.0  # a hip that stays more bent than this sits
BENT_DEG, STEP_SHARE = 60.0, 0.9  # a knee that stays so bent belongs to a bridge; feet so many shanks apart to a split stance
MOVES_DEG, STILL_DEG = 35.0, 16.0  # an angle that changes by more moves, by less is held


@dataclass(frozen=True)
class Seen:
    """A guess of a film: its view, and the families of movement it may be, the likeliest first; empty where nobody is seen."""

    view: str | None = None
    families: tuple[str, ...] = ()


def look_at(pictures: list[NDArray[np.uint8]]) -> Seen:
    """Guess from pictures (H, W, 3) RGB spread over the film."""
    detector, network = Detector(), LandmarkNetwork("full")
    bodies = []
    for picture in pictures:
        found = detector.find(picture)
        sight = network.look(picture, found[0][1]) if found else None
        if sight is not None and sight.presence >= MIN_PRESENCE:
            bodies.append(np.asarray(sight.points, float))
    if not bodies:
        return Seen()
    views = [view_of(p) for p in bodies]
    view = max(set(views), key=views.count)
    return Seen(view, _families(np.array(bodies), view))


@dataclass(frozen=True)
class Postures:
    """What a side film's postures have in common, degrees: the trunk from upright, hip and knee bend, and how far each of them moves.
    knee_rests_bent: bent further at the film's ends than midway; apart: between the ankles, of a shank."""

    lean: float
    knee: float
    seat: float  # the least hip bend
    lean_way: float
    hip_way: float
    knee_way: float
    knee_rests_bent: bool
    apart: float


# In this order; the first that fits a film's postures names its families, the likeliest first.
RULES: tuple[tuple[Callable[[Postures], bool], tuple[str, ...]], ...] = (
    (lambda p: p.lean > LYING_DEG and p.knee_way > MOVES_DEG, ("leg curl", "body-weight hamstrings", "hip extension")),
    (lambda p: p.knee > BENT_DEG and p.hip_way > MOVES_DEG > p.knee_way, ("hip extension",)),
    (lambda p: p.seat > SEATED_DEG and p.knee_way > MOVES_DEG and p.hip_way > STILL_DEG, ("leg press", "leg extension")),
    (lambda p: p.seat > SEATED_DEG and p.knee_way > MOVES_DEG and p.knee_rests_bent, ("leg extension", "leg curl")),
    (lambda p: p.seat > SEATED_DEG and p.knee_way > MOVES_DEG, ("leg curl", "leg extension")),
    (lambda p: p.lean_way > MOVES_DEG > p.knee_way, ("hinge", "deadlift")),
    (lambda p: p.knee_way < STILL_DEG and p.hip_way < STILL_DEG, ("calf raise",)),
    (lambda p: p.hip_way < MOVES_DEG < p.knee_way, ("leg curl", "body-weight hamstrings")),
    (lambda p: p.apart > STEP_SHARE, ("one-leg stance", "free squat")),
    (lambda _: True, ("free squat", "guided squat", "one-leg stance")),
)
FROM_THE_FRONT = ("free squat", "one-leg stance", "hip abduction")


def _families(bodies: Array, view: str) -> tuple[str, ...]:
    """The families of movement that a film's postures (N, 33, 2) px fit, the likeliest first."""
    if not view.startswith("side"):
        return FROM_THE_FRONT
    shoulder, hip, knee, ankle = (bodies[:, i] for i in SIDE[view.removeprefix("side-")])
    lean = np.degrees(np.arccos(np.clip((hip - shoulder)[:, 1] / np.maximum(np.linalg.norm(hip - shoulder, axis=1), 1e-6), -1, 1)))
    bend, fold = 180 - _angle(hip, knee, ankle), 180 - _angle(shoulder, hip, knee)
    apart = np.abs(bodies[:, SIDE["left"][3], 0] - bodies[:, SIDE["right"][3], 0]) / np.maximum(np.linalg.norm(knee - ankle, axis=1), 1e-6)
    lean_way, hip_way, knee_way = (float(np.ptp(v)) for v in (lean, fold, bend))
    rests_bent = bool((bend[0] + bend[-1]) > (bend.min() + bend.max()))
    middle, seat = (float(np.median(lean)), float(np.median(bend))), float(fold.min())
    postures = Postures(*middle, seat, lean_way, hip_way, knee_way, rests_bent, float(np.median(apart)))
    return next(families for fits, families in RULES if fits(postures))


def _angle(a: Array, b: Array, c: Array) -> Array:
    u, v = a - b, c - b
    cosine = (u * v).sum(axis=1) / np.maximum(np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1), 1e-6)
    return np.asarray(np.degrees(np.arccos(np.clip(cosine, -1, 1))))
