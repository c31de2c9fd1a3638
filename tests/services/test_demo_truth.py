"""The demo films against their rendered truth: reps, tempo, angles, faults. The evidence ships; solving is done here."""

from __future__ import annotations

import json

import numpy as np
import pytest

from deepmirror.core.motion.reps import find_reps
from deepmirror.media.film import Film
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import result_of
from deepmirror.services.films.set_log import shown_set
from deepmirror.words import to_kept
from tests.conftest import DEMO, FILMS, MACHINES, truth_of

FRAME = 1 / 30
# faults that are told by comparing a set's repetitions may leave one of several unsaid
BY_THE_SET = {"partial_rep", "back_rounding"}


def true_reps(name: str) -> list:
    """The contract's boundaries (5 % of each phase's peak speed) of the noise-free truth."""
    truth = truth_of(name)
    angles = np.array(truth["angles_deg"][f"knee_flexion_{truth['near_side'] or 'left'}"])
    return find_reps(np.arange(truth["frames"]) / truth["fps"], angles, "eccentric", 25)


@pytest.mark.parametrize("name", FILMS)
def test_reps_and_phase_boundaries(analyses: dict[str, Analysis], name: str) -> None:
    got, want = analyses[name].scene.reps, true_reps(name)
    assert len(got) == len(want) == len(truth_of(name)["reps"])
    pairs = list(zip(got, want, strict=True))
    moments = ("start_s", "turn_start_s", "turn_end_s", "end_s")
    misses = {m: [abs(getattr(g, m) - getattr(w, m)) for g, w in pairs] for m in moments}
    assert np.median([x for m in moments for x in misses[m]]) <= FRAME
    # seen from the front a standing leg bends 8 degrees before the hip sinks by half a pixel: start and end are a model there
    limit = 2 * FRAME if truth_of(name)["near_side"] else 3 * FRAME
    assert all(np.median(misses[m]) <= limit for m in moments), misses


@pytest.mark.parametrize("name", FILMS)
def test_programmed_tempo_is_recovered(analyses: dict[str, Analysis], name: str) -> None:
    for rep, true in zip(analyses[name].scene.reps, truth_of(name)["reps"], strict=True):
        assert rep.phases_s["eccentric"] == pytest.approx(true["phases_s"]["eccentric"], abs=0.25)
        assert rep.bottom_s == pytest.approx(true["bottom_s"], abs=0.06)


@pytest.mark.parametrize("name", FILMS[:2])
def test_side_angles(analyses: dict[str, Analysis], name: str) -> None:
    truth, angles = truth_of(name), analyses[name].scene.angles
    side = truth["near_side"]
    for angle, limit in ((f"knee_flexion_{side}", 8.0), (f"hip_flexion_{side}", 8.0), ("trunk_lean", 4.0)):
        error = np.abs(angles[angle].values - np.array(truth["angles_deg"][angle]))
        assert np.median(error) < limit, angle


@pytest.mark.parametrize("name", (*FILMS, *MACHINES))
def test_planted_faults_are_found_and_nothing_else(analyses: dict[str, Analysis], name: str) -> None:
    truth, findings = truth_of(name), analyses[name].judgement.findings
    allowed = {t["code"] for t in truth["tolerated"]}
    for fault in truth["faults"]:
        codes = {fault["code"], *fault.get("accept_also", [])}
        allowed |= codes
        hit = [f for f in findings if f.code in codes]
        assert hit and ("reps" not in fault or {r for f in hit for r in f.reps} <= set(fault["reps"])), fault["code"]
        assert fault["code"] in BY_THE_SET or "reps" not in fault or {r for f in hit for r in f.reps} == set(fault["reps"])
    assert {f.code for f in findings} <= allowed


def test_front_view_measures(analyses: dict[str, Analysis]) -> None:
    name = "yuna_back_squat_front"
    truth, analysis = truth_of(name), analyses[name]
    for rep, true in zip(analysis.measured.reps, truth["reps"], strict=True):
        for side in ("left", "right"):
            seen = rep[f"fppa_{side}_deg"]
            assert seen.value == pytest.approx(true["measures"][f"fppa_max_deg_{side}"], abs=max(6, seen.u))
        assert rep["knee_ankle_separation_ratio_min"].value == pytest.approx(true["measures"]["knee_ankle_separation_ratio_min"], abs=0.06)
    assert analysis.measured.film["stance_width_cm"].value == pytest.approx(truth["measures"]["stance_width_cm"], abs=2)


