"""The back's roundness from its outline: known arcs laid behind a known line, rep by rep."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.back_outline import back_rounder, rep_outline
from deepmirror.core.measures.context import BackSeen, MeasurementContext, NotAsked
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.reps import find_reps
from deepmirror.core.trajectories import Track

Array = np.ndarray
THICK = 0.2  # of the line from hip to shoulder: back and shirt behind the joints


def hinges(turns_deg: list[float], lost_px: float = 0.0) -> MeasurementContext:
    """A set of hinges facing left, the trunk going from 5 to 75 degrees, each rep's back an arc of so many degrees where it is deepest.

    Every fourth frame is looked at. lost_px: how far the followed shoulder lies off, across the trunk, in the last rep.
    """
    times = np.arange(0, 3.0 * len(turns_deg), 1 / 30)
    down = (1 - np.cos(2 * np.pi * times / 3)) / 2
    lean = np.radians(5 + 70 * down)
    bend = np.radians(np.interp(times // 3, range(len(turns_deg)), turns_deg)) * down
    hip = np.tile([640.0, 400.0], (len(times), 1))
    line = 140 * np.stack([-np.sin(lean), -np.cos(lean)], axis=1)
    shoulder, behind = hip + line, np.stack([-line[:, 1], line[:, 0]], axis=1)
    along = np.linspace(0, 1, 15)
    bulge = THICK + arc_heights(along, bend)
    outline = hip[:, None] + along[None, :, None] * line[:, None] + bulge[..., None] * behind[:, None]
    looked = np.arange(len(times)) % 4 == 0
    outline[~looked] = np.nan
    followed = shoulder + lost_px * (times // 3 == len(turns_deg) - 1)[:, None] * behind / 140
    names = ("hip_left", "shoulder_left", "knee_left")
    track = Track(times, names, np.stack([hip, followed, hip + [0, 110.0]], axis=1), np.tile(np.eye(6), (len(times), 1, 1)))
    reps = find_reps(times, np.degrees(lean), "eccentric", 25.0)
    context = MeasurementContext(track, "side-left", angle_series(track, "side-left"), reps, Body(175, 70), None)
    return replace(context, back=BackSeen(outline, hip, shoulder))


def arc_heights(along: Array, turn: Array) -> Array:
    """Heights (T, K) of a circle's arc over its chord of length 1 where it turns by `turn` (T,) rad: plane geometry."""
    out = np.zeros((len(turn), len(along)))
    for i in np.flatnonzero(turn > 1e-6):
        radius = 0.5 / np.sin(turn[i] / 2)
        out[i] = np.sqrt(radius**2 - (along - 0.5) ** 2) - radius * np.cos(turn[i] / 2)
    return out


@pytest.mark.parametrize("turn_deg", [20.0, 40.0])
def test_a_rep_rounder_than_the_others_is_told_by_how_much(turn_deg: float) -> None:
    scene = hinges([0.0, turn_deg, 0.0, 0.0])
    got = [back_rounder(scene, rep) for rep in scene.reps]
    assert abs(got[1].value - turn_deg) <= got[1].u < 12 and got[1].value - got[1].u > 8
    assert all(abs(v.value) < 1 and v.u < 7 for k, v in enumerate(got) if k != 1)


def test_a_thick_back_or_a_loose_shirt_is_not_round() -> None:
    scene = hinges([15.0, 15.0, 15.0])
    assert max(abs(back_rounder(scene, rep).value) for rep in scene.reps) < 1, "it says what differs, and never that all are straight"


def test_a_joint_lost_in_one_rep_widens_the_doubt_and_accuses_nobody() -> None:
    for off_px in (-14.0, 14.0):
        scene = hinges([0.0, 0.0, 0.0], lost_px=off_px)
        got = [back_rounder(scene, rep) for rep in scene.reps]
        assert all(v.value - v.u < 0 for v in got), "neither the rep itself nor, beside it, the others"
        assert got[-1].u > back_rounder(hinges([0.0, 0.0, 0.0]), scene.reps[-1]).u + 3


def test_what_stands_behind_the_back_is_not_taken_for_it() -> None:
    """A plate on the floor behind: the outline steps out to it in some places."""
    scene = hinges([0.0, 0.0, 0.0])
    assert scene.back is not None
    outline = scene.back.outline.copy()
    behind = outline - scene.back.hip[:, None]
    last = scene.track.times > 6
    outline[last, 6:9] = scene.back.hip[last, None] + 1.5 * behind[last, 6:9]
    hidden = replace(scene, back=replace(scene.back, outline=outline), kept={})
    with pytest.raises(NotAsked, match="behind the back"):
        back_rounder(hidden, hidden.reps[2])
    assert abs(back_rounder(hidden, hidden.reps[0]).value) < 1


def test_one_repetition_alone_and_reps_of_other_depths_are_not_compared() -> None:
    scene = hinges([0.0, 30.0])
    alone = replace(scene, reps=scene.reps[:1], kept={})
    with pytest.raises(NotAsked, match="no straighter one"):
        back_rounder(alone, alone.reps[0])
    assert rep_outline(scene, scene.reps[0]).lean_deg == pytest.approx(75, abs=1)
    with pytest.raises(NotAsked, match="not looked for"):
        back_rounder(replace(scene, back=None), scene.reps[0])
