"""Drawings of ways: what left its pad, its floor, its line or its place, and by how much; and of a machine's axis and pads."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from deepmirror.core.geometry import along_and_across
from deepmirror.core.measures.contact_measures import distances, pad_of
from deepmirror.core.measures.context import Array, CannotTell
from deepmirror.core.skeleton import SIDES
from deepmirror.core.sketches.frame import Frame, NotShown
from deepmirror.core.sketches.sketch import Arc, Sketch

KINDS = {"seat": "seat", "back": "back"}  # by what a measure's name begins with; the pad otherwise


def _pad(f: Frame) -> tuple[str, str, Array]:
    """The joint, the kind of the line it is measured against, and the line (2, 2) px. Raises NotShown."""
    kind = KINDS.get(f.spec.name.split("_")[0], "pad")
    try:
        return f.spec.focus.joints[0], kind, pad_of(f.scene, kind)
    except CannotTell as lacks:
        raise NotShown(kind) from lacks


def off_pad(f: Frame) -> Sketch:
    """The pad's line, where the joint lies in contact beside it, and the gap to where it is now."""
    joint, kind, line = _pad(f)
    away, _ = distances(f.scene, joint, kind)
    name, at = f.scene.side_point(joint), f.at(joint)
    unit = (line[1] - line[0]) / max(float(np.linalg.norm(line[1] - line[0])), 1e-9)
    normal = np.array([-unit[1], unit[0]])
    across = along_and_across(f.scene.track.point(name), line[0], line[1] - line[0])[1]
    way = normal if float(np.median(across)) >= 0 else -normal
    rest = at - way * float(away[f.number])
    contact = (rest - unit * f.reach, rest + unit * f.reach)
    number = ((rest, at),) if away[f.number] > 0 else ()
    return Sketch(((line[0], line[1]), contact), number, rings=(at,), tag=at, focus=(at, rest), close_up=True)


def along_pad(f: Frame) -> Sketch:
    """The pad's line, and the way the joint slid along it since the rep began."""
    joint, _, line = _pad(f)
    unit = (line[1] - line[0]) / max(float(np.linalg.norm(line[1] - line[0])), 1e-9)
    at = f.at(joint)
    start = at + unit * float((f.was(joint, f.rep.start_s) - at) @ unit)
    return Sketch(((line[0], line[1]),), ((start, at),), rings=(at, start), tag=at, focus=(at, start), close_up=True)


def risen(f: Frame) -> Sketch:
    """The line of the floor or platform through where heel or toe stood, and how far over it that is now."""
    joint = f.spec.focus.joints[0]
    if f.scene.near is None:
        side = max(SIDES, key=lambda s: float((f.at(joint, s) - f.was(joint, f.rep.start_s, s)) @ f.up))
    else:
        side = f.scene.near
    at = f.at(joint, side)
    if f.scene.platform_moves and f.scene.near:
        return _off_platform(f, at)
    rest = f.was(joint, f.rep.start_s, side)
    under = at + f.up * float((rest - at) @ f.up)
    level = (under - f.across * f.reach, under + f.across * f.reach)
    return Sketch((level,), ((under, at),), rings=(at,), tag=at, focus=(at, f.at("ankle", side)), close_up=True)


def _off_platform(f: Frame, heel: Array) -> Sketch:
    """The sole as it lay when the set began, from the toe, and how far off it the heel is."""
    toe = f.at("toe")
    first = f.scene.reps[0].start_s
    sole = f.was("heel", first) - f.was("toe", first)
    length = max(float(np.linalg.norm(sole)), 1e-9)
    unit = sole / length
    rest = toe + unit * float((heel - toe) @ unit)
    return Sketch(
        ((toe - unit * 0.3 * length, toe + unit * 1.4 * length),),
        ((rest, heel),),
        rings=(heel,),
        tag=heel,
        focus=(heel, toe),
        close_up=True,
    )


def heel_way(f: Frame) -> Sketch:
    """The heel's lowest and highest place in the rep."""
    path = f.scene.track.point(f.name("heel"))[f.window]
    heights = path @ f.up
    at = f.at("heel")
    ends = [at + f.up * float(h - at @ f.up) for h in (heights.min(), heights.max())]
    aside = 0.4 * f.reach * f.across
    return Sketch(
        tuple((e - aside, e + aside) for e in ends), ((ends[0], ends[1]),), rings=(at,), tag=at, focus=(at, f.at("toe")), close_up=True
    )


def moved(f: Frame) -> Sketch:
    """Where a joint was when the rep began, and where it is."""
    joint = f.spec.focus.joints[0]
    start, at = f.was(joint, f.rep.start_s), f.at(joint)
    return Sketch((), ((start, at),), rings=(start, at), tag=at, focus=(at, start))


