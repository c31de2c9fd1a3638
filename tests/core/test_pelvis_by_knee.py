"""A pelvis that curls off the seat of a press, told by the knee: a leg of two rods on a platform, its hip hidden."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.context import CannotTell, Marks, MeasurementContext, NotAsked
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from tests.core.measures_by_name import REP_MEASURES

PX, THIGH, SHANK, REP_S = 2.5, 44.0, 42.0, 4.0  # px per cm, cm, cm, s
SEAT = np.array([0.0, 0.0])


def knee_of(hip: np.ndarray, ankle: np.ndarray) -> np.ndarray:
    """Where the rods meet, above the line from hip to ankle: plane geometry."""
    line = ankle - hip
    apart = float(np.hypot(*line))
    along = (THIGH**2 - SHANK**2 + apart**2) / (2 * apart)
    up = np.array([-line[1], line[0]]) / apart
    return hip + along * line / apart + np.sqrt(max(THIGH**2 - along**2, 0.0)) * (up if up[1] > 0 else -up)


def presses(
    lifts_cm: list[float],
    slide: float = 0.0,
    deeper_cm: float = 0.0,
    mirror: bool = False,
    hidden_px: float = 0.0,
    travel_cm: float = 38.0,
    hip_read: float = 0.0,
    hip_hidden_px: float = 0.0,
) -> MeasurementContext:
    """A set on a press whose pelvis leaves the seat by so much at each rep's deepest, sliding `slide` of it towards the platform; the
    second rep goes deeper_cm further. Of the lift the hip that is followed takes part by the share hip_read. hidden_px: of the knee and of
    the hip, throughout."""
    times = np.arange(0, REP_S * len(lifts_cm), 1 / 30)
    down = (1 - np.cos(2 * np.pi * times / REP_S)) / 2
    rep = (times // REP_S).astype(int)
    way = np.array([-np.cos(np.radians(25)), -np.sin(np.radians(25))])  # of the platform, towards the client
    travel = (travel_cm + deeper_cm * (rep == 1)) * down
    ankle = np.array([70.0, 38.0]) + travel[:, None] * way
    lift = np.array(lifts_cm)[rep] * np.clip((down - 0.5) / 0.5, 0, 1) ** 1.5
    hip = SEAT + lift[:, None] * np.array([slide, 1.0])
    knee = np.array([knee_of(h, a) for h, a in zip(hip, ankle, strict=True)])
    flip = np.array([-1.0 if mirror else 1.0, -1.0])
    to_px = lambda p: np.array([640.0, 500.0]) + PX * flip * p
    followed = to_px(SEAT + hip_read * (hip - SEAT))
    shoulder = np.tile(to_px(np.array([-35.0, 35.0])), (len(times), 1))
    side = "left" if mirror else "right"
    names = tuple(f"{j}_{side}" for j in ("shoulder", "hip", "knee", "ankle"))
    unseen = np.zeros((len(times), 4))
    unseen[:, 1:3] = hip_hidden_px, hidden_px
    track = Track(
        times, names, np.stack([shoulder, followed, to_px(knee), to_px(ankle)], axis=1), np.tile(np.eye(8), (len(times), 1, 1)), unseen
    )
    angles = angle_series(track, f"side-{side}")
    reps = find_reps(times, angles[f"knee_flexion_{side}"].values, "eccentric", 25.0)
    pad = np.array([to_px(SEAT - [30.0, 9.0]), to_px(SEAT + [20.0, -9.0])])
    return MeasurementContext(
        track, f"side-{side}", angles, reps, Body(178), Value(PX, 0.05), marks=Marks(pad_line=pad), platform_moves=True
    )


def told(scene: MeasurementContext, number: int) -> Value:
    return REP_MEASURES["pelvis_by_knee_cm"](scene, scene.reps[number - 1])


@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("slide", [0.0, 0.4])
def test_a_rep_whose_pelvis_curls_is_told_though_the_hip_is_hidden(mirror: bool, slide: float) -> None:
    scene = presses([0.0, 0.0, 4.5, 0.0], slide, mirror=mirror)
    found = told(scene, 3)
    assert abs(found.value - 4.5) < found.u < 3.5 and found.value - found.u > 1.5
    assert REP_MEASURES["hip_lift_cm"](scene, scene.reps[2]).value < 0.5, "the hip itself shows none of it"
    for number in (1, 2, 4):
        with pytest.raises(NotAsked, match="surely"):
            told(scene, number)


def test_hip_and_knee_together_tell_what_neither_tells_alone() -> None:
    """A hand before the hip: of its lift six tenths are read, and those unsurely; the knee alone is too unsure as well."""
    hidden = {"hip_read": 0.6, "hip_hidden_px": 4.0}
    scene = presses([0.0, 0.0, 3.2, 0.0], **hidden)
    together, knee = (REP_MEASURES[n](scene, scene.reps[2]) for n in ("hip_lift_more_cm", "pelvis_by_knee_cm"))
    hip_alone = replace(scene, platform_moves=False, kept={})
    hip = REP_MEASURES["hip_lift_more_cm"](hip_alone, hip_alone.reps[2])
    assert together.value - together.u > 1.5 > max(knee.value - knee.u, hip.value - hip.u)
    assert abs(together.value - 3.2) < together.u < 2.0
    for number in (1, 2, 4):
        with pytest.raises(NotAsked, match="surely"):
            REP_MEASURES["hip_lift_more_cm"](scene, scene.reps[number - 1])


def test_a_hip_that_shows_and_stays_speaks_against_the_knee() -> None:
    shown, unseen = presses([0.0, 0.0, 2.8, 0.0]), presses([0.0, 0.0, 2.8, 0.0], hip_hidden_px=6.0)
    assert told(shown, 3) == told(unseen, 3)
    weighed = REP_MEASURES["hip_lift_more_cm"](unseen, unseen.reps[2])
    assert weighed.value > weighed.u
    with pytest.raises(NotAsked, match="surely"):
        REP_MEASURES["hip_lift_more_cm"](shown, shown.reps[2])


def test_a_rep_that_only_goes_deeper_is_not_accused() -> None:
    for deeper in (-8.0, 5.0):
        scene = presses([0.0, 0.0, 0.0], deeper_cm=deeper)
        for number in (1, 2, 3):
            with pytest.raises(NotAsked):
                told(scene, number)


def test_where_every_rep_curls_or_the_knee_is_hidden_too_nothing_is_told() -> None:
    with pytest.raises(NotAsked, match="surely"):
        told(presses([4.0, 4.0, 4.0]), 2)
    with pytest.raises(NotAsked, match="surely"):
        told(presses([0.0, 4.5, 0.0], hidden_px=25.0), 2)
    with pytest.raises(NotAsked, match="single"):
        told(presses([4.5]), 1)


def test_what_is_no_press_is_refused() -> None:
    scene = presses([0.0, 4.0, 0.0], travel_cm=20.0)
    still = scene.track.positions.copy()
    still[:, 3] = still[:1, 3] + 0.1 * (still[:, 3] - still[:1, 3])
    with pytest.raises(CannotTell, match="hardly travels"):
        told(replace(scene, track=replace(scene.track, positions=still), kept={}), 2)
    with pytest.raises(NotAsked, match="nothing that moves"):
        told(replace(scene, platform_moves=False, kept={}), 2)
    with pytest.raises(CannotTell, match="not marked"):
        told(replace(scene, marks=Marks(), kept={}), 2)
