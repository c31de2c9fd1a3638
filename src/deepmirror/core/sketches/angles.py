"""Drawings of angles, of depth, and of what stands before, over or behind something else; side films."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from deepmirror.core.measures.back_outline import SHARES, outline_heights, rep_outline, straightest
from deepmirror.core.measures.body_measures import CREASE_ABOVE_HIP_SHARE, KNEE_TOP_ABOVE_SHARE
from deepmirror.core.measures.context import Array
from deepmirror.core.sketches.frame import Frame, NotShown
from deepmirror.core.sketches.sketch import Arc, Sketch
from deepmirror.core.views import facing

BESIDE = 4  # frames before and after this one whose looks still show it; our own choice
TALL_CM = 170.0  # where the client's stature is not known, as in the measure


def _unit(v: Array) -> Array:
    return np.asarray(v / max(float(np.linalg.norm(v)), 1e-9))


def _turned(v: Array, radians: float) -> Array:
    c, s = np.cos(radians), np.sin(radians)
    return np.array([c * v[0] - s * v[1], s * v[0] + c * v[1]])


def _bearing(v: Array) -> float:
    return float(np.arctan2(v[1], v[0]))


def _between(arc: Arc) -> Array:
    """A place inside an angle, for its number."""
    way = _unit(_unit(arc.start - arc.centre) + _unit(arc.end - arc.centre))
    return np.asarray(arc.centre + way * 0.4 * float(np.linalg.norm(arc.end - arc.centre)))


def _limbs(f: Frame) -> tuple[Array, Array, Array]:
    """The joint an angle is read at, the end that moves, and the end it is read from."""
    vertex, moving, fixed = f.spec.focus.joints[:3]
    return f.at(vertex), f.at(moving), f.at(fixed)


def joint_angle(f: Frame) -> Sketch:
    """Flexion: from the one limb, carried on beyond the joint, to the other."""
    vertex, moving, fixed = _limbs(f)
    ahead = vertex + _unit(vertex - fixed) * float(np.linalg.norm(moving - vertex))
    arc = Arc(vertex, ahead, moving)
    return Sketch(((vertex, ahead),), ((vertex, moving), (vertex, fixed)), (arc,), tag=_between(arc), focus=(vertex, moving, fixed))


def ankle_angle(f: Frame) -> Sketch:
    """Ankle bend: from the upright over the sole to the shin."""
    heel, toe, ankle, knee = (f.at(j) for j in ("heel", "toe", "ankle", "knee"))
    sole = _unit(toe - heel)
    upright = np.array([-sole[1], sole[0]])
    upright = upright if upright @ (knee - ankle) > 0 else -upright
    top = ankle + upright * float(np.linalg.norm(knee - ankle))
    arc = Arc(ankle, top, knee)
    return Sketch(((ankle, top), (heel, toe)), ((ankle, knee),), (arc,), tag=_between(arc), focus=(ankle, heel, toe, knee))


def joint_change(f: Frame) -> Sketch:
    """How far a limb moved within the rep: where it lay at the other end (pale), and the angle to where it lies now."""
    vertex, moving, fixed = f.spec.focus.joints[:3]
    other = _other_end(f)
    names = [f.name(j) for j in (vertex, moving, fixed)]
    v, m, x = (f.scene.track.point(n)[other] for n in names)
    now = [f.scene.track.point(n)[f.number] for n in names]
    turned = _bearing(m - v) - _bearing(x - v) + _bearing(now[2] - now[0])
    before = now[0] + float(np.linalg.norm(now[1] - now[0])) * np.array([np.cos(turned), np.sin(turned)])
    arc = Arc(now[0], before, now[1])
    return Sketch(((now[0], before),), ((now[0], now[1]),), (arc,), tag=_between(arc), focus=tuple(now))


def trunk_change(f: Frame) -> Sketch:
    """How far the trunk swung within the rep, or since the lift began."""
    other = f.index(_lift_begins(f)) if f.spec.name == "hips_first_deg" else _other_end(f)
    hip, shoulder = f.name("hip"), f.name("shoulder")
    path = f.scene.track.point(shoulder) - f.scene.track.point(hip)
    at, now = f.at("hip"), f.at("shoulder")
    before = at + path[other]
    arc = Arc(at, before, now)
    return Sketch(((at, before),), ((at, now),), (arc,), tag=_between(arc), focus=(at, now))


def _lift_begins(f: Frame) -> float:
    return f.rep.start_s if f.rep.first == "concentric" else f.rep.turn_end_s


def _other_end(f: Frame) -> int:
    """The frame of the rep in which a measure's series lies furthest from where it is now."""
    if f.spec.series is None:
        raise NotShown(f.spec.name)
    series = f.scene.angle(f.spec.series)
    part = series.window(f.rep.start_s, f.rep.end_s)
    now = float(np.interp(f.time_s, series.times, series.values))
    return f.index(float(part.times[int(np.argmax(np.abs(part.values - now)))]))


