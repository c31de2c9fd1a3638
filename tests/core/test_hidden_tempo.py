"""A phase whose ends a plate hides is timed by its middle; the doubt covers every way of moving smoothly."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from types import SimpleNamespace
from typing import cast

import numpy as np
import pytest

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.measures.context import CannotTell, MeasurementContext
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.measures.tempo_measures import MIDDLE_TAKES, MIDDLE_U, seconds_by_middle
from deepmirror.core.motion.reps import MIDDLE, Rep, find_reps, with_uncertainty
from deepmirror.core.motion.tempo import parse_tempo
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import Value

FPS, DEEP = 30, 90.0


def least_jerk(share: np.ndarray) -> np.ndarray:
    """Flash & Hogan 1985: the smoothest way from rest to rest (from memory)."""
    return 10 * share**3 - 15 * share**4 + 6 * share**5


def hinges(lowerings_s: list[float], hidden_from: float = 0.3) -> tuple[np.ndarray, np.ndarray, list[Rep]]:
    """Times (T,), and the reps of hinges lowered in so many seconds, lifted in 1 s, held 0.5 s below and above; the signal is unknown
    (50 degrees) where the hip is bent less than that share, and one degree unsure elsewhere."""
    knots, levels = [0.0], [0.0]
    for seconds in lowerings_s:
        for more, level in ((0.5, 0.0), (seconds, 1.0), (0.5, 1.0), (1.0, 0.0)):
            knots.append(knots[-1] + more)
            levels.append(level)
    times = np.arange(round((knots[-1] + 0.5) * FPS)) / FPS
    share = np.zeros(len(times))
    for (a, b), (low, high) in zip(pairwise(knots), pairwise(levels), strict=True):
        inside = (times >= a) & (times <= b)
        share[inside] = low + (high - low) * least_jerk((times[inside] - a) / (b - a))
    u = np.where(share < hidden_from, 50.0, 1.0)
    return times, share, with_uncertainty(find_reps(times, DEEP * share, "eccentric", 25), times, u)


def lowering_share(times: np.ndarray, reps: list[Rep], rep: Rep) -> Value:
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    scene = MeasurementContext(track, "side-left", {}, reps, Body(), None, parse_tempo("2-0-1-0"))
    return MEASURES["eccentric_share_pct"].value(scene, rep)


def test_a_quick_lowering_is_found_though_a_plate_hides_where_it_begins() -> None:
    times, _, reps = hinges([2.0, 2.0, 0.7], hidden_from=0.15)
    assert len(reps) == 3 and all(max(rep.unsure.values()) > 0.5 for rep in reps)
    shares = [lowering_share(times, reps, rep) for rep in reps]
    assert all(abs(told.value - true) < told.u < 45 for told, true in zip(shares, (100, 100, 35), strict=True))
    assert shares[2].value + shares[2].u < 70, "surely quicker than asked"
    assert all(told.value + told.u > 85 for told in shares[:2])


@pytest.mark.parametrize(("knee_u", "told"), [(3.0, True), (25.0, False)], ids=["followed clearly", "hardly followed"])
def test_a_leg_that_does_not_fit_its_client_is_timed_where_it_is_followed_clearly(knee_u: float, told: bool) -> None:
    times, share, reps = hinges([2.0, 0.7], hidden_from=0.0)
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    angles = {"knee_flexion_left": Series(times, DEEP * share, np.full(len(times), knee_u))}
    plane = cast(Plane, SimpleNamespace(strained=True))
    scene = MeasurementContext(track, "side-left", angles, reps, Body(), None, parse_tempo("2-0-1-0"), plane=plane)
    if told:
        assert MEASURES["eccentric_share_pct"].value(scene, reps[1]).value == pytest.approx(35, abs=6)
    else:
        with pytest.raises(CannotTell, match="does not fit"):
            MEASURES["eccentric_share_pct"].value(scene, reps[1])
    with pytest.raises(CannotTell):
        MEASURES["lockout_deg"].value(scene, reps[1])


def test_a_middle_that_is_hidden_too_tells_nothing() -> None:
    times, _, reps = hinges([2.0, 2.0], hidden_from=0.6)
    assert seconds_by_middle(reps[0], "eccentric") is None
    with pytest.raises(CannotTell):
        lowering_share(times, reps, reps[0])


def test_a_far_reversal_that_is_hidden_leaves_the_way_unknown() -> None:
    times, share, reps = hinges([2.0, 2.0], hidden_from=0.0)
    hidden = with_uncertainty(reps, times, np.where(share > 0.95, 50.0, 1.0))
    assert seconds_by_middle(reps[0], "eccentric") is not None and seconds_by_middle(hidden[0], "eccentric") is None


def test_a_phase_that_shows_whole_is_timed_by_its_ends() -> None:
    times, _, reps = hinges([2.0, 2.0], hidden_from=0.0)
    told = lowering_share(times, reps, reps[1])
    assert told.u < 10 and told.value == pytest.approx(100 * (reps[1].turn_start_s - reps[1].start_s) / 2)


@pytest.mark.parametrize("way", [least_jerk, lambda s: (1 - np.cos(np.pi * s)) / 2, lambda s: s])
def test_the_doubt_covers_every_smooth_way_of_moving(way: object) -> None:
    share = np.linspace(0, 1, 2001)
    first, last = np.interp(MIDDLE, way(share), share)  # type: ignore[operator]
    assert abs((last - first) / MIDDLE_TAKES - 1) < MIDDLE_U * (last - first) / MIDDLE_TAKES + 0.06


def test_middles_are_on_the_clock_of_the_film() -> None:
    _, _, reps = hinges([2.0])
    (rep,) = reps
    assert rep.start_s < rep.middles["eccentric"][0] < rep.middles["eccentric"][1] < rep.turn_start_s
    assert rep.later(3.0).middles["concentric"] == pytest.approx(np.array(rep.middles["concentric"]) + 3.0)


def test_a_lowering_that_is_a_little_unsure_is_no_surer_to_be_dropped_for_being_just_under_a_limit() -> None:
    """A tenth of a rep's range unsure: 169 % in the last third may as well be 140; a drop that doubles its speed is still one."""
    times, _, reps = hinges([2.0], hidden_from=0.0)
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    scene = MeasurementContext(track, "side-left", {}, reps, Body(), None)

    def told(late: float, unsure: float) -> Value:
        return MEASURES["drop_pct"].compute(scene, replace(reps[0], late_lowering=late, unsure={"eccentric": unsure}, creep_s={}))

    clear, little, more = (told(1.69, unsure) for unsure in (0.0, 0.14, 0.16))
    assert clear.u == 15 and 40 < little.u < more.u < little.u + 10, "doubt grows without a step"
    assert told(2.4, 0.1).value - told(2.4, 0.1).u > 180


