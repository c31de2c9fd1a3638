"""The body's own measures, rep by rep: joint angles, depth, knee path, heels, bar, back.

A measure is a function of a MeasurementContext (and a Rep). It returns a Value, or raises CannotTell with the reason and
with what to film so that it can be told. `MEASURES` says what else is known of each.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.geometry import included_angle
from deepmirror.core.measures.context import (
    ADD_BACK,
    ADD_BAR,
    Array,
    CannotTell,
    MeasurementContext,
    NotAsked,
    RepMeasure,
    at,
    highest,
    highest_of,
    lowest,
    lowest_of,
    noise_sd,
)
from deepmirror.core.measures.foot_rise import heel_rise, toe_rise
from deepmirror.core.measures.spec import (
    ANKLE,
    ANY,
    ELBOW,
    HIP,
    KNEE,
    SIDE,
    SWING,
    Belongs,
    Drawing,
    Focus,
    MeasureSpec,
    Moment,
    ViewKind,
    drawn,
)
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Points, Series
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import facing

# The front of the hip crease lies above the joint's centre and the top of the knee above its own, as shares of stature;
# from memory of anthropometric sketches, no source: the uncertainty is as large as the offset.
CREASE_ABOVE_HIP_SHARE = 0.020
KNEE_TOP_ABOVE_SHARE = 0.030  # of stature; from memory, no source, as above
UPRIGHT_SHARE = 0.04  # of its way: how far off its line a bar shows that goes up a line known to 2 degrees (k = 2); our own estimate
SOFT_TISSUE_U_CM = 3.0  # k = 2; our own estimate, no source
SELDOM = 0.05  # of a rep's frames; our own choice
CHANGE_U_SHARE = 0.5  # of an angle's own uncertainty: a click's error cancels in a change within one rep, the drift does not


def knee_past_toe(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest forward reach of the knee past the toe tip, cm, positive past it."""
    knee, toe = scene.side_point("knee"), scene.side_point("toe")
    side = scene.near or "left"
    if scene.plane is None:
        forward = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])
        return scene.cm(highest(scene.cached_series("past toe", lambda: scene.track.series(lambda p: (p[knee] - p[toe]) @ forward)), rep))

    def reach(p: Points, plane: Plane) -> Array:
        q = plane.in_space(p, side, ("hip", "knee", "ankle", "toe"))
        return plane.forward(q["knee"] - q["toe"])

    plane = scene.plane
    return scene.cm(highest(scene.cached_series("past toe", lambda: plane.series(scene.track, reach)), rep))


