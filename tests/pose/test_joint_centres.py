"""Where joints' centres lie beside the network's points, as read from the picture around them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from scipy.signal import correlate2d

from deepmirror.core.skeleton import ALL_POINTS, near_side
from deepmirror.media.film import Film
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.joint_centres import PATCH, CentreReader, patches, run, weights
from deepmirror.pose.network import COLUMNS, Detection, LandmarkNetwork, region_around
from deepmirror.pose.offsets import READ_LASTS, JointOffsetPrior, offsets
from deepmirror.pose.posture import posture_of
from tests.conftest import DEMO, truth_of

LEG = ("hip", "knee", "ankle")


def look_at(name: str, frame: int) -> tuple[np.ndarray, Detection, np.ndarray]:
    """A picture of a demo film, what the network sees in it, and where the joints truly are (P, 2) px, NaN where that is not known."""
    truth = truth_of(name)["landmarks_px"]
    places = np.array([truth[n][frame] if n in truth else [np.nan, np.nan] for n in ALL_POINTS])
    with Film(DEMO / f"{name}.mp4") as film:
        rgb = film.picture(frame)
    region = region_around({n: (float(x), float(y)) for n, (x, y) in zip(ALL_POINTS, places, strict=True) if np.isfinite(x)})
    assert region is not None
    network = LandmarkNetwork("heavy")
    return rgb, network.look(rgb, network.look(rgb, region).next_region()), places


@pytest.fixture(scope="module")
def squat() -> tuple[np.ndarray, Detection, np.ndarray]:
    return look_at("tove_back_squat_side", 0)


def test_a_convolution_is_the_reference_librarys_at_every_second_place() -> None:
    """Checked against SciPy's correlate2d."""
    rng = np.random.default_rng(3)
    pictures, learned = rng.random((1, 3, PATCH, PATCH), np.float32), weights()
    known = rng.random((1, learned["known_weight"].shape[1])).astype(np.float32)
    x = pictures[0].astype(float)
    for k in range(4):
        kernel, bias = learned[f"kernel_{k}"].astype(float), learned[f"bias_{k}"]
        whole = [sum(correlate2d(x[c], kernel[d, :, :, c], mode="same") for c in range(len(x))) + bias[d] for d in range(len(kernel))]
        x = np.maximum(np.array(whole)[:, ::2, ::2], 0)
    seen = np.maximum(learned["seen_weight"] @ x.ravel() + learned["seen_bias"], 0)
    told = np.maximum(learned["known_weight"] @ known[0] + learned["known_bias"], 0)
    both = np.maximum(learned["both_weight"] @ np.concatenate([seen, told]) + learned["both_bias"], 0)
    expected = learned["out_weight"] @ both + learned["out_bias"]
    assert run(learned, pictures, known)[0] == pytest.approx(expected, abs=1e-4)


def test_the_little_picture_shows_the_joint_in_its_middle_the_limb_downward_and_the_client_facing_right(
    squat: tuple[np.ndarray, Detection, np.ndarray],
) -> None:
    points = squat[1].points[COLUMNS]
    for patch in patches(points, "side-left"):
        put = points @ patch.to_patch[:, :2].T + patch.to_patch[:, 2]
        assert put[ALL_POINTS.index(patch.name)] == pytest.approx([PATCH / 2 - 0.5] * 2)
        assert np.linalg.det(patch.to_patch[:, :2]) < 0  # who faces left is seen in a mirror
        if patch.name == "hip_left":
            hip, knee = put[ALL_POINTS.index("hip_left")], put[ALL_POINTS.index("knee_left")]
            assert knee[0] == pytest.approx(hip[0], abs=1e-6) and knee[1] > hip[1]
    heel, toe = (put[ALL_POINTS.index(f"{j}_left")] for j in ("heel", "toe"))
    assert toe[0] > heel[0]


def test_in_a_mirror_the_same_is_read(squat: tuple[np.ndarray, Detection, np.ndarray]) -> None:
    rgb, seen, _ = squat
    view = truth_of("tove_back_squat_side")["view"]
    other = {"side-left": "side-right", "side-right": "side-left"}[view]
    mirrored = seen.points.copy()
    mirrored[:, 0] = rgb.shape[1] - 1 - mirrored[:, 0]
    names = [n.replace("left", "-").replace("right", "left").replace("-", "right") for n in ALL_POINTS]
    order = [COLUMNS[ALL_POINTS.index(n)] for n in names]
    points, visibility = seen.points.copy(), seen.visibility.copy()
    points[COLUMNS], visibility[COLUMNS] = mirrored[order], seen.visibility[order]
    square = seen.to_picture * [[-1], [1]]
    straight = CentreReader(view).read(rgb, seen)
    back = CentreReader(other).read(
        np.ascontiguousarray(rgb[:, ::-1]), replace(seen, points=points, visibility=visibility, to_picture=square)
    )
    for joint in LEG:
        own, there = ALL_POINTS.index(f"{joint}_{near_side(view)}"), ALL_POINTS.index(f"{joint}_{near_side(other)}")
        assert back.move[there] == pytest.approx(straight.move[own] * [-1, 1], abs=0.3)
        assert back.sigma[there] == pytest.approx(straight.sigma[own], rel=0.05)


