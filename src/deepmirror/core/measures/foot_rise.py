"""Whether heel or toe left the floor, or the platform the feet stand on."""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures import contact_measures
from deepmirror.core.measures.context import Array, MeasurementContext, at, highest, noise_sd
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SIDES, sided, split
from deepmirror.core.trajectories import Points
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.fitted import fitted_by_name

RISE_U_CM = fitted_by_name("rise_u")
OTHER_END = {"heel": "toe", "toe": "heel"}


def rise(scene: MeasurementContext, rep: Rep, name: str) -> Value:
    """How far a point of a foot rose above where it was at the rep's start, cm.

    Beside a camera that moves everything seems to rise and sink: there it rose by no more than it did above the foot's other end, which
    stays on the floor.
    """
    if scene.seen is None or scene.seen is scene.track:
        return _rise(scene, rep, name, None).widened(RISE_U_CM["still"])
    joint, side = split(name)
    other = sided(OTHER_END[joint], side or "")
    ways = [_rise(scene, rep, name, beside) for beside in (None, other) if beside is None or beside in scene.track.names]
    return Value(min(way.value for way in ways), max(way.u for way in ways)).widened(RISE_U_CM["moving"])


def _rise(scene: MeasurementContext, rep: Rep, name: str, beside: str | None) -> Value:
    """How far a point rose, by itself or above another one, cm."""
    names = [name] if beside is None else [name, beside]

    def height(p: Points) -> Array:
        return np.asarray((p[name] if beside is None else p[name] - p[beside]) @ scene.up)

    series = scene.cached_series(f"height {' over '.join(names)}", lambda: scene.track.series(height))
    # a point's own click error cancels in a difference; what is left is following noise
    noise = float(np.hypot(COVERAGE_FACTOR * noise_sd(series.values) * np.sqrt(2), scene.hidden_u(rep, *names)))
    return scene.cm(Value(highest(series, rep).value - at(series, rep.start_s), noise))


def heel_rise(scene: MeasurementContext, rep: Rep) -> Value:
    """Rise of the near heel (side) or of the higher heel (front) during the rep, cm.

    Raises CannotTell in front and rear films of a platform that moves: a foot rises and sinks in the picture as it goes with it.
    """
    if scene.platform_moves:
        return contact_measures.sole_lift(scene, rep)
    if scene.near:
        return rise(scene, rep, scene.side_point("heel"))
    return max((rise(scene, rep, sided("heel", s)) for s in SIDES), key=lambda v: v.value)


def toe_rise(scene: MeasurementContext, rep: Rep) -> Value:
    """Rise of the near toe during the rep, cm: weight on the heels. Raises CannotTell in front films."""
    return rise(scene, rep, scene.side_point("toe"))
