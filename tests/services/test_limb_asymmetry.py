"""Left against right: only differences larger than the doubt are called real."""

from __future__ import annotations

from deepmirror.core.uncertain_value import Value
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.limb_asymmetry import Side, compare_sides, one_side, side_words


def side(name: str, reps: int, knee: float, lower: float = 2.0) -> Side:
    return Side(name, reps, {"knee_flexion_max_deg": Value(knee, 4.0), "eccentric": Value(lower, 0.1)})


def test_a_real_difference_is_told_and_a_doubtful_one_is_not() -> None:
    rows = compare_sides(side("left", 8, 118), side("right", 8, 104))
    assert [(r.words, r.real) for r in rows] == [("knee flexion, most", True), ("lowering", False)]
    assert side_words(side("left", 8, 110), side("right", 8, 106)) == ["no difference between left and right larger than the doubt"]
    words = side_words(side("left", 6, 110, 1.2), side("right", 8, 108, 2.0))
    assert words[0].startswith("6 reps left, 8 right: the left side goes first") and words[1].startswith("lowering: 1.2 left, 2.0 right s")


def test_a_films_near_leg_is_what_it_says_something_of(analyses: dict[str, Analysis]) -> None:
    seen = one_side(analyses["bram_back_squat_side"])
    assert seen is not None and seen.side == "right" and seen.reps == 4 and 100 < seen.middles["knee_flexion_max_deg"].value < 135
    assert one_side(analyses["yuna_back_squat_front"]) is None
