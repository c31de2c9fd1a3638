"""What a machine's marks let a side film measure: pad and seat contact, the bench's edge, the pivot, the roller, the platform's sole.

Marks are points of the room clicked on one frame; they stay where they are when the camera stands or is held still by
registration. Distances are in cm at the client's plane; `u` is k = 2.
"""

from __future__ import annotations

import numpy as np
from scipy.ndimage import median_filter

from deepmirror.core.geometry import along_and_across, signed_turn
from deepmirror.core.measures.context import (
    ADD_BACK_PAD,
    ADD_EDGE,
    ADD_PAD,
    ADD_PIVOT,
    ADD_ROLLER,
    ADD_SEAT,
    ADD_WAISTBAND,
    CLICK_U_PX,
    FILM_SIDE,
    Array,
    CannotTell,
    FilmMeasure,
    MeasurementContext,
    RepMeasure,
    at,
    highest,
    noise_sd,
)
from deepmirror.core.measures.spec import SIDE, Drawing, Focus, MeasureSpec, Moment, drawn
from deepmirror.core.measures.tempo_measures import frame_s
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Series
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.fitted import fitted, fitted_by_name
from deepmirror.words import say

SKIN_SHARE = fitted_by_name("skin")
SEATED_LAG, SEATED_FOLD = fitted("seated_lag"), fitted_by_name("seated_fold")
FLATTEST = 25  # percentile of the reps' lifts: one rep alone is the flattest by chance; our own choice
HIDDEN_CM = fitted_by_name("lift_more_u")["shown_cm"]  # a hip that much less sure (k = 2) than where it shows is hidden
SEATED_HIP_DEG = 60.0  # a hip more bent than this sits; our own estimate, no source
PEAK_S = 0.1  # a lift counts that lasts about so long; our own choice
CONTACT_PERCENTILE = 25  # the lower quarter of a joint's distances from the pad: where it lies in contact
ROLLER_USUAL_SHARE = 0.87  # of the way from knee to ankle, where no roller is marked; common practice, no source
CREEP_SHARE_U = 0.25  # of a predicted creep: the knee's own wandering and the pad's give; our own estimate, no source


def pad_of(scene: MeasurementContext, kind: str) -> Array:
    """The pad's, seat's or back pad's line (2, 2) px; pad and seat stand in for each other. Raises CannotTell."""
    marks = scene.marks
    if kind == "back":
        if marks.back_pad is None:
            raise CannotTell("the back pad is not marked", ADD_BACK_PAD)
        return marks.back_pad
    first, second = (marks.pad_line, marks.seat_line) if kind == "pad" else (marks.seat_line, marks.pad_line)
    line = first if first is not None else second
    if line is None:
        raise CannotTell(say("the {kind} is not marked", kind=kind), ADD_PAD if kind == "pad" else ADD_SEAT)
    return line


def _leaving(scene: MeasurementContext, rep: Rep, joint: str, kind: str) -> tuple[Value, Value]:
    """Furthest a joint came away from a line, at a right angle to it, against where it lies in contact; and its slide along it."""
    away, along = distances(scene, joint, kind)
    window = (scene.track.times >= rep.start_s) & (scene.track.times <= rep.end_s)
    steady = median_filter(away, size=peak_frames(scene), mode="nearest")  # no single frame decides
    lift, slide = float(steady[window].max()), float(np.ptp(along[window]))
    noise = COVERAGE_FACTOR * np.hypot(1.5 * noise_sd(away), 0.01 * (np.percentile(away, 98) - np.percentile(away, 2)) + 0.6)
    seated = sits(scene)
    if seated and joint == "hip":  # a pelvis that rolls in a seat turns under cloth and skin, and what is followed lags behind
        lift /= 1 - SEATED_LAG
    skin = SKIN_SHARE["seated" if seated else "lying"] * abs(lift)
    hidden = scene.hidden_u(rep, scene.side_point(joint), lasting=peak_frames(scene))  # nor does one in which it was lost
    up, on = shoulder_moves(scene, rep, joint, kind)
    u = float(np.linalg.norm([noise, skin, hidden, up])), float(np.linalg.norm([noise, hidden, on]))
    return scene.cm(Value(lift, u[0])), scene.cm(Value(slide, u[1]))


