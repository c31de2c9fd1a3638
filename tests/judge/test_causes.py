"""Causes are ranked by what else is known, and what is known is said."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.uncertain_value import Value
from deepmirror.judge.causes import Limit, collect_evidence, weigh
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


BENT_33 = tuple({"dorsiflexion_max_deg": Value(33.0, 2.0)} for _ in range(5))


def test_a_limit_that_a_clean_rep_went_beyond_is_no_cause() -> None:
    """Reps 1, 3, 4 and 5 reach depth with more ankle bend than rep 2, which does not: the ankle did not stop it."""
    bent = tuple({"dorsiflexion_max_deg": Value(28.0 if i == 1 else 34.0, 2.0)} for i in range(5))
    evidence = collect_evidence(set_of(5), {}, bent, (2,), Limit("ankle_dorsiflexion", 30.0))
    assert evidence[0].against and evidence[0].rules_out and "rep 1 bent further" in evidence[0].because
    last = weigh(CAUSES, evidence)[-1]
    assert last.words == "ankle bend runs out" and last.ruled_out and last.speaks_against and not last.speaks_for


@pytest.mark.parametrize(
    ("reps", "film", "limit", "first", "because"),
    [
        ((4, 5), {}, None, "fatigue", "began in rep 4 of 5"),
        ((1, 2, 3, 4, 5), {}, None, "habit", "from the first rep"),
        ((1, 2, 3, 4, 5), {"speed_loss_pct": Value(45, 6)}, None, "load too heavy", "slowed by 45 %"),
        ((2, 3), {}, Limit("ankle_dorsiflexion", 34.0), "ankle bend runs out", "meets its limit of 34°"),
        ((2, 3), {}, Limit("ankle_dorsiflexion", 45.0), "load too heavy", "limit is taken as 45°"),
        ((2,), {"pivot_misalignment_cm": Value(6, 1.5)}, None, "machine set for somebody else", "6 cm from the pivot"),
        ((2,), {"pivot_misalignment_cm": Value(3, 1.5)}, None, "load too heavy", None),
    ],
)
def test_the_strongest_evidence_names_the_cause(
    reps: tuple[int, ...], film: dict[str, Value], limit: Limit | None, first: str, because: str | None
) -> None:
    evidence = collect_evidence(set_of(5), film, BENT_33, reps, limit)
    assert weigh(CAUSES, evidence)[0].words == first
    assert (because is None and not any(not e.against for e in evidence)) or any(because in e.because for e in evidence if because)


def test_each_cause_says_what_speaks_for_it_and_against_it() -> None:
    evidence = collect_evidence(set_of(5), {"speed_loss_pct": Value(5, 4)}, BENT_33, (4, 5), None)
    by_words = {c.words: c for c in weigh(CAUSES, evidence)}
    assert by_words["fatigue"].speaks_for == ("it began in rep 4 of 5",)
    assert by_words["fatigue"].speaks_against == ("lifting hardly slowed (5 %)",)
    assert by_words["load too heavy"].speaks_against and not by_words["load too heavy"].speaks_for
    assert by_words["habit"].rows == ["against “habit”: rep 1 is free of it, as 3 of 5 reps are"]


def test_feet_that_stand_wide_enough_are_no_narrow_stance() -> None:
    stance = [Cause(words="stance too narrow", kinds=["stance"])]
    for share, pro, con in ((0.7, 1, 0), (1.2, 0, 1), (0.92, 0, 0)):
        evidence = collect_evidence(set_of(5), {"stance_to_shoulder_ratio": Value(share, 0.1)}, BENT_33, (2, 3), None)
        weighed = weigh(stance, evidence)[0]
        assert (len(weighed.speaks_for), len(weighed.speaks_against)) == (pro, con)
