"""Machine measures on a lever, a shank and a platform whose geometry is known."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.context import CannotTell, Marks, MeasurementContext, NotAsked
from deepmirror.core.measures.foot_measures import homography, placement, to_platform
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from tests.core.measures_by_name import FILM_MEASURES, REP_MEASURES

PX = 3.0  # px per cm
REP = Rep(1, 0.2, 2.0, 2.2, 3.8, {}, 90.0, {"concentric": 60.0}, {"concentric": 40.0}, {}, first="concentric")


def curl(pivot_off_cm: tuple[float, float] = (0.0, 0.0), roller_at: float = 0.9, before_cm: float = 0.0) -> MeasurementContext:
    """A prone curl seen from the left: the knee stays, the roller rides on a lever about the pivot and on the shin."""
    times = np.arange(0, 4, 1 / 30)
    flexion = np.radians(5 + 100 * (1 - np.cos(2 * np.pi * times / 4)) / 2)
    hip, knee = np.array([400.0, 400.0]), np.array([400.0 + 42 * PX, 400.0])
    shank = np.stack([np.cos(flexion), -np.sin(flexion)], axis=1)
    ankle = knee + 41 * PX * shank
    pivot = knee + np.array(pivot_off_cm) * PX
    front = np.stack([-shank[:, 1], shank[:, 0]], axis=1)
    start = knee + 41 * PX * roller_at * shank[0] + before_cm * PX * front[0]
    radius = np.linalg.norm(start - pivot)

    def slid(s: np.ndarray, f: np.ndarray) -> float:
        """By root finding, not by the formula under test: where on the shin the lever's circle puts the roller."""
        miss = lambda a: np.linalg.norm(knee + a * s + before_cm * PX * f - pivot) - radius
        return float(brentq(miss, 5 * PX, 90 * PX))

    roller = np.array([knee + slid(s, f) * s + before_cm * PX * f for s, f in zip(shank, front, strict=True)])
    still = lambda p: np.tile(p, (len(times), 1))
    points = {
        "shoulder_left": still(hip - [48 * PX, 0]),
        "hip_left": still(hip),
        "knee_left": still(knee),
        "ankle_left": ankle,
        "roller": roller,
        "waistband": still(hip - [12 * PX, 9]),
    }
    names = tuple(points)
    n = len(names)
    track = Track(times, names, np.stack(list(points.values()), axis=1), np.tile(np.eye(2 * n) * 0.25, (len(times), 1, 1)))
    pad = np.array([[200.0, 430.0], [520.0, 430.0]])
    marks = Marks(pad_line=pad, pivot=pivot, bench_edge=knee - [5 * PX, 0])
    return MeasurementContext(track, "side-left", angle_series(track, "side-left"), [REP], Body(170), Value(PX, 0.03), marks=marks)


@settings(deadline=None, max_examples=40)
@given(st.floats(-6, 6), st.floats(-6, 6), st.floats(0.75, 0.98), st.floats(-4, 4))
def test_the_creep_of_a_roller_follows_from_the_two_circles(dx: float, dy: float, at: float, before: float) -> None:
    scene = curl((dx, dy), at, before)
    seen, predicted = FILM_MEASURES["roller_creep_seen_cm"](scene), FILM_MEASURES["roller_creep_cm"](scene)
    assert predicted.value == pytest.approx(seen.value, abs=0.15)


def test_a_pivot_at_the_knee_makes_no_creep_and_one_beside_it_is_measured_in_the_levers_own_directions() -> None:
    fits, off = curl(), curl((0.0, 5.0))
    assert FILM_MEASURES["pivot_misalignment_cm"](fits).value == pytest.approx(0, abs=0.05)
    assert FILM_MEASURES["roller_creep_cm"](fits).value == pytest.approx(0, abs=0.05)
    assert FILM_MEASURES["pivot_misalignment_cm"](off).value == pytest.approx(5, abs=0.05)
    along, across = (FILM_MEASURES[f"pivot_{n}_cm"](off).value for n in ("along", "across"))
    # the pivot lies under the knee: halfway through the arc the shank points up, so the knee lies along it, towards the foot
    assert along == pytest.approx(3.4, abs=0.8) and abs(across) < 4
    assert FILM_MEASURES["roller_creep_cm"](off).value > 2


