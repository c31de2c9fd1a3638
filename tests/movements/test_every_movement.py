"""Every movement on a synthetic set: reps counted, phases named, its faults found when there and not when absent."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import pytest

from deepmirror.core.measures.context import Marks
from deepmirror.judge.records import Finding
from deepmirror.movements.schema import Fault, Movement
from tests.movements.rig import (
    CATALOGUE,
    FREE,
    HACK,
    POSES,
    PX_PER_CM,
    Outcome,
    Places,
    Pose,
    Rep,
    judged,
    marks_for,
    moved,
    places,
    seconds,
    turned,
)

ALL = sorted(CATALOGUE.movements)
SIDE = [n for n in ALL if POSES[n].spread is None]


def test_every_movement_has_a_posture_here() -> None:
    assert set(ALL) == set(POSES)


@pytest.mark.parametrize("name", ALL)
def test_a_clean_set_is_counted_measured_and_not_faulted(name: str) -> None:
    movement = CATALOGUE.movements[name]
    bare = judged(movement, [seconds(movement)] * 3)
    dressed = bare if POSES[name].spread else judged(movement, [seconds(movement)] * 3, marks=fitting(name), free=fitting_points(name))
    for out in (bare, dressed):
        assert len(out.scene.reps) == 3 and all(r.complete for r in out.scene.reps)
        for rep in out.scene.reps:
            assert rep.phases_s["eccentric"] == pytest.approx(2.0, abs=0.35)
            assert rep.phases_s["concentric"] == pytest.approx(1.0, abs=0.25)
        assert out.codes == {}, out.codes
        assert POSES[name].spread or "knee_flexion_max_deg" in out.measured.reps[0]
        assert "range_share_pct" in out.measured.reps[0]
        assert all(0 <= v.u < 1e3 for row in out.measured.reps for v in row.values())


def fitting(name: str) -> Marks:
    marks = marks_for(places(POSES[name], np.zeros(1)))
    # on sliding back pads the hips travel with the load: this rod body does not run on a rail
    if POSES[name] is HACK:
        return replace(marks, pad_line=None, seat_line=None, back_pad=None)
    return replace(marks, back_pad=None) if POSES[name].anchor == "ankle" else marks


def fitting_points(name: str) -> tuple[str, ...]:
    """A bar belongs to hinges alone here, a roller to machines with a lever."""
    codes = {f.code for f in CATALOGUE.movements[name].fault}
    bars = ("bar",) if "bar_from_leg" in codes else ()
    rollers = ("roller",) if "roller_misplaced" in codes else ()
    return ("waistband", "mid_back", *bars, *rollers)


@pytest.mark.parametrize("name", ALL)
def test_a_cut_off_rep_and_a_dropped_one_are_found_in_every_movement_and_those_just_inside_the_edge_are_not(name: str) -> None:
    movement = CATALOGUE.movements[name]
    beyond = [seconds(movement, share=0.6), seconds(movement, lowering=0.7)]
    inside = [seconds(movement, share=0.93), seconds(movement, lowering=1.6)]
    out = judged(movement, [seconds(movement), *beyond, *inside])
    assert out.codes.get("partial_rep") == (2,)
    assert out.codes.get("tempo_fast_eccentric") == (3,)
    assert [r.complete for r in out.scene.reps] == [True, False, True, True, True]


@dataclass(frozen=True)
class Case:
    """How to plant a fault: the reps, the pose, what is bent, the marks and points it needs. needs: marks or points, by name."""

    reps: Callable[[Movement], list[Rep]] = lambda m: [seconds(m)] * 3
    pose: Callable[[Pose], Pose] = lambda p: p
    tweak: Callable[[Places, np.ndarray], None] | None = None
    marks: Callable[[Marks], Marks] = lambda m: m
    needs: tuple[str, ...] = ()
    tempo: str = "2-0-1-0"
    first_rep: int = 1


def last(movement: Movement, **change: object) -> list[Rep]:
    return [seconds(movement), seconds(movement), replace(seconds(movement), **change)]  # type: ignore[arg-type]


def lifted_suddenly(m: Movement) -> list[Rep]:
    shapes = ("sudden", "smooth") if m.first_phase == "concentric" else ("smooth", "sudden")
    return last(m, shapes=shapes)


def lowered_falling(m: Movement) -> list[Rep]:
    return last(m, shapes=("smooth", "falling") if m.first_phase == "concentric" else ("falling", "smooth"))


def bounced(m: Movement) -> list[Rep]:
    return [replace(seconds(m, lowering=0.9), hold_s=0.0, rest_s=0.0, shapes=("sudden", "sudden"))] * 3


def slower_and_slower(m: Movement) -> list[Rep]:
    return [seconds(m), seconds(m, lifting=1.6), seconds(m, lifting=2.6)]


def hip_up(at: Places, weight: np.ndarray) -> None:
    moved(("hip_right", "waistband"), 0, -5)(at, weight)


def heel_about_toe(at: Places, weight: np.ndarray) -> None:
    turned(("heel_right",), "toe_right", 25)(at, weight)


def knee_along_thigh(at: Places, weight: np.ndarray) -> None:
    moved(("knee_right",), 9, 0)(at, weight)


def hip_up_late(at: Places, weight: np.ndarray) -> None:
    hip_up(at, weight * (np.arange(len(weight)) > 0.6 * len(weight)))


def rounded_late(at: Places, weight: np.ndarray) -> None:
    moved(("mid_back",), -14, -10)(at, weight * (np.arange(len(weight)) > 0.6 * len(weight)))


def bent_at_start(deg: float) -> Callable[[Pose], Pose]:
    """A knee that is never straighter than this."""
    return lambda p: replace(p, knee=(max(p.knee[0], deg), max(p.knee[1], deg)))


def leaning_in_between(at: Places, weight: np.ndarray) -> None:
    """The trunk goes over on the way and comes back at both ends."""
    share = np.sqrt(weight)
    turned(("shoulder_right", "mid_back", "waistband"), "hip_right", 48)(at, 4 * share * (1 - share))


CASES: dict[str, Case] = {
    "lockout_deg": Case(pose=bent_at_start(52)),
    "back_lift_cm": Case(tweak=moved(("shoulder_right",), 9, -3), needs=("back_pad",)),
    "knee_flexion_max_deg": Case(pose=lambda p: replace(p, knee=(p.knee[0], 60))),
    "knee_flexion_min_deg": Case(pose=bent_at_start(52)),
    "heel_travel_cm": Case(pose=lambda p: replace(p, ankle=(p.ankle[0], p.ankle[0] - 14))),
    "dorsiflexion_max_deg": Case(pose=lambda p: replace(p, ankle=(-9, p.ankle[1] - 10))),
    "hip_at_top_deg": Case(pose=lambda p: replace(p, hip=(p.hip[0], 45))),
    "hips_first_deg": Case(tweak=leaning_in_between),
    "range_loss_pct": Case(lambda m: [seconds(m), seconds(m, share=0.9), seconds(m, share=0.62)]),
    "speed_loss_pct": Case(slower_and_slower, tempo="2-0-X-0"),
    "concentric_share_pct": Case(lambda m: last(m, **vars(seconds(m, lifting=3.2)))),
    "bottom_share_pct": Case(lambda m: [replace(seconds(m), hold_s=0.05, rest_s=0.05)] * 3, tempo="2-2-1-0"),
    "turn_s": Case(bounced),
    "drop_pct": Case(lowered_falling),
    "start_s": Case(lifted_suddenly),
    "stop_s": Case(lifted_suddenly, pose=lambda p: replace(p, knee=(min(p.knee[0], 4), p.knee[1]))),
    "trunk_swing_deg": Case(tweak=turned(("shoulder_right", "mid_back"), "hip_right", -26)),
    "hip_lift_cm": Case(tweak=hip_up, needs=("pad_line", "seat_line")),
    "hip_lift_more_cm": Case(tweak=hip_up_late, needs=("pad_line", "seat_line")),
    "knee_slide_cm": Case(tweak=knee_along_thigh, needs=("pad_line", "seat_line")),
    "knee_lift_cm": Case(tweak=moved(("knee_right",), -7, -7), needs=("pad_line", "seat_line")),
    "edge_clearance_cm": Case(marks=lambda m: replace(m, bench_edge=m.bench_edge + np.array([40.0, 0.0])), needs=("bench_edge",)),
    "pelvis_tuck_deg": Case(tweak=turned(("waistband",), "hip_right", 25), needs=("waistband",)),
    "pivot_misalignment_cm": Case(marks=lambda m: replace(m, pivot=m.pivot + np.array([0.0, 6 * PX_PER_CM])), needs=("pivot",)),
    "roller_position_pct": Case(tweak=turned(("roller",), "knee_right", 0), needs=("roller",)),
    "heel_rise_cm": Case(tweak=heel_about_toe),
    "bar_drift_cm": Case(tweak=moved(("bar",), 16, 0), needs=("bar",)),
    "bar_leg_cm": Case(tweak=moved(("bar",), 30, 0), needs=("bar",)),
    "spine_flexion_deg": Case(tweak=moved(("mid_back",), -12, -8), needs=("mid_back",)),
    "spine_change_deg": Case(tweak=rounded_late, needs=("mid_back",)),
    "knee_change_deg": Case(pose=lambda p: replace(p, knee=(p.knee[0], p.knee[1] + 50))),
    "hip_travel_cm": Case(tweak=moved((), -16, 0)),
    "shank_from_vertical_max_deg": Case(pose=lambda p: replace(p, ankle=(2, 68))),
}
# what another body part's planted fault would undo here, or what has a test of its own
ELSEWHERE = {("roller_position_pct", n) for n in SIDE}
# one movement of every family for each fault and its targets: definitions borrowed from shared.toml are the same everywhere
PLANTABLE = list(
    {
        (CATALOGUE.movements[n].family, f.code, str(f.targets)): (n, f)
        for n in reversed(SIDE)
        for f in CATALOGUE.movements[n].fault
        if f.measure in CASES and (f.measure, n) not in ELSEWHERE
    }.values()
)


def planted(name: str, fault: Fault, with_needs: bool = True) -> Outcome:
    case, movement = CASES[fault.measure], CATALOGUE.movements[name]
    pose = case.pose(POSES[name])
    at = places(pose, np.zeros(1))
    marks, free = case.marks(marks_for(at)), fitting_points(name) + tuple(n for n in case.needs if n in FREE)
    if not with_needs:
        marks = replace(marks, **{n: None for n in case.needs if n not in FREE})
        free = tuple(n for n in free if n not in case.needs)
    return judged(movement, case.reps(movement), case.tempo, marks, pose, case.tweak, tuple(dict.fromkeys(free)))


@pytest.mark.parametrize(("name", "fault"), PLANTABLE, ids=[f"{n}-{f.code}" for n, f in PLANTABLE])
def test_each_fault_is_found_and_explained_where_it_is_planted(name: str, fault: Fault) -> None:
    """The right code, the likeliest cause first, in the family's own words, and no praise that contradicts it."""
    out, movement = planted(name, fault), CATALOGUE.movements[name]
    expected = {fault.group or fault.code, fault.reported or fault.code}
    assert expected & set(out.codes), (out.codes, [r.get(fault.measure) for r in out.measured.reps])
    finding = next(f for f in out.judgement.findings if f.code in expected)
    text = CATALOGUE.text(movement, fault.group or fault.code)
    assert (finding.title, finding.why, finding.cue) == (text.title, text.why, fault.cue or text.cue)
    explained_by_the_likeliest(finding)
    praised = [c for c in out.judgement.checks if c.praised and c.verdict == "within"]
    assert not {c.title for c in praised} & {f.title for f in out.judgement.findings}
    if any(f.severity == "safety" for f in out.judgement.findings):
        assert not [c.code for c in praised if c.severity == "range"]