@pytest.mark.parametrize("name", MACHINES)
def test_machine_sets_are_counted_and_measured(analyses: dict[str, Analysis], name: str) -> None:
    truth, analysis = truth_of(name), analyses[name]
    assert len(analysis.scene.reps) == len(truth["reps"])
    for values, true in zip(analysis.measured.reps, truth["reps"], strict=True):
        for key, least in (("hip_lift_cm", 0.5), ("knee_flexion_max_deg", 8.0)):
            if key in values and key in true["measures"]:
                assert abs(values[key].value - true["measures"][key]) <= max(values[key].u, least), key
    film = analysis.measured.film
    for key in ("pivot_misalignment_cm", "stance_width_cm", "toe_out_left_deg", "toe_out_right_deg"):
        if key in truth["measures"]:
            assert film[key].value == pytest.approx(truth["measures"][key], abs=film[key].u)


def test_a_clicked_foot_on_a_sled_does_not_turn_round(analyses: dict[str, Analysis]) -> None:
    """Flow catches platform and rail: where the sled carries the shoe must count for more than where the network guesses it."""
    name = "oren_leg_press_side"
    for values, true in zip(analyses[name].measured.reps, truth_of(name)["reps"], strict=True):
        told = values["dorsiflexion_max_deg"]
        assert abs(told.value - true["measures"]["dorsiflexion_max_deg_right"]) < told.u < 12


def test_toes_point_where_they_point_from_the_front(analyses: dict[str, Analysis]) -> None:
    name = "yuna_back_squat_front"
    for side in ("left", "right"):
        found, true = analyses[name].measured.film[f"toe_out_{side}_deg"], truth_of(name)["measures"][f"toe_out_{side}_deg"]
        assert abs(found.value - true) < min(found.u, 2.5)


def test_a_curling_pelvis_gets_two_answers_with_their_depths(analyses: dict[str, Analysis]) -> None:
    analysis = analyses["oren_leg_press_side"]
    finding = analysis.judgement.findings[0]
    assert finding.code == "pelvis_tuck" and len(finding.answers) == 2 and finding.change == finding.answers[0]
    assert finding.change.startswith("Stop a little earlier") and finding.answers[1].startswith("Open your knees about")
    assert analysis.judgement.breakdown is not None and analysis.judgement.breakdown[0] == 3
    stop = float(finding.change.split("about ")[1].split("°")[0])
    clean = max(analysis.measured.reps[i]["knee_flexion_max_deg"].value for i in (0, 1))
    broken = analysis.measured.reps[3]["knee_flexion_max_deg"].value
    assert stop == pytest.approx(clean, abs=1) and stop < broken - 10


def test_the_desks_lines_of_the_demo_are_what_the_engine_concludes(analyses: dict[str, Analysis]) -> None:
    kept = json.loads((DEMO / "results.json").read_text())
    for name, analysis in analyses.items():
        with Film(DEMO / f"{name}.mp4") as film:
            result = result_of(analysis, film)
            told = {"film": vars(result) | {"line": to_kept(result.line)}, "set": shown_set(analysis)}
            assert json.loads(json.dumps(told)) == kept[name], f"{name}: run scripts/evidence.py --conclude"


def test_knees_over_their_feet_are_told_from_caving_ones(analyses: dict[str, Analysis]) -> None:
    """As one sees it looking straight down: clean knees stand over the foot's line, caving ones a hand's breadth inside it."""
    for rep, caves in zip(analyses["yuna_back_squat_front"].measured.reps, (False, False, True, True), strict=True):
        for side in ("left", "right"):
            seen = rep[f"knee_inside_{side}_cm"]
            assert seen.value - seen.u > 8 if caves else seen.value < 6
            assert abs(rep["hip_shift_cm"].value) < rep["hip_shift_cm"].u  # nobody shifted
