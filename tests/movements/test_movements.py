"""Definitions are read, checked, and refused with file and place."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from deepmirror.core.measures import FILM_MEASURES, REP_MEASURES
from deepmirror.errors import BadMovement
from deepmirror.movements.loader import load_catalogue

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
    with pytest.raises(BadMovement, match=words) as told:
        load_catalogue(bad)
    changed = next(i for i, (a, b) in enumerate(zip(text.splitlines(), text.replace(*change, 1).splitlines(), strict=True)) if a != b)
    named = int(re.search(r"own_squat\.toml:(\d+)", told.value.sentence)[1])  # type: ignore[index]
    assert abs(named - 1 - changed) <= 6, (told.value.sentence, changed + 1)
