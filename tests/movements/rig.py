"""A synthetic lifter: rods posed by joint angles that run from a start to a far posture, measured and judged like a film.

Nothing is tracked here, so what fails is a definition, a measure or the judgement.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.context import Marks, MeasurementContext
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import UP
from deepmirror.judge.findings import judge, measure
from deepmirror.judge.records import Judgement, Measured
from deepmirror.movements.loader import load_catalogue
from deepmirror.movements.schema import Movement
from deepmirror.services.films.repetitions import rep_signal, reps_of_the_set

CM = {"thigh": 43.0, "shank": 42.0, "trunk": 48.0, "foot": 26.0, "biacromial": 36.0, "hip_breadth": 22.0}
PX_PER_CM = 3.0
FPS = 30.0
CATALOGUE = load_catalogue()
Places = dict[str, np.ndarray]
Tweak = Callable[[Places, np.ndarray], None]


@dataclass(frozen=True)
class Pose:
    """Trunk lean, hip flexion, knee flexion, dorsiflexion and elbow flexion (degrees) at the start and at the far turn-round.

    anchor: the joint that stays; leaning: the trunk's lean is as given, else it follows from the feet up; spread: angle
    between the legs, front films.
    """

    lean: tuple[float, float]
    hip: tuple[float, float]
    knee: tuple[float, float]
    ankle: tuple[float, float]
    anchor: str = "ankle"
    leaning: bool = False
    elbow: tuple[float, float] = (10, 10)
    spread: tuple[float, float] | None = None


SQUAT = Pose((3, 42), (8, 130), (6, 118), (1, 30))
HACK = Pose((-30, -30), (5, 110), (8, 118), (0, 25))
PRESS = Pose((-50, -50), (70, 115), (15, 95), (-5, 30), "hip", True)  # the sole keeps its angle on the platform
CURL = Pose((89, 89), (4, 4), (8, 110), (-8, 2), "hip", True)
SEATED_CURL = Pose((-14, -14), (80, 80), (6, 100), (-4, 6), "hip", True)
STANDING_CURL = Pose((5, 5), (4, 4), (5, 95), (0, 0), "hip", True)
EXTENSION = Pose((-12, -12), (82, 82), (94, 5), (0, -10), "hip", True)
HINGE = Pose((2, 75), (8, 100), (8, 20), (1, -4))
PULL = Pose((70, 2), (100, 6), (35, 5), (10, 0))
LUNGE = Pose((3, 8), (10, 92), (8, 98), (2, 12))
STEP = Pose((10, 2), (85, 8), (85, 6), (10, 0))
CALF = Pose((0, 0), (2, 2), (3, 3), (15, -32), "hip", True)
THRUST = Pose((-20, -78), (70, 5), (95, 92), (5, 0), "ankle", True)
NORDIC = Pose((2, 62), (8, 8), (88, 28), (-30, -30), "knee", True)
BALL = Pose((-80, -80), (10, 10), (12, 95), (0, 0), "hip", True)
SEATED = Pose((-5, -5), (85, 85), (90, 90), (0, 0), "hip", True)
ABDUCT = Pose((2, 2), (2, 2), (3, 3), (0, 0), spread=(6, 38))
POSES = {
    **dict.fromkeys(("back_squat", "goblet_squat", "box_squat", "belt_squat", "smith_squat", "ball_wall_squat"), SQUAT),
    **dict.fromkeys(("barbell_hack_squat", "staggered_squat", "single_leg_squat"), SQUAT),
    **dict.fromkeys(("hack_squat", "reverse_hack_squat", "pendulum_squat"), HACK),
    **dict.fromkeys(("leg_press", "single_leg_press"), PRESS),
    **dict.fromkeys(("lying_leg_curl", "single_leg_curl"), CURL),
    "seated_leg_curl": SEATED_CURL,
    **dict.fromkeys(("standing_leg_curl", "kneeling_leg_curl"), STANDING_CURL),
    "leg_extension": EXTENSION,
    **dict.fromkeys(("romanian_deadlift", "stiff_leg_deadlift", "smith_romanian_deadlift", "machine_hinge"), HINGE),
    **dict.fromkeys(("snatch_grip_romanian", "single_leg_romanian"), HINGE),
    **dict.fromkeys(("conventional_deadlift", "sumo_deadlift"), PULL),
    **dict.fromkeys(("split_squat", "reverse_lunge", "forward_lunge", "walking_lunge", "rear_foot_raised_squat"), LUNGE),
    "step_up": STEP,
    **dict.fromkeys(("standing_calf_raise", "seated_calf_raise", "single_leg_calf_raise", "leg_press_calf_raise"), CALF),
    "bent_over_calf_raise": replace(CALF, lean=(70, 70), hip=(72, 72)),
    **dict.fromkeys(("hip_thrust", "glute_bridge", "feet_raised_bridge", "drive_machine"), THRUST),
    **dict.fromkeys(("nordic_curl", "glute_ham_raise"), NORDIC),
    **dict.fromkeys(("slider_curl", "ball_curl"), BALL),
    "kickback": Pose((20, 20), (22, -6), (5, 5), (0, 0), "hip", True),
    **dict.fromkeys(("banded_abduction", "side_lying_raise"), ABDUCT),
    "high_row": replace(SEATED, elbow=(10, 105)),
    "chest_press": replace(SEATED, elbow=(105, 10)),
    "cable_crunch": Pose((5, 70), (60, 125), (95, 95), (-30, -30), "hip", True),
}


@dataclass(frozen=True)
class Rep:
    """One programmed rep: seconds of its two movements and its far hold, share of the far posture reached, rest after it.

    shapes: how the two movements run, "smooth" (half cosine), "sudden" (even speed from the first frame to the last),
    "falling" (faster and faster).
    """

    out_s: float
    back_s: float
    share: float = 1.0
    hold_s: float = 0.2
    rest_s: float = 0.3
    shapes: tuple[str, str] = ("smooth", "smooth")


@dataclass(frozen=True)
class Outcome:
    """The judged set."""

    scene: MeasurementContext
    measured: Measured
    judgement: Judgement
    codes: dict[str, tuple[int, ...]] = field(default_factory=dict)

    def unable(self) -> set[str]:
        """Names of the measures the film could not give."""
        return {u.measure for u in self.judgement.unmeasurable}


SHAPES: dict[str, Callable[[np.ndarray], np.ndarray]] = {
    "smooth": lambda u: (1 - np.cos(np.pi * u)) / 2,
    "sudden": lambda u: u,
    "falling": lambda u: u**2.6,
}


def programme(reps: list[Rep]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Times (T,) s, share (T,) of the far posture, and the rep (from 0) every frame belongs to."""
    total = 2.0 + sum(r.out_s + r.hold_s + r.back_s + r.rest_s for r in reps)
    times = np.arange(0, total, 1 / FPS)
    share, number, t = np.zeros_like(times), np.zeros(len(times), int), 1.0
    for i, r in enumerate(reps):
        out = SHAPES[r.shapes[0]](np.clip((times - t) / r.out_s, 0, 1))
        back = SHAPES[r.shapes[1]](np.clip((times - t - r.out_s - r.hold_s) / r.back_s, 0, 1))
        share += r.share * (out - back)
        number[times >= t - r.rest_s / 2] = i
        t += r.out_s + r.hold_s + r.back_s + r.rest_s
    return times, share, number


