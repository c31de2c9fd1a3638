"""Everything measured per rep and per film, by name: the body's own measures, and those of `pace`, `machine` and `platform`.

A measure is a function of a Scene (and a Rep). It returns a Value, or raises CannotTell with the reason and with what
to film so that it can be told.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core import contact_measures, footplate_measures, tempo_measures
from deepmirror.core.geometry import included_angle
from deepmirror.core.kinematics import facing, outward
from deepmirror.core.reps import Rep
from deepmirror.core.sagittal_fit import Plane
from deepmirror.core.scene import (
    ADD_BACK,
    ADD_BAR,
    ADD_SCALE,
    FILM_FRONT,
    FILM_SIDE,
    Array,
    CannotTell,
    FilmMeasure,
    MeasurementContext,
    NotAsked,
    RepMeasure,
    at,
    highest,
    jitter,
    lowest,
    peak,
)
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.trajectories import Points, Series
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value

# The front of the hip crease lies above the joint's centre and the top of the knee above its own, as shares of stature;
# from memory of anthropometric sketches, no source: the doubt is as large as the offset.
CREASE_ABOVE_HIP_SHARE = 0.020
KNEE_TOP_ABOVE_SHARE = 0.030
SOFT_TISSUE_U_CM = 3.0
RISE_U_CM = 0.35  # k = 2 of a foot that only seems to rise: following on a shoe that turns a little, from our rendered films
MOVING_RISE_U_CM = 1.8  # the same with a hand-held camera: the room behind moves otherwise than the client before it
INWARD_U_PCT = 2.0  # k = 2, from our rendered front films
CHANGE_U_SHARE = 0.5  # of an angle's own doubt: a click's error cancels in a change within one rep, the drift does not
LOST_CONTROL = 1.6  # times the controlled lowering speed of the first half; common practice, no source
FAR_FOOT_U_CM = 9.0  # k = 2 of a far ankle seen by the network alone; our own estimate, no source


def _high(name: str) -> RepMeasure:
    return lambda scene, rep: highest(scene.angle(name), rep)


def _peak(name: str) -> RepMeasure:
    """A thigh that points at the camera doubles the doubt of what is read off its direction."""
    return lambda scene, rep: peak(scene.angle(name), rep)


def _low(name: str) -> RepMeasure:
    return lambda scene, rep: lowest(scene.angle(name), rep)


def knee_past_toe(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest forward reach of the knee past the toe tip, cm, positive past it."""
    knee, toe = scene.side_point("knee"), scene.side_point("toe")
    side = scene.near or "left"
    if scene.plane is None:
        forward = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])
        return scene.cm(highest(scene.once("past toe", lambda: scene.track.series(lambda p: (p[knee] - p[toe]) @ forward)), rep))

    def reach(p: Points, plane: Plane) -> Array:
        q = plane.in_space(p, side, ("hip", "knee", "ankle", "toe"))
        return plane.forward(q["knee"] - q["toe"])

    plane = scene.plane
    return scene.cm(highest(scene.once("past toe", lambda: plane.series(scene.track, reach)), rep))


def rise(scene: MeasurementContext, rep: Rep, name: str) -> Value:
    """How far a point rose above where it was at the rep's start, cm."""
    series = scene.once(f"height {name}", lambda: scene.track.series(lambda p: p[name] @ scene.up))
    # a point's own click error cancels in a difference; what is left is following noise
    noise = COVERAGE_FACTOR * jitter(series.values)
    return scene.cm(Value(highest(series, rep).value - at(series, rep.start_s), noise * np.sqrt(2))).widened(
        RISE_U_CM if scene.seen is None or scene.seen is scene.track else MOVING_RISE_U_CM
    )


def heel_rise(scene: MeasurementContext, rep: Rep) -> Value:
    """Rise of the near heel (side) or of the higher heel (front) during the rep, cm."""
    if scene.platform_moves and scene.near:
        return contact_measures.sole_lift(scene, rep)
    if scene.near:
        return rise(scene, rep, scene.side_point("heel"))
    return max((rise(scene, rep, sided("heel", s)) for s in SIDES), key=lambda v: v.value)


def crease_margin(scene: MeasurementContext, rep: Rep) -> Value:
    """Hip crease height over the top of the knee at the lowest point, cm; negative is below the knee's top."""
    hip, knee = scene.side_point("hip"), scene.side_point("knee")
    centres = scene.cm(lowest(scene.once("crease", lambda: scene.track.series(lambda p: (p[hip] - p[knee]) @ scene.up)), rep))
    stature = scene.body.stature_cm or 170.0
    return Value(centres.value + (CREASE_ABOVE_HIP_SHARE - KNEE_TOP_ABOVE_SHARE) * stature, centres.u).widened(SOFT_TISSUE_U_CM)


