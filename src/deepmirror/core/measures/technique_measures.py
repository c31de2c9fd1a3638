"""How a lift is done: hips before the shoulders, hips that travel, control on the way down, the length of a step.

As in body_measures: functions of a MeasurementContext and a Rep that return a Value or raise CannotTell.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures import tempo_measures
from deepmirror.core.measures.body_measures import CHANGE_U_SHARE, ISB, OWN, PRACTICE
from deepmirror.core.measures.context import FILM_SIDE, Array, CannotTell, MeasurementContext, RepMeasure, at, highest, noise_sd
from deepmirror.core.measures.spec import HIP, SIDE, SWING, Belongs, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Points, Series
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import facing

LEGS_FIRST_S, STILL_BENT_DEG = 0.7, 2.0  # how long legs may straighten before the rep is seen to begin, and what is no straightening yet
LOST_CONTROL = 1.6  # times the controlled lowering speed of the first half; common practice, no source
FAR_FOOT_U_CM = 9.0  # k = 2 of a far ankle seen by the network alone; our own estimate, no source


def hips_first(scene: MeasurementContext, rep: Rep) -> Value:
    """How much further the trunk leans over in the lift than where the knees began to straighten, degrees: hips that rise before the
    shoulders.

    What is off throughout the rep cancels in the difference.
    """
    start, end = (rep.start_s, rep.turn_start_s) if rep.first == "concentric" else (rep.turn_end_s, rep.end_s)
    knee = scene.angle("knee_flexion").window(start - LEGS_FIRST_S, end)
    lift = scene.angle("trunk_lean").window(start - LEGS_FIRST_S, end)
    if not len(lift.values):
        raise CannotTell("the lift is not whole", FILM_SIDE)
    began = int(np.flatnonzero(knee.values >= knee.values.max() - STILL_BENT_DEG)[-1])
    i = began + int(np.argmax(lift.values[began:]))
    return Value(float(lift.values[i] - lift.values[began]), CHANGE_U_SHARE * float(np.hypot(lift.u[i], lift.u[began])))


def at_lift_end(name: str) -> RepMeasure:
    """An angle where the lift ends, degrees."""

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        series, when = scene.angle(name), rep.end_s if rep.first == "eccentric" else rep.bottom_s
        return Value(at(series, when), float(np.interp(when, series.times, series.u)))

    return measure


def hip_travel(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the hip moved from where it was at the rep's start, cm."""
    hip = scene.side_point("hip")
    path = scene.track.point(hip)
    rest = path[np.abs(scene.track.times - rep.start_s) <= 0.1]
    away = np.linalg.norm(path - (rest.mean(axis=0) if len(rest) else path[0]), axis=1)
    noise = np.full(len(away), np.hypot(COVERAGE_FACTOR * noise_sd(away) + 1.5, scene.hidden_u(rep, hip)))
    return scene.cm(highest(Series(scene.track.times, away, noise), rep))


def _nordic(scene: MeasurementContext, rep: Rep) -> tuple[Series, int]:
    """The body's line knee to shoulder from upright (degrees) over the lowering, and where control is lost."""
    shoulder, knee = scene.side_point("shoulder"), scene.side_point("knee")
    across = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])

    def lean(p: Points) -> Array:
        d = p[shoulder] - p[knee]
        return np.asarray(np.degrees(np.arctan2(d @ across, d @ scene.up)))

    part = scene.cached_series("whole lean", lambda: scene.track.series(lean)).window(rep.start_s, rep.turn_start_s)
    if len(part.values) < 3:
        raise CannotTell("the lowering is not whole", FILM_SIDE)
    speeds = np.gradient(part.values, part.times)
    calm = LOST_CONTROL * float(np.median(speeds[: max(len(speeds) // 2, 1)]))
    over = speeds > calm
    # from the end back: the last stretch that stays above the controlled band
    slow = np.flatnonzero(~over[: int(np.argmax(speeds)) + 1])
    return part, int(slow[-1]) + 1 if len(slow) and over.any() else len(part.values) - 1


def break_point(scene: MeasurementContext, rep: Rep) -> Value:
    """Lean of the line knee to shoulder, degrees from upright, at which the lowering speeds up and stays fast."""
    part, i = _nordic(scene, rep)
    i = min(i, len(part.values) - 1)
    return Value(float(part.values[i]), float(part.u[i]) + 3.0)


def control_time(scene: MeasurementContext, rep: Rep) -> Value:
    """Seconds of controlled lowering before the break-point."""
    part, i = _nordic(scene, rep)
    return Value(float(part.times[min(i, len(part.times) - 1)] - part.times[0]), 4 * tempo_measures.frame_s(scene))


def stance_length(scene: MeasurementContext, rep: Rep) -> Value:
    """Distance from front to rear ankle at the lowest point, cm. The far ankle is the network's alone, which the uncertainty shows.

    Raises CannotTell where the far foot was not seen, or without a scale.
    """
    near, far = scene.side_point("ankle"), scene.far.get("ankle")
    if far is None:
        raise CannotTell("the far foot was not seen", FILM_SIDE)
    across = np.array([-scene.up[1], scene.up[0]])
    apart = np.abs((scene.track.point(near) - far) @ across)
    series = Series(scene.track.times, apart, np.full(len(apart), 0.0))
    return scene.cm(Value(at(series, rep.bottom_s), 0.0)).widened(FAR_FOOT_U_CM)


FALL = Focus(("knee", "shoulder"), Drawing.LEAN)

MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "hips_first_deg",
        "Hips rise before the trunk",
        "°",
        hips_first,
        SIDE,
        OWN,
        short="Hips before trunk",
        focus=SWING,
        series="trunk_lean",
        moment=Moment.FURTHEST,
        listed=False,
    ),
    MeasureSpec(
        "hip_at_top_deg",
        "Hip bend where the lift ends",
        "°",
        at_lift_end("hip_flexion"),
        SIDE,
        ISB,
        short="Hip at the top",
        focus=HIP,
        series="hip_flexion",
        moment=Moment.LIFT_END,
        listed=False,
    ),
    MeasureSpec(
        "hip_travel_cm",
        "Hips move by",
        "cm",
        hip_travel,
        SIDE,
        OWN,
        focus=Focus(("hip",), Drawing.MOVED),
        moment=Moment.FURTHEST,
        listed=False,
    ),
    MeasureSpec(
        "break_point_deg", "Control lost at", "°", break_point, SIDE, PRACTICE, focus=FALL, moment=Moment.LOWERING, belongs=Belongs.NAMED
    ),
    MeasureSpec(
        "control_s", "Controlled for", "s", control_time, SIDE, PRACTICE, focus=FALL, moment=Moment.LOWERING, belongs=Belongs.NAMED
    ),
    MeasureSpec(
        "stance_length_cm", "Step length", "cm", stance_length, SIDE, OWN, focus=Focus(("ankle",), Drawing.STEP), belongs=Belongs.NAMED
    ),
)
