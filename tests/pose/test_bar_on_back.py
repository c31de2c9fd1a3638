"""A client with a bar, seen by a pinhole camera: the shoulder is told by the plate that hides it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.skeleton import points_for
from deepmirror.core.trajectories import Track
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.plate import BehindPlate, shoulder_behind_plate

FRAMES, FOCAL, DISTANCE = 60, 1150.0, 360.0
NAMES = points_for("side-left")
SHOULDER, HIP, KNEE, ANKLE, TOE = (NAMES.index(f"{j}_left") for j in ("shoulder", "hip", "knee", "ankle", "toe"))
DEEP = 0.5 - 0.5 * np.cos(np.linspace(0, 4 * np.pi, FRAMES))
TRUNK, CM = 46.0, FOCAL / DISTANCE
SHAKE = np.stack([9 * np.sin(np.arange(FRAMES) / 5), 6 * np.cos(np.arange(FRAMES) / 7) - 6], axis=1)
STILL = np.zeros((FRAMES, 2))
BODY = Body(measured_cm={"thigh": 42.0, "shank": 41.0, "trunk": 47.0})


def seen_at(places_cm: np.ndarray, nearer_cm: float = 0.0) -> np.ndarray:
    """(T, 2) px of places (T, 2) cm, across and up."""
    return np.array([640.0, 360.0]) + FOCAL / (DISTANCE - nearer_cm) * places_cm * [1, -1]


def squat(up: float = 3.0, behind: float = 7.0, beside: float = 6.0) -> tuple[np.ndarray, np.ndarray]:
    """Points (T, P, 2) px and the plate (T, 2) px of a squat to the left; the bar lies so on the back (cm), and the plate so far beside it
    in the picture as the camera stands a little askew."""
    lean = np.radians(12 + 32 * DEEP)
    along = np.stack([-np.sin(lean), np.cos(lean)], axis=1)
    back = np.stack([np.cos(lean), np.sin(lean)], axis=1)
    foot = np.array([-4.0, -90.0])
    hip_height = 40 - 45 * DEEP - 50
    bar = np.stack([np.full(FRAMES, foot[0] + 2), np.zeros(FRAMES)], axis=1)
    shoulder = bar - up * along - behind * back
    hip = shoulder - TRUNK * along
    lift = hip_height - hip[:, 1]
    bar, shoulder, hip = (p + np.stack([np.zeros(FRAMES), lift], axis=1) for p in (bar, shoulder, hip))
    ankle = np.tile(foot + [5, 0], (FRAMES, 1))
    middle = 0.5 * (hip + ankle)
    knee = ankle + np.stack([-20 * DEEP, np.sqrt(41.0**2 - (20 * DEEP) ** 2)], axis=1)
    points = np.repeat(seen_at(middle)[:, None], len(NAMES), axis=1)
    for at, place in ((SHOULDER, shoulder), (HIP, hip), (KNEE, knee), (ANKLE, ankle), (TOE, ankle - [18, 4])):
        points[:, at] = seen_at(place)
    return points, seen_at(bar + [beside, 0.0], 50.0)


def filmed(points: np.ndarray, plate: np.ndarray, guess_off: tuple[float, float] = (30.0, 25.0), shake: np.ndarray = STILL) -> Evidence:
    """What was seen: the network finds every point but the shoulder, which the plate hides."""
    rng = np.random.default_rng(4)
    network = points + rng.normal(0, 1.5, points.shape)
    network[:, SHOULDER] += guess_off + rng.normal(0, 20, (FRAMES, 2))
    network[1::2] = np.nan
    sigma = np.where(np.isfinite(network[..., 0]), 3.0, np.inf)
    sigma[::2, SHOULDER] = 15.0
    out = Evidence(np.arange(FRAMES) / 30, NAMES, network, sigma, plate=plate)
    out = replace(out, step=np.zeros_like(network), step_sigma=np.ones(sigma.shape))
    if shake.any():
        room = np.concatenate([np.tile(np.eye(2), (FRAMES, 1, 1)), shake[:, :, None]], axis=2)
        out = replace(out, room=room, network=network + shake[:, None], plate=plate + shake)
    return out


def told(evidence: Evidence, keys: tuple[Keyframe, ...] = (), movement: str = "back_squat", **held: frozenset[str]) -> BehindPlate | None:
    setting = FilmSetting(
        "side-left",
        BODY,
        load_catalogue().movement(movement),
        None,
        np.array([0.0, -1.0]),
        1.5,
        (1280, 720),
        held=held.get("held", frozenset()),
    )
    return shoulder_behind_plate(evidence, nothing_added(), keys, setting)


def nothing_added() -> Offsets:
    sigma = np.full((FRAMES, len(NAMES), 2), 8.0)
    sigma[:, SHOULDER] = 30.0
    return Offsets(np.zeros_like(sigma), sigma, np.full((FRAMES, len(NAMES)), np.pi / 2))


def lean(shoulder: np.ndarray, hip: np.ndarray) -> np.ndarray:
    way = shoulder - hip
    return np.degrees(np.arctan2(-way[:, 0], -way[:, 1]))


@pytest.mark.parametrize("shake", [STILL, SHAKE], ids=["tripod", "by hand"])
def test_without_a_click_the_back_leans_as_the_plate_says(shake: np.ndarray) -> None:
    points, plate = squat()
    found = told(filmed(points, plate, shake=shake))
    assert found is not None
    places = found.bar.shaken(found.shoulder.places) - shake
    off = lean(places, points[:, HIP]) - lean(points[:, SHOULDER], points[:, HIP])
    guess = lean(points[:, SHOULDER] + [30, 25], points[:, HIP]) - lean(points[:, SHOULDER], points[:, HIP])
    assert np.abs(off).max() < 6 < np.abs(guess).max()
    assert np.ptp(off) < 4  # what is left lasts
    miss = np.linalg.norm(places - points[:, SHOULDER], axis=1)
    assert (miss <= 2 * np.sqrt(np.trace(found.shoulder.covariance, axis1=1, axis2=2))).all()


@pytest.mark.parametrize(("up", "behind"), [(6.0, 6.0), (1.0, 11.0)], ids=["high on the back", "low on the back"])
def test_a_click_tells_how_the_bar_lies(up: float, behind: float) -> None:
    points, plate = squat(up, behind)
    found = told(filmed(points, plate), (Keyframe(0, {"shoulder_left": tuple(points[0, SHOULDER])}),))
    assert found is not None
    miss = np.linalg.norm(found.shoulder.places - points[:, SHOULDER], axis=1)
    carried = np.linalg.norm(points[0, SHOULDER] + plate - plate[0] - points[:, SHOULDER], axis=1)
    assert miss[0] < 3 and miss.max() < 9
    assert carried.max() > 14  # what flow on the plate would say
    assert (miss <= 2 * np.sqrt(np.trace(found.shoulder.covariance, axis1=1, axis2=2)) + 3).all()


def test_it_takes_the_place_of_what_was_seen_of_the_plate() -> None:
    points, plate = squat()
    plate[20:24] = np.nan
    evidence = filmed(points, plate)
    found = told(evidence)
    assert found is not None
    out, own = found.put(evidence, nothing_added())
    shown = np.isfinite(plate[:, 0])
    assert np.allclose(out.network[::2, SHOULDER][shown[::2]], found.shoulder.places[::2][shown[::2]])
    assert np.allclose(out.network[20:24:2, SHOULDER], evidence.network[20:24:2, SHOULDER])  # where no plate shows the network guesses on
    assert np.isfinite(out.step_sigma[5, SHOULDER]) and np.isinf(out.step_sigma[24, SHOULDER])
    assert np.isinf(out.match_sigma[:, SHOULDER]).all()
    assert own.sigma[0, SHOULDER].max() < 30 == own.sigma[20, SHOULDER].max()
    assert np.array_equal(out.network[:, KNEE], evidence.network[:, KNEE], equal_nan=True)


def test_the_bar_itself_is_told_without_a_click_and_a_clicked_one_stays() -> None:
    points, plate = squat()
    plate[20:24] = np.nan
    found = told(filmed(points, plate))
    assert found is not None
    track = Track(np.arange(FRAMES) / 30, tuple(NAMES), points, np.tile(np.eye(2 * len(NAMES)), (FRAMES, 1, 1)))
    bar = found.with_bar(track)
    assert bar.names == (*NAMES, "bar") and np.allclose(bar.point("hip_left"), points[:, HIP])
    shown = np.isfinite(plate[:, 0])
    assert np.ptp(bar.point("bar")[shown, 0]) < 3  # it goes straight up and down, nearer to the camera and through a squat
    fall = (plate[shown, 1] - plate[0, 1]).max() * (DISTANCE - 50) / DISTANCE
    assert (bar.point("bar")[shown, 1] - bar.point("bar")[0, 1]).max() == pytest.approx(fall, rel=0.06)
    assert (bar.hidden_sd("bar") > 0).tolist() == (~shown).tolist()
    assert bar.sigma("bar")[0] > 2 * bar.sigma("hip_left")[0]  # where it lies on the back is not known so well
    assert found.with_bar(bar) is bar


def test_a_hip_that_was_solved_to_hang_nowhere_near_the_bar_is_known_to_be_lost() -> None:
    points, plate = squat()
    found = told(filmed(points, plate))
    assert found is not None
    points[40, [HIP, KNEE]] -= [0.0, 90.0]
    track = Track(np.arange(FRAMES) / 30, tuple(NAMES), points, np.tile(np.eye(2 * len(NAMES)), (FRAMES, 1, 1)))
    lost = found.with_lost_hips(track)
    for name in ("hip_left", "knee_left"):
        assert lost.sigma(name)[40] > 100 < lost.hidden_sd(name)[40]
        assert np.delete(lost.sigma(name), 40).max() < 2
    assert lost.sigma("ankle_left").max() < 2


def test_a_look_whose_hip_hangs_nowhere_near_the_bar_saw_something_else() -> None:
    points, plate = squat()
    evidence = filmed(points, plate)
    evidence.network[30, [HIP, KNEE]] += [0.0, -90.0]
    found = told(evidence)
    assert found is not None and np.flatnonzero(found.shoulder.astray).tolist() == [30]
    out, _ = found.put(evidence, nothing_added())
    assert np.isnan(out.network[30, HIP]).all() and np.isinf(out.network_sigma[30, KNEE])
    assert np.linalg.norm(found.shoulder.places[30] - points[30, SHOULDER]) < 25


def test_a_shoulder_that_the_network_never_saw_is_told_all_the_same() -> None:
    points, plate = squat()
    evidence = filmed(points, plate)
    evidence.network_sigma[:, SHOULDER] = np.inf
    evidence.network[:, SHOULDER] = np.nan
    found = told(evidence)
    assert found is not None
    off = lean(found.shoulder.places, points[:, HIP]) - lean(points[:, SHOULDER], points[:, HIP])
    assert np.abs(off).max() < 7


def test_what_does_not_go_together_tells_nothing() -> None:
    points, plate = squat()
    assert told(filmed(points, plate + [0.0, 260.0])) is None  # a wheel on the floor
    rare = plate.copy()
    rare[: FRAMES * 2 // 3] = np.nan
    assert told(filmed(points, rare)) is None
    assert told(filmed(points, np.empty((0, 2)))) is None


def test_a_held_shoulder_and_a_movement_without_a_bar_are_left_alone() -> None:
    evidence = filmed(*squat())
    assert told(evidence, held=frozenset({"shoulder_left"})) is None
    assert told(evidence, movement="goblet_squat") is None
