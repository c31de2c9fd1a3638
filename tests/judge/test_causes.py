"""Causes are ranked by what else is known, and what is known is said."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.uncertain_value import Value
from deepmirror.judge.causes import collect_evidence, ranked
from deepmirror.movements.schema import Cause
from tests.core.test_measures import REP, squat_side

CAUSES = [
    Cause(words="load too heavy", kinds=["load"]),
    Cause(words="habit", kinds=["habit"]),
    Cause(words="ankle bend runs out", kinds=["ankle"]),
    Cause(words="machine set for somebody else", kinds=["machine_fit"]),
    Cause(words="fatigue", kinds=["fatigue"]),
]


def set_of(count: int) -> MeasurementContext:
    return replace(squat_side(), reps=[replace(REP, number=i + 1) for i in range(count)])


@pytest.mark.parametrize(
    ("reps", "film", "limit", "first", "because"),
    [
        ((4, 5), {}, None, "fatigue", "began in rep 4 of 5"),
        ((1, 2, 3, 4, 5), {}, None, "habit", "from the first rep"),
        ((1, 2, 3, 4, 5), {"speed_loss_pct": Value(45, 6)}, None, "load too heavy", "slowed by 45 %"),
        ((2, 3), {}, "ankle_dorsiflexion", "ankle bend runs out", "ankle dorsiflexion limit"),
        ((2,), {"pivot_misalignment_cm": Value(6, 1.5)}, None, "machine set for somebody else", "6 cm from the pivot"),
        ((2,), {"pivot_misalignment_cm": Value(3, 1.5)}, None, "load too heavy", None),
    ],
)
def test_the_strongest_evidence_names_the_cause(
    reps: tuple[int, ...], film: dict[str, Value], limit: str | None, first: str, because: str | None
) -> None:
    evidence = collect_evidence(set_of(5), film, reps, limit)
    assert ranked(CAUSES, evidence)[0] == first
    assert (because is None and not evidence) or any(because in e.because for e in evidence if because)
