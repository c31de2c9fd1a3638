"""Feet before a front film's camera off the straight line, on synthetic squats turned by known angles."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.measures.context import CannotTell, MeasurementContext
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Value
from tests.core.measures_by_name import FILM_MEASURES

BODY = Body(170, 65, "female", {"shank": 40.0, "thigh": 42.0, "foot": 25.0})
FRAMES, FPS, PX = 60, 30.0, 3.0
REPS = [(0.0, 1.0)]  # start and far turn-round, s


def film(turn_deg: float, view: str = "front", toe_out: tuple[float, float] = (15, 15), cave_left_cm: float = 0.0) -> Track:
    """A squat seen by a far camera; the body is turned to her left by turn_deg. Own coordinates: left, up, forward (cm)."""
    depth = np.sin(np.linspace(0, np.pi, FRAMES)) ** 2
    places: dict[str, np.ndarray] = {}
    for side, sign, out in (("left", 1, toe_out[0]), ("right", -1, toe_out[1])):
        ankle = np.tile([sign * 17.0, 8.0, 0.0], (FRAMES, 1))
        knee = np.stack([sign * (15.0 + 6 * depth), 48 - 8 * depth, 30 * depth], axis=1)
        knee[:, 0] -= cave_left_cm * depth * (side == "left")
        hip = np.stack([np.full(FRAMES, sign * 9.0), 90 - 45 * depth, -12 * depth], axis=1)
        way = np.array([sign * np.sin(np.radians(out)), 0.0, np.cos(np.radians(out))])
        heel = ankle - [0, 8, 0] - 6 * way
        places |= {f"hip_{side}": hip, f"knee_{side}": knee, f"ankle_{side}": ankle, f"heel_{side}": heel, f"toe_{side}": heel + 25 * way}
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    right = 1 if view == "front" else -1
    seen = {n: np.stack([right * (p[:, 0] * c + p[:, 2] * s), -p[:, 1]], axis=1) * PX + 400 for n, p in places.items()}
    positions = np.stack(list(seen.values()), axis=1)
    return Track(np.arange(FRAMES) / FPS, tuple(seen), positions, np.tile(np.eye(2 * len(seen)), (FRAMES, 1, 1)))


def scene_of(track: Track, told: Value | None) -> MeasurementContext:
    rep = Rep(1, 0.0, 1.0, 1.0, 2.0, {}, 90.0, {}, {}, {})
    return MeasurementContext(track, "front", {}, [rep], BODY, Value(PX, 0.05), front_yaw=told)


@pytest.mark.parametrize("turn", [-12.0, -6.0, 6.0, 12.0])
def test_a_client_who_stands_turned_has_no_uneven_feet(turn: float) -> None:
    """Both feet turned out by 15° before a camera off the line: uncorrected one would read 27° and the other 3°."""
    scene = scene_of(film(turn), Value(turn + 1.5, 4.0))
    for side in ("left", "right"):
        found = FILM_MEASURES[f"toe_out_{side}_deg"](scene)
        assert abs(found.value - 15) < min(found.u, 4.5)
    assert FILM_MEASURES["toe_out_asymmetry_deg"](scene).value < 9


def test_feet_that_are_uneven_stay_so_and_are_the_less_sure_the_less_the_turn_is_known() -> None:
    known, unknown = (FILM_MEASURES["toe_out_asymmetry_deg"](scene_of(film(0, toe_out=(38, 8)), told)) for told in (Value(0.0, 3.0), None))
    assert known.value == unknown.value == pytest.approx(30, abs=2)
    assert unknown.u > 2 * known.u > 8


def test_a_camera_far_off_the_line_is_refused() -> None:
    scene = scene_of(film(25.0), Value(25.0, 4.0))
    with pytest.raises(CannotTell, match="25° off"):
        FILM_MEASURES["toe_out_left_deg"](scene)