def knee_travel(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest forward reach of the knee past the toe tip, % of the client's foot. Raises as `knee_past_toe` does."""
    foot = scene.body.length("foot")
    return knee_past_toe(scene, rep).scaled(100 / foot.cm, foot.u_cm / foot.cm)


def bar_off_foot(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest of the bar from the middle of the near foot, level, cm; before it positive.

    Raises CannotTell without a marked bar, a followed foot or a scale.
    """
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    heel, toe = scene.side_point("heel"), scene.side_point("toe")
    forward = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])
    series = scene.cached_series("bar off foot", lambda: scene.track.series(lambda p: (p["bar"] - (p[heel] + p[toe]) / 2) @ forward))
    part = series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(np.abs(part.values)))
    return scene.cm(Value(float(part.values[i]), float(np.hypot(part.u[i], scene.hidden_u(rep, "bar", heel, toe)))))


def crease_margin(scene: MeasurementContext, rep: Rep) -> Value:
    """Hip crease height over the top of the knee at the lowest point, cm; negative is below the knee's top."""
    hip, knee, plane = scene.side_point("hip"), scene.side_point("knee"), scene.plane

    def above(p: Points, plane: Plane) -> Array:
        q = plane.in_space(p, scene.near or "left", ("hip", "knee"))  # a camera that looks down sees a knee that opens towards it lower
        return np.asarray((q["hip"] - q["knee"])[:, 1])

    def seen() -> Series:
        return plane.series(scene.track, above) if plane else scene.track.series(lambda p: (p[hip] - p[knee]) @ scene.up)

    centres = scene.cm(lowest(scene.cached_series("crease", seen), rep))
    stature = scene.body.stature_cm or 170.0
    return Value(centres.value + (CREASE_ABOVE_HIP_SHARE - KNEE_TOP_ABOVE_SHARE) * stature, centres.u).widened(SOFT_TISSUE_U_CM)


def bar_drift(scene: MeasurementContext, rep: Rep) -> Value:
    """Largest distance of the bar from its line, cm: straight up through its place at the rep's start, or along a marked rail.

    Raises CannotTell without a marked bar or a scale.
    """
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    way = scene.up if scene.marks.rail is None else scene.marks.rail[1] - scene.marks.rail[0]
    across = np.array([-way[1], way[0]]) / np.linalg.norm(way)
    series = scene.track.series(lambda p: p["bar"] @ across)
    start = at(series, rep.start_s)
    travel = scene.track.series(lambda p: p["bar"] @ way / np.linalg.norm(way)).window(rep.start_s, rep.end_s)
    u = np.hypot(COVERAGE_FACTOR * noise_sd(series.values) + 1.0, scene.hidden_u(rep, "bar"))
    u = np.hypot(u, UPRIGHT_SHARE * np.ptp(travel.values))
    away = Series(series.times, np.abs(series.values - start), np.full(len(series.u), u))
    return scene.cm(highest(away, rep))


def spine_flexion(scene: MeasurementContext, rep: Rep) -> Value:
    """How much more the back is bent than at the set's start, degrees: turns of the line shoulder - mid-back - low back - hip.

    Raises CannotTell where the back is not marked.
    """
    shoulder, hip = scene.side_point("shoulder"), scene.side_point("hip")
    if "mid_back" not in scene.track.names:
        raise CannotTell("the back is not marked", ADD_BACK)
    line = [shoulder, "mid_back", *(["low_back"] if "low_back" in scene.track.names else []), hip]

    def bend(p: Points) -> Array:
        turns = [180 - included_angle(p[a], p[b], p[c]) for a, b, c in zip(line, line[1:], line[2:], strict=False)]
        return np.asarray(np.sum(turns, axis=0))

    series = scene.cached_series("spine", lambda: scene.track.series(bend))
    start, part = at(series, scene.reps[0].start_s), series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(part.values - part.u))  # the surest large bend: a point lost for some frames must not decide
    return Value(float(part.values[i]) - start, float(part.u[i]))


def spine_change(scene: MeasurementContext, rep: Rep) -> Value:
    """How much more the back is bent at its roundest than in the set's first rep, degrees.

    What the clicks and the shirt do to one rep they do to the next: most of the uncertainty cancels.
    Raises NotAsked for the first repetition itself, CannotTell where the back is not marked.
    """
    now, first = spine_flexion(scene, rep), spine_flexion(scene, scene.reps[0])
    if rep.number == scene.reps[0].number:
        raise NotAsked("it is compared with the first repetition", ADD_BACK)
    return Value(now.value - first.value, CHANGE_U_SHARE * max(now.u, first.u))


def change(name: str) -> RepMeasure:
    """How much an angle changed within the rep, degrees: from its smallest to its largest, but for the SELDOM share of the frames at
    either end, since the largest of many unsure numbers is too large.

    What is off throughout the rep cancels; what either end is less sure by than the rep is on the whole does not. Where hands and what
    they carry pass before the joints, what an angle is off by comes and goes with them, and nothing cancels.
    """

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        part = scene.angle(name).window(rep.start_s, rep.end_s)
        low, high = np.quantile(part.values, [SELDOM, 1 - SELDOM])
        usual = float(np.median(part.u))
        ends = [float(np.median(part.u[there])) for there in (part.values <= low, part.values >= high)]
        beyond = sum(max(u**2 - usual**2, 0.0) for u in ends)
        lasting = usual if scene.hands_pass else CHANGE_U_SHARE * usual
        return Value(float(high - low), float(np.hypot(lasting, np.sqrt(beyond))))

    return measure


def at_turn(name: str) -> RepMeasure:
    """An angle in the middle of the far reversal, degrees."""
    return lambda scene, rep: Value(
        at(scene.angle(name), rep.bottom_s), float(np.interp(rep.bottom_s, scene.angle(name).times, scene.angle(name).u))
    )


def heel_travel(scene: MeasurementContext, rep: Rep) -> Value:
    """Height the heel covers over the toe in the rep, cm."""
    heel, toe = scene.side_point("heel"), scene.side_point("toe")
    whole = scene.cached_series("heel over toe", lambda: scene.track.series(lambda p: (p[heel] - p[toe]) @ scene.up))
    height = whole.window(rep.start_s, rep.end_s)
    noise = COVERAGE_FACTOR * float(np.hypot(2 * noise_sd(height.values), 1.5))
    return scene.cm(Value(float(np.ptp(height.values)), float(np.hypot(noise, scene.hidden_u(rep, heel, toe)))))


def bar_from_leg(scene: MeasurementContext, rep: Rep) -> Value:
    """Largest distance of the bar from the near leg's line hip - knee - ankle, cm. Raises CannotTell without a marked bar or a scale."""
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    names = [scene.side_point(j) for j in ("hip", "knee", "ankle")]

    def away(p: Points) -> Array:
        return np.minimum(_to_segment(p["bar"], p[names[0]], p[names[1]]), _to_segment(p["bar"], p[names[1]], p[names[2]]))

    return scene.cm(highest(scene.cached_series("bar from leg", lambda: scene.track.series(away)), rep))


def _to_segment(point: Array, a: Array, b: Array) -> Array:
    """Distance (T,) of points from segments, px."""
    d = b - a
    share = np.clip(((point - a) * d).sum(axis=1) / np.maximum((d**2).sum(axis=1), 1e-9), 0, 1)
    return np.asarray(np.linalg.norm(point - a - share[:, None] * d, axis=1))


ISB = "Wu et al. 2002, ISB recommendation (from memory), in the plane of the film"
UPRIGHT = "against the room's vertical; our own definition"
OWN = "our own definition, in its docstring"
PRACTICE = "common practice, no source"
DEEP = Focus(("hip", "knee", "shoulder"), Drawing.DEPTH)
HEEL = drawn("heel", Drawing.HEEL_WAY)
BACK, SHIN = Focus(("shoulder", "hip", "knee"), Drawing.BACK), Focus(("ankle", "knee"), Drawing.LEAN)


def _furthest(
    name: str,
    title: str,
    compute: RepMeasure,
    focus: Focus,
    *needs: str,
    views: tuple[ViewKind, ...] = SIDE,
    listed: bool = True,
    belongs: Belongs = Belongs.ANYWHERE,
) -> MeasureSpec:
    """A distance that is shown where it is largest."""
    source = PRACTICE if needs else OWN
    return MeasureSpec(
        name, title, "cm", compute, views, source, focus=focus, moment=Moment.FURTHEST, needs=needs, listed=listed, belongs=belongs
    )


def _joint(
    name: str,
    title: str,
    extreme: Callable[[str], RepMeasure],
    focus: Focus,
    series: str,
    compared: bool = False,
    listed: bool = True,
    belongs: Belongs = Belongs.ANYWHERE,
) -> MeasureSpec:
    """The largest or smallest of a joint's angle."""
    return MeasureSpec(
        name, title, "°", extreme(series), SIDE, ISB, focus=focus, series=series, compared=compared, listed=listed, belongs=belongs
    )


def _upright(name: str, title: str, compute: RepMeasure, focus: Focus, series: str, listed: bool = True) -> MeasureSpec:
    """How a limb leans against what is upright in the room, of one who stands."""
    return MeasureSpec(name, title, "°", compute, SIDE, UPRIGHT, focus=focus, series=series, listed=listed, belongs=Belongs.STANDING)


def _back(name: str, title: str, compute: RepMeasure, short: str = "") -> MeasureSpec:
    """A bend of the back."""
    return MeasureSpec(name, title, "°", compute, SIDE, OWN, focus=BACK, needs=("mid_back",), short=short)


MEASURES: tuple[MeasureSpec, ...] = (
    _joint("knee_flexion_max_deg", "Knee flexion, most", highest_of, KNEE, "knee_flexion", compared=True),
    _joint("knee_flexion_min_deg", "Knee flexion, least", lowest_of, KNEE, "knee_flexion", listed=False),
    _joint("hip_flexion_max_deg", "Hip flexion, most", highest_of, HIP, "hip_flexion", compared=True),
    _joint("hip_flexion_min_deg", "Hip flexion, least", lowest_of, HIP, "hip_flexion", listed=False),
    MeasureSpec(
        "thigh_from_horizontal_min_deg",
        "Thigh above level, least",
        "°",
        lowest_of("thigh_from_horizontal"),
        SIDE,
        UPRIGHT,
        focus=DEEP,
        series="thigh_from_horizontal",
        compared=True,
        belongs=Belongs.STANDING,
    ),
    MeasureSpec(
        "crease_margin_cm",
        "Hip crease over knee top",
        "cm",
        crease_margin,
        SIDE,
        "hip crease against the top of the knee: common rule of lifting meets (from memory)",
        short="Crease over knee top",
        focus=replace(DEEP, drawing=Drawing.CREASE),
        belongs=Belongs.STANDING,
    ),
    MeasureSpec(
        "trunk_lean_max_deg",
        "Trunk lean, most",
        "°",
        highest_of("trunk_lean"),
        SIDE,
        UPRIGHT,
        focus=Focus(("hip", "shoulder"), Drawing.LEAN),
        series="trunk_lean",
        compared=True,
        belongs=Belongs.STANDING,
    ),
    _joint("dorsiflexion_max_deg", "Ankle bend, most", highest_of, ANKLE, "ankle_dorsiflexion", compared=True),
    _joint("dorsiflexion_min_deg", "Ankle bend, least", lowest_of, ANKLE, "ankle_dorsiflexion", listed=False),
    MeasureSpec(
        "knee_past_toe_cm",
        "Knee past toe",
        "cm",
        knee_past_toe,
        SIDE,
        PRACTICE,
        focus=Focus(("knee", "toe"), Drawing.PAST_TOE),
        compared=True,
        belongs=Belongs.STANDING,
    ),
    MeasureSpec(
        "knee_travel_pct",
        "Knee past toe, of the foot",
        "% foot",
        knee_travel,
        SIDE,
        PRACTICE,
        focus=Focus(("knee", "toe"), Drawing.PAST_TOE),
        listed=False,
    ),
    _furthest("heel_rise_cm", "Heel rise", heel_rise, drawn("heel", Drawing.RISEN), views=ANY, belongs=Belongs.STANDING),
    _furthest("toe_rise_cm", "Toe rise", toe_rise, drawn("toe", Drawing.RISEN), listed=False),
    _furthest(
        "bar_off_foot_cm", "Bar off the middle of the foot", bar_off_foot, Focus(("toe", "heel"), Drawing.BAR_FOOT), "bar", listed=False
    ),
    _furthest("bar_drift_cm", "Bar drift", bar_drift, Focus(("shoulder",), Drawing.BAR_PATH), "bar"),
    _back("spine_flexion_deg", "Back more rounded", spine_flexion),
    _back("spine_change_deg", "Back against the first repetition", spine_change, "Back against rep 1"),
    MeasureSpec(
        "trunk_swing_deg", "Trunk swing", "°", change("trunk_lean"), SIDE, OWN, focus=SWING, series="trunk_lean", moment=Moment.PEAK
    ),
    MeasureSpec(
        "hip_change_deg",
        "Hip bend changes by",
        "°",
        change("hip_flexion"),
        SIDE,
        OWN,
        focus=replace(HIP, drawing=Drawing.CHANGE),
        series="hip_flexion",
        moment=Moment.PEAK,
        listed=False,
    ),
    MeasureSpec(
        "knee_change_deg",
        "Knee bend changes by",
        "°",
        change("knee_flexion"),
        SIDE,
        OWN,
        focus=replace(KNEE, drawing=Drawing.CHANGE),
        series="knee_flexion",
        moment=Moment.PEAK,
    ),
    _furthest("bar_leg_cm", "Bar from the leg, most", bar_from_leg, Focus(("hip", "knee"), Drawing.BAR_LEG), "bar"),
    MeasureSpec("heel_travel_cm", "Heel travels", "cm", heel_travel, SIDE, OWN, focus=HEEL, compared=True, belongs=Belongs.NAMED),
    _upright("shank_from_vertical_max_deg", "Shin from upright, most", highest_of("shank_from_vertical"), SHIN, "shank_from_vertical"),
    _upright(
        "shank_at_turn_deg",
        "Shin from upright at the turn-round",
        at_turn("shank_from_vertical"),
        SHIN,
        "shank_from_vertical",
        listed=False,
    ),
    _joint("elbow_flexion_max_deg", "Elbow bend, most", highest_of, ELBOW, "elbow_flexion", belongs=Belongs.NAMED),
)
