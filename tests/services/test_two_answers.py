"""Two answers with the number each gives a body, and numbers as a client can picture them."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.body.squat_model import Build
from deepmirror.core.body.squat_setup import Limits, Setup
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.posture.two_answers import (
    depth_answers,
    feet_on_floor_answers,
    heel_answers,
    lean_answers,
    level_words,
    seat_answers,
    step_answers,
)
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.plain_words import fraction, told_number

STIFF = Build(Body(180, 80, "male"), Limits(ankle_dorsiflexion=26, hip_flexion=125))
SQUAT = Setup("high", 60)


def test_a_depth_out_of_reach_is_answered_with_heels_knees_or_the_depth_there_is() -> None:
    reach = STIFF.deepest_deg(SQUAT)
    heels, *_, stop = depth_answers(STIFF, SQUAT, 0.0)
    assert reach > 5 and "Raise both heels about" in heels and f"{reach:.0f}° above level" in stop
    lift = float(heels.split("about ")[1].split(" cm")[0])
    assert STIFF.deepest_deg(replace(SQUAT, heel_lift_cm=lift)) <= 1.0 < STIFF.deepest_deg(replace(SQUAT, heel_lift_cm=lift - 1.0))
    assert depth_answers(Build(Body(180, 80, "male")), SQUAT, 0.0) == (), "a depth the body has needs no answer"


def test_rising_heels_are_answered_with_a_plate_or_an_earlier_stop() -> None:
    plate, stop = heel_answers(STIFF, SQUAT, -2.0, 14.0)
    assert plate.startswith("Put a plate of about") and "14° above level" in stop and "on this film" in stop


def test_more_lean_than_agreed_is_answered_only_with_what_makes_this_body_more_upright() -> None:
    answers = lean_answers(Build(Body(180, 80, "male", {"thigh": 48.0})), SQUAT, 0.0)
    gains = [float(a.split("about ")[-1].split("°")[0]) for a in answers]
    assert len(answers) >= 2 and all(g >= 2 for g in gains)


def test_other_two_answers_go_both_ways() -> None:
    further, leave = feet_on_floor_answers(42.0, 40.0)
    closer, _ = feet_on_floor_answers(42.0, -40.0)
    assert "27 cm further away" in further and "27 cm closer" in closer and leave.startswith("Or")
    assert feet_on_floor_answers(42.0, 1.0) == () and step_answers(42.0, 15.0, 18.0) == ()
    assert "cm further" in step_answers(42.0, 40.0, 18.0)[0]
    stop, opened = seat_answers(88.0, 100.0, [(5.0, 90.0), (10.0, 101.0), (15.0, 110.0)], "the pelvis lay flat")
    assert "88°" in stop and "about 10° more and keep your depth" in opened


@pytest.mark.parametrize(("deg", "words"), [(1.0, "about level"), (8.0, "8° above level"), (-12.0, "12° below level")])
def test_depth_in_words(deg: float, words: str) -> None:
    assert words in level_words(deg)


@pytest.mark.parametrize(("share", "words"), [(0.31, "a third"), (0.24, "a quarter"), (0.5, "half"), (0.7, "two thirds")])
def test_shares_in_words(share: float, words: str) -> None:
    assert fraction(share) == words


def test_a_client_reads_what_a_body_can_picture_first_and_the_exact_number_after(analyses: dict[str, Analysis]) -> None:
    said = {c.code: c.number for name in analyses for c in draft_reply(analyses[name]).corrections}
    assert said["hip_lift_off"].startswith("You came about 4 cm off the pad (") and "±" in said["hip_lift_off"]
    assert said["tempo_fast_eccentric"].startswith("You lowered in about") and "instead of 2" in said["tempo_fast_eccentric"]
    assert said["partial_rep"].startswith("About a ") and "shorter than your other reps" in said["partial_rep"]
    assert said["toe_out_asymmetry"].startswith("One foot is turned out about")
    for analysis in analyses.values():
        for finding in analysis.judgement.findings:
            words = told_number(finding, analysis)
            assert "_" not in words and "per s" not in words and words.index("(") > 10
            assert not any("_" in row or "k = 2" in row for row in finding.chain)
