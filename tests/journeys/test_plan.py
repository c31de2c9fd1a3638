"""The plan command as a user runs it."""

from __future__ import annotations

import json
from importlib import resources
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from deepmirror.__main__ import main
from deepmirror.exchange.plan_file import plan_schema, session_schema
from tests.planning.rig import CLEAN, EQUIPMENT, LUNGE, SQUAT, monday, plan, sets

SCHEMAS = resources.files("deepmirror.exchange") / "schemas"
FILE: dict[str, Any] = {
    "client": {"name": "A", "mass_kg": 70, "level": "trained", "units": "metric"},
    "equipment": EQUIPMENT,
    "plan": plan(SQUAT, LUNGE),
    "history": sets(monday(1), [10] * 3, form=CLEAN),
    "pain": [],
}


def run(tmp_path: Path, data: object, day: str = "2026-09-14") -> int:
    path = tmp_path / "client.json"
    path.write_text(data if isinstance(data, str) else json.dumps(data))
    return main(["plan", str(path), "--date", day])


@pytest.mark.parametrize(("name", "made"), [("plan", plan_schema), ("session", session_schema)])
def test_the_published_schemas_are_what_is_checked(name: str, made: Any) -> None:
    shipped = json.loads((SCHEMAS / f"{name}.schema.json").read_text("utf-8"))
    Draft202012Validator.check_schema(shipped)
    assert shipped == json.loads(json.dumps(made()))


def test_the_answer_has_the_contracts_shape(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    Draft202012Validator(plan_schema()).validate(FILE)
    assert run(tmp_path, FILE) == 0
    answer = json.loads(capsys.readouterr().out)
    Draft202012Validator(session_schema()).validate(answer)
    assert {"date", "session", "week", "lighter_week", "exercises", "weekly_sets", "stage", "films_due", "advice"} <= set(answer)
    squat, left, right = answer["exercises"]
    assert (squat["movement"], squat["change"], squat["gate"]) == ("back_squat", "raise", "open")
    work = squat["work"][0]
    assert (work["load_kg"], work["per_side_kg"], work["reps"], work["rir"]) == (62.5, [20, 1.25], [6, 10], 2)
    assert work["load_kg"] == 20 + 2 * sum(work["per_side_kg"])
    assert [w["load_kg"] for w in squat["warmup"]] == [20, 30, 45]
    assert squat["e1rm_kg"]["low"] == pytest.approx(84.0) and squat["e1rm_kg"]["high"] == pytest.approx(86.4)
    assert {left["side"], right["side"]} == {"left", "right"} and "per_side_kg" not in left["work"][0]
    assert answer["weekly_sets"] == {"quadriceps": 5.0, "glutes": 2.5, "hamstrings": 0.0, "calves": 0.0}


def test_a_client_who_thinks_in_pounds_reads_pounds(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(tmp_path, FILE | {"client": FILE["client"] | {"units": "imperial"}}) == 0
    squat = json.loads(capsys.readouterr().out)["exercises"][0]
    assert squat["work"][0]["load_kg"] == 62.5, "the file stays in kilograms"
    assert any("138 lb" in r for r in squat["reasons"]) and not any(" kg" in r for r in squat["reasons"])


def changed(part: str, **change: Any) -> dict[str, Any]:
    return FILE | {part: FILE[part] | change}


@pytest.mark.parametrize(
    ("data", "day"),
    [
        ("{", "2026-09-14"),
        ([], "2026-09-14"),
        ({k: v for k, v in FILE.items() if k != "plan"}, "2026-09-14"),
        (FILE, "14 September"),
        (FILE, "9999-12-31"),
        (changed("plan", start="9999-12-31"), "2026-09-14"),
        (changed("plan", sessions=[]), "2026-09-14"),
        (FILE | {"plan": plan(SQUAT | {"movement": "moon_walk"})}, "2026-09-14"),
        (FILE | {"plan": plan(SQUAT | {"reps": [10, 6]})}, "2026-09-14"),
        (FILE | {"plan": plan(SQUAT | {"tempo": "slow"})}, "2026-09-14"),
        (changed("client", rules={"no_such_rule": 1}), "2026-09-14"),
        (changed("client", rules={"pain_max": -1}), "2026-09-14"),
        (changed("equipment", bar_kg=-20), "2026-09-14"),
        (FILE | {"history": [FILE["history"][0] | {"load_kg": float("nan")}]}, "2026-09-14"),
        (FILE | {"history": [FILE["history"][0] | {"reps": 5, "clean_reps": 6}]}, "2026-09-14"),
        (FILE | {"pain": [{"date": "2026-09-10", "where": "knee", "level": 11}]}, "2026-09-14"),
    ],
)
def test_bad_input_is_one_clear_line(tmp_path: Path, capsys: pytest.CaptureFixture[str], data: object, day: str) -> None:
    assert run(tmp_path, data, day) == 2
    told = capsys.readouterr()
    assert told.out == "" and told.err.count("\n") == 1 and len(told.err) > 20


def test_unknown_keys_and_a_missing_file(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(tmp_path, FILE | {"of_a_newer_version": {"x": 1}}) == 0
    capsys.readouterr()
    assert main(["plan", str(tmp_path / "nobody.json"), "--date", "2026-09-14"]) == 2
    assert "cannot be read" in capsys.readouterr().err