def test_a_client_who_lies_is_read_as_one_who_stands(squat: tuple[np.ndarray, Detection, np.ndarray]) -> None:
    """The network looks into a square that is turned with the trunk, and so was all that was learned from."""
    rgb, seen, _ = squat
    view = truth_of("tove_back_squat_side")["view"]
    quarter = np.array([[0, 1], [-1, 0]])  # np.rot90: what was right is up
    laid = replace(seen, points=seen.points @ quarter.T + [0, rgb.shape[1] - 1], to_picture=quarter @ seen.to_picture)
    straight, lying = CentreReader(view).read(rgb, seen), CentreReader(view).read(np.ascontiguousarray(np.rot90(rgb)), laid)
    near = [ALL_POINTS.index(f"{j}_{near_side(view)}") for j in LEG]
    assert lying.move[near] == pytest.approx(straight.move[near] @ quarter.T, abs=0.3)


def test_a_picture_twice_as_large_gives_twice_the_distances(squat: tuple[np.ndarray, Detection, np.ndarray]) -> None:
    rgb, seen, _ = squat
    view = truth_of("tove_back_squat_side")["view"]
    large = np.asarray(cv2.resize(rgb, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR), np.uint8)
    once, twice = CentreReader(view).read(rgb, seen), CentreReader(view).read(large, replace(seen, points=2 * seen.points + 0.5))
    near = [ALL_POINTS.index(f"{j}_{near_side(view)}") for j in LEG]
    assert twice.move[near] == pytest.approx(2 * once.move[near], abs=0.1 * float(np.abs(once.sigma[near]).max()))
    assert np.isnan(
        once.move[[i for i in range(len(ALL_POINTS)) if i not in near and not ALL_POINTS[i].endswith(near_side(view) or "")]]
    ).all()


@pytest.mark.parametrize("name", ["tove_back_squat_side", "bram_back_squat_side", "oren_leg_press_side"])
def test_what_is_read_lies_nearer_to_the_joints_than_the_networks_points(name: str) -> None:
    """Of the demo's films, drawn otherwise than what the reading was learned from: in the mean over three looks each."""
    view = truth_of(name)["view"]
    at = [ALL_POINTS.index(f"{j}_{near_side(view)}") for j in LEG]
    before, after = [], []
    for frame in (0, 40, 80):
        rgb, seen, places = look_at(name, frame)
        read = CentreReader(view).read(rgb, seen)
        before.append(np.linalg.norm(places[at] - seen.points[COLUMNS][at], axis=1))
        after.append(np.linalg.norm(places[at] - seen.points[COLUMNS][at] - read.move[at], axis=1))
        assert (after[-1] < 2.5 * np.hypot(*read.sigma[at].T)).all()
    assert np.mean(after) < 0.75 * np.mean(before)


def evidence_with_centres() -> Evidence:
    """Forty looks at somebody who stands, with a centre read beside every hip, 4 px in front of it."""
    names = list(ALL_POINTS)
    places = {"shoulder": (300, 100), "hip": (300, 260), "knee": (310, 380), "ankle": (300, 500), "heel": (285, 520), "toe": (340, 520)}
    network = np.array([[places.get(n.rpartition("_")[0], (300, 60)) for n in names]] * 40, float)
    network[:, [n.endswith("_left") for n in names]] += [3, 0]
    centre, sigma = np.full(network.shape, np.nan), np.full(network.shape, np.inf)
    for p, name in enumerate(names):
        if name.startswith("hip"):
            centre[:, p], sigma[:, p] = (4, 0) if name.endswith("right") else (9, 0), (2.0, 1.0)
    return Evidence(np.arange(40) / 30, names, network, np.full(network.shape[:2], 3.0), centre=centre, centre_sigma=sigma)


