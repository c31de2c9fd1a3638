"""Joint limits from what is usual, tests and films: films raise, only tests and a heel or pelvis that gave way lower."""

from __future__ import annotations

from deepmirror.core.body.squat_setup import Limits
from deepmirror.core.uncertain_value import Value
from deepmirror.exchange.brief import ClientPart
from deepmirror.judge.records import Measured
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.posture.known_limits import FilmLimits, film_limits, known_limits, limits_of


def film(*reps: tuple[float, float], movement: str = "back_squat") -> FilmLimits | None:
    """A film whose reps bent the ankle so far (degrees) with the heel so high (cm), each ± a little."""
    rows = tuple({"dorsiflexion_max_deg": Value(bend, 2.0), "heel_rise_cm": Value(heel, 0.5)} for bend, heel in reps)
    return film_limits(load_catalogue().movement(movement), Measured(rows, {}, ()), "Back squat, 2026-05-04")


def test_clean_repetitions_raise_a_limit_less_their_doubt() -> None:
    shown = film((44, 0.2), (46, 0.4), (46, 0.1))
    assert shown is not None
    ankle = known_limits(ClientPart(), [shown])["ankle_dorsiflexion"]
    assert ankle.how == "film" and ankle.deg == 46 - 2.0
    assert ankle.words == "44° (film: Back squat, 2026-05-04)"


def test_a_heel_that_gave_way_lowers_what_is_only_usual_and_no_test() -> None:
    shown = film((30, 0.2), (33, 3.5), (31, 0.1))
    assert shown is not None and shown.ended == {"ankle_dorsiflexion": 31}
    assert known_limits(ClientPart(), [shown])["ankle_dorsiflexion"].deg == 31
    tested = ClientPart(limits_deg={"ankle_dorsiflexion": 36})
    assert known_limits(tested, [shown])["ankle_dorsiflexion"].deg == 36
    further = film((40, 0.1), (40, 0.2))
    assert further is not None
    assert known_limits(ClientPart(), [shown, further])["ankle_dorsiflexion"].deg == Limits().ankle_dorsiflexion


def test_less_bend_than_the_limit_says_nothing() -> None:
    shown = film((20, 0.2), (21, 0.2))
    assert shown is not None
    assert limits_of(ClientPart(), [shown]) == Limits()


def test_a_calf_raise_says_nothing_of_a_squats_ankle() -> None:
    assert film((50, 9.0), movement="standing_calf_raise") is None


def test_a_hip_flat_on_its_pad_is_raised_by_what_pelvis_and_low_back_would_give() -> None:
    press = FilmLimits("Leg press", {"hip_flexion": 124.0}, {}, flat=True)
    assert limits_of(ClientPart(), [press]).flat_hip == 124.0
