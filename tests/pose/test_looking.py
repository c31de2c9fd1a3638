"""What a film's looks tell as evidence: a point is believed as surely as the network's own map holds it to be there."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.media.film import Film
from deepmirror.pose.looking import SURE, looks_as_evidence, unsureness
from deepmirror.pose.network import COLUMNS, NETWORK_INDEX, Detector, LandmarkNetwork
from tests.conftest import DEMO

NAMES = list(ALL_POINTS)
PLACES = {"shoulder": (300, 100), "hip": (300, 260), "knee": (310, 380), "ankle": (300, 500), "heel": (285, 520), "toe": (340, 520)}


def looks(frames: int = 8) -> np.ndarray:
    """Somebody who stands (T, P, 2) px, her right leg 60 px beside the left one."""
    network = np.array([[PLACES.get(n.rpartition("_")[0], (300, 60)) for n in NAMES]] * frames, float)
    network[:, [n.endswith("_right") for n in NAMES]] += [60, 0]
    return network


def test_doubt_grows_where_the_map_does_not_hold_the_point_and_nowhere_else() -> None:
    assert unsureness(np.array([1.0, SURE, np.nan])) == pytest.approx([1, 1, 1])
    less = unsureness(np.array([0.5, 0.4, 0.3, 0.2, 0.0]))
    assert np.all(np.diff(less) > 0) and less[0] < 1.5 and less[2] > 3, "as joints lay off in open films (see looking)"


def test_an_unsure_point_is_unsure_in_its_own_look_alone() -> None:
    network, sure = looks(), np.full((8, len(NAMES)), 0.8)
    ankle, knee = NAMES.index("ankle_left"), NAMES.index("knee_left")
    sure[3, ankle] = 0.2
    seen = looks_as_evidence(np.arange(8) / 30, NAMES, network, np.full_like(network, np.nan), sure)
    usual = seen.network_sigma[0, ankle]
    assert seen.network_sigma[3, ankle] == pytest.approx(usual * unsureness(np.array([0.2]))[0])
    assert np.delete(seen.network_sigma[:, ankle], 3) == pytest.approx(np.full(7, usual))
    assert seen.network_sigma[3, knee] == pytest.approx(seen.network_sigma[0, knee])


def test_where_legs_were_taken_for_one_another_the_doubt_goes_with_its_leg() -> None:
    network, sure = looks(), np.full((8, len(NAMES)), 0.8)
    left, right = (NAMES.index(f"ankle_{side}") for side in ("left", "right"))
    sure[:, left] = 0.3
    pairs = [(NAMES.index(f"{j}_left"), NAMES.index(f"{j}_right")) for j in ("hip", "knee", "ankle", "heel", "toe")]
    for a, b in pairs:
        network[5, [a, b]], sure[5, [a, b]] = network[5, [b, a]], sure[5, [b, a]]
    seen = looks_as_evidence(np.arange(8) / 30, NAMES, network, np.full_like(network, np.nan), sure)
    assert seen.network[5] == pytest.approx(looks()[5])
    assert (seen.network_sigma[:, left] > 3 * seen.network_sigma[:, right]).all()


def test_the_network_is_less_sure_of_feet_that_something_hides() -> None:
    with Film(DEMO / "yuna_back_squat_front.mp4") as film:
        picture = film.picture(0)
    place, network = Detector().find(picture)[0][1], LandmarkNetwork("full")
    shown = network.look(picture, place)
    feet = [NETWORK_INDEX[f"{j}_{side}"] for j in ("ankle", "heel", "toe") for side in ("left", "right")]
    knees = [NETWORK_INDEX[f"knee_{side}"] for side in ("left", "right")]
    low = int(np.average([shown.points[knees, 1].mean(), shown.points[feet, 1].mean()], weights=[0.5, 0.5]))
    hidden = picture.copy()
    hidden[low:] = (90, 70, 50)
    covered = network.look(hidden, place)
    assert shown.sureness[COLUMNS].min() >= 0 and shown.sureness[COLUMNS].max() <= 1
    assert covered.sureness[feet].mean() < SURE < shown.sureness[feet].min()
    assert covered.sureness[feet].mean() < 0.6 * shown.sureness[feet].mean()
    assert covered.sureness[feet].mean() < covered.sureness[knees].mean() - 0.15, "of what shows it stays surer"
