"""How round the back is, rep against rep, from its outline alone: nothing need be clicked on it.

A thick back, a loose shirt and where hip and shoulder are taken to be are much the same in every rep of a set, so that what one rep's
outline bulges more than the straightest reps' is the spine. Whether all of them are round the outline cannot tell.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from deepmirror.core.measures.context import ADD_BACK, Array, BackSeen, MeasurementContext, NotAsked
from deepmirror.core.measures.spec import SIDE, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import facing
from deepmirror.fitted import fitted

SHARES = np.linspace(0.2, 0.65, 10)  # of the way from hip to shoulder: between the seat and the shoulder blade; our own choice
MIDDLE = slice(2, 9)  # of SHARES, 0.3 to 0.6: where a round back bulges most; our own choice
ARC_MIDDLE = float(np.mean(4 * SHARES[MIDDLE] * (1 - SHARES[MIDDLE])))  # of a flat arc's height, what it has there in the mean
STEEPEST = 0.035  # from one share to the next: a back has no step, what stands behind it has; our own choice
NEAR_DEEPEST_DEG = 8.0  # of trunk lean: looks so near a rep's deepest count; our own choice
LEAST_LOOKS, LOOKS_ALIKE = 3, 2  # of a rep; and so many in a row err alike; our own choice
WIDEST_GAP = 0.12  # between two places where the outline is seen; our own choice
ALIKE_DEG = 15.0  # of trunk lean: reps whose deepest lie further apart are not compared; our own choice
STRAIGHTEST = 25  # percentile of the reps: one rep alone is the straightest by chance; our own choice
# A round arc bulges by h of its chord where it turns by 4 arctan 2h, a spine that gives in one place by less of a turn, down to 0.6 of it
# at two fifths of the way: what is told lies between, and reaches to both.
BETWEEN, SHAPE_U_SHARE = 0.8, 0.25
EDGE_U = fitted("back_edge_u")  # k = 2, of the line hip to shoulder: how far two straight reps' outlines differ
RELATIVE = "a single repetition has no straighter one to be compared with"


@dataclass(frozen=True)
class RepOutline:
    """A rep's outline where the trunk leans most: heights (2, 10) at SHARES of the line hip to shoulder, as it was followed and as the
    looks alone saw it; the lean there, degrees; scatter (2,): standard deviation of each middle's mean over the looks."""

    heights: Array
    lean_deg: float
    scatter: Array


def outline_heights(scene: MeasurementContext) -> Array:
    """How far the back's outline lies behind the line from hip to shoulder, at SHARES of it, as shares of its length.

    (2, T, 10): from the line as it was followed, and as each look alone saw it; NaN in frames that nobody looked at and where what was
    seen is no back. Raises NotAsked where nobody looked for it.
    """
    back = scene.back
    if scene.near is None or back is None:
        raise NotAsked("the outline of the back was not looked for", ADD_BACK)
    return scene.cached("back's outline", lambda: _all_heights(scene, back))


def _all_heights(scene: MeasurementContext, back: BackSeen) -> Array:
    film = scene.film_track
    followed = film.point(scene.side_point("hip")), film.point(scene.side_point("shoulder"))
    out = np.full((2, len(film.times), len(SHARES)), np.nan)
    for i in np.flatnonzero(np.isfinite(back.outline).any(axis=(1, 2))):
        for k, (hip, shoulder) in enumerate((followed, (back.hip, back.shoulder))):
            out[k, i] = _heights(back.outline[i], hip[i], shoulder[i], -facing(scene.view))
    return out


def _heights(outline: Array, hip: Array, shoulder: Array, behind: float) -> Array:
    line = shoulder - hip
    length = float(np.hypot(*line))
    seen = outline[np.isfinite(outline).all(axis=1)] - hip
    along, away = seen @ line / length**2, behind * (seen @ np.array([-line[1], line[0]])) / length**2
    order = np.argsort(along)
    along, away = along[order], away[order]
    inside = (along > SHARES[0] - WIDEST_GAP) & (along < SHARES[-1] + WIDEST_GAP)
    whole = inside.any() and along[0] <= SHARES[0] and along[-1] >= SHARES[-1] and np.diff(along[inside]).max(initial=0.0) < WIDEST_GAP
    heights = np.interp(SHARES, along, away) if whole else np.full(len(SHARES), np.nan)
    return heights if np.abs(np.diff(heights)).max() <= STEEPEST else np.full(len(SHARES), np.nan)


def rep_outline(scene: MeasurementContext, rep: Rep) -> RepOutline:
    """The back's outline in a rep, over the looks where it leans most. Raises NotAsked: a film that does not show it is one on which the
    back is clicked."""
    lean, heights = scene.angle("trunk_lean"), outline_heights(scene)
    inside = (lean.times >= rep.start_s) & (lean.times <= rep.end_s)
    deepest = float(lean.values[inside].max(initial=-np.inf))
    rows = inside & (lean.values >= deepest - NEAR_DEEPEST_DEG) & np.isfinite(heights).all(axis=(0, 2))
    if rows.sum() < LEAST_LOOKS:
        raise NotAsked("something behind the back hides where it ends", ADD_BACK)
    here = heights[:, rows]
    scatter = here[..., MIDDLE].mean(axis=2).std(axis=1, ddof=1) / np.sqrt(rows.sum() / LOOKS_ALIKE)
    return RepOutline(np.median(here, axis=1), deepest, scatter)


def straightest(scene: MeasurementContext, lean_deg: float) -> Array:
    """The outline (2, 10) of the set's straightest reps among those that lean about so far. Raises NotAsked."""
    seen = scene.cached("reps' outlines", lambda: _seen_outlines(scene))
    alike = np.array([s.heights for s in seen if abs(s.lean_deg - lean_deg) <= ALIKE_DEG])
    if len(alike) < 2:
        raise NotAsked(RELATIVE, ADD_BACK)
    return np.asarray(np.percentile(alike, STRAIGHTEST, axis=0))


def _seen_outlines(scene: MeasurementContext) -> list[RepOutline]:
    out = []
    for rep in scene.reps:
        try:
            out.append(rep_outline(scene, rep))
        except NotAsked:
            continue
    return out


def back_rounder(scene: MeasurementContext, rep: Rep) -> Value:
    """How much rounder the back is where the rep is deepest than in the set's straightest reps, degrees.

    Raises NotAsked where the outline does not show, or no other rep can be compared.
    """
    now = rep_outline(scene, rep)
    bulges = (now.heights - straightest(scene, now.lean_deg))[:, MIDDLE].mean(axis=1)
    turn = BETWEEN * float(np.degrees(4 * np.arctan(2 * bulges.mean() / ARC_MIDDLE)))
    apart = float(np.ptp(bulges))  # a joint that was lost in this rep makes the two lines tell different tales
    edge = BETWEEN * float(np.degrees(8 * np.linalg.norm([EDGE_U, COVERAGE_FACTOR * now.scatter.mean(), apart])))
    return Value(turn, float(np.hypot(edge, SHAPE_U_SHARE * abs(turn))))


MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "back_outline_deg",
        "Back rounder than in the straightest reps",
        "°",
        back_rounder,
        SIDE,
        "our own: the outline's bulge behind the line hip to shoulder, as the turn of an arc",
        focus=Focus(("hip", "shoulder"), Drawing.OUTLINE),
        series="trunk_lean",
        moment=Moment.PEAK,
        short="Back by its outline",
    ),
)
