"""Definitions are read, checked, and refused with file and place."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from deepmirror.core.measures.table import MEASURES
from deepmirror.errors import BadMovement
from deepmirror.movements.loader import copy_definition, load_catalogue
from deepmirror.movements.pathways import pathways, pathways_for
from tests.core.measures_by_name import FILM_MEASURES, REP_MEASURES

SHIPPED = Path(__file__).resolve().parents[2] / "src" / "deepmirror" / "movements" / "data"


def test_every_shipped_definition_is_whole() -> None:
    catalogue = load_catalogue()
    assert {"back_squat", "lying_leg_curl"} <= set(catalogue.movements)
    for movement in catalogue.movements.values():
        assert movement.cautions and movement.setup and movement.fault
        assert any("not diagnose" in c for c in movement.cautions)
        for fault in movement.fault:
            assert fault.measure in REP_MEASURES or fault.measure in FILM_MEASURES
            assert all(t.source for t in fault.targets.values())


def test_an_unknown_movement_is_named() -> None:
    with pytest.raises(BadMovement, match="cartwheel"):
        load_catalogue().movement("cartwheel")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (('signal = "knee_flexion"', 'sigal = "knee_flexion"'), "sigal"),
        (("min_range_deg = 25", 'min_range_deg = "wide"'), "min_range_deg"),
        (('measure = "knee_past_toe_cm"', 'measure = "heel_height"'), "heel_height"),
        (('school = "parallel"', 'school = "deepest"'), "deepest"),
        (('code = "knee_past_toe"', 'code = "bar_wobble"'), "bar_wobble"),
        (('"even_feet"', '"odd_feet"'), "odd_feet"),
        (("[[fault]]", "[[fault]"), "own_squat.toml"),
    ],
)
def test_a_coachs_own_definition_is_checked(tmp_path: Path, change: tuple[str, str], words: str) -> None:
    text = (SHIPPED / "back_squat.toml").read_text().replace('id = "back_squat"', 'id = "own_squat"')
    good = tmp_path / "good"
    good.mkdir()
    (good / "own_squat.toml").write_text(text)
    assert load_catalogue(good).movement("own_squat").title == "Back squat"
    bad = tmp_path / "bad"
    bad.mkdir()
    assert change[0] in text
    (bad / "own_squat.toml").write_text(text.replace(*change, 1))
    (bad / "own_press.toml").write_text((SHIPPED / "leg_press.toml").read_text().replace('id = "leg_press"', 'id = "own_press"'))
    catalogue = load_catalogue(bad)
    (problem,) = catalogue.problems
    assert words in problem and "own_squat" not in catalogue.movements and "own_press" in catalogue.movements
    changed = next(i for i, (a, b) in enumerate(zip(text.splitlines(), text.replace(*change, 1).splitlines(), strict=True)) if a != b)
    named = int(re.search(r"own_squat\.toml:(\d+)", problem)[1])  # type: ignore[index]
    assert abs(named - 1 - changed) <= 6, (problem, changed + 1)


def listed(movement: str) -> set[str]:
    known = load_catalogue().movement(movement)
    return {name for name, spec in MEASURES.items() if known.lists(spec)}


def test_a_seated_client_is_told_nothing_of_her_heels_on_the_floor() -> None:
    squat, extension = listed("back_squat"), listed("leg_extension")
    assert {"heel_rise_cm", "knee_past_toe_cm", "trunk_lean_max_deg"} <= squat - extension
    assert {"knee_flexion_max_deg", "trunk_swing_deg", "pivot_misalignment_cm"} <= extension
    assert "heel_rise_cm" in listed("leg_press") and "heel_travel_cm" in listed("seated_calf_raise")  # judged by it
    assert {name for name in MEASURES if "stance_length" in name} <= listed("split_squat") - squat  # named by it
    assert "control_s" in listed("nordic_curl") and "control_s" not in extension
    assert "eccentric_share_pct" not in squat  # judged, and told as a time


def test_a_measure_named_for_the_list_must_be_known(tmp_path: Path) -> None:
    text = (SHIPPED / "split_squat.toml").read_text().replace('id = "split_squat"', 'id = "own_split"')
    (tmp_path / "own_split.toml").write_text(text.replace('"stance_length_cm"', '"ear_way_cm"'))
    (problem,) = load_catalogue(tmp_path).problems
    assert "ear_way_cm" in problem


def test_a_copy_is_named_apart_and_never_written_over(tmp_path: Path) -> None:
    path = copy_definition("leg_press", tmp_path / "movements")
    assert load_catalogue(path.parent).movement("own_leg_press").title == "Leg press"
    path.write_text(path.read_text().replace('title = "Leg press"', 'title = "Sled, garage"'))
    with pytest.raises(BadMovement, match="there already"):
        copy_definition("leg_press", path.parent)
    for name in ("cartwheel", "faults", "shared"):
        with pytest.raises(BadMovement, match="No shipped movement"):
            copy_definition(name, path.parent)
    load_catalogue.cache_clear()
    assert load_catalogue(path.parent).movement("own_leg_press").title == "Sled, garage"


def test_every_fault_has_a_drill_and_pathways_name_real_movements() -> None:
    catalogue = load_catalogue()
    assert all(text.drill for text in catalogue.faults.values())
    for pathway in pathways().values():
        assert set(pathway.instead) <= set(catalogue.movements) and len(pathway.steps) >= 3


@pytest.mark.parametrize(
    ("pain", "titles"),
    [
        (["left knee, stairs"], ["knee"]),
        (["low back", "Kneecap"], ["knee", "low back"]),
        (["kneeling is hard", "backpack"], []),
        ([], []),
    ],
)
def test_noted_pain_calls_for_its_pathway_by_whole_words(pain: list[str], titles: list[str]) -> None:
    found = pathways_for(pain)
    assert len(found) == len(titles) and all(t in p.title for t, p in zip(titles, found, strict=True))


@pytest.mark.parametrize(
    ("note", "place"),
    [
        ("both knees sore", "knee"),
        ("back of the left knee", "knee"),
        ("sciatica", "low back"),
        ("left hip pinches", "hip"),
        ("Achilles tendon", "Achilles"),
        ("backs of both thighs", "back of the thigh"),
        ("kneeling is fine", None),
    ],
)
def test_pain_calls_for_the_pathway_of_its_place(note: str, place: str | None) -> None:
    assert [place in p.title for p in pathways_for([note])] == ([True] if place else [])