def test_roller_place_and_lever_angle() -> None:
    scene = curl(roller_at=0.88)
    assert FILM_MEASURES["roller_position_pct"](scene).value == pytest.approx(12, abs=0.5)
    assert FILM_MEASURES["lever_angle_deg"](scene).value == pytest.approx(0, abs=0.3)
    assert FILM_MEASURES["lever_angle_deg"](curl((0.0, 6.0))).value > 4


def moved(scene: MeasurementContext, name: str, path: np.ndarray) -> MeasurementContext:
    positions = scene.track.positions.copy()
    positions[:, scene.track.names.index(name)] += path
    return replace(scene, track=replace(scene.track, positions=positions))


def test_contact_edges_and_the_pelvis() -> None:
    scene = curl()
    share = np.clip((1 - np.cos(2 * np.pi * scene.track.times / 4)) / 2, 0, 1)[:, None] ** 4
    lifted = moved(scene, "hip_left", share * [0.0, -4 * PX])
    assert REP_MEASURES["hip_lift_cm"](lifted, REP).value == pytest.approx(4, abs=0.2)
    assert REP_MEASURES["hip_slide_cm"](lifted, REP).value == pytest.approx(0, abs=0.1)
    dragged = moved(scene, "knee_left", share * [-6 * PX, 0.0])
    assert REP_MEASURES["knee_slide_cm"](dragged, REP).value == pytest.approx(6, abs=0.2)
    assert REP_MEASURES["knee_lift_cm"](dragged, REP).value == pytest.approx(0, abs=0.2)
    assert REP_MEASURES["edge_clearance_cm"](scene, REP).value == pytest.approx(5, abs=0.1)
    rolled = moved(scene, "waistband", share * [1 * PX, -4 * PX])
    turn = REP_MEASURES["pelvis_tuck_deg"](rolled, REP)
    assert turn.value == pytest.approx(np.degrees(np.arctan2(9 + 4 * PX, 11 * PX) - np.arctan2(9, 12 * PX)), abs=1)
    assert REP_MEASURES["pelvis_tuck_deg"](scene, REP).value < 0.5


def set_of(lifts_cm: list[float], seated: bool = False, hidden_px: float = 0.0, folds_deg: float = 0.0) -> MeasurementContext:
    """Curls one after another whose hip rises so far in each; seated: the same on a seat; hidden: the hip behind a hand throughout;
    folds: by how much the thigh comes nearer to the trunk in each rep."""
    base = curl()
    count, frames = len(lifts_cm), len(base.track.times)
    times = np.arange(count * frames) / 30
    rise = np.concatenate([cm * PX * np.sin(np.pi * np.arange(frames) / frames) ** 2 for cm in lifts_cm])
    positions = np.tile(base.track.positions, (count, 1, 1))
    positions[:, base.track.names.index("hip_left"), 1] -= rise
    if seated:
        positions[:, base.track.names.index("shoulder_left")] = positions[:, base.track.names.index("hip_left")] + [20 * PX, 40 * PX]
    hip, knee = (base.track.names.index(f"{j}_left") for j in ("hip", "knee"))
    fold = np.radians(folds_deg) * np.tile(np.sin(np.pi * np.arange(frames) / frames) ** 2, count)
    thigh = positions[:, knee] - positions[:, hip]
    positions[:, knee] = positions[:, hip] + np.hypot(*thigh.T)[:, None] * np.stack([np.cos(fold), np.sin(fold)], axis=1)
    unseen = np.full(positions.shape[:2], hidden_px)
    track = Track(times, base.track.names, positions, np.tile(base.track.covariance[:1], (len(times), 1, 1)), unseen)
    reps = [replace(REP.later(k * frames / 30), number=k + 1) for k in range(count)]
    return replace(base, track=track, angles=angle_series(track, "side-left"), reps=reps, kept={})


