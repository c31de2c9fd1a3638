"""From one set to the next: nothing rises within a session, and what was missed, hurt or unsafe goes down."""

from __future__ import annotations

import pytest

from deepmirror.core.training.loads import Plates
from deepmirror.core.training.one_rep_max import brzycki, epley
from deepmirror.planning.next_set import SetDone, next_load
from deepmirror.planning.rules import rules_for

LOADS = Plates(empty_kg=20.0, pieces=((1.25, 2), (2.5, 2), (5.0, 2), (10.0, 4), (20.0, 4)))
RULES = rules_for({})


def after(done: SetDone, planned: float = 80.0) -> tuple[float | None, str]:
    answer = next_load(planned, (8, 10), 2.0, done, LOADS, RULES)
    return answer.load_kg, answer.why


def test_a_set_as_planned_stays_and_never_rises() -> None:
    assert after(SetDone(80, 9, 9, rir=2)) == (80, "As planned.")
    assert after(SetDone(80, 12, 12, rir=6))[0] == 80, "more in reserve than asked raises nothing within a session"
    assert after(SetDone(80, 9, 9))[0] == 80, "nothing told"


def test_pain_and_safety_go_before_everything() -> None:
    load, why = after(SetDone(80, 9, 9, rir=2, pain=6))
    assert load is None and "no further set" in why
    assert after(SetDone(80, 9, 9, rir=2, pain=3))[0] == 75.0
    load, why = after(SetDone(80, 9, 5, rir=3, unsafe="Hips rise off the pad"))
    assert load == 75.0 and why.startswith("Hips rise off the pad")


def test_a_set_too_near_to_failure_goes_to_what_it_shows_of_her() -> None:
    """8 reps with none left at 80 kg: the load for 8 with 2 in reserve, worked by hand from the lower of both formulas:
    Brzycki 36 x 80 / (37 - 8) = 99.3, Epley 80 (1 + 8/30) = 101.3; 99.3 / (1 + 10/30) = 74.5, down to what exists."""
    assert min(brzycki(80, 8), epley(80, 8)) == pytest.approx(99.31, abs=0.01)
    load, why = after(SetDone(80, 8, 8, rir=0))
    assert load == 72.5 and "8 reps with 0 in reserve" in why
    load, _ = after(SetDone(80, 5, 5, rir=0))
    assert load is not None and load < 72.5, "the fewer, the lighter"
    assert after(SetDone(80, 5, 5))[0] == 80, "without a reserve told there is nothing to work it out from"
    assert after(SetDone(70, 5, 5))[0] == 70, "what she took herself stays where it was short"
