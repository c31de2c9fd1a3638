"""A disc in drawn pictures: found from a few, followed through all, and not seen where there is none."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.disc import DiscFollower, find_disc
from deepmirror.pose.evidence import Evidence, usual_network_sigma
from deepmirror.pose.plate import beside_plate, find_plate, up_down

SHANK = 115.0
SHOULDER = np.array([400.0, 300.0])
PATH = SHOULDER + [20, -25] + np.stack([30 * np.sin(np.arange(40) / 6), 70 * (1 - np.cos(np.arange(40) / 6))], axis=1)
BRIGHT = ((62, 40.0), (40, 90.0), (9, 190.0))


def picture(disc: np.ndarray | None, rings: tuple[tuple[int, float], ...] = BRIGHT, noise: float = 3.0, hidden: bool = False) -> np.ndarray:
    rng = np.random.default_rng(8)
    grey = np.kron(rng.integers(118, 142, (15, 16)), np.ones((50, 50)))
    if disc is not None:
        at = tuple(round(float(v) * 16) for v in disc)
        for radius, shade in rings:
            cv2.circle(grey, at, radius * 16, shade, -1, shift=4)
    if hidden:
        grey[:, 320:500] = 128
    return np.clip(cv2.GaussianBlur(grey, (0, 0), 0.8) + rng.normal(0, noise, grey.shape), 0, 255).astype(np.uint8)


@pytest.mark.parametrize("rings", [BRIGHT, ((75, 112.0),)], ids=["with rings", "hardly darker than the wall"])
def test_a_disc_is_found_from_a_few_pictures_wherever_it_is_in_them(rings: tuple[tuple[int, float], ...]) -> None:
    places = PATH[::8]
    found = find_disc([picture(at, rings, noise=1.5) for at in places], places - [20, -25], SHANK)
    assert found is not None
    disc, centres = found
    assert min(abs(disc.radius - radius) for radius, _ in rings) < 2.5
    assert np.linalg.norm(centres - places, axis=1).max() < 1.5


def test_a_wall_holds_no_disc() -> None:
    assert find_disc([picture(None)] * 3, np.tile(SHOULDER, (3, 1)), SHANK) is None


def test_it_is_followed_missed_where_it_is_hidden_and_found_again() -> None:
    found = find_disc([picture(at) for at in PATH[::8]], PATH[::8] - [20, -25], SHANK)
    assert found is not None
    follower, gone = DiscFollower(found[0], SHANK), range(18, 24)
    seen = np.array([follower.find(picture(at, hidden=i in gone), at - [20, -25]) for i, at in enumerate(PATH)])
    assert np.isnan(seen[list(gone)]).all()
    clear = [*range(18), *range(27, len(PATH))]
    assert np.linalg.norm(seen[clear] - PATH[clear], axis=1).max() < 1.5


def test_it_grows_as_it_comes_nearer() -> None:
    found = find_disc([picture(PATH[0])] * 2, np.tile(SHOULDER, (2, 1)), SHANK)
    assert found is not None
    follower, base = DiscFollower(found[0], SHANK), round(found[0].radius)
    sizes = [base + k // 4 for k in range(24)]
    seen = [follower.find(picture(PATH[0], ((size, 40.0),)), SHOULDER) for size in sizes]
    assert np.linalg.norm(np.array(seen) - PATH[0], axis=1).max() < 2


def test_a_picture_without_it_or_a_place_outside_shows_nothing() -> None:
    found = find_disc([picture(PATH[0])] * 2, np.tile(SHOULDER, (2, 1)), SHANK)
    assert found is not None
    for away in ((4000.0, -900.0), (-2500.0, 300.0)):
        assert np.isnan(DiscFollower(found[0], SHANK).find(picture(None), np.array(away))).all()


def looked(ear: np.ndarray, ear_clear: bool = True) -> Evidence:
    network = np.full((6, len(ALL_POINTS), 2), np.nan)
    places = {"shoulder_left": SHOULDER, "ear_left": ear, "knee_left": np.array([400.0, 480.0]), "ankle_left": np.array([400.0, 595.0])}
    for name, at in places.items():
        network[:, ALL_POINTS.index(name)] = at
    sigma = np.tile(usual_network_sigma(list(ALL_POINTS), SHANK), (6, 1))
    sigma[:, ALL_POINTS.index("ear_left")] *= 1.0 if ear_clear else 4.0
    return Evidence(np.arange(6) / 30, list(ALL_POINTS), network, sigma)


def test_a_head_is_no_plate_but_a_plate_before_the_head_is() -> None:
    at, small = SHOULDER + [0, -55], ((35, 40.0),)
    pictures = [(frame, picture(at, small)) for frame in range(6)]
    assert find_plate(pictures, looked(at), "shoulder_left") is None
    assert find_plate(pictures, looked(at, ear_clear=False), "shoulder_left") is not None
    assert find_plate(pictures, looked(at + [0, -80]), "shoulder_left") is not None
    large = [(frame, picture(at)) for frame in range(6)]
    assert find_plate(large, looked(at), "shoulder_left") is not None


def test_a_plate_is_looked_for_where_the_bar_is() -> None:
    catalogue = load_catalogue()
    assert beside_plate(catalogue.movement("back_squat"), "left") == "shoulder_left"
    assert beside_plate(catalogue.movement("romanian_deadlift"), "right") == "wrist_right"
    assert beside_plate(catalogue.movement("back_squat"), None) is None
    assert beside_plate(catalogue.movement("leg_press"), "left") is None


def test_a_bar_in_the_hands_lies_further_down_than_one_on_the_back() -> None:
    at = SHOULDER + [0, 0.8 * SHANK]
    pictures = [picture(at)] * 3
    points = np.tile(SHOULDER, (3, 1))
    found = find_disc(pictures, points, SHANK, up_down("wrist_left"))
    assert found is not None
    assert np.linalg.norm(found[1] - at, axis=1).max() < 2
    on_back = find_disc(pictures, points, SHANK, up_down("shoulder_left"))
    assert on_back is None or np.linalg.norm(on_back[1] - at, axis=1).max() > 10
