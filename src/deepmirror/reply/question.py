"""What a number means in the picture: the lines that show it, where to look, and where its tag stands."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.kinematics import UP
from deepmirror.core.skeleton import SIDES, near_side, sided

Array = NDArray[np.float64]
Line = tuple[tuple[float, float], tuple[float, float]]


@dataclass
class Question:
    """Pale reference lines, copper lines for the number itself, arcs (centre, from, to, radius), rings, and what to look at."""

    reference: list[Line] = field(default_factory=list)
    number: list[Line] = field(default_factory=list)
    arcs: list[tuple[Array, Array, Array, float]] = field(default_factory=list)
    rings: list[Array] = field(default_factory=list)
    focus: list[Array] = field(default_factory=list)


# What to look at where a measure has no drawing of its own, by the beginning of its name.
LOOKED_AT = (
    (("trunk", "back", "spine", "lumbar", "neck"), ("shoulder", "hip", "knee")),
    (("hip", "pelvis", "seat", "waist"), ("hip", "knee", "shoulder")),
    (("heel", "toe", "ankle", "calf", "dorsi", "foot"), ("ankle", "heel", "toe", "knee")),
    (("pivot", "roller", "knee", "lockout", "edge"), ("knee", "ankle", "hip")),
)


def question(measure: str, places: dict[str, Array], view: str, unit: float) -> Question:
    """The drawing of a measure on a frame; unit is the size of a line's step (1 at 720 lines)."""
    out, near = Question(), near_side(view)
    have = {j: places[sided(j, near)] for j in ("hip", "knee", "ankle", "shoulder", "heel", "toe") if near and sided(j, near) in places}
    if {"hip", "knee"} <= set(have) and measure.startswith(("thigh_from", "crease", "range_share")):
        _depth(out, have["hip"], have["knee"], unit)
    elif {"toe", "knee"} <= set(have) and measure.startswith("knee_past"):
        toe, knee = have["toe"], have["knee"]
        out.reference.append(((toe[0], toe[1]), (toe[0], knee[1] - 40 * unit)))
        out.number.append(((knee[0], knee[1]), (toe[0], knee[1])))
        out.focus = [knee, toe]
    elif {"hip", "shoulder"} <= set(have) and measure.startswith("trunk_lean"):
        hip, shoulder = have["hip"], have["shoulder"]
        top = hip + UP * float(np.linalg.norm(shoulder - hip))
        out.reference.append((_pair(hip), _pair(top)))
        out.arcs.append((hip, top, shoulder, 90 * unit))
        out.focus = [hip, shoulder]
    elif measure.startswith(("knee_medial", "knee_inward", "fppa", "knee_ankle")):
        _inward(out, places)
    elif measure.startswith(("hip_lift", "pivot", "heel_rise")):
        joint = {"hip": "hip", "piv": "knee", "hee": "heel"}[measure[:3]]
        if joint in have:
            out.rings.append(have[joint])
            out.focus = [have[joint]]
    if not out.focus:
        out.focus = _looked_at(measure, have, places)
    return out


def _pair(p: Array) -> tuple[float, float]:
    return float(p[0]), float(p[1])


def _depth(out: Question, hip: Array, knee: Array, unit: float) -> None:
    span = 1.25 * abs(hip[0] - knee[0]) + 40 * unit
    way = float(np.sign(hip[0] - knee[0]) or 1.0)
    out.reference.append(((knee[0] - way * 20 * unit, knee[1]), (knee[0] + way * span, knee[1])))
    out.arcs.append((knee, knee + np.array([way, 0.0]), hip, 62 * unit))
    out.focus = [knee, hip]


def _inward(out: Question, places: dict[str, Array]) -> None:
    for side in SIDES:
        names = [sided(j, side) for j in ("hip", "ankle", "knee")]
        if not set(names) <= set(places):
            continue
        hip, ankle, knee = (places[n] for n in names)
        out.reference.append((_pair(hip), _pair(ankle)))
        share = (knee[1] - hip[1]) / (ankle[1] - hip[1] or 1)
        out.number.append((_pair(knee), (float(hip[0] + share * (ankle[0] - hip[0])), float(knee[1]))))
        out.focus += [knee, ankle]


def _looked_at(measure: str, have: dict[str, Array], places: dict[str, Array]) -> list[Array]:
    for starts, joints in LOOKED_AT:
        if measure.startswith(starts) and joints[0] in have:
            return [have[j] for j in joints if j in have]
    return list(have.values()) or list(places.values())
