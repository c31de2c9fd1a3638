"""The build command as a user runs it."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from deepmirror.__main__ import main

CLIENT = {"stature_cm": 172, "mass_kg": 70, "sex": "female", "segments_cm": {"thigh": 43.0}, "limits_deg": {"ankle_dorsiflexion": 30}}


@pytest.fixture
def client(tmp_path: Path) -> Path:
    path = tmp_path / "client.json"
    path.write_text(json.dumps(CLIENT))
    return path


def test_the_answer_has_the_contracts_shape(client: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["build", str(client), "--movement", "back_squat", "--depth", "20", "--load-kg", "40"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["feasible"] is True and answer["binding_limit"] is None
    assert answer["posture_deg"]["thigh_from_horizontal"] == pytest.approx(20)
    assert answer["lengths_cm"]["thigh"] == {"value": 43.0, "source": "measured"}
    assert answer["lengths_cm"]["shank"] == {"value": pytest.approx(0.246 * 172, abs=0.01), "source": "predicted"}
    assert {"ankle", "knee", "hip", "low_back"} == set(answer["moments_nm"])
    heel = next(lever for lever in answer["levers"] if lever["change"] == "heel_lift_cm")
    assert heel["by"] == 2 and heel["depth_gain_deg"] > 0 and heel["lean_change_deg"] <= 0


def test_an_ask_that_cannot_be_met_is_answered_with_the_limit(client: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["build", str(client), "--depth", "-25"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert answer["feasible"] is False and answer["binding_limit"]
    assert answer["posture_deg"]["thigh_from_horizontal"] > -25


@pytest.mark.parametrize(
    ("words", "part"),
    [(["--depth", "low"], "--depth"), (["--movement", "cartwheel"], "cartwheel"), (["--heel-lift-cm", "99"], "--heel-lift-cm")],
)
def test_bad_words_are_one_line_and_exit_2(client: Path, capsys: pytest.CaptureFixture[str], words: list[str], part: str) -> None:
    assert main(["build", str(client), *words]) == 2
    out, err = capsys.readouterr()
    assert not out and part in err and len(err.strip().splitlines()) == 1


def test_every_movement_is_listed(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["movements"]) == 0
    assert len(capsys.readouterr().out.strip().splitlines()) >= 25