def test_one_rep_that_lifts_stands_out_even_where_a_hand_hides_the_hip() -> None:
    flat_and_one = set_of([0.2, 4.0, 0.3], hidden_px=5.0)
    lift, more = (REP_MEASURES[n](flat_and_one, flat_and_one.reps[1]) for n in ("hip_lift_cm", "hip_lift_more_cm"))
    assert lift.value == pytest.approx(4.0, abs=0.3) and lift.value - lift.u < 1.5, "alone it is too unsure"
    assert more.value == pytest.approx(1.25 * 3.75, abs=0.4), "a hidden hip usually lifts more than is read of it"
    assert more.value - more.u > 1.5 and abs(more.value - 3.75) < more.u
    for rep in (flat_and_one.reps[0], flat_and_one.reps[2]):
        with pytest.raises(NotAsked, match="surely"):
            REP_MEASURES["hip_lift_more_cm"](flat_and_one, rep)
    every = set_of([4.0, 4.0, 4.0])
    with pytest.raises(NotAsked, match="surely"):
        REP_MEASURES["hip_lift_more_cm"](every, every.reps[1])
    alone = set_of([4.0])
    with pytest.raises(NotAsked, match="single"):
        REP_MEASURES["hip_lift_more_cm"](alone, alone.reps[0])


def test_a_frame_in_which_the_hip_was_lost_says_no_more_of_its_doubt_than_of_its_lift() -> None:
    """No lift that counts lasts a frame; a hand before the hip for a third of a second may hide one."""
    shown = set_of([0.2, 3.0, 0.2])

    def doubt(frames: int) -> float:
        unseen = np.zeros(shown.track.positions.shape[:2])
        unseen[150 : 150 + frames, shown.track.names.index("hip_left")] = 3.0
        scene = replace(shown, track=replace(shown.track, unseen=unseen), kept={})
        return float(REP_MEASURES["hip_lift_cm"](scene, scene.reps[1]).u)

    assert doubt(1) == pytest.approx(doubt(0)) and doubt(10) > doubt(0) + 1.0


def test_what_is_followed_of_a_pelvis_that_rolls_off_a_seat_stays_behind_it() -> None:
    lying, seated = (set_of([0.0, 3.0, 0.0], seated=s) for s in (False, True))
    flat, rolled = (REP_MEASURES["hip_lift_cm"](scene, scene.reps[1]) for scene in (lying, seated))
    assert flat.value == pytest.approx(3.0, abs=0.2) and rolled.value == pytest.approx(3.0 / 0.82, abs=0.25)


def test_a_thigh_that_folds_over_a_seat_takes_cloth_along_which_is_no_lift() -> None:
    """What flat reps of presses show, and how unsure that is; a pelvis that turns round on its seat without folding shows none."""
    flat, still = set_of([0.6, 0.6, 0.6], seated=True, folds_deg=40.0), set_of([0.0, 0.0, 0.0], seated=True)
    told, without = (REP_MEASURES["hip_lift_cm"](scene, scene.reps[1]) for scene in (flat, still))
    assert told.value == pytest.approx(0, abs=0.15) and told.u > without.u + 0.3
    lifted = set_of([0.6, 4.0, 0.6], seated=True, folds_deg=40.0)
    lift, more = (REP_MEASURES[n](lifted, lifted.reps[1]) for n in ("hip_lift_cm", "hip_lift_more_cm"))
    assert lift.value == pytest.approx((4.0 - 0.6) / 0.82, abs=0.3)
    assert more.value == pytest.approx((4.0 - 0.6) / 0.82, abs=0.1), "what is alike in all reps cancels"