def sagittal(angle: np.ndarray) -> np.ndarray:
    """Unit vectors (T, 2) at angles (rad) from straight down, forward positive; picture axes, facing right."""
    return np.stack([np.sin(angle), np.cos(angle)], axis=1)


def places(pose: Pose, share: np.ndarray) -> Places:
    """Near (right) side's points (T, 2) px, with a bar, a waistband, the back's marks and a roller that belong to them."""
    mix = lambda ab: np.radians(ab[0] + share * (ab[1] - ab[0]))
    lean, hip, knee, ankle, elbow = (mix(v) for v in (pose.lean, pose.hip, pose.knee, pose.ankle, pose.elbow))
    if pose.leaning:
        thigh = hip - lean
        shank = thigh - knee
    else:
        shank = -ankle
        thigh = shank + knee
        lean = hip - thigh
    sole = shank + np.pi / 2 + ankle
    up = -sagittal(-lean)
    at = {"hip": np.zeros((len(share), 2))}
    at["shoulder"] = CM["trunk"] * up
    at["elbow"] = at["shoulder"] + 28 * sagittal(-lean + 0.1)
    at["wrist"] = at["elbow"] + 25 * sagittal(-lean + 0.1 + elbow)
    at["knee"] = CM["thigh"] * sagittal(thigh)
    at["ankle"] = at["knee"] + CM["shank"] * sagittal(shank)
    at["heel"] = at["ankle"] - 0.25 * CM["foot"] * sagittal(sole)
    at["toe"] = at["ankle"] + 0.75 * CM["foot"] * sagittal(sole)
    base = at[pose.anchor].copy()
    out = {f"{n}_right": v - base for n, v in at.items()}
    back = np.stack([-up[:, 1], up[:, 0]], axis=1)
    out["waistband"] = out["hip_right"] + 10 * up - 3 * back
    out["mid_back"] = out["hip_right"] + 30 * up
    out["roller"] = out["knee_right"] + 0.9 * CM["shank"] * sagittal(shank) - 5 * sagittal(shank + np.pi / 2)
    # a bar in long arms, close before the legs on its way straight up and down
    out["bar"] = np.column_stack([np.full(len(share), float(out["ankle_right"][0, 0]) + 6), out["shoulder_right"][:, 1] + 58])
    return {n: v * PX_PER_CM + np.array([640.0, 500.0]) for n, v in out.items()}


