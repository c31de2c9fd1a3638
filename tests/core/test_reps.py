"""Counting and cutting reps on signals whose moments are known."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.core.motion.reps import _apart, find_reps, rise_acceleration
from deepmirror.core.motion.tempo import digits, parse_tempo, time_under_tension_s
from tests.conftest import programme


def boundary(duration: float) -> float:
    """When a half-cosine movement's speed passes 5 % of its peak: speed is sin(pi t / d)."""
    return duration / np.pi * np.arcsin(0.05)


def test_boundaries_lie_where_the_speed_passes_five_percent() -> None:
    times, signal = programme([(2.0, 0.5, 1.0, 0.6, 110.0)] * 3)
    reps = find_reps(times, signal, "eccentric", 25)
    assert len(reps) == 3
    for i, rep in enumerate(reps):
        start = 1.0 + i * 4.1
        assert rep.start_s == pytest.approx(start + boundary(2.0), abs=0.05)
        assert rep.turn_start_s == pytest.approx(start + 2.0 - boundary(2.0), abs=0.05)
        assert rep.turn_end_s == pytest.approx(start + 2.5 + boundary(1.0), abs=0.05)
        assert rep.end_s == pytest.approx(start + 3.5 - boundary(1.0), abs=0.05)
        assert rep.bottom_s == pytest.approx((rep.turn_start_s + rep.turn_end_s) / 2)
        assert rep.range == pytest.approx(110, abs=2)
    assert reps[0].phases_s["top"] == pytest.approx(0.6 + boundary(1.0) + boundary(2.0), abs=0.07)
    assert reps[2].phases_s["top"] is None
    assert time_under_tension_s(reps) == pytest.approx(reps[2].end_s - reps[0].start_s)
    assert digits(reps[2]).endswith("–")


def test_lift_first_movements_name_their_phases_the_other_way_round() -> None:
    times, signal = programme([(1.0, 0.4, 2.0, 0.5, 100.0)] * 2)
    phases = find_reps(times, signal, "concentric", 25)[0].phases_s
    assert phases["concentric"] < phases["eccentric"]
    assert phases["top"] == pytest.approx(0.4 + boundary(1.0) + boundary(2.0), abs=0.06)


