"""Following up: last week's corrections on this week's film."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest

from deepmirror.errors import LibraryError
from deepmirror.services.films import follow_up
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.follow_up import watched
from deepmirror.services.films.rep_comparison import ComparedFilm, SideBySide, films_to_compare
from deepmirror.services.films.review import Review
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.preview import composed
from deepmirror.services.replies.rendering import PriorFilms
from tests.conftest import DEMO, truth_of

DATA = Path(__file__).parent.parent / "data"


def week_two(library: FilmLibrary) -> int:
    """Bram's next film, taken in and looked at as his phone sent it, without a click."""
    first = next(f for f in library.films() if f.client_name.startswith("Bram"))
    path = DEMO / "arrivals" / "bram_back_squat_week2.mp4"
    film = library.import_film(path, first.client_id, "back_squat", "side-right", 77.5, "2-0-1-0")
    shutil.copyfile(DATA / "bram_back_squat_week2.npz", library.store.evidence_path(film.id))
    return film.id


@pytest.fixture
def second(demo_library: FilmLibrary) -> int:
    return week_two(demo_library)


def test_a_correction_that_worked_is_told_from_one_that_did_not(demo_library: FilmLibrary, second: int) -> None:
    review = Review(demo_library, second)
    assert review.analysis is not None
    rows = {row.baseline.code: row for row in watched(demo_library.store, second, review.analysis)}
    assert rows["shallow_depth"].outcome.verdict == "real change" and rows["shallow_depth"].outcome.within
    assert rows["tempo_fast_eccentric"].outcome.verdict == "not distinguishable" and not rows["tempo_fast_eccentric"].outcome.within
    truth = truth_of("arrivals/bram_back_squat_week2")
    deepest = [rep["measures"]["thigh_from_horizontal_min_deg_right"] for rep in truth["reps"]]
    look = rows["shallow_depth"].outcome
    assert look.value is not None and abs(look.value - max(deepest)) <= look.u  # the film's own truth
    assert rows["shallow_depth"].words().count("±") == 2 and "clearly better" in rows["shallow_depth"].words()
    review.close()


def test_the_reply_tells_what_became_of_it_and_shows_then_and_now(demo_library: FilmLibrary, second: int) -> None:
    review = Review(demo_library, second)
    assert review.analysis is not None
    reply = draft_reply(review.analysis, "Bram", watched(demo_library.store, second, review.analysis))
    assert [(s.title, s.chosen) for s in reply.since] == [("Stops above the agreed depth", True), ("Lowered faster than asked", False)]
    again = reply.chosen()[0]
    assert again.code == "tempo_fast_eccentric" and "Last time" in again.number and again.before is not None
    films = PriorFilms(demo_library)
    pair, tag = composed(films, review, reply.since[0], blur=False)
    film, _ = composed(films, review, again, blur=False)
    assert pair.shape == film.shape and tag is None
    middle = pair.shape[1] // 2
    assert (pair[:, middle - 1 : middle + 1].reshape(-1, 3) == (26, 22, 20)).all()  # two pictures with a dark line between
    assert np.abs(pair[:, :middle].mean(axis=(0, 1)) - pair[:, middle:].mean(axis=(0, 1))).max() < 40
    again.side_by_side = True
    both, _ = composed(films, review, again, blur=False)
    films.close()
    assert np.abs(both.astype(int) - film).mean() > 10
    review.close()


