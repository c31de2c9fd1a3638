"""What the demo's shoes tell, against the rendered truth: a level sole in standing sets, a sole's edge in all the others."""

from __future__ import annotations

import json

import numpy as np
import pytest

from deepmirror.core.geometry import signed_turn
from deepmirror.exchange.brief import check_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis, conclude
from tests.conftest import DEMO, truth_of

STANDING = ("tove_back_squat_side", "bram_back_squat_side", "tove_romanian_side")
IN_THE_AIR = ("ines_lying_curl_side", "nuru_leg_extension_side", "oren_leg_press_side")


@pytest.mark.parametrize("name", STANDING)
def test_a_standing_clients_sole_is_level_and_her_ankle_counts_from_it(name: str, analyses: dict[str, Analysis]) -> None:
    analysis, truth = analyses[name], truth_of(name)
    slope = analysis.measured.film["sole_slope_deg"]
    assert abs(slope.value) < slope.u < 7
    found = analysis.scene.angles[f"ankle_dorsiflexion_{truth['near_side']}"]
    error = np.abs(found.values - np.array(truth["angles_deg"][f"ankle_dorsiflexion_{truth['near_side']}"])[: len(found.values)])
    assert np.median(error) < 2.5 and np.percentile(error, 95) < 4.5


@pytest.mark.parametrize("name", IN_THE_AIR)
def test_a_foot_on_a_machine_has_no_standing_slope(name: str, analyses: dict[str, Analysis]) -> None:
    assert "sole_slope_deg" not in analyses[name].measured.film
    plane = analyses[name].scene.plane
    assert plane is not None and not len(plane.standing)


@pytest.mark.parametrize("name", [n for n in (*STANDING, *IN_THE_AIR) if n != "ines_lying_curl_side"])
def test_the_soles_edge_points_where_the_shoe_points(name: str) -> None:
    sole, truth = Evidence.load(DEMO / f"{name}.npz").sole, truth_of(name)
    heel, toe = (np.array(truth["landmarks_px"][f"{j}_{truth['near_side']}"])[: len(sole)] for j in ("heel", "toe"))
    d = toe - heel
    away = np.degrees(sole[: len(d)] - np.arctan2(d[:, 1], d[:, 0]) + np.pi) % 360 - 180
    assert np.isfinite(away).mean() > 0.2
    assert np.sqrt(np.nanmean(away**2)) < 2.2 and np.nanpercentile(np.abs(away), 95) < 4


def test_a_held_shoe_stays_where_it_was_clicked() -> None:
    name = "nuru_leg_extension_side"
    brief = json.loads((DEMO / f"{name}.brief.json").read_text())
    frame, clicks = brief["seeds"][0]["frame"], brief["seeds"][0]["points_px"]
    turned = []
    for held in ([], ["heel_left", "toe_left"]):
        with Film(DEMO / f"{name}.mp4") as film:
            analysis = conclude(film.facts, check_brief(brief | {"held": held}), load_catalogue(), Evidence.load(DEMO / f"{name}.npz"))
        d = analysis.scene.track.point("toe_left")[frame] - analysis.scene.track.point("heel_left")[frame]
        clicked = np.subtract(*(clicks.get(f"{j}_left", clicks.get(j)) for j in ("toe", "heel")))
        turned.append(abs(float(signed_turn(clicked[None], d[None])[0])))
    assert turned[1] < 0.5 < turned[0], turned


def test_a_sole_hidden_by_a_roller_tells_nothing() -> None:
    assert not np.isfinite(Evidence.load(DEMO / "ines_lying_curl_side.npz").sole).any()
