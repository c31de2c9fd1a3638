"""What front and rear films show of the legs: how far the knees leave their lines, and how far apart the legs are."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from deepmirror.core.measures.context import MeasurementContext, RepMeasure, at, highest, highest_of, lowest_of
from deepmirror.core.measures.spec import FRONT, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.uncertain_value import Value
from deepmirror.fitted import fitted

INWARD_U_PCT = fitted("inward_u")


def _knee_inward(side: str) -> RepMeasure:
    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        """How far the knee came inward of its line against the rep's own start, % of the shank.

        A click's own error cancels in the difference; what is left is how the landmarks drift with posture, and what is hidden: of a
        hip or ankle half, since the line's middle lies between them.
        """
        series = scene.angle(f"knee_medial_{side}")
        hip, knee, ankle = (sided(j, side) for j in ("hip", "knee", "ankle"))
        shank = float(np.percentile(np.linalg.norm(scene.track.point(knee) - scene.track.point(ankle), axis=1), 95))
        hidden = 100 / shank * float(np.hypot(scene.hidden_u(rep, knee), 0.5 * scene.hidden_u(rep, hip, ankle)))
        value = Value(highest(series, rep).value - at(series, rep.start_s), INWARD_U_PCT)
        return value.widened(scene.turned_u("pct")).widened(hidden)

    return measure


FPPA = "Willson & Davis 2008 (from memory)"
OWN = "our own definition, in its docstring"
PRACTICE = "common practice, no source"
INWARD = Focus(("knee", "ankle"), Drawing.INWARD)


def _both_sides(
    name: str, title: str, unit: str, compute: Callable[[str], RepMeasure], series: str, source: str, listed: bool = True
) -> list[MeasureSpec]:
    """Left and right of one frontal-plane measure; both names take the side in their middle."""
    return [
        MeasureSpec(
            name.format(side=side),
            title.format(side=side.capitalize()),
            unit,
            compute(side),
            FRONT,
            source,
            focus=INWARD,
            series=f"{series}_{side}",
            moment=Moment.PEAK,
            listed=listed,
        )
        for side in SIDES
    ]


MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec("leg_spread_max_deg", "Legs apart, most", "°", highest_of("leg_spread"), FRONT, OWN, series="leg_spread"),
    *_both_sides("fppa_{side}_deg", "{side} knee inward", "°", lambda side: highest_of(f"fppa_{side}"), "fppa", FPPA),
    *_both_sides(
        "knee_medial_{side}_pct", "{side} knee off its line", "% shank", lambda side: highest_of(f"knee_medial_{side}"), "knee_medial", OWN
    ),
    *_both_sides(
        "knee_to_foot_{side}_pct",
        "{side} knee inside hip-toe line",
        "% shank",
        lambda side: highest_of(f"knee_to_foot_{side}"),
        "knee_to_foot",
        PRACTICE,
    ),
    *_both_sides(
        "knee_inward_{side}_pct", "{side} knee further in than at the start", "% shank", _knee_inward, "knee_medial", OWN, listed=False
    ),
    MeasureSpec(
        "knee_ankle_separation_ratio_min",
        "Knee gap / ankle gap",
        "",
        lowest_of("knee_ankle_separation_ratio"),
        FRONT,
        "Noyes et al. 2005, separation distance (from memory)",
        focus=INWARD,
        series="knee_ankle_separation_ratio",
        decimals=1,
    ),
)
