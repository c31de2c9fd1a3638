"""What the fall of a bar tells of the joints that let it down: it counts and times the reps of films in which plates hide the body."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.client_body import Body
from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import UNKNOWN_U, Series
from deepmirror.movements.schema import Movement

Array = NDArray[np.float64]

LEAST_FALL_CM = 12.0  # of a bar, that is a rep: a step under it bobs by less, a partial squat falls further; our own choice
SHOWN = 0.8  # of the frames in which its plate must show; our own choice
FALL_U_CM = 0.5  # k = 2: what its plate's centre is off by from picture to picture; our own estimate
STANDS_PERCENTILE = 2  # of all falls: where the bar stands, between what it bobs over that and under it; our own choice
# What a loaded bar is pulled by at most where it turns round, cm/s²: so far may it have gone from the straight way between two pictures
# that show it. Squats and pulls from the floor reach 3 to 5 m/s²; from memory.
PULL = 500.0
# k = 2, of the fall: the plate is nearer the camera by an unsure bit, and the scale is the client's; our own estimate. It moves no moment.
SCALE_U_SHARE = 0.1
LEANS = 0.7  # of half the knee's bend, in a squat: 40° at a knee of 115°; common practice, no source
MOST_FOLDED = 1.6  # of the reach: a bar that falls further than the bone is long is held lower than the joint; our own choice


@dataclass(frozen=True)
class Linkage:
    """What lets a bar down: `joints` bends between bones that are reach_cm long together, of which the bar hangs straight when they are."""

    reach_cm: float
    joints: int

    def bend(self, fall_cm: Array) -> Array:
        """How far the joint bends (degrees) for a bar to fall so far. Near straight it bends far before a bar falls by much."""
        return np.asarray(self.joints * np.degrees(np.arccos(1 - np.clip(fall_cm / self.reach_cm, 0.0, MOST_FOLDED))))


@dataclass(frozen=True)
class BarBend:
    """signal: the bend (degrees) that lets a bar down as far as it hangs, signed as the movement's own, with the doubt that
    moves the moments of a rep; least: what of it is a rep; fall: how deep it hangs, cm, signed alike, with all its doubt."""

    signal: Series
    least: float
    fall: Series

    def range_cm(self, rep: Rep) -> Rep:
        """The rep with its range and ends as the bar goes: how far it was let down is what a coach calls its range."""
        start, end, turn = (float(v) for v in np.interp([rep.start_s, rep.end_s, rep.bottom_s], self.fall.times, self.fall.values))
        return replace(rep, range=turn - min(start, end), ends=(start, end))


def linkage(movement: Movement, body: Body) -> Linkage:
    """Under a bar on the back thigh and shank fold at the knee, by as much each, and the trunk leans by LEANS of that, so that it lowers
    the bar by about the square of it; a bar in the hands falls as the trunk leans."""
    trunk = body.length("trunk").cm
    if movement.bar_on_back:
        return Linkage(body.length("thigh").cm + body.length("shank").cm + LEANS**2 * trunk, 2)
    return Linkage(trunk, 1)


def bar_fall(times: Array, plate: Array, room: Array, up: Array, px_per_cm: float) -> Series | None:
    """How deep a bar hangs under where it stands, cm; None where its plate mostly does not show.

    plate, room as in Evidence; up (2,): what is up in the picture; px_per_cm: where the plate is, nearer than the client. For a moment in
    which the plate does not show it goes straight from where it was to where it is seen again, and is as unsure as a bar can have gone
    another way meanwhile.
    """
    shown = np.isfinite(plate[:, 0]) if len(plate) else np.zeros(len(times), bool)
    if shown.mean() < SHOWN:
        return None
    height = compensate_camera_motion(plate[:, None], room)[:, 0] @ up / px_per_cm
    seen = np.flatnonzero(shown)
    fall = -np.interp(times, times[shown], height[shown])
    since, until = np.searchsorted(seen, np.arange(len(times)), side="right") - 1, np.searchsorted(seen, np.arange(len(times)))
    within = (since >= 0) & (until < len(seen))
    before, after = times[seen[np.maximum(since, 0)]], times[seen[np.minimum(until, len(seen) - 1)]]
    astray = PULL / 2 * (times - before) * (after - times)
    return Series(times, fall - np.percentile(fall, STANDS_PERCENTILE), np.where(within, np.hypot(FALL_U_CM, astray), UNKNOWN_U))


def bar_bend(fall: Series, movement: Movement, body: Body) -> BarBend:
    """What a bar's fall (cm) says of the bend of the joints; unknown where it might be any."""
    joints = linkage(movement, body)
    bend, sign = joints.bend(fall.values), movement.signal_sign
    u = joints.bend(np.maximum(fall.values, 0.0) + fall.u) - bend
    signal = Series(fall.times, sign * bend, np.where(fall.u < UNKNOWN_U, u, UNKNOWN_U))
    hangs = Series(fall.times, sign * fall.values, np.hypot(fall.u, SCALE_U_SHARE * np.abs(fall.values)))
    return BarBend(signal, float(joints.bend(np.array(LEAST_FALL_CM))), hangs)