def explained_by_the_likeliest(finding: Finding) -> None:
    """The first cause is one that nothing speaks against, where there is one; with something for it, where there is that; never one that
    is ruled out; and a fault of the last rep alone is tiredness before anything else unless the set hardly slowed."""
    possible = [c for c in finding.weighed if not c.ruled_out] or list(finding.weighed)
    free = [c for c in possible if not c.speaks_against] or possible
    told = [c for c in free if c.speaks_for] or free
    first = next(c for c in finding.weighed if c.words == finding.causes[0])
    weight = [sum(1 / (1 + i) for i in range(len(c.speaks_for))) for c in (first, told[0])]
    assert first in told or weight[0] >= weight[1]
    tired = [c for c in possible if "fatigue" in c.kinds]
    if finding.reps == (3,) and tired and not tired[0].speaks_against:
        assert "fatigue" in first.kinds


NEEDY = [(n, f) for n, f in PLANTABLE if CASES[f.measure].needs]


@pytest.mark.parametrize(("name", "fault"), NEEDY, ids=[f"{n}-{f.code}" for n, f in NEEDY])
def test_each_fault_that_needs_a_mark_is_not_guessed_without_it(name: str, fault: Fault) -> None:
    out = planted(name, fault, with_needs=False)
    assert fault.code not in out.codes
    assert fault.measure in out.unable()