def test_what_is_usual_and_what_was_read_count_by_their_doubts() -> None:
    seen = evidence_with_centres()
    habits = {j: JointOffsetPrior(0.1, 0.0, 0.05) for j in ("hip", "knee")}
    hip, knee = seen.names.index("hip_right"), seen.names.index("knee_right")
    thigh = np.array([10, 120]) / np.hypot(10, 120)
    usual, read = 0.1 * np.hypot(10, 120) * thigh, np.array([4.0, 0.0])

    def moved(sigma: float) -> np.ndarray:
        doubted = replace(seen, centre_sigma=np.where(np.isfinite(seen.centre_sigma), sigma, np.inf))
        return np.asarray(offsets(doubted, [], habits, posture_of(seen, "side-right")).move[20])

    assert moved(0.01)[hip] == pytest.approx(read, abs=0.01)
    assert moved(1000.0)[hip] == pytest.approx(usual, abs=0.01)
    assert moved(0.05 * np.hypot(10, 120) / READ_LASTS)[hip] == pytest.approx((usual + read) / 2, abs=0.01)  # each as sure as the other
    assert moved(0.01)[knee] == pytest.approx(usual, abs=0.01)  # where nothing was read, what is usual holds


def test_what_was_read_leaves_less_to_doubt_and_less_for_a_click_to_move() -> None:
    seen, habits = evidence_with_centres(), {"hip": JointOffsetPrior(0.0, 0.0, 0.06)}
    hip, unread = (
        seen.names.index("hip_right"),
        replace(seen, centre_sigma=np.full_like(seen.centre_sigma, np.inf), centre=seen.centre * np.nan),
    )

    def told(evidence: Evidence, clicked: bool) -> tuple[float, np.ndarray]:
        click = Keyframe(0, {"hip_right": (300.0, 272.0)}, 6.0)  # down the thigh by a tenth of its length, by an unsure hand
        own = offsets(evidence, [click] if clicked else [], habits, posture_of(evidence, "side-right"))
        return float(np.linalg.norm(own.sigma[20, hip])), own.move[20, hip]

    (sure, read), (unsure, usual) = told(seen, False), told(unread, False)
    assert sure < 0.5 * unsure
    moved, far = told(seen, True)[1] - read, told(unread, True)[1] - usual
    assert 0 < moved[1] < 0.5 * far[1] < 6


def test_a_picture_that_shows_less_makes_the_joint_less_sure() -> None:
    seen, habits = evidence_with_centres(), {"hip": JointOffsetPrior(0.0, 0.0, 0.05)}
    doubt = seen.centre_sigma.copy()
    doubt[30:] *= 2
    before, after = (offsets(e, [], habits, posture_of(e, "side-right")) for e in (seen, replace(seen, centre_sigma=doubt)))
    hip = seen.names.index("hip_right")
    assert after.sigma[5, hip] == pytest.approx(before.sigma[5, hip])
    assert after.sigma[35, hip] == pytest.approx(2 * before.sigma[35, hip])


def test_a_joint_that_the_network_mostly_does_not_find_may_lie_elsewhere_throughout_whatever_is_read_there() -> None:
    seen, habits = evidence_with_centres(), {j: JointOffsetPrior(0.0, 0.0, 0.05) for j in ("hip", "knee")}
    hip, knee = seen.names.index("hip_right"), seen.names.index("knee_right")

    def throughout(times_unsurer: float, looks: int = 40) -> np.ndarray:
        sigma = seen.network_sigma.copy()
        sigma[:looks, hip] = times_unsurer * 0.035 * shank_px(seen.network, seen.names)  # of the shank: what is usual for hips
        return offsets(replace(seen, network_sigma=sigma), [], habits, posture_of(seen, "side-right")).sigma[20].mean(axis=1)

    usual, guessed, once = throughout(1.0), throughout(3.0), throughout(3.0, looks=10)
    assert guessed[hip] > 4 * usual[hip] and guessed[knee] == pytest.approx(usual[knee])
    assert once == pytest.approx(usual), "ten looks of forty are not most"


def test_what_was_read_belongs_to_its_look_whatever_is_done_with_it(tmp_path: Path) -> None:
    seen = evidence_with_centres()
    left, right = seen.names.index("hip_left"), seen.names.index("hip_right")
    other = seen.swapped([(10, 12)])
    assert other.centre[11, right] == pytest.approx([9, 0]) and other.centre[13, right] == pytest.approx([4, 0])
    assert other.swapped([(10, 12)]).centre == pytest.approx(seen.centre, nan_ok=True)
    elsewhere = seen.network.copy()
    elsewhere[5, left] += [30, 0]
    elsewhere[7, left] = np.nan
    moved = seen.with_network(elsewhere, seen.network_sigma)
    assert np.isnan(moved.centre[5, left]).all() and moved.centre[6, left] == pytest.approx([9, 0])
    assert np.isinf(moved.centre_sigma[[5, 7], left]).all() and np.isnan(moved.centre[7, left]).all()
    assert seen.only(["hip_right", "knee_right"]).centre[0] == pytest.approx(np.array([[4, 0], [np.nan, np.nan]]), nan_ok=True)
    assert len(seen.between(5, 15).centre) == 10
    seen.save(tmp_path / "seen.npz")
    assert Evidence.load(tmp_path / "seen.npz").centre == pytest.approx(seen.centre, nan_ok=True)