def test_uneven_frames_do_not_move_the_boundaries() -> None:
    rng = np.random.default_rng(3)
    times, signal = programme([(2.0, 0.3, 1.2, 0.5, 100.0)] * 4, fps=240)
    keep = np.sort(rng.choice(len(times), len(times) // 9, replace=False))
    even, uneven = (find_reps(t, s, "eccentric", 25) for t, s in ((times[::8], signal[::8]), (times[keep], signal[keep])))
    assert len(even) == len(uneven) == 4
    assert max(abs(a.bottom_s - b.bottom_s) for a, b in zip(even, uneven, strict=True)) < 0.04


def test_sway_shuffles_and_noise_are_not_reps() -> None:
    rng = np.random.default_rng(4)
    times, signal = programme([(2.0, 0.2, 1.0, 0.8, 105.0)] * 5, lead=4.0)
    signal = signal + rng.normal(0, 0.8, len(times)) + 2 * np.sin(2 * np.pi * times / 1.7)
    signal[30:75] += 12 * np.sin(np.linspace(0, np.pi, 45))  # a step before the first rep
    assert len(find_reps(times, signal, "eccentric", 25)) == 5


def test_a_short_rep_is_counted_and_marked() -> None:
    times, signal = programme([(2, 0.2, 1, 0.5, 110), (2, 0.2, 1, 0.5, 108), (2, 0.2, 1, 0.5, 70), (2, 0.2, 1, 0.5, 109)])
    assert [r.complete for r in find_reps(times, signal, "eccentric", 25)] == [True, True, False, True]


@pytest.mark.parametrize("signal", [np.zeros(200), np.full(200, 40.0) + np.sin(np.arange(200))])
def test_a_film_without_a_lift_has_no_reps(signal: np.ndarray) -> None:
    assert find_reps(np.arange(200) / 30, signal, "eccentric", 25) == []
    assert find_reps(np.arange(4) / 30, signal[:4], "eccentric", 25) == []


def test_tempo_is_read_and_written() -> None:
    tempo = parse_tempo("3-1-X-0")
    assert (tempo.eccentric, tempo.bottom, tempo.concentric, tempo.top) == (3, 1, None, 0)
    assert str(tempo) == "3-1-X-0"


@pytest.mark.parametrize("text", ["", "3-1-1", "3-1-1-0-2", "a-1-1-0", "3-1-1-99", "3--1-1"])
def test_a_wrong_tempo_is_refused_in_words(text: str) -> None:
    with pytest.raises(ValueError, match="tempo"):
        parse_tempo(text)


def test_the_turn_rounds_acceleration_is_that_of_the_movement() -> None:
    # h = A cos(w t): the acceleration at the lowest point is A w² (worked by hand): 0.25 m at 1/3 Hz gives 1.097 m/s²
    times = np.arange(0, 9, 1 / 30)
    height = 1.0 + 0.25 * np.cos(2 * np.pi * times / 3)
    reps = find_reps(times, -100 * height, "eccentric", 10)
    assert len(reps) == 3
    assert rise_acceleration(times, height, reps).value == pytest.approx(0.25 * (2 * np.pi / 3) ** 2, rel=0.06)


def test_a_flat_top_is_one_rep_even_where_smoothing_leaves_two_peaks_of_one_height() -> None:
    smooth = np.array([0.0, 40.0, 80.0, 79.9, 80.0, 40.0, 0.0, 80.0, 0.0])
    assert _apart(smooth, np.array([2, 4, 7]), 24.0).tolist() == [2, 7]


def test_a_jerk_at_the_films_start_is_no_lowering() -> None:
    """As a track settles in its first pictures: a quick way of a few degrees, long before the slow lowering of the first rep."""
    times, signal = programme([(2.4, 0.2, 1.0, 0.6, 90.0)] * 3, lead=1.5)
    jerky = signal - 7 * np.exp(-times / 0.06)
    for plain, found in zip(find_reps(times, signal, "eccentric", 25), find_reps(times, jerky, "eccentric", 25), strict=True):
        assert found.start_s == pytest.approx(plain.start_s, abs=0.1) and found.turn_start_s == pytest.approx(plain.turn_start_s, abs=0.05)
        assert found.phases_s["eccentric"] == pytest.approx(plain.phases_s["eccentric"], abs=0.1)


@pytest.mark.parametrize("at_the_end", [False, True])
def test_a_sway_at_rest_is_no_part_of_the_movement_beside_it(at_the_end: bool) -> None:
    """She shifts her feet under the bar before the first lowering, or after the last rep: knees bend a little and straighten."""
    times, signal = programme([(2.0, 0.2, 1.0, 0.6, 90.0)] * 2, lead=4.0)
    moment = times[-1] - 0.8 if at_the_end else 1.5
    times = np.append(times, times[-1] + np.arange(1, 61) / 30) if at_the_end else times
    signal = np.append(signal, np.full(60, signal[-1])) if at_the_end else signal
    signal = signal + (-1 if at_the_end else 1) * 0.5 * times  # a track that drifts: the outermost moment is the lowest one
    swaying = signal + 22 * np.exp(-(((times - moment - at_the_end) / 0.25) ** 2))
    plain, found = (find_reps(times, s, "eccentric", 25) for s in (signal, swaying))
    assert len(plain) == len(found) == 2
    for a, b in zip(plain, found, strict=True):
        assert (b.start_s, b.end_s) == pytest.approx((a.start_s, a.end_s), abs=0.15)


def test_a_lowering_that_stops_on_its_way_is_one_lowering() -> None:
    fps = 30

    def half(low: float, high: float, seconds: float) -> np.ndarray:
        return low + (high - low) * (1 - np.cos(np.pi * np.linspace(0, 1, round(seconds * fps)))) / 2

    parts = [np.zeros(fps), half(0, 60, 1.2), np.full(round(0.6 * fps), 60.0), half(60, 100, 0.8), half(100, 0, 1.0), np.zeros(fps)]
    signal = np.concatenate(parts * 2)
    times = np.arange(len(signal)) / fps
    reps = find_reps(times, signal, "eccentric", 25)
    assert len(reps) == 2
    assert reps[0].phases_s["eccentric"] == pytest.approx(1.2 + 0.6 + 0.8, abs=0.2), "not the quicker of its two parts alone"


@pytest.mark.parametrize(("rest_s", "start_s"), [(0.12, 1.0), (0.5, 2.9)])
def test_a_lowering_that_halts_begins_with_its_first_piece_and_a_shift_before_a_rest_does_not(rest_s: float, start_s: float) -> None:
    """Two pieces of 10 and 8 of 100 degrees, each less than a movement of its own."""
    pieces = [(0, 1.0), (20, 0.5), (0, rest_s), (20, 0.4), (0, rest_s), (100, 0.82), (0, 0.4), (-100, 1.0), (0, 1.0)]
    speeds = np.concatenate([np.full(round(120 * seconds), speed) for speed, seconds in pieces])
    times, way = np.arange(len(speeds)) / 120, np.cumsum(speeds) / 120
    (rep,) = find_reps(times, way, "eccentric", 25, cutoff_hz=12)
    assert rep.start_s == pytest.approx(start_s, abs=0.05)
