"""How much further in a knee comes than in the set's other reps: where the foot points, how deep the thigh lies towards the camera and
where the camera stands are off alike in all of them, so that one rep's cave stands out far more clearly than where the knee is."""

from __future__ import annotations

import numpy as np

from deepmirror.core.measures.context import FILM_FRONT, Array, CannotTell, MeasurementContext, NotAsked, RepMeasure
from deepmirror.core.measures.frontal_measures import hidden_pct, in_shanks, knee_inside
from deepmirror.core.measures.rep_paths import LEAST_REPS, over_places, usual_path, ways_of
from deepmirror.core.measures.spec import FRONT, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SIDES
from deepmirror.core.uncertain_value import Value
from deepmirror.fitted import fitted
from deepmirror.words import say

BENDS = np.arange(60.0, 141.0, 5.0)  # degrees of knee bend at which reps are laid over one another; our own choice
ALIKE_DEG = 4.0  # frames that near in bend are laid over one another; our own choice
OUTERMOST = 25  # percentile of the reps: one rep alone is the outermost by chance; our own choice
CAVE_U = fitted("cave_more_u")  # k = 2, cm: how far two clean reps' paths differ
RELATIVE = "a single repetition has no other to be compared with"


def _caves_more(side: str) -> RepMeasure:
    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """How much further inside the foot's line the bent knee came than in the set's outermost reps at the same bend, cm of the client's
        own shank, where it surely did.

        Where every rep caves nothing stands out, and one that does not stand out may cave all the same: of it nothing is told.
        Raises CannotTell where the view does not show it, NotAsked for a single rep, for one that does not surely come further in, and
        for one whose knee surely stays outside the foot's line all the same.
        """
        if len(scene.reps) < LEAST_REPS:
            raise NotAsked(RELATIVE, FILM_FRONT)
        scene.check_toes()
        paths = scene.cached(side + " knee's paths", lambda: np.array([_path(scene, r, side) for r in scene.reps]))
        more = (paths - usual_path(paths, OUTERMOST))[scene.reps.index(rep)]
        if not np.isfinite(more).any():
            raise CannotTell("no other repetition is bent as far", FILM_FRONT)
        found = in_shanks(scene, Value(float(np.nanmax(more)), hidden_pct(scene, rep, side))).widened(CAVE_U)
        if found.value <= found.u:
            raise NotAsked("it does not surely come further in than in the others", FILM_FRONT)
        where = knee_inside(side)(scene, rep)
        if where.value + where.u < 0:
            raise NotAsked("it stays outside the foot's line", FILM_FRONT)
        return found

    return measure


def _path(scene: MeasurementContext, rep: Rep, side: str) -> Array:
    """Where the knee is inside its foot's line on the way down and up (2, len(BENDS)), % of the shank; NaN where it bends less."""
    inside, bend = scene.angle(f"knee_to_foot_{side}"), scene.angle(f"knee_flexion_{side}")
    part = bend.window(rep.start_s, rep.end_s)
    ways = ways_of(bend.times, rep, float(part.times[np.argmax(part.values)]))
    return np.array([over_places(inside.values[way], bend.values[way], BENDS, ALIKE_DEG) for way in ways])


MEASURES: tuple[MeasureSpec, ...] = tuple(
    MeasureSpec(
        f"knee_caves_{side}_cm",
        say("{side} knee further in than in the outermost reps", side=side.capitalize()),
        "cm",
        _caves_more(side),
        FRONT,
        "our own definition, in its docstring",
        focus=Focus(("knee", "ankle"), Drawing.OVER_FOOT),
        series=f"knee_to_foot_{side}",
        moment=Moment.PEAK,
        short=say("{side} knee caves in", side=side.capitalize()),
    )
    for side in SIDES
)
