"""A definition a coach would not sign is refused, with the place and what is wrong."""

from __future__ import annotations

from pathlib import Path

import pytest

from deepmirror.movements.fitness import text_codes, unfit
from deepmirror.movements.loader import copy_definition, load_catalogue
from deepmirror.movements.schools import topics_of

CATALOGUE = load_catalogue()


@pytest.mark.parametrize("name", sorted(CATALOGUE.movements))
def test_every_shipped_movement_is_fit(name: str) -> None:
    movement = CATALOGUE.movement(name)
    assert unfit(movement, {code: CATALOGUE.text(movement, code) for code in text_codes(movement)}) is None


@pytest.mark.parametrize(
    ("movement", "before", "after", "said"),
    [
        ("leg_press", "setup = [", "setup = []\nold = [", "old"),
        ("leg_press", '"every_set", ', "", "nothing judges the range"),
        ("leg_press", '[[fault]]\ncode = "shallow_depth"', '[[fault]]\ncode = "heel_rise_again"', "heel_rise_again"),
        ("leg_extension", '"roller", ', "", "speaks of a roller"),
        ("romanian_deadlift", 'implements = ["bar", "dumbbell"]', 'implements = ["dumbbell"]', ""),
    ],
)
def test_what_a_coach_would_not_sign_is_refused(tmp_path: Path, movement: str, before: str, after: str, said: str) -> None:
    path = copy_definition(movement, tmp_path)
    text = path.read_text("utf-8")
    assert before in text
    path.write_text(text.replace(before, after, 1), "utf-8")
    load_catalogue.cache_clear()
    found = load_catalogue(tmp_path)
    assert (f"own_{movement}" not in found.movements) is bool(said)
    assert not said or (said in found.problems[0] and path.name in found.problems[0])


def test_a_movement_says_nothing_of_equipment_it_has_not(tmp_path: Path) -> None:
    path = copy_definition("goblet_squat", tmp_path)
    text = path.read_text("utf-8") + '\n[words.trunk_lean]\ncue = "Elbows under the bar."\n'
    path.write_text(text, "utf-8")
    load_catalogue.cache_clear()
    problems = load_catalogue(tmp_path).problems
    assert len(problems) == 1 and "speaks of a bar this movement has not" in problems[0] and "Elbows under the bar." in problems[0]


def test_every_school_topic_of_the_trade_can_be_chosen_somewhere() -> None:
    """Where schools differ: depth, knees past the toes, lock-out, the bottom of a curl, the stack, the turn of the feet, toes in curls."""
    offered = {code for m in CATALOGUE.movements.values() for code in topics_of(m, CATALOGUE.topics)}
    assert offered >= {
        "shallow_depth",
        "knee_past_toe",
        "lockout",
        "short_stretch",
        "stack_rests",
        "foot_turn",
        "toes_in_curls",
        "lunge_aim",
    }
    assert all(len(t.options) > 1 and all(o.reason for o in t.options.values()) for t in CATALOGUE.topics.values())
    curl = topics_of(CATALOGUE.movement("lying_leg_curl"), CATALOGUE.topics)
    assert curl["short_stretch"][0] == "full_stretch" and curl["toes_in_curls"][0] == "neutral"
