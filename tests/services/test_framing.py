"""How a camera stands, in words; and marks of a machine brought to where it stands now."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.media.film import Film
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.live.camera_place import camera_move, marks_here
from deepmirror.services.live.framing import framing_of, turned_deg
from tests.conftest import DEMO


def looks(name: str) -> tuple[np.ndarray, list[np.ndarray]]:
    seen = Evidence.load(DEMO / f"{name}.npz")
    network = seen.only(list(ALL_POINTS)).network
    with Film(DEMO / f"{name}.mp4") as film:
        return film.picture(0), [network[k] for k in np.flatnonzero(np.isfinite(network[:, 0, 0]))[:5]]


@pytest.mark.parametrize("name", ["tove_back_squat_side", "ines_lying_curl_side", "oren_leg_press_side"])
def test_a_good_place_is_said_to_be_one(name: str) -> None:
    picture, seen = looks(name)
    side = json.loads((DEMO / f"{name}.brief.json").read_text())["view"]
    assert framing_of(picture, seen, side).fits and turned_deg(np.median(seen, axis=0)) < 20


def test_what_is_wrong_is_said_in_words() -> None:
    picture, seen = looks("tove_back_squat_side")
    assert framing_of(picture, [], "side-left").words == ("Nobody is in the picture.",)
    low = [p + [0, 200] for p in seen]
    assert framing_of(picture, low, "side-left").words[0].startswith("The feet are cut off: tilt the camera down")
    assert "Too dark" in framing_of((picture * 0.1).astype(np.uint8), seen, "side-left").words[-1]
    far = [p * 0.3 + 300 for p in seen]
    assert "come nearer" in framing_of(picture, far, "side-left").words[-1]
    front, from_front = looks("yuna_back_squat_front")
    assert "too far round" in framing_of(front, from_front, "side-left").words[0]
    assert framing_of(front, from_front, "front").fits


def test_a_camera_that_moved_a_little_carries_the_marks_along(demo_library: FilmLibrary) -> None:
    with Film(DEMO / "ines_lying_curl_side.mp4") as film:
        before = film.picture(0)
    moved = np.roll(before, (8, 24), axis=(0, 1))
    place = camera_move(before, moved)
    assert place is not None and np.allclose(place[:, 2], [24, 8], atol=0.5)
    store = demo_library.store
    same = marks_here(store, "Curl bench, boat shed", "side-left", before, (1280, 720))
    assert same is not None and same.fit and same.moved_px < 1
    small = np.ascontiguousarray(moved[::2, ::2])
    here = marks_here(store, "Curl bench, boat shed", "side-left", small, (1280, 720))
    assert here is not None and here.fit and "moved by" in here.words
    for name, points in here.drawn().items():
        assert np.allclose(np.array(points) - np.array(same.drawn()[name]), [24, 8], atol=2.0)
    assert here.fields()["marks_taken_over"] is True
    other = marks_here(store, "Curl bench, boat shed", "side-left", np.roll(before, 400, axis=1), (1280, 720))
    assert other is not None and not other.fit and "anew" in other.words
    elsewhere = marks_here(store, "Curl bench, boat shed", "side-left", np.full_like(before, 90), (1280, 720))
    assert elsewhere is not None and not elsewhere.fit
    assert marks_here(store, "no machine", "side-left", before, (1280, 720)) is None


def test_a_folder_without_films_has_no_marks(library: FilmLibrary, tmp_path: Path) -> None:
    assert marks_here(library.store, "Curl bench, boat shed", "side-left", np.zeros((90, 160, 3), np.uint8), (160, 90)) is None
