"""How much further in a knee comes than in the set's other reps: known ways of a knee over its foot, rep by rep."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.context import CannotTell, MeasurementContext, NotAsked
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import Value
from tests.core.measures_by_name import REP_MEASURES

SHANK_PX, REP_S, FPS = 120.0, 3.0, 30
BODY = Body(175, 70)


def squats(caves_cm: list[float], always_in_cm: float = 0.0, deep_deg: float = 110.0, hidden_px: float = 0.0) -> MeasurementContext:
    """A set from the front whose left knee comes in by so much at each rep's bottom, on top of what all reps have; the foot's line is off
    by as much as `always_in_cm` and more. hidden_px: standard deviation of a left knee that is hidden in the second rep."""
    times = np.arange(0, REP_S * len(caves_cm), 1 / FPS)
    down = (1 - np.cos(2 * np.pi * times / REP_S)) / 2
    bend = 5 + (deep_deg - 5) * down
    rep = (times // REP_S).astype(int)
    inward = always_in_cm + 3 * down + np.array(caves_cm)[rep] * down**4  # a knee that follows the foot goes out, seen from its line
    shank_cm = BODY.length("shank").cm
    series = {
        "knee_to_foot_left": Series(times, 100 * inward / shank_cm, np.full(len(times), 15.0)),
        "knee_to_foot_right": Series(times, np.zeros(len(times)), np.full(len(times), 15.0)),
        "knee_flexion_left": Series(times, bend, np.full(len(times), 16.0)),
        "knee_flexion_right": Series(times, bend, np.full(len(times), 16.0)),
    }
    names = tuple(f"{j}_{s}" for j in ("hip", "knee", "ankle") for s in ("left", "right"))
    places = np.array([[660.0, 300], [620, 300], [664, 420], [616, 420], [668, 540], [612, 540]])
    unseen = np.zeros((len(times), len(names)))
    unseen[rep == 1, names.index("knee_left")] = hidden_px
    track = Track(times, names, np.tile(places, (len(times), 1, 1)), np.tile(np.eye(12), (len(times), 1, 1)), unseen)
    reps = find_reps(times, bend, "eccentric", 25.0)
    return MeasurementContext(track, "front", series, reps, BODY, Value(SHANK_PX / shank_cm, 0.1))


def more(scene: MeasurementContext, number: int, side: str = "left") -> Value:
    return REP_MEASURES[f"knee_caves_{side}_cm"](scene, scene.reps[number - 1])


@pytest.mark.parametrize("cave_cm", [4.0, 6.0, 9.0])
def test_one_rep_that_caves_stands_out_by_as_much_as_it_caves(cave_cm: float) -> None:
    scene = squats([0.0, cave_cm, 0.0, 0.0])
    found = more(scene, 2)
    assert abs(found.value - cave_cm) < 0.6 and found.u < 2.5
    assert REP_MEASURES["knee_inside_left_cm"](scene, scene.reps[1]).u > 5, "where the knee stands is told far less surely"
    for number, side in ((1, "left"), (3, "left"), (2, "right")):
        with pytest.raises(NotAsked, match="surely"):
            more(scene, number, side)


def test_a_set_whose_reps_are_alike_accuses_none_whatever_the_foot_is_taken_for() -> None:
    for always in (-6.0, 0.0, 6.0):
        scene = squats([5.0, 5.0, 5.0], always)
        with pytest.raises(NotAsked, match="surely"):
            more(scene, 2)
    with pytest.raises(NotAsked, match="single"):
        more(squats([8.0]), 1)


def test_a_knee_that_stays_outside_its_foot_falls_nowhere() -> None:
    assert more(squats([0.0, 5.0, 0.0], -8.0), 2).value > 4
    with pytest.raises(NotAsked, match="outside"):
        more(squats([0.0, 5.0, 0.0], -18.0), 2)


def test_a_knee_somebody_hid_is_not_accused_and_one_that_hardly_bends_cannot_be() -> None:
    with pytest.raises(NotAsked, match="surely"):
        more(squats([0.0, 5.0, 0.0], hidden_px=9.0), 2)
    with pytest.raises(CannotTell, match="bent"):
        more(squats([0.0, 5.0, 0.0], deep_deg=50.0), 2)


def test_a_rep_is_not_compared_where_no_other_was_as_deep() -> None:
    scene = squats([0.0, 0.0, 0.0])
    deeper = scene.angles["knee_flexion_left"].values.copy()
    second = (scene.track.times >= REP_S) & (scene.track.times < 2 * REP_S)
    deeper[second] *= 1.25
    inward = scene.angles["knee_to_foot_left"].values.copy()
    inward[second & (deeper > 118)] += 30
    angles = scene.angles | {
        "knee_flexion_left": Series(scene.track.times, deeper, np.full(len(deeper), 16.0)),
        "knee_to_foot_left": Series(scene.track.times, inward, np.full(len(deeper), 15.0)),
    }
    other = MeasurementContext(scene.track, "front", angles, scene.reps, BODY, scene.px_per_cm)
    with pytest.raises(NotAsked, match="surely"):
        more(other, 2)


@pytest.mark.parametrize("name", ["knee_caves_left_cm", "knee_inside_left_cm", "toe_out_left_deg", "toe_out_asymmetry_deg"])
def test_from_behind_the_heels_hide_which_way_the_feet_point(name: str) -> None:
    """The tips of the shoes lie behind the heels there: clean squats read 25 to 50 degrees turned out and knees 12 cm inside that line."""
    front, spec = squats([0.0, 6.0, 0.0]), MEASURES[name]
    behind = replace(front, view="rear", kept={})
    with pytest.raises(CannotTell, match="hide which way the feet point"):
        spec.value(behind, *([behind.reps[1]] if spec.per_rep else []))
    if spec.per_rep:
        assert spec.value(front, front.reps[1]).value > 5