def bar_drift(scene: MeasurementContext, rep: Rep) -> Value:
    """Largest distance of the bar from its line, cm: straight up through its place at the rep's start, or along a marked rail."""
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    way = scene.up if scene.marks.rail is None else scene.marks.rail[1] - scene.marks.rail[0]
    across = np.array([-way[1], way[0]]) / np.linalg.norm(way)
    series = scene.track.series(lambda p: p["bar"] @ across)
    start = at(series, rep.start_s)
    away = Series(series.times, np.abs(series.values - start), np.full(len(series.u), COVERAGE_FACTOR * jitter(series.values) + 1.0))
    return scene.cm(highest(away, rep))


def spine_flexion(scene: MeasurementContext, rep: Rep) -> Value:
    """How much more the back is bent than at the set's start, degrees: turns of the line shoulder - mid-back - low back - hip."""
    shoulder, hip = scene.side_point("shoulder"), scene.side_point("hip")
    if "mid_back" not in scene.track.names:
        raise CannotTell("the back is not marked", ADD_BACK)
    line = [shoulder, "mid_back", *(["low_back"] if "low_back" in scene.track.names else []), hip]

    def bend(p: Points) -> Array:
        turns = [180 - included_angle(p[a], p[b], p[c]) for a, b, c in zip(line, line[1:], line[2:], strict=False)]
        return np.asarray(np.sum(turns, axis=0))

    series = scene.once("spine", lambda: scene.track.series(bend))
    start, part = at(series, scene.reps[0].start_s), series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(part.values - part.u))  # the surest large bend: a point lost for some frames must not decide
    return Value(float(part.values[i]) - start, float(part.u[i]))


def spine_change(scene: MeasurementContext, rep: Rep) -> Value:
    """How much more the back is bent at its roundest than in the set's first rep, degrees.

    What the clicks and the shirt do to one rep they do to the next: most of the doubt cancels.
    """
    now, first = spine_flexion(scene, rep), spine_flexion(scene, scene.reps[0])
    if rep.number == scene.reps[0].number:
        raise NotAsked("it is compared with the first repetition", ADD_BACK)
    return Value(now.value - first.value, CHANGE_U_SHARE * max(now.u, first.u))


def change(name: str) -> RepMeasure:
    """How much an angle changed within the rep, degrees: from its smallest to its largest."""

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        part = scene.angle(name).window(rep.start_s, rep.end_s)
        return Value(float(np.ptp(part.values)), float(CHANGE_U_SHARE * np.median(part.u)))

    return measure


def at_turn(name: str) -> RepMeasure:
    """An angle in the middle of the far turn-round, degrees."""
    return lambda scene, rep: Value(
        at(scene.angle(name), rep.bottom_s), float(np.interp(rep.bottom_s, scene.angle(name).times, scene.angle(name).u))
    )


def heel_travel(scene: MeasurementContext, rep: Rep) -> Value:
    """Height the heel covers over the toe in the rep, cm."""
    heel, toe = scene.side_point("heel"), scene.side_point("toe")
    whole = scene.once("heel over toe", lambda: scene.track.series(lambda p: (p[heel] - p[toe]) @ scene.up))
    height = whole.window(rep.start_s, rep.end_s)
    return scene.cm(Value(float(np.ptp(height.values)), COVERAGE_FACTOR * float(np.hypot(2 * jitter(height.values), 1.5))))


