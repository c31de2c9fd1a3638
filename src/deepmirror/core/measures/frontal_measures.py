"""What front and rear films show of the legs: how far the knees leave their lines, and how far apart the legs are."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from deepmirror.core.measures.context import (
    FILM_FRONT,
    FILM_SIDE,
    Array,
    CannotTell,
    MeasurementContext,
    RepMeasure,
    at,
    highest,
    highest_of,
    lowest_of,
    noise_sd,
)
from deepmirror.core.measures.spec import FRONT, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.trajectories import Points, Series
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import outward
from deepmirror.fitted import fitted
from deepmirror.words import say

INWARD_U_PCT = fitted("inward_u")
THIGH_SHOWS_DEG = 12.0  # a thigh nearer the camera's axis has no angle in the picture; our own choice
BENT_DEG = 60.0  # of knee bend from which on a knee is judged over its foot; our own choice
SHIFT_U_CM = 1.5  # k = 2 of the middle of two hips: their landmarks drift with posture; our own estimate, no source


def _knee_inward(side: str) -> RepMeasure:
    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """How far the knee came inward of its line against the rep's own start, cm of the client's own shank.

        A click's own error cancels in the difference; what is left is how the landmarks drift with posture, and what is hidden: of a
        hip or ankle half, since the line's middle lies between them.
        """
        series = scene.angle(f"knee_medial_{side}")
        value = Value(highest(series, rep).value - at(series, rep.start_s), INWARD_U_PCT)
        return in_shanks(scene, value.widened(scene.turned_u("pct")).widened(hidden_pct(scene, rep, side)))

    return measure


def knee_inside(side: str) -> RepMeasure:
    """Of one side: how far its bent knee came inside the foot's line."""

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """How far the bent knee came inside the line its foot points along, cm of the client's own shank.

        Near standing the knee is over no toe: only from BENT_DEG of knee bend. Raises CannotTell where it bends less, and from
        behind, where the foot's line does not show.
        """
        scene.check_toes()
        series, bend = scene.angle(f"knee_to_foot_{side}"), scene.angle(f"knee_flexion_{side}")
        inside = (series.times >= rep.start_s) & (series.times <= rep.end_s) & (bend.values >= BENT_DEG)
        if not inside.any():
            raise CannotTell("the knee bends too little to stand over its foot", FILM_SIDE)
        bent = Series(series.times[inside], series.values[inside], series.u[inside])
        return in_shanks(scene, highest(bent, rep).widened(hidden_pct(scene, rep, side)))

    return measure


def _fppa(side: str) -> RepMeasure:
    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """The largest frontal-plane projection angle (valgus) while the thigh can be seen, degrees. Raises CannotTell as above."""
        return highest(_while_thigh_shows(scene, rep, side, scene.angle(f"fppa_{side}")), rep)

    return measure


def _while_thigh_shows(scene: MeasurementContext, rep: Rep, side: str, series: Series) -> Series:
    """A rep's part of a series where the thigh points at least THIGH_SHOWS_DEG away from the camera: an angle of a thigh that points at
    it is none."""
    seen = scene.angles.get(f"thigh_seen_{side}")
    inside = (series.times >= rep.start_s) & (series.times <= rep.end_s)
    if seen is not None:
        inside &= seen.values >= THIGH_SHOWS_DEG
    if not inside.any():
        raise CannotTell("the thigh points at the camera", FILM_SIDE)
    return Series(series.times[inside], series.values[inside], series.u[inside])


def hidden_pct(scene: MeasurementContext, rep: Rep, side: str) -> float:
    """What hidden points add to a knee's place against its line (k = 2), % of the shank in the picture."""
    hip, knee, ankle = (sided(j, side) for j in ("hip", "knee", "ankle"))
    shank = float(np.percentile(np.linalg.norm(scene.track.point(knee) - scene.track.point(ankle), axis=1), 95))
    return 100 / shank * float(np.hypot(scene.hidden_u(rep, knee), 0.5 * scene.hidden_u(rep, hip, ankle)))


