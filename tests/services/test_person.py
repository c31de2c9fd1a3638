"""The client's record: changes, undo, history, and how they reach the films."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import pytest

from deepmirror.core.body.squat_setup import Setup
from deepmirror.errors import BadBrief
from deepmirror.exchange.brief import check_client
from deepmirror.services.clients.person import CURVES, PersonFile, deepest_against
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.ghost import FrontGhosts, SideGhosts, ghosts_of
from deepmirror.services.films.review import Review


@pytest.fixture
def bram(demo_library: FilmLibrary) -> PersonFile:
    return PersonFile(demo_library, next(c.id for c in demo_library.clients() if c.name.startswith("Bram")))


def test_every_change_is_saved_kept_in_the_history_and_undone(bram: PersonFile) -> None:
    start = bram.client
    bram.set_stature("6 ft 1")
    bram.set_length("thigh", "48 cm")
    bram.set_limit("ankle_dorsiflexion", 28)
    bram.set_fields("pain", pain=["left knee"])
    assert bram.library.store.client(bram.client_id).body["segments_cm"]["thigh"] == 48
    assert [label for _, label in bram.history()] == ["change pain", "change ankle bend", "change thigh", "change stature"]
    while bram.can_undo():
        bram.undo()
    assert bram.client == start == check_client(bram.library.store.client(bram.client_id).body)
    bram.redo()
    assert bram.client.stature_cm == pytest.approx(185.42)


@pytest.mark.parametrize("text", ["12 cm", "long", "9 ft"])
def test_impossible_lengths_are_refused_and_change_nothing(bram: PersonFile, text: str) -> None:
    before = bram.client
    with pytest.raises(BadBrief, match="thigh"):
        bram.set_length("thigh", text)
    assert bram.client == before and bram.can_undo() is None


def test_a_length_without_a_tape_is_predicted_and_marked_so(bram: PersonFile) -> None:
    bram.set_length("shank", "")
    row = next(r for r in bram.lengths() if r.name == "shank")
    assert row.source == "predicted" and row.cm == pytest.approx(0.246 * 186, abs=0.1)


def test_breadths_are_laid_beside_what_stature_predicts_between_the_joints(bram: PersonFile) -> None:
    measured = next(r for r in bram.lengths() if r.name == "biacromial")
    assert measured.source == "measured" and abs(measured.cm / measured.predicted_cm - 1) < 0.12
    bram.set_length("biacromial", "")
    guessed = next(r for r in bram.lengths() if r.name == "biacromial")
    assert guessed.source == "predicted" and guessed.cm == pytest.approx(guessed.predicted_cm)


def test_films_have_their_own_say_about_lengths(bram: PersonFile) -> None:
    bram.views = bram.read_films(Progress())
    rows = {r.name: r for r in bram.lengths()}
    for name in ("thigh", "shank"):
        film = rows[name].film
        assert film is not None and abs(film[0] - rows[name].cm) <= film[1]
        assert not rows[name].flagged
    bram.set_length("thigh", "40 cm")
    assert next(r for r in bram.lengths() if r.name == "thigh").flagged


def test_a_calf_raise_is_not_laid_among_squats(demo_library: FilmLibrary) -> None:
    yuna = PersonFile(demo_library, next(c.id for c in demo_library.clients() if c.name.startswith("Yuna")))
    yuna.views = yuna.read_films(Progress())
    raised = next(v for v in yuna.views if "calf" in v.movement.lower())
    assert raised.depths_deg == () and raised.deepest_deg is None
    assert yuna.film_posture(Setup()) is None  # her other film is from the front


def test_films_lengths_stand_in_where_nobody_measured(bram: PersonFile) -> None:
    bram.views = bram.read_films(Progress())
    assert bram.use_films() == 0  # everything is measured
    measured = bram.client.segments_cm["shank"]
    bram.set_length("shank", "")
    assert bram.use_films() == 1
    row = next(r for r in bram.lengths() if r.name == "shank")
    assert row.source == "from_film" and row.cm == pytest.approx(measured, rel=0.09)
    bram.set_length("shank", f"{measured} cm")
    assert next(r for r in bram.lengths() if r.name == "shank").source == "measured"


def test_a_longer_thigh_changes_targets_ghost_and_findings_and_undo_restores(bram: PersonFile) -> None:
    film = next(f for f in bram.library.films() if f.client_id == bram.client_id)
    review = Review(bram.library, film.id)
    assert review.analysis is not None
    frame = review.film.frame_at(review.analysis.scene.reps[0].bottom_s)

    def state() -> tuple[float, tuple[str, ...], tuple[str, ...]]:
        assert review.analysis is not None
        ghost = SideGhosts(review.analysis).at(frame)
        assert ghost is not None
        chain = next(f.chain for f in review.analysis.judgement.findings if f.code == "shallow_depth")
        return ghost.posture.trunk_lean, chain, ghost.why

    before = state()
    thigh = bram.client.segments_cm["thigh"]
    bram.set_length("thigh", f"{thigh * 1.1:.2f} cm")
    review.take_client()
    review.conclude()
    after = state()
    assert after[1] != before[1] and after[0] != pytest.approx(before[0], abs=0.5)
    bram.undo()
    review.take_client()
    review.conclude()
    assert state()[0] == pytest.approx(before[0]) and state()[1] == before[1]
    review.close()


def test_the_solver_answers_for_this_body(bram: PersonFile) -> None:
    solved = bram.solve(10.0, Setup("high", 60))
    assert solved.answer.feasible and {lever.change for lever in solved.levers} == {"heel_lift_cm", "knees_open_deg", "bar"}
    for points in (deepest_against(bram.build(), against, Setup("high", 60)) for against in CURVES):
        assert all(b[1] <= a[1] + 0.3 for a, b in pairwise(points)) and points[0][0] == 0
    assert any("long" in words for words in bram.proportions())


def test_machines_and_hinges_are_solved_too(bram: PersonFile) -> None:
    press = bram.machine("leg_press", 70.0, 10.0, 120.0, 0.0)
    assert press.answer.feasible and press.answer.posture.knee_flexion == 70 and press.levers
    hinge = bram.machine("romanian_deadlift", 80.0, 0.0, 60.0, 0.0)
    assert hinge.answer.feasible and hinge.answer.posture.hip_flexion == pytest.approx(80, abs=0.5)
    assert hinge.answer.posture.com_over_foot_pct == pytest.approx(50, abs=0.5)
    assert hinge.answer.moments_nm["hip"] > hinge.answer.moments_nm["knee"]


def test_a_usual_tempo_is_kept_and_goes_into_the_next_film(bram: PersonFile, short_film: Path) -> None:
    bram.set_default("back_squat", "3-1-X-0", "6-10")
    assert bram.default("back_squat") == ("3-1-X-0", "6-10")
    with pytest.raises(BadBrief):
        bram.set_default("back_squat", "slow", "")
    with pytest.raises(BadBrief):
        bram.set_default("back_squat", "3-1-X-0", "many")
    film = bram.library.import_film(short_film, bram.client_id, "back_squat", "side-left")
    assert film.brief["tempo"] == "3-1-X-0"


def test_only_films_that_can_have_a_ghost_have_one(demo_library: FilmLibrary) -> None:
    film = next(f for f in demo_library.films() if f.client_name.startswith("Yuna"))
    review = Review(demo_library, film.id)
    assert review.analysis is not None
    front = ghosts_of(review.analysis)
    assert isinstance(front, FrontGhosts) and front.reason is None and len(front.at(0).lines()) == 6
    review.close()
    film = next(f for f in demo_library.films() if f.client_name.startswith("Ines"))
    review = Review(demo_library, film.id)
    assert review.analysis is not None
    maker = ghosts_of(review.analysis)
    assert maker.at(0) is None and maker.reason is not None and "does not know this movement" in maker.reason
    review.close()
