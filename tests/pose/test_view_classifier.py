"""The side a film is seen from, guessed from its first picture, against what the demo films were made with."""

from __future__ import annotations

import json

import numpy as np
import pytest

from deepmirror.media.film import Film
from deepmirror.pose.posture_class import look_at
from tests.conftest import DEMO, FILMS, MACHINES


@pytest.mark.parametrize("name", [n for n in (*FILMS, *MACHINES) if n != "bram_back_squat_side"])
def test_the_side_is_guessed(name: str) -> None:
    with Film(DEMO / f"{name}.mp4") as film:
        guessed = look_at([film.picture(0)]).view
    assert guessed == json.loads((DEMO / f"{name}.brief.json").read_text())["view"]


def test_an_unsure_body_or_an_empty_room_gives_no_guess() -> None:
    with Film(DEMO / "bram_back_squat_side.mp4") as film:  # the network is not sure of this first picture
        assert look_at([film.picture(0)]).view is None
    assert look_at([np.full((720, 1280, 3), 90, np.uint8)]).view is None
