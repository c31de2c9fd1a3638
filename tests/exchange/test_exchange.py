"""Briefs in, measures out: checked against the published schemas."""

from __future__ import annotations

import csv
import io
import json
from importlib import resources
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from deepmirror.errors import BadBrief
from deepmirror.exchange.brief import brief_schema, check_brief, read_brief
from deepmirror.exchange.exports.reps_csv import rep_csv
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.records import measures_record
from tests.conftest import DEMO, FILMS

SCHEMAS = resources.files("deepmirror.exchange") / "schemas"
GOOD: dict[str, Any] = {"movement": "back_squat", "view": "side-left"}


def schema(name: str) -> Draft202012Validator:
    data = json.loads((SCHEMAS / f"{name}.schema.json").read_text())
    Draft202012Validator.check_schema(data)
    return Draft202012Validator(data)


def test_the_published_brief_schema_is_what_is_checked() -> None:
    assert json.loads((SCHEMAS / "brief.schema.json").read_text()) == json.loads(json.dumps(brief_schema()))
    for name in FILMS:
        schema("brief").validate(json.loads((DEMO / f"{name}.brief.json").read_text()))


@pytest.mark.parametrize(
    "change",
    [
        {"movement": ""},
        {"movement": None},
        {"view": "above"},
        {"tempo": "slow"},
        {"load_kg": -5},
        {"load_kg": float("nan")},
        {"client": {"stature_cm": 17}},
        {"client": {"segments_cm": {"thigh": -4}}},
        {"scale": {"points_px": [[1, 1], [1, 1]], "length_cm": 45}},
        {"scale": {"points_px": [[1, 1]], "length_cm": 45}},
        {"seeds": [{"frame": -1, "points_px": {}}]},
        {"seeds": [{"frame": 0, "points_px": {"antler": [1, 2]}}]},
        {"view": "front", "seeds": [{"frame": 0, "points_px": {"hip": [1, 2]}}]},
        {"marks": {"pivot": "left"}},
    ],
)
def test_a_bad_brief_is_refused_in_one_line(change: dict[str, Any]) -> None:
    with pytest.raises(BadBrief) as told:
        check_brief(GOOD | change)
    assert "\n" not in told.value.sentence


@pytest.mark.parametrize("text", ["", "[1, 2", "[]", "null", "{" * 5000])
def test_a_brief_that_is_not_json_is_refused(tmp_path: Path, text: str) -> None:
    path = tmp_path / "brief.json"
    path.write_text(text)
    with pytest.raises(BadBrief):
        read_brief(path)
    with pytest.raises(BadBrief):
        read_brief(tmp_path / "missing.json")


def test_seed_names_get_the_near_side() -> None:
    brief = check_brief(GOOD | {"seeds": [{"frame": 3, "points_px": {"hip": [1, 2], "knee_right": [3, 4], "bar": [5, 6]}}]})
    assert brief.seeds == ((3, {"hip_left": (1, 2), "knee_right": (3, 4), "bar": (5, 6)}),)


@pytest.mark.parametrize("name", FILMS)
def test_measures_follow_the_published_schema(analyses: dict[str, Analysis], name: str) -> None:
    record = json.loads(json.dumps(measures_record(analyses[name]), allow_nan=False))
    schema("measures").validate(record)
    frames = record["clip"]["frames"]
    assert all(len(p[k]) == frames for p in record["landmarks"].values() for k in ("x", "y", "sigma_px"))
    assert all(len(a) == frames for a in record["angles_deg"].values())


def test_the_table_of_reps_reads_back(analyses: dict[str, Analysis]) -> None:
    analysis = analyses["bram_back_squat_side"]
    rows = list(csv.DictReader(io.StringIO(rep_csv(analysis.scene.reps, analysis.measured.reps))))
    assert [int(r["rep"]) for r in rows] == [1, 2, 3, 4]
    assert float(rows[1]["eccentric_s"]) == pytest.approx(analysis.scene.reps[1].phases_s["eccentric"], abs=0.001)
    assert rows[3]["top_s"] == ""
