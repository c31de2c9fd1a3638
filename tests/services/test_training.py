"""A client's training in the library: plan, log, pain and overrides, and the five stories of the demo."""

from __future__ import annotations

import shutil
from datetime import date
from pathlib import Path

import pytest

from deepmirror.errors import BadPlan, LibraryError
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.reference_marks import marks_of_machine
from deepmirror.services.films.review import Review
from deepmirror.services.training import carry, plan_edits
from deepmirror.services.training.training_file import Gate, LoadChange, PlannedLift
from deepmirror.store.training import DoneRecord
from tests.conftest import DEMO
from tests.services.training_rig import Open

DATA = Path(__file__).parent.parent / "data"
# The demo tells its five stories


def test_the_demo_has_a_stalled_lift_a_gated_rise_a_returning_knee_a_weak_side_and_a_lighter_week(training: Open) -> None:
    stalled = training("Ines").next()
    assert stalled is not None and stalled.lifts[0].change is LoadChange.LOWER and "two sessions running" in stalled.lifts[0].because
    gated = training("Oren").next()
    assert gated is not None
    curl = next(x for x in gated.lifts if x.movement == "seated_leg_curl")
    assert curl.change is LoadChange.HOLD and curl.gate.gate is Gate.CANNOT_TELL and any("would allow more" in r for r in curl.reasons)
    knee = training("Nuru").next()
    assert knee is not None and [(s.region, s.stage.number) for s in knee.stages] == [("knee", 2)]
    assert knee.lifts[0].change is LoadChange.LOWER and knee.lifts[0].tempo == "3-0-3-0"
    yuna = training("Yuna")
    weak = yuna.next(date(2026, 3, 8))
    assert weak is not None and [x.side for x in weak.lifts if x.movement == "split_squat"] == ["right", "left"]
    lighter = training("Tove").next()
    assert lighter is not None and lighter.lighter
    assert training("Bram").silent_days() == 8


# Plan


def test_plan_edits_are_saved_and_undone_also_after_reopening(training: Open) -> None:
    file = training("Tove")
    before = file.must_have_plan()
    file.edit_plan(plan_edits.set_exercise(before, 0, 0, sets="4", reps=("5", "8"), rest_s="180"))
    file.edit_plan(plan_edits.add_exercise(file.must_have_plan(), 1, file.usual("lying_leg_curl")))
    file.edit_plan(plan_edits.move_exercise(file.must_have_plan(), 1, 2, -1))
    file.edit_plan(plan_edits.shift_week(file.must_have_plan()))
    assert file.can_undo() == "shift the plan by 1 week"
    file.undo()
    again = training("Tove")
    assert again.must_have_plan() == file.must_have_plan() and again.can_redo() == "shift the plan by 1 week"
    assert [e.movement for e in again.must_have_plan().sessions[1].exercises] == ["hip_thrust", "lying_leg_curl", "seated_calf_raise"]
    assert again.must_have_plan().sessions[0].exercises[0].reps == (5, 8)
    while again.can_undo():
        again.undo()
    assert again.must_have_plan() == before == training("Tove").must_have_plan()


@pytest.mark.parametrize("wrong", [{"sets": "0"}, {"reps": ("9", "5")}, {"tempo": "slow"}, {"rir": "many"}, {"implement": "rope"}])
def test_what_no_plan_can_say_is_refused_and_changes_nothing(training: Open, wrong: dict[str, object]) -> None:
    file = training("Tove")
    before = file.must_have_plan()
    with pytest.raises(BadPlan) as told:
        file.edit_plan(plan_edits.set_exercise(before, 0, 0, **wrong))
    assert file.must_have_plan() == before and "\n" not in told.value.sentence


def test_templates_carry_a_plan_to_another_client(training: Open) -> None:
    file, other = training("Tove"), training("Bram")
    file.keep_template("Squat and hinge")
    assert "Squat and hinge" in other.templates()
    other.use_template("Squat and hinge", date(2026, 3, 9))
    assert other.must_have_plan().start == date(2026, 3, 9)
    assert other.must_have_plan().sessions == file.must_have_plan().sessions
    with pytest.raises(LibraryError, match="name"):
        file.keep_template("  ")


def test_a_plan_keeps_one_exercise_and_only_movements_that_are_known(training: Open) -> None:
    file = training("Tove")
    plan = file.must_have_plan()
    with pytest.raises(BadPlan, match="at least one"):
        _, left = plan_edits.remove_exercise(plan.model_copy(update={"sessions": plan.sessions[:1]}), 0, 0)
        plan_edits.remove_exercise(left, 0, 0)
    with pytest.raises(BadPlan, match="moon"):
        file.usual("moon_walk")


# Log


def test_a_session_is_offered_logged_corrected_and_taken_out_with_its_history(training: Open) -> None:
    file = training("Tove")
    session = file.next()
    assert session is not None
    rows = file.offered(session)
    assert [(r.movement, r.load_kg) for r in rows[:2]] == [("hip_thrust", 50.0), ("hip_thrust", 50.0)] and rows[0].lighter
    count = len(file.done)
    ids = file.log(rows)
    assert len(file.done) == count + len(rows)
    after = file.next(session.day)
    assert after is not None and after.day > session.day, "what is done is not asked again"
    file.change_set(ids[0], reps=9, rir=3.0)
    changed = next(d for d in file.done if d.id == ids[0])
    assert (changed.reps, changed.rir) == (9, 3.0)
    [(_, label, was)] = file.changes_of(ids[0])
    assert label == "correct a set" and was.reps == rows[0].reps
    file.take_out(ids[1])
    assert ids[1] not in {d.id for d in file.done}
    for _ in range(3):
        file.undo()
    assert len(file.done) == count
    file.redo()
    assert len(file.done) == count + len(rows)