def test_a_back_that_rounds_late_is_named_like_one_that_rounds_from_the_start() -> None:
    movement = CATALOGUE.movements["romanian_deadlift"]
    late = next(f for f in movement.fault if f.code == "back_rounding_late")
    out = planted("romanian_deadlift", late)
    assert out.codes["back_rounding"] == (3,)
    assert "spine_change_deg" not in out.measured.reps[0]


@pytest.mark.parametrize("name", [n for n in ALL if any(f.code == "shallow_depth" for f in CATALOGUE.movements[n].fault)])
def test_a_set_that_stops_high_is_shallow_in_every_movement_that_asks_for_depth(name: str) -> None:
    movement = CATALOGUE.movements[name]
    out = judged(movement, [seconds(movement, share=0.45)] * 3)
    assert out.codes.get("shallow_depth") == (1, 2, 3)


def test_what_a_view_cannot_show_is_said_with_what_to_film() -> None:
    out = judged(CATALOGUE.movements["back_squat"], [seconds(CATALOGUE.movements["back_squat"])] * 2)
    unable = {u.title: u.advice.words for u in out.judgement.unmeasurable}
    assert "front" in unable["Knees fall inward"]
    assert "bar" in unable["Bar leaves its vertical path"]


@pytest.mark.parametrize("name", ALL)
def test_every_movement_warns_defers_and_leads_on(name: str) -> None:
    movement = CATALOGUE.movements[name]
    words = " ".join(movement.cautions)
    assert "physician" in words and "does not diagnose" in words and movement.setup and movement.start
    assert all(t.source for f in movement.fault for t in f.targets.values())
    assert movement.easier and movement.harder and movement.instead
    known = set(CATALOGUE.movements)
    named = [w for w in (*movement.easier, *movement.harder, *movement.instead) if "_" in w]
    assert set(named) <= known, "a movement named by its id must exist"
    assert not {f.code for f in movement.fault} & {"foot_turn", "pointed_toes"}, "what is disputed is never a fault"