def depth(f: Frame) -> Sketch:
    """A level line through the knee, and the angle from it to the hip."""
    hip, knee = f.at("hip"), f.at("knee")
    way = f.across * (np.sign((hip - knee) @ f.across) or 1.0)
    level = knee + way * float(np.linalg.norm(hip - knee))
    arc = Arc(knee, level, hip)
    return Sketch(((knee - way * 0.3 * f.reach, level + way * 0.5 * f.reach),), ((knee, hip),), (arc,), tag=hip, focus=(knee, hip))


def crease(f: Frame) -> Sketch:
    """A level line at the top of the knee, and how far over it the crease of the hip is."""
    hip, knee = f.at("hip"), f.at("knee")
    stature = f.scene.body.stature_cm or TALL_CM
    fold = hip + f.up * f.cm(CREASE_ABOVE_HIP_SHARE * stature)
    top = knee + f.up * f.cm(KNEE_TOP_ABOVE_SHARE * stature)
    under = fold + f.up * float((top - fold) @ f.up)
    beyond = 0.4 * f.reach * (np.sign((hip - knee) @ f.across) or 1.0) * f.across
    return Sketch(((top - beyond, under + beyond),), ((fold, under),), rings=(fold,), tag=fold, focus=(knee, hip))


def past_toe(f: Frame) -> Sketch:
    """An upright through the toe, and the way from it to the knee."""
    toe, knee = f.at("toe"), f.at("knee")
    over = toe + f.up * float((knee - toe) @ f.up)
    return Sketch(((toe, over + f.up * 0.5 * f.reach),), ((over, knee),), rings=(knee,), tag=knee, focus=(knee, toe))


def lean(f: Frame) -> Sketch:
    """An upright through one end, and the angle from it to the other: hip and shoulder, knee and shoulder, or ankle and knee."""
    low, high = (f.at(j) for j in f.spec.focus.joints[:2])
    top = low + f.up * float(np.linalg.norm(high - low))
    arc = Arc(low, top, high)
    return Sketch(((low, top),), ((low, high),), (arc,), tag=_between(arc), focus=(low, high))


def back_curve(f: Frame) -> Sketch:
    """The line of the back now, and the set's first back (pale) laid over its ends."""
    names = [f.name("hip"), *(n for n in ("low_back", "mid_back") if n in f.scene.track.names), f.name("shoulder")]
    if len(names) < 3:
        raise NotShown("mid_back")
    first = f.index(f.scene.reps[0].start_s if f.spec.name == "spine_flexion_deg" else f.scene.reps[0].bottom_s)
    now, then = (np.array([f.scene.track.point(n)[i] for n in names]) for i in (f.number, first))
    chord, old = now[-1] - now[0], then[-1] - then[0]
    turn, grown = _bearing(chord) - _bearing(old), float(np.linalg.norm(chord)) / max(float(np.linalg.norm(old)), 1e-9)
    laid = [now[0] + grown * _turned(p - then[0], turn) for p in then]
    return Sketch(tuple(pairwise(laid)), tuple(pairwise(list(now))), rings=(now[-2],), tag=now[-2], focus=tuple(now))


def back_outline(f: Frame) -> Sketch:
    """Where the back ends in the frame, and where it ended in the set's straightest reps (pale), laid over hip and shoulder."""
    here = outline_heights(f.scene)[0, max(f.number - BESIDE, 0) : f.number + BESIDE + 1]
    here = here[np.isfinite(here).all(axis=1)]
    rep = rep_outline(f.scene, f.rep)
    now = np.median(here, axis=0) if len(here) else rep.heights[0]
    hip, shoulder = f.at("hip"), f.at("shoulder")
    line = shoulder - hip
    behind = -facing(f.scene.view) * np.array([-line[1], line[0]])
    straight = straightest(f.scene, rep.lean_deg)[0]
    few = slice(0, None, 3)  # the lines are dashed: many short ones would be dots
    drawn, pale = (list((hip + SHARES[:, None] * line + heights[:, None] * behind)[few]) for heights in (now, straight))
    roundest = max(drawn, key=lambda p: float((p - hip) @ behind))
    return Sketch(tuple(pairwise(pale)), tuple(pairwise(drawn)), tag=roundest, focus=(hip, shoulder, roundest))


def step_length(f: Frame) -> Sketch:
    """From the front ankle to the rear one."""
    far = f.scene.far.get("ankle")
    if far is None:
        raise NotShown("ankle")
    near, other = f.at("ankle"), far[f.number]
    level = near + f.across * float((other - near) @ f.across)
    return Sketch(((other, level),), ((near, level),), rings=(near, other), tag=(near + level) / 2, focus=(near, other))