def bar_path(f: Frame) -> Sketch:
    """The bar's way in this rep, its line through where it began, and the gap."""
    at, start = f.at("bar"), f.was("bar", f.rep.start_s)
    rail = f.scene.marks.rail
    way = f.up if rail is None else (rail[1] - rail[0]) / max(float(np.linalg.norm(rail[1] - rail[0])), 1e-9)
    nearest = start + way * float((at - start) @ way)
    path = f.scene.track.point("bar")[f.window]
    along = (path - start) @ way
    line = (start + way * float(along.min()), start + way * float(along.max()))
    thin = path[:: max(len(path) // 24, 1)]
    return Sketch((line,), ((nearest, at),), rings=(at,), ghosts=(tuple(pairwise(thin)),), tag=at, focus=(at, nearest, *line))


def bar_foot(f: Frame) -> Sketch:
    """An upright over the middle of the foot, and the way from it to the bar."""
    bar, middle = f.at("bar"), (f.at("heel") + f.at("toe")) / 2
    over = middle + f.up * float((bar - middle) @ f.up)
    return Sketch(((middle, over),), ((over, bar),), rings=(bar,), tag=bar, focus=(bar, middle))


def bar_leg(f: Frame) -> Sketch:
    """From the bar to the nearest place of the leg."""
    bar = f.at("bar")
    joints = [f.at(j) for j in ("hip", "knee", "ankle")]
    nearest = min((_on_segment(bar, a, b) for a, b in pairwise(joints)), key=lambda p: float(np.linalg.norm(p - bar)))
    return Sketch((), ((nearest, bar),), rings=(bar,), tag=bar, focus=(bar, nearest))


def _on_segment(p: Array, a: Array, b: Array) -> Array:
    d = b - a
    return np.asarray(a + d * float(np.clip((p - a) @ d / max(float(d @ d), 1e-9), 0, 1)))


def pelvis_roll(f: Frame) -> Sketch:
    """The line from hip to waistband when the rep began (pale) and now."""
    hip, now = f.at("hip"), f.at("waistband")
    before = hip + f.was("waistband", f.rep.start_s) - f.was("hip", f.rep.start_s)
    long = 2.5  # the line is short: carried on, its turn can be seen
    arc = Arc(hip, hip + long * (before - hip), hip + long * (now - hip))
    return Sketch(((hip, arc.start),), ((hip, arc.end),), (arc,), tag=arc.end, focus=(hip, now), close_up=True)


def edge(f: Frame) -> Sketch:
    """The bench's edge, and the way from it to the knee along the thigh."""
    mark = f.scene.marks.bench_edge
    if mark is None:
        raise NotShown("bench_edge")
    knee, hip = f.at("knee"), f.at("hip")
    unit = (knee - hip) / max(float(np.linalg.norm(knee - hip)), 1e-9)
    beside = knee - unit * float((knee - mark) @ unit)
    return Sketch(((mark, beside),), ((beside, knee),), rings=(knee,), crosses=(mark,), tag=knee, focus=(knee, mark), close_up=True)


def pivot(f: Frame) -> Sketch:
    """The machine's axis as a cross, the knee's centre as a ring, and what lies between them."""
    mark = f.scene.marks.pivot
    if mark is None:
        raise NotShown("pivot")
    knee = f.at("knee")
    return Sketch((), ((mark, knee),), rings=(knee,), crosses=(mark,), tag=knee, focus=(knee, mark), close_up=True)


def roller(f: Frame) -> Sketch:
    """The shin with the roller on it, and the stretch it slid along."""
    knee, ankle = f.at("knee"), f.at("ankle")
    unit = (ankle - knee) / max(float(np.linalg.norm(ankle - knee)), 1e-9)
    if "roller" not in f.scene.track.names:
        return pivot(f)
    track = f.scene.track
    k, a, r = (track.point(n) for n in (f.name("knee"), f.name("ankle"), "roller"))
    shank = a - k
    along = ((r - k) * shank).sum(axis=1) / np.maximum(np.linalg.norm(shank, axis=1), 1e-9)
    at = f.at("roller")
    low, high = (knee + unit * float(v) for v in (along.min(), along.max()))
    foot = knee + unit * float(along[f.number])
    number = ((foot, ankle),) if f.spec.name == "roller_position_pct" else ((low, high),)
    return Sketch(((knee, ankle), (foot, at)), number, rings=(at,), tag=at, focus=(at, knee, ankle), close_up=True)


def lever(f: Frame) -> Sketch:
    """The lever from the pivot to the roller, and the shin drawn from the pivot too."""
    mark = f.scene.marks.pivot
    if mark is None or "roller" not in f.scene.track.names:
        raise NotShown("pivot")
    at, shank = f.at("roller"), f.at("ankle") - f.at("knee")
    arc = Arc(mark, mark + shank, at)
    return Sketch(((mark, arc.start),), ((mark, at),), (arc,), crosses=(mark,), rings=(at,), tag=at, focus=(at, mark, f.at("knee")))