def hip_travel(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the hip moved from where it was at the rep's start, cm."""
    path = scene.track.point(scene.side_point("hip"))
    rest = path[np.abs(scene.track.times - rep.start_s) <= 0.1]
    away = np.linalg.norm(path - (rest.mean(axis=0) if len(rest) else path[0]), axis=1)
    noise = np.full(len(away), COVERAGE_FACTOR * jitter(away) + 1.5)
    return scene.cm(highest(Series(scene.track.times, away, noise), rep))


def bar_from_leg(scene: MeasurementContext, rep: Rep) -> Value:
    """Largest distance of the bar from the near leg's line hip - knee - ankle, cm."""
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    names = [scene.side_point(j) for j in ("hip", "knee", "ankle")]

    def away(p: Points) -> Array:
        return np.minimum(_to_segment(p["bar"], p[names[0]], p[names[1]]), _to_segment(p["bar"], p[names[1]], p[names[2]]))

    return scene.cm(highest(scene.once("bar from leg", lambda: scene.track.series(away)), rep))


def _to_segment(point: Array, a: Array, b: Array) -> Array:
    """Distance (T,) of points from segments, px."""
    d = b - a
    share = np.clip(((point - a) * d).sum(axis=1) / np.maximum((d**2).sum(axis=1), 1e-9), 0, 1)
    return np.asarray(np.linalg.norm(point - a - share[:, None] * d, axis=1))


def _nordic(scene: MeasurementContext, rep: Rep) -> tuple[Series, int]:
    """The body's line knee to shoulder from upright (degrees) over the lowering, and where control is lost."""
    shoulder, knee = scene.side_point("shoulder"), scene.side_point("knee")
    across = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])

    def lean(p: Points) -> Array:
        d = p[shoulder] - p[knee]
        return np.asarray(np.degrees(np.arctan2(d @ across, d @ scene.up)))

    part = scene.once("whole lean", lambda: scene.track.series(lean)).window(rep.start_s, rep.turn_start_s)
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
    """Distance from front to rear ankle at the lowest point, cm. The far ankle is the network's alone, which the doubt shows."""
    near, far = scene.side_point("ankle"), scene.far.get("ankle")
    if far is None:
        raise CannotTell("the far foot was not seen", FILM_SIDE)
    across = np.array([-scene.up[1], scene.up[0]])
    apart = np.abs((scene.track.point(near) - far) @ across)
    series = Series(scene.track.times, apart, np.full(len(apart), 0.0))
    return scene.cm(Value(at(series, rep.bottom_s), 0.0)).widened(FAR_FOOT_U_CM)


def _knee_inward(side: str) -> RepMeasure:
    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """How far the knee came inward of its line against the rep's own start, % of the shank.

        A click's own error cancels in the difference; what is left is how the landmarks drift with posture.
        """
        series = scene.angle(f"knee_medial_{side}")
        return Value(highest(series, rep).value - at(series, rep.start_s), INWARD_U_PCT).widened(scene.turned_u("pct"))

    return measure


REP_MEASURES: dict[str, RepMeasure] = {
    "knee_flexion_max_deg": _high("knee_flexion"),
    "knee_flexion_min_deg": _low("knee_flexion"),
    "hip_flexion_max_deg": _high("hip_flexion"),
    "hip_flexion_min_deg": _low("hip_flexion"),
    "thigh_from_horizontal_min_deg": _low("thigh_from_horizontal"),
    "trunk_lean_max_deg": _high("trunk_lean"),
    "dorsiflexion_max_deg": _high("ankle_dorsiflexion"),
    "dorsiflexion_min_deg": _low("ankle_dorsiflexion"),
    "shank_from_vertical_max_deg": _high("shank_from_vertical"),
    "fppa_left_deg": _peak("fppa_left"),
    "fppa_right_deg": _peak("fppa_right"),
    "knee_medial_left_pct": _peak("knee_medial_left"),
    "knee_medial_right_pct": _peak("knee_medial_right"),
    "knee_to_foot_left_pct": _peak("knee_to_foot_left"),
    "knee_to_foot_right_pct": _peak("knee_to_foot_right"),
    "knee_inward_left_pct": _knee_inward("left"),
    "knee_inward_right_pct": _knee_inward("right"),
    "knee_ankle_separation_ratio_min": _low("knee_ankle_separation_ratio"),
    "knee_past_toe_cm": knee_past_toe,
    "heel_rise_cm": heel_rise,
    "crease_margin_cm": crease_margin,
    "bar_drift_cm": bar_drift,
    "bar_leg_cm": bar_from_leg,
    "spine_flexion_deg": spine_flexion,
    "spine_change_deg": spine_change,
    "trunk_swing_deg": change("trunk_lean"),
    "hip_change_deg": change("hip_flexion"),
    "knee_change_deg": change("knee_flexion"),
    "shank_at_turn_deg": at_turn("shank_from_vertical"),
    "heel_travel_cm": heel_travel,
    "hip_travel_cm": hip_travel,
    "break_point_deg": break_point,
    "control_s": control_time,
    "stance_length_cm": stance_length,
    "elbow_flexion_max_deg": _high("elbow_flexion"),
    "leg_spread_max_deg": _high("leg_spread"),
    **tempo_measures.REP_MEASURES,
    **contact_measures.REP_MEASURES,
}


