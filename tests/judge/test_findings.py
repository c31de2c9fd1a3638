"""Each fault of the slice both ways: present, absent, at the margin, and not to be told."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.core.uncertain_value import Value, Verdict
from deepmirror.judge.findings import judge, measure
from deepmirror.judge.records import Judgement, Measured
from deepmirror.movements.loader import load_catalogue
from tests.conftest import programme
from tests.core.test_measures import squat_side

CATALOGUE = load_catalogue()
SQUAT = CATALOGUE.movement("back_squat")
U = {
    "thigh_from_horizontal_min_deg": 4.0,
    "eccentric_share_pct": 5.0,
    "turn_s": 0.08,
    "heel_rise_cm": 0.5,
    "knee_past_toe_cm": 1.5,
    "bar_drift_cm": 1.5,
    "range_share_pct": 4.0,
    "range_loss_pct": 4.0,
    "speed_loss_pct": 6.0,
    "knee_inward_left_cm": 0.8,
    "knee_inward_right_cm": 0.8,
    "hip_lift_cm": 0.6,
    "pivot_misalignment_cm": 0.8,
}
GOOD = {
    "thigh_from_horizontal_min_deg": -2.0,
    "eccentric_share_pct": 100.0,
    "turn_s": 0.6,
    "heel_rise_cm": 0.0,
    "knee_past_toe_cm": 3.0,
    "bar_drift_cm": 2.0,
    "range_share_pct": 100.0,
    "range_loss_pct": 3.0,
    "speed_loss_pct": 10.0,
    "knee_inward_left_cm": 0.0,
    "knee_inward_right_cm": 0.0,
    "hip_lift_cm": 0.4,
    "pivot_misalignment_cm": 0.5,
}


def scene(view: str = "side-right") -> MeasurementContext:
    times, signal = programme([(2.0, 0.3, 1.0, 0.4, 110.0)] * 3)
    base = squat_side()
    return replace(
        base, view=view, tempo=None, reps=find_reps(times, signal, "eccentric", 25), angles=angle_series(base.track, "side-right")
    )


def judged(view: str = "side-right", movement: str = "back_squat", schools: dict[str, str] | None = None, **last_rep: float) -> Judgement:
    """Three good reps, the last with these values instead."""
    per_film = {"range_loss_pct", "speed_loss_pct", "pivot_misalignment_cm"}
    value = lambda n, v: Value(v, U[n])
    rep = {n: value(n, v) for n, v in GOOD.items() if n not in per_film}
    last = {n: value(n, last_rep.get(n, v)) for n, v in GOOD.items() if n not in per_film}
    film = {n: value(n, last_rep.get(n, GOOD[n])) for n in per_film}
    return judge(scene(view), Measured((rep, rep, last), film, ()), CATALOGUE.movement(movement), CATALOGUE, schools or {})


FAULTS = [
    ("shallow_depth", "side-right", "back_squat", {"thigh_from_horizontal_min_deg": 20.0}, {"thigh_from_horizontal_min_deg": 8.0}),
    ("partial_rep", "side-right", "back_squat", {"range_share_pct": 65.0}, {"range_share_pct": 83.0}),
    ("tempo_fast_eccentric", "side-right", "back_squat", {"eccentric_share_pct": 35.0}, {"eccentric_share_pct": 60.0}),
    ("bounce_at_bottom", "side-right", "back_squat", {"turn_s": 0.17}, {"turn_s": 0.31}),
    ("heel_rise", "side-right", "back_squat", {"heel_rise_cm": 3.0}, {"heel_rise_cm": 1.8}),
    ("knee_past_toe", "side-right", "back_squat", {"knee_past_toe_cm": 16.0}, {"knee_past_toe_cm": 13.0}),
    ("bar_drift", "side-right", "back_squat", {"bar_drift_cm": 12.0}, {"bar_drift_cm": 9.0}),
    ("range_loss", "side-right", "back_squat", {"range_loss_pct": 30.0}, {"range_loss_pct": 22.0}),
    ("speed_loss", "side-right", "back_squat", {"speed_loss_pct": 60.0}, {"speed_loss_pct": 44.0}),
    ("knee_valgus_left", "front", "back_squat", {"knee_inward_left_cm": 3.0}, {"knee_inward_left_cm": 1.3}),
    ("knee_valgus_right", "front", "back_squat", {"knee_inward_right_cm": 3.0}, {"knee_inward_right_cm": 1.3}),
    ("hip_lift_off", "side-right", "lying_leg_curl", {"hip_lift_cm": 4.0}, {"hip_lift_cm": 1.5}),
    ("pivot_misaligned", "side-right", "lying_leg_curl", {"pivot_misalignment_cm": 4.0}, {"pivot_misalignment_cm": 3.0}),
]


@pytest.mark.parametrize(("code", "view", "movement", "bad", "margin"), FAULTS, ids=[f[0] for f in FAULTS])
def test_fault_present_absent_and_at_the_margin(
    code: str, view: str, movement: str, bad: dict[str, float], margin: dict[str, float]
) -> None:
    found = judged(view, movement, **bad)
    assert [f.code for f in found.findings] == [code]
    finding = found.findings[0]
    assert finding.reps in ((3,), ()) and finding.cue and finding.change and finding.film_next
    assert any("more than the doubt" in row for row in finding.chain) and not any("k = 2" in row or "_deg" in row for row in finding.chain)
    for values in ({}, margin):
        held = judged(view, movement, **values)
        assert not held.findings
        check = next(c for c in held.checks if c.code == code)
        assert check.verdict is (Verdict.BORDERLINE if values else Verdict.WITHIN)


def test_safety_comes_first_and_both_knees_are_one_finding() -> None:
    found = judged("front", knee_inward_left_cm=5.5, knee_inward_right_cm=3.0, range_loss_pct=40.0)
    assert [f.code for f in found.findings] == ["knee_valgus", "range_loss"]


def test_what_is_missed_by_more_comes_first_however_sure_this_film_is_of_it() -> None:
    """Two looks at one set, a doubtful one and a sure one, name the same finding first."""
    for share_u in (0.5, 4.0, 11.0):
        rep = {"thigh_from_horizontal_min_deg": Value(24.0, 4.0), "range_share_pct": Value(64.0, share_u)}
        found = judge(scene(), Measured((rep, rep, rep), {}, ()), SQUAT, CATALOGUE, {})
        assert [f.code for f in found.findings] == ["shallow_depth", "partial_rep"], share_u


def test_a_knee_a_little_inward_is_said_and_is_no_matter_of_safety() -> None:
    assert [f.severity for f in judged("front", knee_inward_left_cm=2.5).findings] == ["polish"]
    assert [f.severity for f in judged("front", knee_inward_left_cm=5.5).findings] == ["safety"]


def test_a_knee_that_hurts_makes_a_knee_that_falls_in_a_matter_of_safety() -> None:
    numbers = {n: Value(2.5 if n == "knee_inward_left_cm" else v, U[n]) for n, v in GOOD.items() if "pct" not in n}
    measured = Measured((numbers,) * 3, {}, ())
    for pain, severity in ((["left knee"], "safety"), (["shoulder"], "polish"), ([], "polish")):
        found = judge(scene("front"), measured, SQUAT, CATALOGUE, {}, pain=pain)
        assert [f.severity for f in found.findings] == [severity]


def test_a_lift_to_a_count_is_not_judged_by_its_speed_nor_a_quick_one_by_its_start() -> None:
    film = {"speed_loss_pct": Value(60.0, 6.0)}
    for tempo, codes in (("2-0-1-0", []), ("2-0-X-0", ["speed_loss"]), (None, ["speed_loss"])):
        asked = replace(scene(), tempo=parse_tempo(tempo) if tempo else None)
        found = judge(asked, Measured(({}, {}, {}), film, ()), SQUAT, CATALOGUE, {})
        assert [f.code for f in found.findings] == codes
    curl, jerk = CATALOGUE.movement("lying_leg_curl"), {"start_s": Value(0.08, 0.02)}
    for tempo, codes in (("2-0-1-0", ["launch"]), ("2-0-X-0", [])):
        found = judge(replace(scene(), tempo=parse_tempo(tempo)), Measured((jerk,) * 3, {}, ()), curl, CATALOGUE, {})
        assert [f.code for f in found.findings] == codes


def test_a_quick_turn_is_as_asked_where_no_hold_is_prescribed_and_a_spring_is_not() -> None:
    for tempo, turn, codes in (("2-0-1-0", 0.27, []), ("2-1-1-0", 0.27, ["bounce_at_bottom"]), ("2-0-1-0", 0.18, ["bounce_at_bottom"])):
        measured = Measured(({"turn_s": Value(turn, 0.06)},) * 3, {}, ())
        found = judge(replace(scene(), tempo=parse_tempo(tempo)), measured, SQUAT, CATALOGUE, {})
        assert [f.code for f in found.findings] == codes, (tempo, turn)


def test_one_knee_seen_in_two_ways_is_one_finding_of_that_knee() -> None:
    rep = {"knee_inward_right_cm": Value(3.0, 0.8), "knee_inside_right_cm": Value(14.0, 3.0)}
    found = judge(scene("front"), Measured((rep,) * 3, {}, ()), SQUAT, CATALOGUE, {})
    assert [(f.code, f.measure) for f in found.findings] == [("knee_valgus_right", "knee_inward_right_cm")]
    only = judge(scene("front"), Measured(({"knee_inside_right_cm": Value(14.0, 3.0)},) * 3, {}, ()), SQUAT, CATALOGUE, {})
    assert [f.code for f in only.findings] == ["knee_valgus_right"]


def test_a_school_of_one_exercise_comes_before_the_clients_own() -> None:
    values = {"thigh_from_horizontal_min_deg": 12.0}
    assert [f.code for f in judged(**values).findings] == ["shallow_depth"]
    assert not judged(schools={"back_squat/shallow_depth": "box"}, **values).findings
    assert [f.code for f in judged(schools={"shallow_depth": "box", "back_squat/shallow_depth": "parallel"}, **values).findings]
    assert [f.code for f in judged(schools={"goblet_squat/shallow_depth": "box"}, **values).findings] == ["shallow_depth"]


def test_the_breakdown_is_where_form_was_lost_for_good() -> None:
    def broke(*off: int) -> int | None:
        reps = tuple({"heel_rise_cm": Value(4.0 if i in off else 0.0, 0.5)} for i in range(1, 6))
        five = replace(scene(), reps=[replace(scene().reps[0], number=i + 1) for i in range(5)])
        found = judge(five, Measured(reps, {}, ()), SQUAT, CATALOGUE, {}).breakdown
        return found[0] if found else None

    assert broke(4, 5) == 4 and broke(2, 3, 4, 5) == 2 and broke(5) == 5
    assert broke(2) is None  # went wrong once and was put right
    assert broke(2, 4) is None and broke(1, 2, 3, 4, 5) is None  # from the start it is no breakdown


def test_no_range_is_praised_that_was_paid_for_and_no_speed_that_was_lost() -> None:
    clean, rising = judged(), judged(heel_rise_cm=8.0)
    assert {c.code for c in clean.checks if c.praised} >= {"shallow_depth", "heel_rise"}
    assert "shallow_depth" not in {c.code for c in rising.checks if c.praised}
    slowed = judged(speed_loss_pct=33.0)
    speed = next(c for c in slowed.checks if c.code == "speed_loss")
    assert speed.verdict is not Verdict.OFF and not speed.praised


def test_the_clients_school_moves_the_target() -> None:
    values = {"thigh_from_horizontal_min_deg": 20.0, "knee_past_toe_cm": 6.0}
    codes = [f.code for f in judged(schools={"shallow_depth": "box", "knee_past_toe": "never"}, **values).findings]
    assert codes == ["knee_past_toe"]


def test_what_only_another_view_shows_is_said_and_not_guessed() -> None:
    side, front = judged(), judged("front")
    assert {"knee_inward_left_cm"} <= {u.measure for u in side.unmeasurable}
    assert {"thigh_from_horizontal_min_deg", "heel_rise_cm"} <= {u.measure for u in front.unmeasurable}
    assert all(u.advice.words for u in side.unmeasurable + front.unmeasurable)


def test_a_fault_late_in_the_set_points_at_fatigue() -> None:
    assert "fatigue" in judged(range_share_pct=60.0).findings[0].causes[0]


def test_a_set_without_reps_says_what_to_film() -> None:
    empty = replace(scene(), reps=[])
    out = judge(empty, measure(empty), SQUAT, CATALOGUE, {})
    assert not out.findings and out.unmeasurable[0].measure == "reps"
    assert np.isfinite([v.value for v in measure(squat_side()).film.values()]).all()


def test_a_split_squat_filmed_from_behind_the_rear_leg_is_not_judged_by_it() -> None:
    """The shin of the leg behind lies flat: that is no fault of the one in front, which such a film hides."""
    base = scene()
    near = base.track.point("ankle_right")
    numbers = {"shank_from_vertical_max_deg": Value(80.0, 5.0), "knee_past_toe_cm": Value(40.0, 5.0), "range_share_pct": Value(100.0, 5.0)}
    measured = Measured((numbers,) * 3, {}, ())
    split = CATALOGUE.movement("split_squat")
    for ahead, told in ((60.0, True), (-60.0, False)):
        found = judge(replace(base, far={"ankle": near - [ahead, 0]}), measured, split, CATALOGUE, {})
        assert ("knee_past_toe" in {f.code for f in found.findings}) is told
        assert any("leg in front" in u.advice.words for u in found.unmeasurable) is not told