def test_looks_are_kept_as_a_history_until_the_coach_closes_it(demo_library: FilmLibrary, second: int) -> None:
    review = Review(demo_library, second)  # concluding keeps what the film says
    assert review.analysis is not None
    first = demo_library.store.watches.of_client(review.record.client_id)
    depth = next(w for w in first if w.item["code"] == "shallow_depth")
    assert len(depth.looks) == 1 and depth.looks[0][0] == second
    lines = follow_up.history(depth)
    assert len(lines) == 2 and "sent with" in lines[0] and "clearly better" in lines[1]
    review.conclude()
    assert len(follow_up.history(next(w for w in demo_library.store.watches.of_client(review.record.client_id) if w.id == depth.id))) == 2
    demo_library.store.watches.set_outcome(depth.id, "closed")
    rows = watched(demo_library.store, second, review.analysis)
    assert {r.baseline.code: r.state for r in rows}["shallow_depth"] == "closed"  # this film spoke on it: it stays readable here
    third = review.record
    assert [w.state for w in demo_library.store.watches.of_client(third.client_id, "back_squat")].count("open") == len(rows) - 1
    with pytest.raises(LibraryError):
        demo_library.store.watches.set_outcome(9999, "closed")
    review.close()


def test_a_film_from_before_or_of_another_movement_says_nothing(demo_library: FilmLibrary) -> None:
    old = next(f for f in demo_library.films() if f.client_name.startswith("Bram"))
    review = Review(demo_library, old.id)
    assert review.analysis is not None and watched(demo_library.store, old.id, review.analysis) == []
    other = next(f for f in demo_library.films() if f.client_name.startswith("Tove"))
    demo_library.store.watches.add(other.client_id, old.id, "leg_press", "2026-01-01", {"code": "pelvis_tuck"})
    tove = Review(demo_library, other.id)
    assert tove.analysis is not None and watched(demo_library.store, other.id, tove.analysis) == []
    review.close()
    tove.close()


def test_a_film_from_another_side_cannot_tell_and_says_why(demo_library: FilmLibrary, second: int) -> None:
    review = Review(demo_library, second)
    assert review.analysis is not None
    record = demo_library.store.watches.of_client(review.record.client_id)[0]
    item = follow_up.Baseline(**(record.item | {"measure": "fppa_left_deg", "view": "front"}))
    look = follow_up.outcome_of(item, review.analysis)
    assert look.value is None and look.verdict == "cannot tell" and "side" in look.reason
    review.close()


def test_two_films_are_laid_over_each_other_by_phase(demo_library: FilmLibrary, second: int) -> None:
    first = next(f for f in demo_library.films() if f.client_name.startswith("Bram") and f.id != second)
    pair = SideBySide(ComparedFilm(demo_library, first.id), ComparedFilm(demo_library, second), 3, 3)
    a, b = pair.pair()
    for phase, at_a, at_b in ((0.0, a.start_s, b.start_s), (1.0, a.turn_start_s, b.turn_start_s), (3.0, a.end_s, b.end_s)):
        i, j = pair.frames(phase)
        assert abs(pair.first.film.times[i] - at_a) < 0.04 and abs(pair.second.film.times[j] - at_b) < 0.04
    found = pair.curves("thigh_from_horizontal")
    assert found is not None
    one, two, gap = found
    assert gap.real[np.abs(gap.phases - 1.5) < 0.5].all() and not gap.real[0]  # deeper at the bottom, the same at the start
    assert two.values.min() < one.values.min() - 15
    rows = {r.words: r for r in pair.rows()}
    assert rows["thigh above level, least"].real and rows["thigh above level, least"].change.startswith("-")
    assert [r.real for r in pair.rows()] == sorted((r.real for r in pair.rows()), reverse=True)
    left, right = pair.pictures(1.5)
    assert left.shape == right.shape
    assert pair.phase_at(pair.seconds()) == pytest.approx(3.0, abs=1e-6) and pair.curves("no such series") is None
    listed = films_to_compare(demo_library, second)
    assert [i for i, _ in listed[:2]] == [second, first.id] or {i for i, _ in listed} == {second, first.id}
    assert pair.names() == ("2026-02-22, rep 3", "2026-03-02, rep 3")
    pair.close()


def test_a_film_that_was_never_measured_is_not_compared(demo_library: FilmLibrary, short_film: Path) -> None:
    client = demo_library.clients()[0]
    film = demo_library.import_film(short_film, client.id, "back_squat", "side-left")
    with pytest.raises(LibraryError, match="not measured"):
        ComparedFilm(demo_library, film.id)