UNDER_LOAD = {"free squat", "guided squat", "hinge", "deadlift", "one-leg stance", "leg press"}


@pytest.mark.parametrize("movement", CATALOGUE.movements.values(), ids=list(CATALOGUE.movements))
def test_bracing_comes_before_the_way_down_and_stays_on_at_the_bottom(movement: Movement) -> None:
    """Common practice, no source; that a held breath raises the pressure: MacDougall and others 1985, from memory."""
    assert len(movement.breathing) > 20
    if movement.family in UNDER_LOAD:
        assert "brace" in movement.breathing.lower() and any("blood pressure" in c for c in movement.cautions)
    for fault in movement.fault:
        text = CATALOGUE.text(movement, fault.group or fault.code)
        for words in (fault.cue or text.cue, fault.change or text.change, text.drill):
            assert not {"breathe", "breath", "exhale"} & set(re.findall(r"[a-z]+", words.lower())), words


SQUAT_WORDS = {"squat", "squats", "crease", "box", "bar", "floor", "plate"}


@pytest.mark.parametrize("family", ["leg press", "hinge"])
@pytest.mark.parametrize("code", ["shallow_depth", "heel_rise"])
def test_a_press_and_a_hinge_are_not_told_to_squat(family: str, code: str) -> None:
    movement = next(m for m in CATALOGUE.movements.values() if m.family == family)
    if any((f.group or f.code) == code for f in movement.fault):
        text = CATALOGUE.text(movement, code)
        said = " ".join([text.told or text.title, text.why, text.cue, text.change, *(c.words for c in text.causes)]).lower()
        assert not (SQUAT_WORDS - ({"box"} if family == "hinge" else set())) & set(re.findall(r"[a-z]+", said)), said


def test_a_family_says_otherwise_only_what_it_says_otherwise() -> None:
    text = CATALOGUE.faults["shallow_depth"]
    assert set(text.family) <= {m.family for m in CATALOGUE.movements.values()}
    assert text.said_in("no such family") is text and text.said_in("hinge").cue != text.cue
