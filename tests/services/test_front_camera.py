"""Front films of the demo against their rendered camera: its pitch, the client's scale, and which movements are put into space."""

from __future__ import annotations

import json

import numpy as np
import pytest

from deepmirror.exchange.brief import check_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis, conclude
from tests.conftest import DEMO, truth_of

NAMES = ("yuna_back_squat_front", "oren_belt_squat_front")


def concluded(name: str, **changed: object) -> Analysis:
    brief = check_brief(json.loads((DEMO / f"{name}.brief.json").read_text()) | changed)
    with Film(DEMO / f"{name}.mp4") as film:
        return conclude(film.facts, brief, load_catalogue(), Evidence.load(DEMO / f"{name}.npz"))


@pytest.mark.parametrize("name", NAMES)
def test_the_cameras_pitch_is_told_within_its_doubt(name: str) -> None:
    away = np.array(truth_of(name)["camera"]["P"])[2, :3]
    true = float(np.degrees(np.arcsin(-away[2] / np.linalg.norm(away))))
    told = concluded(name).measured.film["camera_pitch_deg"]
    assert abs(told.value - true) < told.u < 6


def test_a_front_film_has_a_scale_without_a_known_length() -> None:
    brief = json.loads((DEMO / "yuna_back_squat_front.brief.json").read_text())
    with_length, without = concluded("yuna_back_squat_front"), concluded("yuna_back_squat_front", scale=None)
    assert brief.get("scale") is not None
    a, b = with_length.scene.px_per_cm, without.scene.px_per_cm
    assert a is not None and b is not None
    assert abs(a.value - b.value) < np.hypot(a.u, b.u)
    assert "stance_width_cm" in without.measured.film


def test_a_leg_set_back_is_left_in_the_picture() -> None:
    """A lunge's rear knee lies behind its ankle: what holds for legs side by side would put it before it."""
    lunging = concluded("yuna_back_squat_front", movement="split_squat")
    assert lunging.scene.frontal is None and "camera_pitch_deg" not in lunging.measured.film
    assert concluded("yuna_back_squat_front").scene.frontal is not None


def test_a_frontal_number_says_that_nearness_is_taken_out() -> None:
    knees = next(f for f in concluded("yuna_back_squat_front").judgement.findings if f.code == "knee_valgus")
    assert any("frontal plane" in line for line in knees.chain)
