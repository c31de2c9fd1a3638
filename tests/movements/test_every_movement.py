"""Every movement on a synthetic set: reps counted, phases named, its faults found when there and not when absent.

The body is a chain of rods in the side plane, posed by joint angles that run from a start to a far posture; nothing is
tracked here, so what fails is a definition, a measure or the judgement.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import pytest

from deepmirror.core.body import Body
from deepmirror.core.kinematics import UP, angle_series
from deepmirror.core.measures import Marks, Scene
from deepmirror.core.reps import find_reps
from deepmirror.core.tempo import parse_tempo
from deepmirror.core.track import Track
from deepmirror.core.values import Value
from deepmirror.judge.findings import Judgement, Measured, judge, measure
from deepmirror.movements.loader import load_catalogue
from deepmirror.movements.schema import Movement
from deepmirror.services.analysis import rep_signal
from tests.conftest import programme

CM = {"thigh": 43.0, "shank": 42.0, "trunk": 48.0, "foot": 26.0}
PX_PER_CM = 3.0
CATALOGUE = load_catalogue()
NAMES = tuple(f"{j}_right" for j in ("shoulder", "hip", "knee", "ankle", "heel", "toe"))


@dataclass(frozen=True)
class Pose:
    """Trunk lean, hip flexion, knee flexion and dorsiflexion (degrees) at the start and at the far turn-round."""

    lean: tuple[float, float]
    hip: tuple[float, float]
    knee: tuple[float, float]
    ankle: tuple[float, float]
    anchor: str = "ankle"


SQUAT = Pose((3, 42), (8, 130), (6, 118), (1, 30))
HACK = Pose((-30, -30), (5, 110), (8, 118), (0, 25))
PRESS = Pose((-50, -50), (70, 115), (15, 95), (0, 20), "hip")
CURL = Pose((89, 89), (4, 4), (8, 110), (-8, 2), "hip")
SEATED_CURL = Pose((-14, -14), (80, 80), (6, 100), (-4, 6), "hip")
EXTENSION = Pose((-12, -12), (82, 82), (94, 5), (0, -10), "hip")
HINGE = Pose((2, 75), (8, 100), (8, 20), (1, -4))
PULL = Pose((70, 2), (100, 6), (35, 5), (10, 0))
LUNGE = Pose((3, 8), (10, 92), (8, 98), (2, 12))
STEP = Pose((10, 2), (85, 8), (85, 6), (10, 0))
CALF = Pose((0, 0), (2, 2), (3, 3), (15, -32), "hip")
THRUST = Pose((-20, -78), (70, 5), (95, 92), (5, 0), "ankle")
NORDIC = Pose((2, 62), (8, 8), (88, 28), (-30, -30), "knee")
POSES = {
    **dict.fromkeys(("back_squat", "goblet_squat", "box_squat", "belt_squat", "smith_squat"), SQUAT),
    **dict.fromkeys(("hack_squat", "reverse_hack_squat", "pendulum_squat"), HACK),
    **dict.fromkeys(("leg_press", "single_leg_press"), PRESS),
    "lying_leg_curl": CURL,
    "seated_leg_curl": SEATED_CURL,
    "standing_leg_curl": Pose((5, 5), (4, 4), (5, 95), (0, 0), "hip"),
    "leg_extension": EXTENSION,
    **dict.fromkeys(("romanian_deadlift", "stiff_leg_deadlift"), HINGE),
    "conventional_deadlift": PULL,
    **dict.fromkeys(("split_squat", "reverse_lunge"), LUNGE),
    "step_up": STEP,
    **dict.fromkeys(("standing_calf_raise", "seated_calf_raise"), CALF),
    **dict.fromkeys(("hip_thrust", "glute_bridge"), THRUST),
    "nordic_curl": NORDIC,
}


@dataclass(frozen=True)
class Rep:
    """One programmed rep: seconds of its two movements and share of the far posture reached."""

    out_s: float
    back_s: float
    share: float = 1.0


@dataclass(frozen=True)
class Outcome:
    """The judged set."""

    scene: Scene
    measured: Measured
    judgement: Judgement
    codes: dict[str, tuple[int, ...]] = field(default_factory=dict)


def sagittal(angle: np.ndarray) -> np.ndarray:
    """Unit vectors (T, 2) at angles (rad) from straight down, forward positive; picture axes, facing right."""
    return np.stack([np.sin(angle), np.cos(angle)], axis=1)


def chain(pose: Pose, share: np.ndarray) -> np.ndarray:
    """Positions (T, 6, 2) px of NAMES."""
    mix = lambda ab: np.radians(ab[0] + share * (ab[1] - ab[0]))
    lean, hip, knee, ankle = (mix(v) for v in (pose.lean, pose.hip, pose.knee, pose.ankle))
    if pose.anchor == "ankle" and pose not in (THRUST,):  # standing: the lean follows from the feet up
        shank = -ankle
        thigh = shank + knee
        lean = hip - thigh
    else:
        thigh = hip - lean
        shank = thigh - knee
    sole = shank + np.pi / 2 + ankle
    at = {"hip": np.zeros((len(share), 2))}
    at["shoulder"] = -CM["trunk"] * sagittal(-lean)
    at["knee"] = at["hip"] + CM["thigh"] * sagittal(thigh)
    at["ankle"] = at["knee"] + CM["shank"] * sagittal(shank)
    at["heel"] = at["ankle"] - 0.25 * CM["foot"] * sagittal(sole)
    at["toe"] = at["ankle"] + 0.75 * CM["foot"] * sagittal(sole)
    base = at[pose.anchor].copy()
    points = np.stack([at[n.removesuffix("_right")] - base for n in NAMES], axis=1)
    return points * PX_PER_CM + np.array([640.0, 500.0])


def judged(movement: Movement, reps: list[Rep], tempo: str = "2-0-1-0", marks: Marks | None = None, lift_cm: float = 0.0) -> Outcome:
    """A set of this movement, measured and judged; lift_cm raises the hip at the far posture of the last rep."""
    times, signal = programme([(r.out_s, 0.2, r.back_s, 0.3, r.share) for r in reps])
    share = np.clip(signal - 5.0, 0, None)
    positions = chain(POSES[movement.id], share)
    last = times > times[-1] - 1.0 - reps[-1].out_s - 0.2 - reps[-1].back_s - 0.3
    positions[last, NAMES.index("hip_right"), 1] -= lift_cm * PX_PER_CM * share[last] ** 2
    covariance = np.tile(np.eye(12) * 0.25, (len(times), 1, 1))
    track = Track(times, NAMES, positions, covariance)
    angles = angle_series(track, "side-right", UP, 0.5)
    series = rep_signal(angles, movement, "side-right", times)
    found = find_reps(times, series.values, movement.first_phase, movement.min_range_deg)
    body, scale = Body(175, 75, "female", dict(CM)), Value(PX_PER_CM, 0.02)
    scene = Scene(track, "side-right", angles, found, body, scale, parse_tempo(tempo), marks=marks or Marks())
    numbers = measure(scene)
    judgement = judge(scene, numbers, movement, CATALOGUE, {})
    return Outcome(scene, numbers, judgement, {f.code: f.reps for f in judgement.findings})


def seconds(movement: Movement, lowering: float = 2.0, lifting: float = 1.0, share: float = 1.0) -> Rep:
    """A rep by its lowering and lifting, in the order this movement goes."""
    first, second = (lowering, lifting) if movement.first_phase == "eccentric" else (lifting, lowering)
    return Rep(first, second, share)


ALL = sorted(CATALOGUE.movements)


def test_every_movement_has_a_posture_here() -> None:
    assert set(ALL) == set(POSES)


@pytest.mark.parametrize("name", ALL)
def test_a_clean_set_is_counted_measured_and_not_faulted(name: str) -> None:
    movement = CATALOGUE.movements[name]
    out = judged(movement, [seconds(movement)] * 3)
    assert len(out.scene.reps) == 3 and all(r.complete for r in out.scene.reps)
    for rep in out.scene.reps:
        assert rep.phases_s["eccentric"] == pytest.approx(2.0, abs=0.35)
        assert rep.phases_s["concentric"] == pytest.approx(1.0, abs=0.25)
    assert out.codes == {}, out.codes
    assert "knee_flexion_max_deg" in out.measured.reps[0] and "range_share_pct" in out.measured.reps[0]
    assert all(0 <= v.u < 1e3 for row in out.measured.reps for v in row.values())


@pytest.mark.parametrize("name", ALL)
def test_a_cut_off_rep_and_a_dropped_one_are_found_in_every_movement(name: str) -> None:
    movement = CATALOGUE.movements[name]
    codes = {f.code for f in movement.fault}
    reps = [seconds(movement), seconds(movement, share=0.6), seconds(movement, lowering=0.7)]
    out = judged(movement, reps)
    if "partial_rep" in codes:
        assert out.codes.get("partial_rep") == (2,)
    if "tempo_fast_eccentric" in codes:
        assert out.codes.get("tempo_fast_eccentric") == (3,)
    assert [r.complete for r in out.scene.reps] == [True, False, True]


@pytest.mark.parametrize("name", ALL)
def test_a_rep_just_inside_the_edge_is_no_finding(name: str) -> None:
    movement = CATALOGUE.movements[name]
    out = judged(movement, [seconds(movement), seconds(movement, share=0.93), seconds(movement, lowering=1.6)])
    assert "partial_rep" not in out.codes and "tempo_fast_eccentric" not in out.codes


@pytest.mark.parametrize("name", [n for n in ALL if any(f.measure == "hip_lift_cm" for f in CATALOGUE.movements[n].fault)])
def test_a_hip_that_leaves_its_pad_is_found_by_its_own_name(name: str) -> None:
    movement = CATALOGUE.movements[name]
    code = next(f.code for f in movement.fault if f.measure == "hip_lift_cm")
    reps = [seconds(movement)] * 3
    hip = chain(POSES[name], np.zeros(1))[0, NAMES.index("hip_right")]
    pad = Marks(pad_line=np.array([hip + [-120.0, 30.0], hip + [120.0, 30.0]]))
    if POSES[name].anchor == "hip":
        lifted, flat = judged(movement, reps, marks=pad, lift_cm=5.0), judged(movement, reps, marks=pad, lift_cm=0.4)
        assert lifted.codes.get(code) == (3,) and code not in flat.codes
    unmarked = judged(movement, reps, lift_cm=5.0)
    assert code not in unmarked.codes
    assert any(u.measure == "hip_lift_cm" and "pad" in u.reason for u in unmarked.judgement.unmeasurable)


@pytest.mark.parametrize("name", [n for n in ALL if any(f.code == "pivot_misaligned" for f in CATALOGUE.movements[n].fault)])
def test_a_pivot_beside_the_knee_is_found_and_one_at_the_knee_is_not(name: str) -> None:
    movement = CATALOGUE.movements[name]
    knee = chain(POSES[name], np.zeros(1))[0, NAMES.index("knee_right")]
    for off_cm, expected in ((0.0, False), (6.0, True)):
        marks = Marks(pivot=knee + np.array([0.0, off_cm * PX_PER_CM]))
        assert ("pivot_misaligned" in judged(movement, [seconds(movement)] * 3, marks=marks).codes) == expected


@pytest.mark.parametrize("name", [n for n in ALL if any(f.code == "shallow_depth" for f in CATALOGUE.movements[n].fault)])
def test_a_set_that_stops_high_is_shallow_in_every_movement_that_asks_for_depth(name: str) -> None:
    movement = CATALOGUE.movements[name]
    out = judged(movement, [seconds(movement, share=0.45)] * 3)
    assert out.codes.get("shallow_depth") == (1, 2, 3)


def test_what_a_view_cannot_show_is_said_with_what_to_film() -> None:
    out = judged(CATALOGUE.movements["back_squat"], [seconds(CATALOGUE.movements["back_squat"])] * 2)
    unable = {u.title: u.film_next for u in out.judgement.unmeasurable}
    assert "front" in unable["Knees fall inward"]
    assert "bar" in unable["Bar leaves its vertical path"]


@pytest.mark.parametrize("name", ALL)
def test_every_movement_warns_and_defers(name: str) -> None:
    movement = CATALOGUE.movements[name]
    words = " ".join(movement.cautions)
    assert "physician" in words and "does not diagnose" in words and movement.setup
    assert all(t.source for f in movement.fault for t in f.targets.values())
