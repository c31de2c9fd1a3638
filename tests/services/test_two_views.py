"""One set filmed from two sides at once: found by the rhythm of its reps, and read together."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.motion.reps import Rep, find_reps
from deepmirror.core.uncertain_value import Verdict
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.rep_table import WEIGHT, rep_table
from deepmirror.services.films.two_views import Companion, Match, candidates, companion_of, match_reps, together
from tests.conftest import programme

# Seconds down, hold, up, rest and depth of each rep: people are no clocks.
SET = [
    (2.0, 0.2, 1.0, 0.6, 110.0),
    (2.2, 0.3, 1.1, 0.9, 108.0),
    (1.9, 0.2, 1.3, 0.5, 112.0),
    (2.4, 0.4, 1.2, 1.2, 105.0),
    (2.1, 0.2, 1.6, 0.7, 110.0),
]
CLOCKWORK = [(2.0, 0.2, 1.0, 0.6, 110.0)] * 5


def filmed(
    reps: list[tuple[float, float, float, float, float]], lead: float, fps: float, seed: int, signal_share: float = 1.0
) -> list[Rep]:
    """The reps a film of this set shows that was started `lead` seconds before the first, with its own noise."""
    times, signal = programme(reps, fps=fps, lead=lead)
    noise = np.random.default_rng(seed).normal(0, 0.6, len(times))
    return find_reps(times, signal_share * signal + noise, "eccentric", 20)


def test_two_films_of_one_set_are_matched_whenever_they_were_started() -> None:
    side = filmed(SET, 1.0, 30.0, 1)
    front = filmed(SET, 4.3, 60.0, 2, 0.7)
    match = match_reps(side, front)
    assert match is not None and match.shift == 0 and match.sure and match.offset_s == pytest.approx(3.3, abs=0.05)
    back = match_reps(front, side)
    assert back is not None and back.offset_s == pytest.approx(-match.offset_s, abs=1e-6)


def test_a_phone_that_was_started_after_the_first_reps_is_matched_by_what_both_saw() -> None:
    side, late = filmed(SET, 1.0, 30.0, 1), filmed(SET[2:], 0.8, 30.0, 3)
    match = match_reps(side, late)
    assert match is not None and match.shift == -2 and match.sure


def test_two_sets_are_not_taken_for_one() -> None:
    other = [
        (1.8, 0.2, 1.2, 1.1, 110.0),
        (2.6, 0.2, 0.9, 0.4, 110.0),
        (2.0, 0.5, 1.5, 0.9, 110.0),
        (1.7, 0.3, 1.0, 0.6, 110.0),
        (2.3, 0.2, 1.1, 1.0, 110.0),
    ]
    assert match_reps(filmed(SET, 1.0, 30.0, 1), filmed(other, 1.0, 30.0, 2)) is None
    assert match_reps(filmed(SET[:2], 1.0, 30.0, 1), filmed(SET[:2], 2.0, 30.0, 2)) is None, "two reps are no rhythm"


def test_reps_like_clockwork_are_told_to_be_unsure() -> None:
    match = match_reps(filmed(CLOCKWORK, 1.0, 30.0, 1), filmed(CLOCKWORK, 3.0, 30.0, 2))
    assert match is not None and not match.sure


def test_the_demos_own_films_are_no_set_of_another_ones(analyses: dict[str, Analysis], demo_library: FilmLibrary) -> None:
    """Four reps each at about the asked tempo, of different people: no false pair is sure."""
    names = [n for n in analyses if "squat" in n]
    for a in names:
        for b in names:
            match = match_reps(analyses[a].scene.reps, analyses[b].scene.reps)
            assert a == b or match is None or not match.sure, (a, b, match)
    film = next(f for f in demo_library.films() if f.client_name.startswith("Bram"))
    assert candidates(demo_library, film.id, analyses["bram_back_squat_side"]) == []


def test_one_table_has_the_depth_from_the_side_and_the_knees_from_the_front(
    analyses: dict[str, Analysis], demo_library: FilmLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The numbers of two real films, laid together rep by rep as a match says."""
    side, front = analyses["bram_back_squat_side"], analyses["yuna_back_squat_front"]
    film = next(f for f in demo_library.films() if f.original_name.startswith("yuna_back_squat"))
    own = rep_table(side)
    whole = together(own, Companion(film, front, Match(-1, 0.0, 0.0, True)))
    assert whole.rows[: len(own.rows)] == own.rows
    knees = next(row for row in whole.rows if row.measure == "knee_inside_left_cm")
    assert knees.film_id == film.id and {row.film_id for row in whole.rows} == {None, film.id}
    assert knees.cells[0].value is None and knees.cells[3].value == front.measured.reps[2]["knee_inside_left_cm"], (
        "rep 4 here is rep 3 there"
    )
    theirs = rep_table(front).verdicts
    assert whole.verdicts[3] is max(own.verdicts[3], theirs[2], key=WEIGHT.index) and whole.verdicts[0] is own.verdicts[0]
    assert whole.verdicts[3] is Verdict.OFF
    monkeypatch.setattr("deepmirror.services.films.two_views.candidates", lambda *_: [film])
    assert companion_of(demo_library, 4, side, lambda _: None) is None, "one that cannot be read is none"