def test_what_a_hidden_hip_does_alike_in_every_rep_is_no_sure_lift_and_a_lost_one_tells_nothing() -> None:
    shown, hidden = set_of([4.0, 4.0, 4.0]), set_of([4.0, 4.0, 4.0], hidden_px=2.5)
    seen, guessed = (REP_MEASURES["hip_lift_cm"](scene, scene.reps[1]) for scene in (shown, hidden))
    assert seen.value - seen.u > 2.5 and guessed.value == seen.value and guessed.value - guessed.u < 0.5
    one = set_of([0.2, 4.0, 0.3], hidden_px=2.5)
    alone = REP_MEASURES["hip_lift_cm"](one, one.reps[1])
    assert alone.value - alone.u > 1.0, "one rep among flat ones is none the less sure"
    lost = set_of([0.0, 12.0, 0.0], hidden_px=25.0)
    with pytest.raises(NotAsked, match="lost"):
        REP_MEASURES["hip_lift_more_cm"](lost, lost.reps[1])


def test_what_a_moving_camera_carries_along_is_no_lift_of_one_rep() -> None:
    """Hip and shoulder of one who lies go up together: a camera that stands shows a body that moves, one that moves shows its own way."""
    scene = set_of([0.0, 2.6, 0.0])
    hip, shoulder = (scene.track.names.index(f"{j}_left") for j in ("hip", "shoulder"))
    carried = scene.track.positions.copy()
    carried[:, shoulder, 1] += carried[:, hip, 1] - carried[0, hip, 1]
    stands = replace(scene, track=replace(scene.track, positions=carried), kept={})
    assert REP_MEASURES["hip_lift_more_cm"](stands, stands.reps[1]).value == pytest.approx(2.6, abs=0.2)
    moves = replace(stands, seen=scene.track, kept={})
    with pytest.raises(NotAsked, match="surely"):
        REP_MEASURES["hip_lift_more_cm"](moves, moves.reps[1])


def test_a_hidden_shoulder_does_not_cost_the_hip_its_lift() -> None:
    scene = curl()
    kept = [i for i, n in enumerate(scene.track.names) if n != "shoulder_left"]
    columns = [2 * i + k for i in kept for k in range(2)]
    track = Track(
        scene.track.times,
        tuple(scene.track.names[i] for i in kept),
        scene.track.positions[:, kept],
        scene.track.covariance[:, columns][:, :, columns],
    )
    bare = replace(scene, track=track, angles=angle_series(track, "side-left"))
    assert "hip_flexion_left" not in bare.angles
    assert REP_MEASURES["hip_lift_cm"](bare, REP).value == pytest.approx(0, abs=0.1)


@pytest.mark.parametrize(
    ("name", "without"),
    [
        ("hip_lift_cm", "pad_line"),
        ("edge_clearance_cm", "bench_edge"),
        ("pivot_misalignment_cm", "pivot"),
        ("roller_creep_cm", "pivot"),
        ("back_lift_cm", "back_pad"),
    ],
)
def test_what_needs_a_mark_asks_for_it(name: str, without: str) -> None:
    scene = curl()
    scene = replace(scene, marks=replace(scene.marks, **{without: None}))
    with pytest.raises(CannotTell) as told:
        REP_MEASURES[name](scene, REP) if name in REP_MEASURES else FILM_MEASURES[name](scene)
    assert "not marked" in told.value.reason and "on one frame" in told.value.advice.words


CORNERS_CM = np.array([[-45, -30], [45, -30], [45, 30], [-45, 30]], float)