def peak_frames(scene: MeasurementContext) -> int:
    """Frames of the shortest lift that counts, odd."""
    return max(3, 2 * round(PEAK_S / frame_s(scene) / 2) + 1)


def shoulder_moves(scene: MeasurementContext, rep: Rep, joint: str, kind: str) -> tuple[float, float]:
    """How far (px, off and along the line) in a rep the shoulder of one who lies seems to move while the camera does: a camera that goes
    sideways sees the wall behind move less than the bench, and what is left of that moves all that lies on the bench alike."""
    stands = scene.seen is None or scene.seen is scene.track
    if stands or joint == "shoulder" or f"shoulder_{scene.near}" not in scene.track.names or sits(scene):
        return 0.0, 0.0
    window = (scene.track.times >= rep.start_s) & (scene.track.times <= rep.end_s)
    away, along = distances(scene, "shoulder", kind)
    return float(np.ptp(away[window])), float(np.ptp(along[window]))


def sits(scene: MeasurementContext) -> bool:
    """Whether the client sits: her hips stay bent."""
    bend = scene.angles.get(f"hip_flexion_{scene.near}")
    return bend is not None and float(np.median(bend.values)) > SEATED_HIP_DEG


def distances(scene: MeasurementContext, joint: str, kind: str) -> tuple[Array, Array]:
    """A joint's distance (T,) px from a pad's line over where it lies in contact, and its place (T,) px along the line."""
    name, line = scene.side_point(joint), pad_of(scene, kind)
    along, across = along_and_across(scene.track.point(name), line[0], line[1] - line[0])
    away = across if np.median(across) >= 0 else -across
    return away - np.percentile(away, CONTACT_PERCENTILE), along


def hip_leaves(scene: MeasurementContext, rep: Rep, kind: str) -> Value:
    """Furthest the hip came off the line, cm; of one who sits without what the folding thigh takes along, which may leave less than
    nothing."""
    seen = _leaving(scene, rep, "hip", kind)[0]
    if not sits(scene):
        return seen
    bend = scene.angles[f"hip_flexion_{scene.near}"].window(rep.start_s, rep.end_s).values
    folds = float(np.ptp(bend)) / (1 - SEATED_LAG)
    return Value(seen.value - SEATED_FOLD["cm"] * folds, float(np.hypot(seen.u, SEATED_FOLD["u_cm"] * folds)))


def hip_hidden_cm(scene: MeasurementContext, rep: Rep) -> float:
    """By how much (k = 2) the hip is less sure in a rep than where it shows, cm."""
    return scene.cm(Value(0.0, scene.hidden_u(rep, scene.side_point("hip"), lasting=peak_frames(scene)))).u


def flattest(scene: MeasurementContext, kind: str) -> float:
    """How far the hip came off the line in the set's flattest reps, cm."""
    lifts = scene.cached("hip leaves " + kind, lambda: [hip_leaves(scene, r, kind).value for r in scene.reps])
    return float(np.percentile(lifts, FLATTEST))


def _off(scene: MeasurementContext, rep: Rep, kind: str) -> Value:
    """As above, and not less than nothing: what a hidden hip seems to do alike in every rep may be what hides it."""
    leaves = hip_leaves(scene, rep, kind)
    compared = len(scene.reps) > 1 and hip_hidden_cm(scene, rep) > HIDDEN_CM
    alike = max(flattest(scene, kind), 0.0) if compared else 0.0
    return Value(max(leaves.value, 0.0), float(np.hypot(leaves.u, alike)))