def in_front(pose: Pose, share: np.ndarray) -> Places:
    """Both sides' points (T, 2) px of a client seen from the front, her left on the picture's right."""
    assert pose.spread is not None
    half = np.radians(pose.spread[0] + share * (pose.spread[1] - pose.spread[0])) / 2
    out: Places = {}
    for side, sign in (("left", 1), ("right", -1)):
        hip = np.tile([sign * 11.0, 0.0], (len(share), 1))
        leg = sagittal(sign * half)
        out |= {f"hip_{side}": hip, f"knee_{side}": hip + 43 * leg, f"ankle_{side}": hip + 85 * leg}
        out |= {f"shoulder_{side}": hip + [sign * 7.0, -48.0], f"heel_{side}": hip + 90 * leg, f"toe_{side}": hip + 92 * leg}
    return {n: v * PX_PER_CM + np.array([640.0, 250.0]) for n, v in out.items()}


def marks_for(at: Places) -> Marks:
    """Marks that fit this body: pad and seat under the hip, the edge before the kneecap, the pivot at the knee."""
    hip, knee = at["hip_right"][0], at["knee_right"][0]
    thigh = (knee - hip) / np.linalg.norm(knee - hip)
    pad = np.array([hip + [-150.0, 30.0], hip + [150.0, 30.0]])
    if thigh[1] > 0.7:  # standing upright: the pad stands before the thigh
        pad = np.array([hip + [30.0, -150.0], hip + [30.0, 150.0]])
    shoulder = at["shoulder_right"][0]
    behind = np.array([shoulder + 1.5 * (hip - shoulder), shoulder - 0.3 * (hip - shoulder)]) - [9.0 * PX_PER_CM, 0.0]
    return Marks(pad_line=pad, seat_line=pad, back_pad=behind, bench_edge=knee - 4 * PX_PER_CM * thigh, pivot=knee.copy())


FREE = ("waistband", "mid_back", "roller", "bar")


def judged(
    movement: Movement,
    reps: list[Rep],
    tempo: str = "2-0-1-0",
    marks: Marks | None = None,
    pose: Pose | None = None,
    tweak: Tweak | None = None,
    free: tuple[str, ...] = (),
    schools: dict[str, str] | None = None,
) -> Outcome:
    """A set of this movement, measured and judged.

    tweak(places, weight) bends the body where weight (T,), 0 to 1, runs with the last rep. free: points placed beside the body's.
    """
    pose = pose or POSES[movement.id]
    times, share, number = programme(reps)
    view = "front" if pose.spread else "side-right"
    at = in_front(pose, share) if pose.spread else places(pose, share)
    if tweak is not None:
        tweak(at, np.where(number == len(reps) - 1, np.clip(share, 0, 1) ** 2, 0.0))
    names = tuple(n for n in at if n not in FREE or n in free)
    positions = np.stack([at[n] for n in names], axis=1)
    covariance = np.tile(np.eye(2 * len(names)) * 0.25, (len(times), 1, 1))
    track = Track(times, names, positions, covariance)
    angles = angle_series(track, view, UP, 0.5)
    series = rep_signal(angles, movement, view, times)
    found = find_reps(times, series.values, movement.first_phase, movement.min_range_deg)
    found = reps_of_the_set(found, movement, track, view)
    body, scale = Body(175, 75, "female", dict(CM)), Value(PX_PER_CM, 0.02)
    scene = MeasurementContext(
        track, view, angles, found, body, scale, parse_tempo(tempo), marks=marks or Marks(), platform_moves=movement.platform_moves
    )
    numbers = measure(scene)
    judgement = judge(scene, numbers, movement, CATALOGUE, schools or {})
    return Outcome(scene, numbers, judgement, {f.code: f.reps for f in judgement.findings})


def seconds(movement: Movement, lowering: float = 2.0, lifting: float = 1.0, share: float = 1.0, hold: float = 0.2) -> Rep:
    """A rep by its lowering and lifting, in the order this movement goes."""
    first, second = (lowering, lifting) if movement.first_phase == "eccentric" else (lifting, lowering)
    return Rep(first, second, share, hold)


def turned(names: tuple[str, ...], about: str, degrees: float) -> Tweak:
    """Turn points about another one, clockwise on the screen."""

    def bend(at: Places, weight: np.ndarray) -> None:
        a = np.radians(degrees) * weight
        for n in names:
            d = at[n] - at[about]
            at[n] = at[about] + np.stack([np.cos(a) * d[:, 0] - np.sin(a) * d[:, 1], np.sin(a) * d[:, 0] + np.cos(a) * d[:, 1]], axis=1)

    return bend


def _move(names: tuple[str, ...], by_cm: tuple[float, float], at: Places, weight: np.ndarray) -> None:
    for n in names or tuple(at):
        at[n] = at[n] + weight[:, None] * np.array(by_cm) * PX_PER_CM


def moved(names: tuple[str, ...], right_cm: float, down_cm: float) -> Tweak:
    """Move points by centimetres; all of them when none is named."""
    return partial(_move, names, (right_cm, down_cm))
