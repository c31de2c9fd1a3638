"""Drawings for films from the front or rear: knees against hips and feet, and how the feet stand."""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures.context import Array
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.sketches.frame import Frame, NotShown
from deepmirror.core.sketches.sketch import Arc, Line, Sketch
from deepmirror.core.views import outward

FOOT_CARRIED_ON = 1.2  # foot lengths a foot's line goes on beyond the toe; our own choice


def knee_to_leg(f: Frame) -> Sketch:
    """The line from hip to ankle, and the way from it to the knee."""
    reference: list[Line] = []
    number: list[Line] = []
    focus: list[Array] = []
    for side in f.sides:
        hip, knee, ankle = (f.at(j, side) for j in ("hip", "knee", "ankle"))
        share = (knee - hip) @ f.up / ((ankle - hip) @ f.up or 1.0)
        reference.append((hip, ankle))
        number.append((hip + share * (ankle - hip), knee))
        focus += [knee, ankle]
    return Sketch(tuple(reference), tuple(number), rings=(focus[0],), tag=focus[0], focus=tuple(focus))


def knee_gap(f: Frame) -> Sketch:
    """Between the knees, and between the ankles."""
    ends = [[f.at(j, s) for s in SIDES] for j in ("knee", "ankle")]
    return Sketch(((ends[1][0], ends[1][1]),), ((ends[0][0], ends[0][1]),), tag=ends[0][0], focus=(*ends[0], *ends[1]))


def projection_angle(f: Frame) -> Sketch:
    """The thigh carried on beyond the knee, and the angle from it to the shin."""
    hip, knee, ankle = (f.at(j) for j in ("hip", "knee", "ankle"))
    ahead = knee + (knee - hip) / max(float(np.linalg.norm(knee - hip)), 1e-9) * float(np.linalg.norm(ankle - knee))
    arc = Arc(knee, ahead, ankle)
    return Sketch(((knee, ahead),), ((hip, knee), (knee, ankle)), (arc,), tag=knee, focus=(knee, ankle, hip))


def knee_to_foot(f: Frame) -> Sketch:
    """The line the foot points along, where the knee would stand over it, and the gap: as measured, with the perspective taken out."""
    knee, ankle, toe = (f.at(j) for j in ("knee", "ankle", "toe"))
    side = f.side or "left"
    track = f.scene.track
    shank = np.linalg.norm(track.point(f.name("knee")) - track.point(f.name("ankle")), axis=1)
    inside = f.series_now(f"knee_to_foot_{side}") / 100 * float(np.percentile(shank, 95))
    over = knee + outward(f.scene.view, side) * f.across * inside  # outward of a knee that stands inside
    foot = _carried(f.at("heel", side), toe)
    return Sketch((foot, (toe, over)), ((over, knee),), rings=(knee,), tag=knee, focus=(knee, ankle, toe))


def _carried(heel: Array, toe: Array) -> Line:
    return heel, toe + FOOT_CARRIED_ON * (toe - heel)


def hip_shift(f: Frame) -> Sketch:
    """An upright over the middle of the feet, and the way from it to the middle of the hips."""
    hips, feet = ((f.at(j, "left") + f.at(j, "right")) / 2 for j in ("hip", "ankle"))
    start = sum(((f.was("hip", f.rep.start_s, s) - f.was("ankle", f.rep.start_s, s)) / 2 for s in SIDES), np.zeros(2))
    base = feet + f.across * float(start @ f.across)  # shifted already when the rep began: the change is measured
    over = base + f.up * float((hips - base) @ f.up)
    return Sketch(((base, over + f.up * 0.5 * f.reach),), ((over, hips),), rings=(hips,), tag=hips, focus=(hips, base))


def legs_apart(f: Frame) -> Sketch:
    """From the middle of the hips to either ankle, and the angle between."""
    middle = (f.at("hip", "left") + f.at("hip", "right")) / 2
    ends = [f.at("ankle", s) for s in SIDES]
    arc = Arc(middle, ends[0], ends[1])
    return Sketch((), tuple((middle, e) for e in ends), (arc,), tag=middle - f.up * f.reach, focus=(middle, *ends))


def stance(f: Frame) -> Sketch:
    """Between the ankles, against the breadth it is set against: shoulders or hips."""
    ankles = [f.at("ankle", s) for s in SIDES]
    other = {"stance_to_shoulder_ratio": "shoulder", "stance_to_hip_ratio": "hip"}.get(f.spec.name)
    reference = () if other is None else ((f.at(other, "left"), f.at(other, "right")),)
    return Sketch(reference, ((ankles[0], ankles[1]),), rings=tuple(ankles), tag=sum(ankles, np.zeros(2)) / 2, focus=tuple(ankles))


def foot_turn(f: Frame) -> Sketch:
    """The line of each foot carried on, and its angle from straight ahead; uneven feet: both, and the one laid beside the other."""
    reference: list[Line] = []
    number: list[Line] = []
    arcs: list[Arc] = []
    feet = [(s, f.at("heel", s), f.at("toe", s)) for s in f.sides if sided("toe", s) in f.scene.track.names]
    if not feet:
        raise NotShown("toe")
    mirror = {s: toe - heel for s, heel, toe in feet}
    for side, heel, toe in feet:
        line = _carried(heel, toe)
        down = -f.up * float(np.linalg.norm(line[1] - heel))
        other = mirror.get("left" if side == "right" else "right")
        if len(feet) == 2 and other is not None:  # as the other foot is turned, laid at this one's heel
            beside = other - 2 * f.across * float(other @ f.across)
            down = beside / max(float(np.linalg.norm(beside)), 1e-9) * float(np.linalg.norm(line[1] - heel))
        reference.append((heel, heel + down))
        number.append(line)
        arcs.append(Arc(heel, heel + down, line[1]))
    middle = sum((toe for _, _, toe in feet), np.zeros(2)) / len(feet)
    ends = tuple(p for _, heel, toe in feet for p in (toe, heel))
    return Sketch(tuple(reference), tuple(number), tuple(arcs), tag=middle, focus=(middle, *ends), close_up=True)


def on_platform(f: Frame) -> Sketch:
    """The platform with its middle, and both feet's middles on it."""
    corners = f.scene.marks.platform
    if corners is None:
        raise NotShown("platform")
    ring = [np.asarray(c, float) for c in corners]
    outline = tuple(zip(ring, [*ring[1:], ring[0]], strict=True))
    feet = [(f.at("heel", s) + f.at("toe", s)) / 2 for s in f.sides]
    middle = np.mean(ring, axis=0)
    if f.spec.name == "stance_off_centre_cm":
        number = ((middle, np.mean(feet, axis=0)),)
    elif len(feet) == 2:
        beside = feet[0] + f.across * float((feet[1] - feet[0]) @ f.across)
        outline, number = (*outline, (feet[0], beside)), ((beside, feet[1]),)
    else:
        lowest = min(ring, key=lambda c: float(c @ f.up))
        number = ((feet[0] - f.up * float((feet[0] - lowest) @ f.up), feet[0]),)
    return Sketch(outline, number, rings=tuple(feet), tag=feet[-1], focus=(*feet, middle))