def test_every_film_has_its_set_filled_from_what_it_shows_and_corrected_by_the_coach(demo_library: FilmLibrary, training: Open) -> None:
    film = next(f for f in demo_library.films() if f.movement == "leg_press")
    done = demo_library.store.training.done_of_film(film.id)
    assert done is not None and (done.reps, done.clean_reps, done.load_kg) == (4, 2, 140)
    file = training("Oren")
    file.change_set(done.id, clean_reps=3)
    review = Review(demo_library, film.id)
    assert review.analysis is not None
    demo_library.note_result(film.id, review.analysis, review.film)
    again = demo_library.store.training.done_of_film(film.id)
    assert again is not None and again.clean_reps == 3 and again.reps == 4, "what the coach corrected stays hers"
    assert {f["code"] for f in again.form["findings"]} == {"pelvis_tuck"}
    review.close()


def test_a_long_record_is_read_as_far_as_planning_needs_it(training: Open) -> None:
    file = training("Tove")
    old = [DoneRecord(file.client_id, f"2023-0{1 + n // 40}-{1 + n % 28:02d}", "leg_press", 80.0, 8, rir=2.0) for n in range(200)]
    file.library.store.training.add_done([*old, DoneRecord(file.client_id, "2022-05-01", "leg_extension", 30.0, 10)])
    file.read()
    assert sum(d.movement == "leg_press" for d in file.done) == 120, "of a lift that was not done lately the newest"
    assert any(d.movement == "leg_extension" for d in file.done), "however old"
    assert sum(d.movement == "leg_press" for d in file.everything()) == 200
    assert len(carry.whole_record(file)["done"]) == len(file.everything())


def test_a_new_film_without_the_finding_opens_the_gate(demo_library: FilmLibrary, training: Open) -> None:
    file, day = training("Ines"), date(2026, 3, 9)
    session = file.next(day)
    assert session is not None
    held = next(x for x in session.lifts if x.movement == "lying_leg_curl")
    assert held.gate.gate is Gate.CLOSED and any("hip lift off" in r for r in held.reasons) and held.film.ask
    film = demo_library.import_film(DEMO / "arrivals" / "ines_lying_curl_week2.mp4", file.client_id, "lying_leg_curl", "side-left", 22)
    shutil.copyfile(DATA / "ines_lying_curl_week2.npz", demo_library.store.evidence_path(film.id))
    done = demo_library.store.training.done_of_film(film.id)
    assert done is not None
    demo_library.store.training.renew_done(done.id, day="2026-03-05", rir=2.0)

    def gate() -> tuple[Gate, list[str]]:
        review = Review(demo_library, film.id)
        assert review.analysis is not None
        demo_library.note_result(film.id, review.analysis, review.film)
        review.close()
        file.read()
        after = file.next(day)
        assert after is not None
        now = next(x for x in after.lifts if x.movement == "lying_leg_curl")
        return now.gate.gate, [r.key for r in now.gate.reasons]

    state, keys = gate()
    assert state is Gate.CLOSED and {"hip_lift_off", "film"} == set(keys), "without the pad's line it cannot tell, and what was found stays"
    marks = marks_of_machine(demo_library.store, film.id, "Curl bench, boat shed", "side-left")
    assert marks is not None
    demo_library.store.update_film(film.id, brief=demo_library.store.film(film.id).brief | marks.fields())
    assert gate() == (Gate.OPEN, [])


def test_an_override_is_recorded_shown_and_taken_back(training: Open) -> None:
    file, day = training("Ines"), date(2026, 3, 9)

    def curl() -> PlannedLift:
        session = file.next(day)
        assert session is not None
        return next(x for x in session.lifts if x.movement == "lying_leg_curl")

    held = curl()
    keys = [r.key for r in held.gate.reasons]
    assert "hip_lift_off" in keys
    for key in keys:
        file.override(held, key, "Marit", "seen in the room")
    now = curl()
    assert now.gate.gate is Gate.OPEN and any("Marit overrode hip lift off" in r for r in now.reasons)
    for _ in keys:
        file.undo()
    assert curl().gate.gate is Gate.CLOSED
    for code, who, why in (("pain", "Marit", "x"), ("hip_lift_off", "", "x"), ("hip_lift_off", "Marit", " "), ("nothing", "Marit", "x")):
        with pytest.raises(BadPlan):
            file.override(held, code, who, why)


def test_pain_is_noted_and_a_place_in_the_record_alone_is_tested_first(demo_library: FilmLibrary, training: Open) -> None:
    file = training("Tove")
    file.note_pain(file.today, "left knee", 7.0, signs=("swelling",))
    session = file.next(date(2026, 3, 7))
    assert session is not None and session.lifts[0].change is LoadChange.STOP
    file.undo()
    assert file.pain == []
    with pytest.raises(BadPlan):
        file.note_pain(file.today, " ", 3.0)
    with pytest.raises(BadPlan):
        file.note_pain(file.today, "knee", 11.0)
    demo_library.store.update_client(file.client_id, file.body.model_dump(mode="json") | {"pain": ["low back"]}, "2026-03-02", "pain")
    noted = training("Tove").next(date(2026, 3, 7))
    assert noted is not None and [(s.region, s.stage.number) for s in noted.stages] == [("low_back", 1)]
