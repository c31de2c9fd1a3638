"""The table of measures: what it says of a measure is true of it."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deepmirror.core.measures.context import CannotTell, Remedy
from deepmirror.core.measures.spec import MeasureSpec
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.kinematics import angle_series
from deepmirror.core.motion.series import SERIES, series_spec
from deepmirror.core.uncertain_value import Value
from scripts.measures_table import PAGE, page
from tests.core.test_measures import REP, front, squat_side

UNITS = {"deg": "°", "cm": "cm", "pct": "%", "s": "s", "ratio": "", "min": ""}


@pytest.mark.parametrize("spec", MEASURES.values(), ids=list(MEASURES))
def test_a_measure_is_counted_as_its_name_ends(spec: MeasureSpec) -> None:
    ending = spec.name.rsplit("_", 1)[1]
    if not spec.name.endswith("_per_s") and spec.name != "px_per_cm":
        assert spec.unit.split(" ")[0] == UNITS[ending]
    assert spec.title and spec.source and spec.views
    assert spec.series is None or series_spec(spec.series)
    assert not (spec.series and series_spec(spec.series).front_only) or spec.views == ("front",)


@pytest.mark.parametrize("name", [n for n, m in MEASURES.items() if m.needs])
def test_a_measure_without_its_mark_asks_for_one(name: str) -> None:
    spec, scene = MEASURES[name], front() if MEASURES[name].views == ("front",) else squat_side()
    with pytest.raises(CannotTell) as told:
        spec.compute(scene, REP) if spec.per_rep else spec.compute(scene)
    assert told.value.advice.remedy is Remedy.MARK


@pytest.mark.parametrize("name", [n for n, m in MEASURES.items() if m.views == ("side",) and not m.needs])
def test_a_side_measure_is_not_told_from_the_front(name: str) -> None:
    spec, scene = MEASURES[name], front()
    with pytest.raises(CannotTell):
        spec.compute(scene, REP) if spec.per_rep else spec.compute(scene)


def test_every_series_of_the_body_is_known_by_name() -> None:
    for scene in (squat_side(), front()):
        assert all(series_spec(name) in SERIES.values() for name in angle_series(scene.track, scene.view))


def test_the_page_of_measures_is_the_table() -> None:
    assert PAGE.read_text("utf-8") == page()


def test_a_number_of_which_the_doubt_leaves_nothing_is_refused() -> None:
    spec = replace(MEASURES["knee_flexion_max_deg"], compute=lambda: Value(90.0, 39.0))
    assert spec.value() == Value(90.0, 39.0)
    with pytest.raises(CannotTell, match="lost"):
        replace(spec, compute=lambda: Value(90.0, 41.0)).value()