def in_shanks(scene: MeasurementContext, pct: Value) -> Value:
    """Percent of the shank as centimetres of this client's."""
    shank = scene.body.length("shank")
    return pct.scaled(shank.cm / 100, shank.u_cm / shank.cm)


def hip_shift(scene: MeasurementContext, rep: Rep) -> Value:
    """Furthest the middle of the hips moved sideways over the middle of the feet from where it was at the rep's start, cm; towards the
    client's left positive. Raises CannotTell without a scale."""
    scene.check_front()
    names = [sided(j, side) for j in ("hip", "ankle") for side in SIDES]
    if not scene.track.has(*names):
        raise CannotTell("hips or ankles were not followed", FILM_FRONT)
    left = outward(scene.view, "left") * np.array([-scene.up[1], scene.up[0]])

    def over(p: Points) -> Array:
        return np.asarray(((p[names[0]] + p[names[1]]) / 2 - (p[names[2]] + p[names[3]]) / 2) @ left)

    series = scene.cached_series("hips over feet", lambda: scene.track.series(over))
    start, part = at(series, rep.start_s), series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(np.abs(part.values - start)))
    noise = COVERAGE_FACTOR * noise_sd(series.values) * np.sqrt(2)
    shift = Value(float(part.values[i]) - start, float(np.hypot(noise, scene.hidden_u(rep, *names))))
    return scene.cm(shift).widened(SHIFT_U_CM)


FPPA = "Willson & Davis 2008 (from memory)"
OWN = "our own definition, in its docstring"
PRACTICE = "common practice, no source"


def _both_sides(
    name: str,
    title: str,
    unit: str,
    compute: Callable[[str], RepMeasure],
    series: str,
    source: str,
    drawing: Drawing,
    listed: bool = True,
    short: str = "",
) -> list[MeasureSpec]:
    """Left and right of one frontal-plane measure; both names take the side in their middle."""
    return [
        MeasureSpec(
            name.format(side=side),
            say(title, side=side.capitalize()),
            unit,
            compute(side),
            FRONT,
            source,
            focus=Focus(("knee", "ankle"), drawing),
            series=f"{series}_{side}",
            moment=Moment.PEAK,
            listed=listed,
            short=say(short, side=side.capitalize()),
        )
        for side in SIDES
    ]


MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "leg_spread_max_deg",
        "Legs apart, most",
        "°",
        highest_of("leg_spread"),
        FRONT,
        OWN,
        focus=Focus(("hip", "ankle"), Drawing.SPREAD),
        series="leg_spread",
    ),
    *_both_sides("fppa_{side}_deg", "{side} knee inward", "°", _fppa, "fppa", FPPA, Drawing.PROJECTION),
    *_both_sides(
        "knee_medial_{side}_pct",
        "{side} knee off its line",
        "% shank",
        lambda side: highest_of(f"knee_medial_{side}"),
        "knee_medial",
        OWN,
        Drawing.INWARD,
    ),
    *_both_sides(
        "knee_inward_{side}_cm",
        "{side} knee further in than at the start",
        "cm",
        _knee_inward,
        "knee_medial",
        OWN,
        Drawing.INWARD,
        listed=False,
        short="{side} knee moved in",
    ),
    *_both_sides(
        "knee_inside_{side}_cm",
        "{side} knee inside the foot's line",
        "cm",
        knee_inside,
        "knee_to_foot",
        PRACTICE,
        Drawing.OVER_FOOT,
        short="{side} knee inside foot",
    ),
    MeasureSpec(
        "hip_shift_cm",
        "Hips shift to the left",
        "cm",
        hip_shift,
        FRONT,
        OWN,
        focus=Focus(("hip", "ankle"), Drawing.SHIFT),
        moment=Moment.FURTHEST,
        short="Hips shift left",
        listed=False,
    ),
    MeasureSpec(
        "knee_ankle_separation_ratio_min",
        "Knee gap / ankle gap",
        "",
        lowest_of("knee_ankle_separation_ratio"),
        FRONT,
        "Noyes et al. 2005, separation distance (from memory)",
        focus=Focus(("knee", "ankle"), Drawing.KNEE_GAP),
        series="knee_ankle_separation_ratio",
        decimals=1,
    ),
)
