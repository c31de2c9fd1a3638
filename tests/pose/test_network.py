"""The pose network itself, as the program runs it."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.media.film import Film
from deepmirror.pose.network import IN_MIRROR, NETWORK_INDEX, Detector, LandmarkNetwork, Region
from tests.conftest import DEMO


def test_a_network_that_looks_into_a_mirror_sees_what_the_other_sees() -> None:
    """The same pixels reach it from a mirrored picture: left and right change places, and nothing else."""
    with Film(DEMO / "yuna_back_squat_front.mp4") as film:
        picture = film.picture(0)
    width = picture.shape[1]
    place = Detector().find(picture)[0][1]
    there = Region(width - 1 - place.x, place.y, place.side, -place.turn)
    plain = LandmarkNetwork("full").look(picture, place)
    mirrored = LandmarkNetwork("full", mirrored=True).look(np.ascontiguousarray(picture[:, ::-1]), there)
    assert np.allclose(mirrored.points[IN_MIRROR] * [-1, 1] + [width - 1, 0], plain.points, atol=0.1)
    assert mirrored.visibility[IN_MIRROR] == pytest.approx(plain.visibility, abs=1e-3)
    assert mirrored.sureness[IN_MIRROR] == pytest.approx(plain.sureness, abs=0.02)
    left, right = NETWORK_INDEX["knee_left"], NETWORK_INDEX["knee_right"]
    assert IN_MIRROR[left] == right and plain.points[left, 0] > plain.points[right, 0]  # seen from the front her left is on the right
