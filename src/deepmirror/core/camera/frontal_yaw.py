"""How far a front or rear film's camera stands off the straight line, from the client's own symmetry.

A body that is turned against the camera by ψ shows both feet turned by ψ the same way and both knees, which travel forward,
shifted the same way in the picture. A foot turned out further than the other, or one knee that falls in, does one of the two
but not both: so the two witnesses are put together, each with the uncertainty that real asymmetry gives it.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.body.client_body import Body
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.trajectories import Array, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import UP, outward

FEET_SD_DEG = 4.0  # half of how differently people turn their feet out; common practice, no source
KNEES_SD_DEG = 5.0  # what one knee falling in by a tenth of the shank looks like
KNEE_FORWARD = (0.75, 0.25)  # of the shank, with its sd: how far the knee lies before the line from hip to ankle at the reversal


def frontal_yaw(
    track: Track, view: str, body: Body, px_per_cm: Value | None, reps_s: list[tuple[float, float]], up: Array = UP
) -> Value | None:
    """Degrees by which the client is turned to her left against the camera; None for side films or without feet and reps.

    px_per_cm: the film's scale; without one the shanks give it. reps_s: start and far reversal of each rep, s.
    """
    names = [sided(j, s) for j in ("hip", "knee", "ankle", "heel", "toe") for s in SIDES]
    if near_side(view) is not None or not reps_s or not track.has(*names):
        return None
    scale = px_per_cm.value if px_per_cm is not None else _scale_of_shanks(track, body)
    across = np.array([-up[1], up[0]])
    witnesses = [_feet(track, view, body, scale, across), _knees(track, view, reps_s, up, across)]
    weights = [1 / sd**2 for _, sd in witnesses]
    yaw = sum(w * v for w, (v, _) in zip(weights, witnesses, strict=True)) / sum(weights)
    spread = sum(weights) ** -0.5
    # two witnesses that contradict one another speak of asymmetry, not of the camera
    apart = abs(witnesses[0][0] - witnesses[1][0]) / float(np.hypot(witnesses[0][1], witnesses[1][1]))
    return Value(yaw, COVERAGE_FACTOR * spread * max(1.0, apart))


def yaw_by_knees(track: Track, view: str, reps_s: list[tuple[float, float]], up: Array = UP) -> float | None:
    """The same by the knees alone, degrees, for measures of the feet, which must not be told by the feet themselves; None without knees."""
    names = [sided(j, s) for j in ("hip", "knee", "ankle") for s in SIDES]
    if near_side(view) is not None or not reps_s or not track.has(*names):
        return None
    return _knees(track, view, reps_s, up, np.array([-up[1], up[0]]))[0]


def _scale_of_shanks(track: Track, body: Body) -> float:
    """px per cm from the standing shanks."""
    longest = [np.percentile(np.linalg.norm(track.point(f"knee_{s}") - track.point(f"ankle_{s}"), axis=1), 95) for s in SIDES]
    return float(np.mean(longest)) / body.length("shank").cm


def _feet(track: Track, view: str, body: Body, scale: float, across: Array) -> tuple[float, float]:
    """Half the difference of the feet's turn, degrees, and its standard deviation."""
    foot, turned, variance = body.length("foot"), {}, FEET_SD_DEG**2
    for side in SIDES:
        sideways = outward(view, side) * (np.median(track.point(sided("toe", side)) - track.point(sided("heel", side)), axis=0) @ across)
        share = float(np.clip(sideways / (foot.cm * scale), -0.95, 0.95))
        turned[side] = float(np.degrees(np.arcsin(share)))
        heel, toe = (float(np.median(track.sigma(sided(j, side)))) for j in ("heel", "toe"))
        noise = float(np.hypot(heel, toe)) / (foot.cm * scale)
        variance += float(np.degrees(noise / np.sqrt(1 - share**2)) / 2) ** 2
    return (turned["left"] - turned["right"]) / 2, float(np.sqrt(variance))


def _knees(track: Track, view: str, reps_s: list[tuple[float, float]], up: Array, across: Array) -> tuple[float, float]:
    """From how far both knees shift the same way between standing and the reversal, degrees, and its standard deviation."""
    shifts = []
    for side in SIDES:
        hip, knee, ankle = (track.point(sided(j, side)) for j in ("hip", "knee", "ankle"))
        line = ankle - hip
        share = ((knee - hip) @ up) / np.where(np.abs(line @ up) < 1e-6, 1e-6, line @ up)
        off = ((knee - hip) @ across - share * (line @ across)) / float(np.percentile(np.linalg.norm(knee - ankle, axis=1), 95))
        per_rep = [np.interp(turn_s, track.times, off) - np.interp(start_s, track.times, off) for start_s, turn_s in reps_s]
        shifts.append(float(np.median(per_rep)))
    both = outward(view, "left") * float(np.mean(shifts))  # towards the client's left
    forward, forward_sd = KNEE_FORWARD
    yaw = float(np.degrees(np.arcsin(np.clip(both / forward, -0.95, 0.95))))
    return yaw, float(np.hypot(KNEES_SD_DEG, yaw * forward_sd / forward))