def stance_width(scene: MeasurementContext) -> Value:
    """Distance between the ankle centres, cm, over the frames of the whole set."""
    if scene.near:
        raise CannotTell("a side film hides one foot behind the other", FILM_FRONT)
    if scene.marks.platform is not None and scene.marks.platform_cm is not None:
        return footplate_measures.on_platform("stance_width_cm")(scene)
    across = np.array([-scene.up[1], scene.up[0]])
    series = scene.track.series(lambda p: np.abs((p["ankle_left"] - p["ankle_right"]) @ across))
    return scene.cm(Value(float(np.median(series.values)), float(np.median(series.u))))


def stance_ratio(scene: MeasurementContext) -> Value:
    """Stance width over the distance between the shoulder joints."""
    width, shoulders = stance_width(scene), scene.body.joint_breadth("biacromial")
    return width.scaled(1 / shoulders.cm, shoulders.u_cm / shoulders.cm)


def _toe_out(side: str) -> FilmMeasure:
    def measure(scene: MeasurementContext) -> Value:
        """Foot's turn away from straight ahead, degrees, from how much of its length points sideways."""
        if scene.near:
            raise CannotTell("a side film does not show which way the foot points", FILM_FRONT)
        if scene.marks.platform is not None and scene.marks.platform_cm is not None:
            return footplate_measures.on_platform(f"toe_out_{side}_deg")(scene)
        scene.check_front()
        way = outward(scene.view, side)
        if scene.frontal is not None:
            series = scene.frontal.series(scene.track, lambda p, camera: way * camera.shoe_aside(p, side))
        else:
            heel, toe, across = sided("heel", side), sided("toe", side), np.array([-scene.up[1], scene.up[0]])
            series = scene.track.series(lambda p: way * ((p[toe] - p[heel]) @ across))
        foot = scene.body.length("foot")
        share = scene.cm(Value(float(np.median(series.values)), float(np.median(series.u)))).scaled(1 / foot.cm, foot.u_cm / foot.cm)
        sine = float(np.clip(share.value, -0.98, 0.98))
        turned = Value(float(np.degrees(np.arcsin(sine))), float(np.degrees(share.u / np.sqrt(1 - sine**2))))
        return turned.widened(scene.turned_deg())

    return measure


def toe_out_asymmetry(scene: MeasurementContext) -> Value:
    """Difference between the feet's turn, degrees. Without a marked platform a turned client looks like uneven feet."""
    if scene.marks.platform is not None and scene.marks.platform_cm is not None:
        return footplate_measures.on_platform("toe_out_asymmetry_deg")(scene)
    left, right = FILM_MEASURES["toe_out_left_deg"](scene), FILM_MEASURES["toe_out_right_deg"](scene)
    return Value(abs(left.value - right.value), (left - right).u).widened(2 * scene.turned_deg())


def scale(scene: MeasurementContext) -> Value:
    """Picture scale at the client's plane, px per cm."""
    if scene.px_per_cm is None:
        raise CannotTell("the film has no scale", ADD_SCALE)
    return scene.px_per_cm


def camera_pitch(scene: MeasurementContext) -> Value:
    """How far a front or rear film's camera looks down, degrees: taken out of the frontal plane's angles."""
    if scene.frontal is None:
        raise NotAsked("a side film's angles do not need it", FILM_FRONT)
    return scene.frontal.pitch


def camera_yaw(scene: MeasurementContext) -> Value:
    """How far the camera stands off the side view, or off straight in front, degrees, either way."""
    if scene.front_yaw is not None:
        return Value(abs(scene.front_yaw.value), scene.front_yaw.u)
    if scene.plane is None:
        raise CannotTell("the camera's angle cannot be worked out", FILM_SIDE)
    return Value(abs(scene.plane.yaw.value), scene.plane.yaw.u)


def sole_slope(scene: MeasurementContext) -> Value:
    """How far the near sole slopes where the client stands, heel up, degrees: level but for what lies under the heels."""
    if scene.plane is None or not len(scene.plane.standing):
        raise NotAsked("only the feet of a standing client seen from the side", FILM_SIDE)
    return scene.plane.sole.scaled(-1.0)


FILM_MEASURES: dict[str, FilmMeasure] = {
    "stance_width_cm": stance_width,
    "stance_to_shoulder_ratio": stance_ratio,
    "toe_out_left_deg": _toe_out("left"),
    "toe_out_right_deg": _toe_out("right"),
    "toe_out_asymmetry_deg": toe_out_asymmetry,
    "px_per_cm": scale,
    "camera_yaw_deg": camera_yaw,
    "camera_pitch_deg": camera_pitch,
    "sole_slope_deg": sole_slope,
    **tempo_measures.FILM_MEASURES,
    **contact_measures.FILM_MEASURES,
    **footplate_measures.FILM_MEASURES,
}