def seen_from(points_cm: np.ndarray, tilt_deg: float, yaw_deg: float, away_cm: float = 320.0) -> np.ndarray:
    """Platform points (N, 2) cm as a pinhole camera sees them, px."""
    t, y = np.radians(tilt_deg), np.radians(yaw_deg)
    flat = np.column_stack([points_cm @ [[np.cos(y)], [np.sin(y)]], points_cm @ [[-np.sin(y)], [np.cos(y)]]])
    depth = away_cm + flat[:, 1] * np.cos(t)
    return np.column_stack([640 + 1000 * flat[:, 0] / depth, 400 - 1000 * (flat[:, 1] * np.sin(t)) / depth])


@pytest.mark.parametrize("first", range(4))
@pytest.mark.parametrize("way", [1, -1])
def test_homography_agrees_with_opencv_from_any_first_corner(first: int, way: int) -> None:
    """Reference: cv2.getPerspectiveTransform (OpenCV), up to a half turn of the platform."""
    corners = seen_from(CORNERS_CM, 25, 8)
    feet = seen_from(np.array([[-14.0, -8.0], [12.0, 9.0]]), 25, 8)
    ours = to_platform(homography(np.roll(corners, first, axis=0)[::way], (90.0, 60.0)), feet)
    reference = cv2.getPerspectiveTransform(corners.astype(np.float32), CORNERS_CM.astype(np.float32))
    theirs = cv2.perspectiveTransform(feet[None].astype(np.float32), reference)
    assert min(np.abs(s * ours * [m, 1] - theirs[0]).max() for s in (1, -1) for m in (1, -1)) < 0.02


def test_corners_on_one_line_are_refused() -> None:
    with pytest.raises(ValueError, match="one line"):
        homography(np.array([[0.0, 0], [1, 1], [2, 2], [3, 3]]), (90.0, 60.0))


def foot(x: float, y: float, out_deg: float, side: int, cm: float = 26.0) -> np.ndarray:
    """Heel and toe (2, 2) cm of a foot whose ankle stands at x, y; side +1 left (x to the client's left)."""
    d = np.array([side * np.sin(np.radians(out_deg)), np.cos(np.radians(out_deg))]) * cm
    heel = np.array([x, y]) - 0.25 * d
    return np.array([heel, heel + d])


def test_feet_on_a_platform_are_measured_in_its_own_centimetres() -> None:
    left, right = foot(18, 6, 12, 1), foot(-20, -2, 30, -1)
    # from the front the client's left is on the picture's right and her toes point at the camera: down in the picture
    flip = np.array([1.0, -1.0])
    ends = {"left": seen_from(left * flip, 30, 5), "right": seen_from(right * flip, 30, 5)}
    got = placement(seen_from(CORNERS_CM * flip, 30, 5), (90.0, 60.0), ends, 26.0)
    assert got["stance_width_cm"] == pytest.approx(38, abs=0.6)
    assert got["toe_out_left_deg"] == pytest.approx(12, abs=1.5) and got["toe_out_right_deg"] == pytest.approx(30, abs=1.5)
    assert got["toe_out_asymmetry_deg"] == pytest.approx(18, abs=2)
    assert got["foot_height_left_pct"] > got["foot_height_right_pct"] > 40
    middle = lambda f: f.mean(axis=0)[1]
    assert got["stance_asymmetry_cm"] == pytest.approx(abs(middle(left) - middle(right)), abs=0.6)


def test_a_camera_that_goes_sideways_makes_no_knee_slide_for_sure() -> None:
    scene = curl()
    bench = 18.0 * (1 - np.cos(2 * np.pi * scene.track.times / 4)) / 2  # px that taking out the wall's movement leaves of the bench's
    moved = replace(scene.track, positions=scene.track.positions + np.stack([bench, np.zeros_like(bench)], axis=1)[:, None])
    told = {}
    for camera, seen in (("moves", scene.track), ("stands", moved)):
        told[camera] = REP_MEASURES["knee_slide_cm"](replace(scene, track=moved, seen=seen, kept={}), REP)
    assert told["moves"].value == told["stands"].value == pytest.approx(6.0, abs=0.3)
    assert told["moves"].u > told["moves"].value > 3 * told["stands"].u