def ranges(starts: list[float], deep: list[float], far_u: float = 1.0) -> list[Value]:
    """The range shares of reps that begin and end at so many degrees, there 25 degrees unsure, and go so deep, there far_u unsure."""
    times, share, reps = hinges([1.5] * len(deep))
    rep_of = np.searchsorted([(a.end_s + b.start_s) / 2 for a, b in pairwise(reps)], times)
    signal = np.asarray(starts)[rep_of] + (np.asarray(deep) - np.asarray(starts))[rep_of] * share
    u = np.where(share < 0.5, 25.0, np.where(share > 0.97, far_u, 1.0))
    counted = with_uncertainty(find_reps(times, signal, "eccentric", 25), times, u)
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    scene = MeasurementContext(track, "side-right", {}, counted, Body(), None)
    return [MEASURES["range_share_pct"].compute(scene, rep) for rep in counted]


def test_a_short_rep_stands_out_though_nobody_knows_how_straight_she_stands() -> None:
    """A hip near straight may be bent by twenty degrees more, but then it is so in every rep."""
    told = ranges([10, 11, 9, 10], [98, 99, 100, 77])
    assert told[3].value == pytest.approx(76, abs=3) and told[3].value + told[3].u < 85
    assert all(one.u < 8 for one in told)


def test_reps_that_begin_anywhere_tell_no_range_and_neither_does_a_hidden_far_end() -> None:
    scattered = ranges([56, 10, 61, 12], [98, 99, 100, 99])
    assert all(one.u > 20 for one in scattered), "as unsure as their beginnings scatter"
    hidden = ranges([10, 11, 9, 10], [98, 99, 100, 77], far_u=30.0)
    assert all(one.u > 20 for one in hidden)
    assert all(one.u > 20 for one in ranges([10, 10], [98, 77])), "two reps show no scatter"


def test_a_way_back_that_is_lost_before_it_ends_is_not_timed_by_its_middle() -> None:
    """The last rep of a set whose signal is lost three quarters up: the middle of that way is not the middle of the lift."""
    _, _, reps = hinges([2.0, 2.0], hidden_from=0.0)
    torn = replace(reps[1], ends=(reps[1].ends[0], reps[1].ends[0] + 0.75 * reps[1].range))
    assert seconds_by_middle(reps[1], "concentric") is not None and seconds_by_middle(torn, "concentric") is None
    assert seconds_by_middle(torn, "eccentric") is not None, "how it came down was seen"


def test_a_way_that_is_seen_only_from_its_last_part_on_is_not_timed_by_the_middle_of_that_part() -> None:
    """Somebody stands before her until she is nearly down: what shows of the first lowering is its last tenth."""
    _, _, reps = hinges([2.0, 2.0], hidden_from=0.0)
    late = replace(reps[0], ends=(reps[0].ends[1] + 0.85 * reps[0].range, reps[0].ends[1]))
    assert seconds_by_middle(reps[0], "eccentric") is not None and seconds_by_middle(late, "eccentric") is None
