"""The weight stack between reps: kept off, parked, hidden, unmarked, and the school that lets it settle."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.uncertain_value import Verdict
from deepmirror.judge.findings import judge, measure
from deepmirror.judge.records import Judgement
from tests.movements.rig import CATALOGUE, Rep, judged, programme, seconds

NAMES = sorted(n for n, m in CATALOGUE.movements.items() if any(f.code == "stack_rests" for f in m.fault))


def set_of(name: str, rest_s: float, lowest_pct: float, hidden: bool = False, school: str | None = None, marked: bool = True) -> Judgement:
    """Three reps with a pause between them, the stack never lower than lowest_pct of its travel but before and after the set."""
    movement = CATALOGUE.movements[name]
    reps: list[Rep] = [replace(seconds(movement), rest_s=rest_s)] * 3
    out = judged(movement, reps)
    _, share, number = programme(reps)
    inside = (out.scene.track.times > out.scene.reps[0].start_s + 0.1) & (out.scene.track.times < out.scene.reps[-1].end_s - 0.1)
    heights = np.where(inside, np.maximum(share * 100, lowest_pct), share * 100)
    if hidden:
        heights = np.where(inside, np.nan, heights)
    assert len(number) == len(heights)
    scene = replace(out.scene, stack=heights if marked else None)
    return judge(scene, measure(scene), movement, CATALOGUE, {"stack_rests": school} if school else {})


def found(judgement: Judgement) -> tuple[int, ...] | None:
    return next((f.reps for f in judgement.findings if f.code == "stack_rests"), None)


@pytest.mark.parametrize("name", NAMES)
def test_a_parked_stack_is_found_and_a_floating_one_is_not(name: str) -> None:
    assert found(set_of(name, rest_s=0.7, lowest_pct=0)) == (1, 2)  # after the last rep it may rest
    off = set_of(name, rest_s=0.7, lowest_pct=9)
    assert found(off) is None and next(c for c in off.checks if c.code == "stack_rests").verdict is Verdict.WITHIN


def test_where_settling_is_agreed_nothing_is_found() -> None:
    for lowest in (0, 9):
        assert found(set_of("leg_extension", 0.7, lowest, school="let_settle")) is None


def test_an_unseen_stack_is_never_judged() -> None:
    for judgement in (set_of("leg_extension", 0.7, 0, hidden=True), set_of("leg_extension", 0.7, 0, marked=False)):
        assert found(judgement) is None
        assert any(u.measure == "stack_rest_s" and "stack" in u.reason for u in judgement.unmeasurable)


def test_machines_with_a_stack_ask_for_its_mark() -> None:
    assert {"leg_extension", "seated_leg_curl", "lying_leg_curl", "cable_crunch", "high_row"} <= set(NAMES)
    assert all("stack" in CATALOGUE.movements[n].marks for n in NAMES)
