"""What a number means in the picture: the lines that show it, where to look, and where its tag stands."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.measures.spec import WHOLE, Drawing, Focus
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.views import UP

Array = NDArray[np.float64]
Line = tuple[tuple[float, float], tuple[float, float]]


JOINTS = ("hip", "knee", "ankle", "shoulder", "heel", "toe")


@dataclass
class Question:
    """Pale reference lines, copper lines for the number itself, arcs (centre, from, to, radius), rings, and what to look at."""

    reference: list[Line] = field(default_factory=list)
    number: list[Line] = field(default_factory=list)
    arcs: list[tuple[Array, Array, Array, float]] = field(default_factory=list)
    rings: list[Array] = field(default_factory=list)
    focus: list[Array] = field(default_factory=list)


def focus_of(measure: str | None) -> Focus:
    """What of the body a measure concerns; the whole of it for none, and for one that is no longer known."""
    return MEASURES[measure].focus if measure in MEASURES else WHOLE


def question(measure: str | None, places: dict[str, Array], view: str, unit: float) -> Question:
    """The drawing of a measure on a frame; unit is the size of a line's step (1 at 720 lines)."""
    out, near, focus = Question(), near_side(view), focus_of(measure)
    have = {j: places[sided(j, near)] for j in JOINTS if near and sided(j, near) in places}
    if focus.drawing is Drawing.DEPTH and {"hip", "knee"} <= set(have):
        _depth(out, have["hip"], have["knee"], unit)
    elif focus.drawing is Drawing.PAST_TOE and {"toe", "knee"} <= set(have):
        toe, knee = have["toe"], have["knee"]
        out.reference.append(((toe[0], toe[1]), (toe[0], knee[1] - 40 * unit)))
        out.number.append(((knee[0], knee[1]), (toe[0], knee[1])))
        out.focus = [knee, toe]
    elif focus.drawing is Drawing.LEAN and {"hip", "shoulder"} <= set(have):
        hip, shoulder = have["hip"], have["shoulder"]
        top = hip + UP * float(np.linalg.norm(shoulder - hip))
        out.reference.append((_pair(hip), _pair(top)))
        out.arcs.append((hip, top, shoulder, 90 * unit))
        out.focus = [hip, shoulder]
    elif focus.drawing is Drawing.INWARD:
        _inward(out, places)
    elif focus.drawing is Drawing.RING and focus.joints[0] in have:
        out.rings = out.focus = [have[focus.joints[0]]]
    if not out.focus:
        known = focus.joints if focus.joints and focus.joints[0] in have else tuple(have)
        out.focus = [have[j] for j in known if j in have] or list(places.values())
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