def hip_lift(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the hip came off the pad, normal to it, cm."""
    return _off(scene, rep, "pad")


def hip_slide(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the hip slid along the pad, cm."""
    return _leaving(scene, rep, "hip", "pad")[1]


def seat_lift(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the hip came off the seat, normal to it, cm."""
    return _off(scene, rep, "seat")


def knee_lift(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the knee (the end of the front of the thigh) came off the pad, cm."""
    return _leaving(scene, rep, "knee", "pad")[0]


def knee_slide(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the knee slid along the pad, cm: dragged onto the bench or off its edge."""
    return _leaving(scene, rep, "knee", "pad")[1]


def back_lift(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the shoulder came off the back pad, cm."""
    return _leaving(scene, rep, "shoulder", "back")[0]


def edge_clearance(scene: MeasurementContext, rep: Rep) -> Value:
    """How far the knee's centre lies beyond the bench's edge at the rep's start, along the thigh's direction, cm.

    Raises CannotTell without the edge or a scale.
    """
    if scene.marks.bench_edge is None:
        raise CannotTell("the bench's edge is not marked", ADD_EDGE)
    hip, knee = scene.side_point("hip"), scene.side_point("knee")
    away = scene.track.point(knee) - scene.marks.bench_edge
    thigh = scene.track.point(knee) - scene.track.point(hip)
    along = (away * thigh).sum(axis=1) / np.linalg.norm(thigh, axis=1)
    series = Series(scene.track.times, along, COVERAGE_FACTOR * scene.track.sigma(knee))
    return scene.cm(Value(at(series, rep.start_s), float(np.hypot(np.median(series.u), CLICK_U_PX))))


def pelvis_tuck(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the pelvis rolled (line hip to waistband) from where it lay at the rep's start, degrees, either way.

    Raises CannotTell without the waistband.
    """
    if "waistband" not in scene.track.names:
        raise CannotTell("the waistband is not marked", ADD_WAISTBAND)
    hip = scene.side_point("hip")
    line = scene.track.point("waistband") - scene.track.point(hip)
    rest = line[np.abs(scene.track.times - rep.start_s) <= 0.1]
    start = rest.mean(axis=0) if len(rest) else line[0]
    turn = np.abs(signed_turn(np.tile(start, (len(line), 1)), line))
    reach = float(np.median(np.linalg.norm(line, axis=1)))
    noise = np.degrees(COVERAGE_FACTOR * np.sqrt(2) * 1.5 * noise_sd(turn / 180 * np.pi * reach) / reach) + 1.5
    hidden = np.degrees(scene.hidden_u(rep, hip, "waistband") / reach)
    return highest(Series(scene.track.times, turn, np.full(len(turn), np.hypot(noise, hidden))), rep)


def _inside_reps(scene: MeasurementContext) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    times = scene.track.times
    inside = np.zeros(len(times), bool)
    for rep in scene.reps:
        inside |= (times >= rep.start_s) & (times <= rep.end_s)
    return inside if inside.any() else np.ones(len(times), bool)


def _pivot(scene: MeasurementContext) -> tuple[Array, Array, float]:
    """Pivot (2,), the knee's path inside the reps (N, 2) px, and the uncertainty (k = 2, px) of their distance."""
    if scene.marks.pivot is None:
        raise CannotTell("the pivot is not marked", ADD_PIVOT)
    knee = scene.side_point("knee")
    u = COVERAGE_FACTOR * float(np.median(scene.track.sigma(knee)))
    return scene.marks.pivot, scene.track.point(knee)[_inside_reps(scene)], float(np.hypot(u, CLICK_U_PX))


def pivot_misalignment(scene: MeasurementContext) -> Value:
    """Distance of the machine's pivot from the knee's centre, averaged over the reps, cm."""
    pivot, path, u = _pivot(scene)
    return scene.cm(Value(float(np.hypot(*(path - pivot).mean(axis=0))), u))


def _pivot_part(across: bool) -> FilmMeasure:
    def measure(scene: MeasurementContext) -> Value:
        """Knee from pivot in the lever's own directions at the middle of the arc: along the shank, or across it to its front, cm."""
        pivot, path, u = _pivot(scene)
        ankle = scene.track.point(scene.side_point("ankle"))[_inside_reps(scene)]
        unit = ankle - path
        unit = unit / np.linalg.norm(unit, axis=1, keepdims=True)
        d = path - pivot
        way = -1.0 if scene.near == "left" else 1.0
        part = way * (d[:, 0] * unit[:, 1] - d[:, 1] * unit[:, 0]) if across else (d * unit).sum(axis=1)
        return scene.cm(Value(float(np.mean(part)), u))

    return measure


def roller_creep(scene: MeasurementContext) -> Value:
    """How far the roller must creep along the shin over the set, cm, from the two circles of lever and shank.

    The lever turns about the pivot P, the shank about the knee K. With the roller at a along and b before the shank,
    |K + a s + b n - P| = R throughout; a follows. R and b come from the marked roller, or its usual place.
    """
    pivot, knee, u = _pivot(scene)
    inside = _inside_reps(scene)
    ankle = scene.track.point(scene.side_point("ankle"))[inside]
    shank = ankle - knee
    length = np.linalg.norm(shank, axis=1)
    s = shank / length[:, None]
    n = np.stack([-s[:, 1], s[:, 0]], axis=1)
    if "roller" in scene.track.names:
        roller = scene.track.point("roller")[inside] - knee
        a0, b = float((roller[0] * s[0]).sum()), float(np.median((roller * n).sum(axis=1)))
    else:
        a0, b = ROLLER_USUAL_SHARE * float(length[0]), 0.0
    radius = float(np.hypot(*(knee[0] + a0 * s[0] + b * n[0] - pivot)))
    m = pivot - knee.mean(axis=0)
    inner = radius**2 - (b - n @ m) ** 2
    a = s @ m + np.sqrt(np.maximum(inner, 0.0))
    creep = float(np.percentile(a, 98) - np.percentile(a, 2))
    return scene.cm(Value(creep, float(np.hypot(CREEP_SHARE_U * creep, 0.5 * u))))


def _roller(scene: MeasurementContext) -> tuple[Array, Array]:
    """Roller along the shank (T,): cm-less share of the shank from the ankle, and px from the knee."""
    if "roller" not in scene.track.names:
        raise CannotTell("the roller is not marked", ADD_ROLLER)
    knee, ankle = scene.track.point(scene.side_point("knee")), scene.track.point(scene.side_point("ankle"))
    shank = ankle - knee
    length = np.linalg.norm(shank, axis=1)
    along = ((scene.track.point("roller") - knee) * shank).sum(axis=1) / length
    return 1 - along / np.median(length), along


def roller_position(scene: MeasurementContext) -> Value:
    """Roller's distance from the ankle along the shank, percent of the shank, over the reps."""
    share = _roller(scene)[0][_inside_reps(scene)]
    ankle = scene.side_point("ankle")
    shank = np.median(np.linalg.norm(scene.track.point(ankle) - scene.track.point(scene.side_point("knee")), axis=1))
    u = float(np.hypot(COVERAGE_FACTOR * np.median(scene.track.sigma(ankle)), CLICK_U_PX)) / float(shank)
    return Value(100 * float(np.median(share)), 100 * u)


def roller_creep_seen(scene: MeasurementContext) -> Value:
    """How far the marked roller was seen to creep along the shin over the set, cm."""
    along = _roller(scene)[1][_inside_reps(scene)]
    return scene.cm(Value(float(np.percentile(along, 98) - np.percentile(along, 2)), 2 * CLICK_U_PX))


def lever_angle(scene: MeasurementContext) -> Value:
    """Angle between the lever (pivot to roller) and the shank, degrees, median over the reps; 0 is parallel."""
    pivot, knee, u = _pivot(scene)
    _roller(scene)
    inside = _inside_reps(scene)
    lever = scene.track.point("roller")[inside] - pivot
    shank = scene.track.point(scene.side_point("ankle"))[inside] - knee
    turn = np.abs(signed_turn(lever, shank))
    return Value(float(np.median(turn)), float(np.degrees(u / np.median(np.linalg.norm(lever, axis=1)))))


def sole_lift(scene: MeasurementContext, rep: Rep) -> Value:
    """Heel off a platform that moves with the feet: rise from the sole's turn against its angle at the set's start, cm.

    Raises CannotTell from the front or rear, or without a scale.
    """
    heel, toe = scene.side_point("heel"), scene.side_point("toe")
    sole = scene.track.point(toe) - scene.track.point(heel)
    rest = sole[np.abs(scene.track.times - scene.reps[0].start_s) <= 0.2]
    flat = np.median(rest, axis=0) if len(rest) else sole[0]
    way = 1.0 if scene.near == "right" else -1.0
    turn = way * np.radians(signed_turn(np.tile(flat, (len(sole), 1)), sole))
    rise = np.linalg.norm(flat) * np.sin(turn)
    if scene.near is None:
        raise CannotTell("the camera sees the client from the front or rear", FILM_SIDE)
    ends = [COVERAGE_FACTOR * float(np.median(scene.track.sigma(n))) for n in (heel, toe)]
    highest_rise = highest(Series(scene.track.times, rise, np.zeros(len(rise))), rep).value
    return scene.cm(Value(highest_rise, float(np.linalg.norm([*ends, scene.hidden_u(rep, heel, toe)]))))


MARKED = "against a marked line of the machine; our own definition"
AXIS = "distance of the machine's axis from the joint's: makers' set-up instructions ask for none (common practice, no source)"
CIRCLES = "geometry of the two circles of lever and shank; our own derivation"
PELVIS, PIVOT, ROLLER = drawn("hip", Drawing.PELVIS), drawn("knee", Drawing.PIVOT), drawn("knee", Drawing.ROLLER)
LEVER = Focus(("knee", "ankle"), Drawing.LEVER, close_up=True)


def _way(
    name: str, title: str, compute: RepMeasure, joint: str, drawing: Drawing, mark: str, compared: bool = False, listed: bool = True
) -> MeasureSpec:
    """A way off or along a marked line, shown where it is largest."""
    focus = drawn(joint, drawing)
    return MeasureSpec(
        name, title, "cm", compute, SIDE, MARKED, focus=focus, moment=Moment.FURTHEST, needs=(mark,), compared=compared, listed=listed
    )


def _fit(name: str, title: str, compute: FilmMeasure, source: str, focus: Focus, *needs: str, unit: str = "cm") -> MeasureSpec:
    """How the machine fits, over the whole film."""
    return MeasureSpec(name, title, unit, compute, SIDE, source, per_rep=False, focus=focus, needs=needs)


MEASURES: tuple[MeasureSpec, ...] = (
    _way("hip_lift_cm", "Hip off the pad", hip_lift, "hip", Drawing.OFF_PAD, "pad_line", compared=True),
    _way("hip_slide_cm", "Hip along the pad", hip_slide, "hip", Drawing.ALONG_PAD, "pad_line"),
    MeasureSpec(
        "pelvis_tuck_deg",
        "Pelvis rolled",
        "°",
        pelvis_tuck,
        SIDE,
        "turn of the line hip to waistband; our own definition",
        focus=PELVIS,
        moment=Moment.FURTHEST,
        needs=("waistband",),
    ),
    _way("seat_lift_cm", "Hip off the seat", seat_lift, "hip", Drawing.OFF_PAD, "seat_line", listed=False),
    _way("back_lift_cm", "Shoulders off the back pad", back_lift, "shoulder", Drawing.OFF_PAD, "back_pad"),
    _way("knee_lift_cm", "Knee off the pad", knee_lift, "knee", Drawing.OFF_PAD, "pad_line"),
    _way("knee_slide_cm", "Knee along the pad", knee_slide, "knee", Drawing.ALONG_PAD, "pad_line"),
    MeasureSpec(
        "edge_clearance_cm",
        "Knee beyond the bench edge",
        "cm",
        edge_clearance,
        SIDE,
        MARKED,
        focus=drawn("knee", Drawing.EDGE),
        moment=Moment.START,
        needs=("bench_edge",),
    ),
    _fit("pivot_misalignment_cm", "Knee from the pivot", pivot_misalignment, AXIS, PIVOT, "pivot"),
    _fit("pivot_along_cm", "… along the shin", _pivot_part(across=False), AXIS, PIVOT, "pivot"),
    _fit("pivot_across_cm", "… before the shin", _pivot_part(across=True), AXIS, PIVOT, "pivot"),
    _fit("roller_creep_cm", "Pad must slide on the shin", roller_creep, CIRCLES, ROLLER, "pivot"),
    _fit("roller_creep_seen_cm", "Pad seen to slide", roller_creep_seen, CIRCLES, ROLLER, "roller"),
    _fit("roller_position_pct", "Roller above the ankle", roller_position, AXIS, ROLLER, "roller", unit="% shin"),
    _fit("lever_angle_deg", "Lever off the shin", lever_angle, CIRCLES, LEVER, "pivot", "roller", unit="°"),
)
