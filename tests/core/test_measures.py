"""Measures on drawn figures whose geometry is known, and each says so when a film cannot give it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import STATURE_SHARES, Body
from deepmirror.core.camera.scale import combine, from_body, from_length, up_from_floor, up_from_plumb
from deepmirror.core.measures.context import CannotTell, Marks, MeasurementContext, highest, lowest
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.measures.tempo_measures import CALM
from deepmirror.core.motion.kinematics import angle_series, signed
from deepmirror.core.motion.reps import Rep, find_reps, with_uncertainty
from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import Value
from tests.core.measures_by_name import FILM_MEASURES, REP_MEASURES

REP = Rep(
    1,
    0.0,
    0.4,
    0.6,
    1.0,
    {"eccentric": 0.4, "bottom": 0.2, "concentric": 0.4, "top": None},
    90.0,
    {"eccentric": 250.0, "concentric": 250.0},
    {"eccentric": 200.0, "concentric": 200.0},
    {"start": 900.0, "arrival": 900.0, "turn": 900.0, "end": 900.0},
)


def squat_side(way: int = 1, depth_deg: float = 0.0) -> MeasurementContext:
    """A client facing right (way 1) or left, 2 px per cm, standing then at `depth_deg` of thigh above level."""
    view, side = ("side-right", "right") if way == 1 else ("side-left", "left")
    stand = {"toe": (18, 0), "heel": (-8, 0), "ankle": (0, -8), "knee": (0, -48), "hip": (0, -88), "shoulder": (0, -138)}
    bottom = dict(stand)
    lean, thigh, shank = np.radians(40), np.radians(depth_deg), np.radians(30)
    knee = np.array([40 * np.sin(shank), -8 - 40 * np.cos(shank)])
    hip = knee + 40 * np.array([-np.cos(thigh), -np.sin(thigh)])
    bottom |= {"knee": tuple(knee), "hip": tuple(hip), "shoulder": tuple(hip + 50 * np.array([np.sin(lean), -np.cos(lean)]))}
    names = tuple(f"{n}_{side}" for n in stand)
    frames = np.array([[(way * 2 * p[n][0] + 640, 2 * p[n][1] + 600) for n in stand] for p in (stand, bottom, stand)])
    positions = np.repeat(frames, [10, 11, 10], axis=0)
    times = np.linspace(0, 1, 31)
    track = Track(times, names, positions, np.tile(np.eye(12) * 0.25, (31, 1, 1)))
    body = Body(175, 70, measured_cm={"thigh": 40, "shank": 40, "foot": 26})
    return MeasurementContext(track, view, angle_series(track, view), [REP], body, Value(2.0, 0.06), parse_tempo("1-0-1-0"))


@pytest.mark.parametrize("way", [1, -1])
def test_side_measures_of_a_known_posture(way: int) -> None:
    scene = squat_side(way, depth_deg=10)
    got = {
        n: REP_MEASURES[n](scene, REP)
        for n in (
            "knee_flexion_max_deg",
            "hip_flexion_max_deg",
            "trunk_lean_max_deg",
            "thigh_from_horizontal_min_deg",
            "dorsiflexion_max_deg",
            "knee_past_toe_cm",
            "heel_rise_cm",
        )
    }
    # knee: thigh 10° over level going back, shank 30° forward -> 180 - (180 - 80 - 30) = 110
    expected = {
        "knee_flexion_max_deg": 110,
        "hip_flexion_max_deg": 120,
        "trunk_lean_max_deg": 40,
        "thigh_from_horizontal_min_deg": 10,
        "dorsiflexion_max_deg": 30,
        "knee_past_toe_cm": 2.0,
        "heel_rise_cm": 0,
    }
    for name, value in expected.items():
        assert got[name].value == pytest.approx(value, abs=0.05), name
        assert got[name].u >= 0


def test_hip_below_knee_is_negative_and_crease_follows() -> None:
    scene = squat_side(1, depth_deg=-10)
    assert REP_MEASURES["thigh_from_horizontal_min_deg"](scene, REP).value == pytest.approx(-10, abs=0.05)
    assert REP_MEASURES["crease_margin_cm"](scene, REP).value == pytest.approx(-40 * np.sin(np.radians(10)) - 1.75, abs=0.05)


def test_shares_of_tempo_and_bounce() -> None:
    scene = squat_side()
    assert REP_MEASURES["eccentric_share_pct"](scene, REP).value == pytest.approx(40)
    assert REP_MEASURES["turn_s"](scene, REP).value == pytest.approx(2 * 250 / 900)
    held = replace(REP, turn_end_s=0.9)
    assert REP_MEASURES["turn_s"](scene, held).value == CALM.value


def test_a_turn_between_a_fast_lowering_and_a_slow_lift_is_told_by_the_speed_of_each() -> None:
    fast = replace(
        REP, first="concentric", peak_speeds={"eccentric": 750.0, "concentric": 250.0}, accelerations={"start": 900.0, "end": 2700.0}
    )
    slow = replace(REP, first="concentric", number=2, start_s=1.2, turn_start_s=1.6, turn_end_s=1.8, end_s=2.2)
    scene = replace(squat_side(), reps=[fast, slow])
    assert REP_MEASURES["turn_s"](scene, slow).value == pytest.approx(2 * 250 / 900)
    hard = replace(slow, accelerations=slow.accelerations | {"start": 1800.0})
    assert REP_MEASURES["turn_s"](replace(scene, reps=[fast, hard]), hard).value == pytest.approx(2 * 250 / 1800)


def front(cave_px: float = 0.0) -> MeasurementContext:
    """A client seen from the front: 2 px per cm, knees over the feet or fallen inward at the bottom."""
    frames = []
    for inward in (0.0, cave_px, 0.0):
        figure = {}
        for side, way in (("left", 1), ("right", -1)):
            figure |= {
                f"hip_{side}": (way * 20, -180),
                f"knee_{side}": (way * (30 - inward), -90),
                f"ankle_{side}": (way * 40, -10),
                f"heel_{side}": (way * 38, 0),
                f"toe_{side}": (way * (38 + 26), 12),
                f"shoulder_{side}": (way * 36, -280),
            }
        frames.append(figure)
    names = tuple(frames[0])
    positions = np.repeat(np.array([[(640 + x, 600 + y) for x, y in f.values()] for f in frames]), [10, 11, 10], axis=0)
    track = Track(np.linspace(0, 1, 31), names, positions, np.tile(np.eye(2 * len(names)) * 0.25, (31, 1, 1)))
    body = Body(175, 70, measured_cm={"foot": 26.0, "biacromial": 36.0})
    return MeasurementContext(track, "front", angle_series(track, "front"), [REP], body, Value(2.0, 0.06))


def test_front_measures_of_a_known_figure() -> None:
    straight, caved = front(), front(25)
    assert REP_MEASURES["fppa_left_deg"](straight, REP).value < 5
    expected = np.degrees(np.arctan2(20 - 5, 90) - np.arctan2(5 - 40, 80))
    for side in ("left", "right"):
        assert REP_MEASURES[f"fppa_{side}_deg"](caved, REP).value == pytest.approx(expected, abs=0.1)
        assert REP_MEASURES[f"knee_inward_{side}_cm"](straight, REP).value == pytest.approx(0, abs=0.1)
        assert REP_MEASURES[f"knee_inward_{side}_cm"](caved, REP).value > 8
    assert REP_MEASURES["knee_ankle_separation_ratio_min"](caved, REP).value == pytest.approx(5 / 40, abs=0.01)
    assert FILM_MEASURES["stance_width_cm"](straight).value == pytest.approx(40)
    assert FILM_MEASURES["stance_to_shoulder_ratio"](straight).value == pytest.approx(40 / 36)
    guessed = replace(
        straight, body=Body(175, 70)
    )  # shoulder breadth 0.259 of stature (Drillis & Contini 1966, from memory), its joints within
    assert FILM_MEASURES["stance_to_shoulder_ratio"](guessed).value == pytest.approx(40 / (0.8 * 0.259 * 175))
    assert FILM_MEASURES["toe_out_left_deg"](straight).value == pytest.approx(30, abs=0.1)
    assert FILM_MEASURES["toe_out_right_deg"](straight).value == pytest.approx(30, abs=0.1)


def test_a_joint_near_straight_does_not_leap_and_says_that_it_may_go_either_way() -> None:
    times = np.arange(8) / 30
    size = Series(times, np.array([7.0, 7, 7, 8, 15, 20, 8, 7]), np.full(8, 5.0))
    turn = Series(times, np.array([1.0, -0.6, 0.8, 3.0, 13.0, 19.0, 2.0, -0.5]), np.full(8, 6.0))
    angle = signed(size, turn)
    assert (angle.values == size.values).all()  # the few that point the other way follow the rest
    assert angle.u[0] == pytest.approx(np.hypot(5, 14)) and angle.u[5] == 5
    assert (signed(size, turn, arches=False).values < 0).tolist() == [False, True, False, False, False, False, False, True]


def test_a_peak_reaches_as_high_as_any_frames_doubt() -> None:
    times = np.arange(60) / 30
    rep = find_reps(times, 40 - 40 * np.cos(np.linspace(0, 2 * np.pi, 60)), "eccentric", 25)[0]
    values, u = np.full(60, -8.0), np.full(60, 4.0)
    values[5], values[30], u[30] = -3.0, -5.0, 14.0  # a sure frame at the start, an unsure one at the bottom
    assert highest(Series(times, values, u), rep) == Value(-3.0, 12.0)
    assert highest(Series(times, values, np.full(60, 4.0)), rep) == Value(-3.0, 4.0)
    assert lowest(Series(times, -values, u), rep) == Value(3.0, 12.0)


def test_hip_lift_is_measured_normal_to_the_pad_and_the_slide_along_it() -> None:
    scene = squat_side()
    positions = scene.track.positions.copy()
    hip = scene.track.names.index("hip_right")
    positions[:, hip] = (640, 420)
    positions[14:17, hip] += (6.0, -8.0)
    pad = Marks(pad_line=np.array([[500.0, 430.0], [800.0, 430.0]]))
    moved = replace(scene, track=replace(scene.track, positions=positions), marks=pad)
    assert REP_MEASURES["hip_lift_cm"](moved, REP).value == pytest.approx(4.0, abs=0.1)
    assert REP_MEASURES["hip_slide_cm"](moved, REP).value == pytest.approx(3.0, abs=0.1)


def test_pivot_misfit_is_the_distance_to_the_knee() -> None:
    scene = squat_side()
    knee = scene.track.point("knee_right").mean(axis=0)
    assert FILM_MEASURES["pivot_misalignment_cm"](replace(scene, marks=Marks(pivot=knee + np.array([6, 8])))).value == pytest.approx(
        5, abs=0.01
    )


@pytest.mark.parametrize(
    ("name", "scene"),
    [
        ("fppa_left_deg", squat_side()),
        ("knee_past_toe_cm", front()),
        ("thigh_from_horizontal_min_deg", front()),
        ("hip_lift_cm", squat_side()),
        ("bar_drift_cm", squat_side()),
        ("knee_past_toe_cm", replace(squat_side(), px_per_cm=None)),
        ("eccentric_share_pct", front()),
        ("heel_rise_cm", replace(front(), platform_moves=True)),  # it goes up and down in the picture with the platform
    ],
)
def test_what_a_film_cannot_tell_comes_with_advice(name: str, scene: MeasurementContext) -> None:
    with pytest.raises(CannotTell) as told:
        REP_MEASURES[name](scene, REP)
    assert told.value.reason and told.value.advice.words.endswith(".")


def test_scale_from_a_plate_and_from_the_leg_agree_or_widen() -> None:
    # IWF and IPF equipment rules: the largest discs are 450 mm (from memory)
    plate = from_length(np.array([[100.0, 100.0], [100.0, 190.0]]), 45.0)
    assert plate.value == pytest.approx(2.0)
    leg = from_body(squat_side().track, "side-right", squat_side().body)
    assert leg is not None and leg.value == pytest.approx(2.0, rel=0.01)
    both, apart = combine(plate, leg), combine(plate, Value(2.6, leg.u))
    assert both is not None and both.u < plate.u
    assert apart is not None and apart.u >= 0.3


def test_level_and_plumb_give_the_same_up() -> None:
    a = np.radians(4)
    floor = np.array([[0, 0], [100 * np.cos(a), 100 * np.sin(a)]])
    plumb = np.array([[0, 0], [100 * np.sin(a), -100 * np.cos(a)]])
    assert np.allclose(up_from_floor(floor), up_from_plumb(plumb), atol=1e-9)


def test_predicted_lengths_are_the_published_shares_of_stature() -> None:
    # Drillis & Contini 1966 in Winter, figure 4.1, from memory: thigh 0.530 - 0.285, shank 0.285 - 0.039, foot 0.152
    assert STATURE_SHARES["thigh"] == pytest.approx(0.530 - 0.285)
    assert STATURE_SHARES["shank"] == pytest.approx(0.285 - 0.039)
    body = Body(stature_cm=180, measured_cm={"thigh": 47})
    assert (body.length("thigh").cm, body.length("thigh").source) == (47, "measured")
    assert body.length("foot").cm == pytest.approx(27.36) and body.length("foot").source == "predicted"


def test_a_hip_that_was_hidden_lifts_as_surely_as_it_was_seen() -> None:
    """The same path with and without a hand before the hip: the number stays, its band does not."""
    times = np.arange(60) / 30
    lifted = np.zeros((60, 1, 2))
    lifted[:, 0] = np.stack([np.full(60, 400.0), 300 - 9 * np.exp(-0.5 * ((times - 1) / 0.2) ** 2)], axis=1)
    rep = find_reps(times, 40 - 40 * np.cos(np.linspace(0, 2 * np.pi, 60)), "eccentric", 25)[0]
    marks = Marks(pad_line=np.array([[300.0, 320.0], [500.0, 320.0]]))

    def lift(hidden_px: float) -> Value:
        track = Track(times, ("hip_left",), lifted, np.tile(np.eye(2), (60, 1, 1)), np.full((60, 1), hidden_px))
        return MEASURES["hip_lift_cm"].compute(MeasurementContext(track, "side-left", {}, [rep], Body(), Value(3.0, 0.0), marks=marks), rep)

    seen, hidden = lift(0.0), lift(5.0)
    assert seen.value == hidden.value == pytest.approx(3.0, abs=0.1)
    assert hidden.u == pytest.approx(np.hypot(seen.u, 2 * 5 / 3.0), rel=0.01) and seen.u < 0.8


def test_a_signal_lost_for_part_of_a_phase_makes_its_length_unsure() -> None:
    times = np.arange(240) / 60
    reps = find_reps(times, 40 - 40 * np.cos(np.linspace(0, 4 * np.pi, 240)), "eccentric", 25)
    u = np.full(240, 4.0)
    assert all(max(r.unsure.values()) == 0 for r in with_uncertainty(reps, times, u))
    u[20:40] = 50.0
    first, second = with_uncertainty(reps, times, u)
    assert first.unsure["eccentric"] == pytest.approx(50 / 80, abs=0.02) and first.unsure["concentric"] == 0
    assert second.unsure == dict.fromkeys(second.unsure, 0.0)
    deep = 4.0 + 30.0 * (1 - np.cos(np.linspace(0, 4 * np.pi, 240)))  # read worse in every bottom alike
    assert max(v for r in with_uncertainty(reps, times, deep, by_posture=True) for v in r.unsure.values()) < 0.1
    assert min(max(r.unsure.values()) for r in with_uncertainty(reps, times, deep)) > 0.5
    track = Track(times, (), np.zeros((240, 0, 2)), np.zeros((240, 0, 0)))
    scene = MeasurementContext(track, "side-left", {}, [first, second], Body(), None, parse_tempo("2-0-1-0"))
    share = MEASURES["eccentric_share_pct"].compute
    assert share(scene, second).u < 5 and share(scene, first).u > 50


def test_a_change_of_an_angle_is_not_the_largest_of_many_mistakes() -> None:
    """A knee that bends by 12° in a hinge, while something passes before it for three pictures."""
    times = np.arange(90) / 30
    way = (1 - np.cos(np.linspace(0, 2 * np.pi, 90))) / 2
    rep = find_reps(times, 90 * way, "eccentric", 25)[0]
    knee = 15 + 12 * way
    hidden = knee.copy()
    hidden[30:33] += 25.0
    track = Track(times, (), np.zeros((90, 0, 2)), np.zeros((90, 0, 0)))

    def told(values: np.ndarray, hands_pass: bool = False, u: np.ndarray | float = 8.0) -> Value:
        angles = {"knee_flexion_left": Series(times, values, np.broadcast_to(u, 90))}
        scene = MeasurementContext(track, "side-left", angles, [rep], Body(), None, hands_pass=hands_pass)
        return MEASURES["knee_change_deg"].compute(scene, rep)

    clean = told(knee)
    assert clean.value == pytest.approx(12, abs=1) and clean.u == pytest.approx(4.0)
    assert told(hidden).value == pytest.approx(clean.value, abs=1.5)
    assert told(knee, hands_pass=True).u == pytest.approx(8.0), "what hands hide is off now more and now less"
    assert told(knee, u=np.where(way > 0.9, 20.0, 8.0)).u > 18, "the far end is less sure than the rest"


@pytest.mark.parametrize("heel_cm", [0.0, 4.0])
def test_what_rises_with_the_camera_is_no_rise_of_the_heel(heel_cm: float) -> None:
    """A hand-held camera dips by 5 cm at the bottom; the room told of none of it."""
    still = squat_side()
    positions = still.track.positions.copy()
    heel = still.track.names.index("heel_right")
    positions[10:21, heel, 1] -= 2 * heel_cm
    held = replace(still.track, positions=positions)
    swayed = replace(still.track, positions=positions - np.where(np.arange(31) // 10 == 1, 10.0, 0.0)[:, None, None] * [0.0, 1.0])
    steady = replace(still, track=held)
    in_the_hand = replace(still, track=swayed, seen=replace(swayed))
    for scene in (steady, in_the_hand):
        assert REP_MEASURES["heel_rise_cm"](scene, REP).value == pytest.approx(heel_cm, abs=0.1)
    assert REP_MEASURES["heel_rise_cm"](in_the_hand, REP).u > REP_MEASURES["heel_rise_cm"](steady, REP).u
