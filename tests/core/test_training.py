"""Effort, estimated maxima, loads that exist, warm-ups, sides and pain stages, against published values and brute force."""

from __future__ import annotations

from itertools import chain, combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deepmirror.core.training.effort import rir_from_rpe, rpe_from_rir
from deepmirror.core.training.loads import BODY_ALONE, Plates, dumbbells, stack
from deepmirror.core.training.one_rep_max import brzycki, epley, load_for, one_rep_max, reps_at
from deepmirror.core.training.pain_stage import BENCH, CHANGES, NOTHING, OTHERS, REFER, Report, Stage, next_stage, stage_after
from deepmirror.core.training.sides import SidePair, weaker_side
from deepmirror.core.training.warm_up import warm_up


@pytest.mark.parametrize(("rpe", "rir"), [(10, 0), (9.5, 0), (9, 1), (8.5, 1), (8, 2), (7.5, 2), (7, 3), (6, 4)])
def test_effort_by_the_published_scale(rpe: float, rir: float) -> None:
    # Zourdos et al. 2016, J Strength Cond Res 30:267, figure of the RIR-based RPE scale (from memory)
    assert rir_from_rpe(rpe) == rir
    assert rpe_from_rir(rir) >= rpe


@pytest.mark.parametrize("rpe", [0.5, 10.5, -1])
def test_an_effort_off_the_scale_is_refused(rpe: float) -> None:
    with pytest.raises(ValueError, match="from 1 to 10"):
        rir_from_rpe(rpe)


# Repetitions to failure as a share of the 1RM: Baechle and Earle, Essentials of Strength Training and Conditioning (NSCA), table of
# percent of the 1RM and repetitions allowed (from memory).
NSCA = {2: 0.95, 3: 0.93, 4: 0.90, 5: 0.87, 6: 0.85, 7: 0.83, 8: 0.80, 9: 0.77, 10: 0.75}


@pytest.mark.parametrize(("reps", "share"), NSCA.items())
def test_estimates_against_the_handbook_table(reps: int, share: float) -> None:
    load = 100 * share
    assert abs(epley(load, reps) - 100) < 4
    assert abs(brzycki(load, reps) - 100) < 4
    found = one_rep_max(load, reps, 0)
    assert found is not None and found.low <= max(epley(load, reps), brzycki(load, reps)) and not found.doubtful


def test_worked_values_of_both_formulas() -> None:
    # Brzycki 1993: each repetition costs 2.78 points, so ten leave 75 % (from memory); Epley's ten leave 75 % as well
    assert 1 / brzycki(1, 10) == pytest.approx(1.0278 - 0.0278 * 10, abs=5e-4)
    assert 1 / epley(1, 10) == pytest.approx(0.75)
    found = one_rep_max(60, 8, 1)
    assert found is not None and (found.low, found.high) == (pytest.approx(60 * 36 / 28), pytest.approx(78.0))


def test_where_no_estimate_is_given() -> None:
    assert one_rep_max(60, 11, 2) is None, "13 repetitions to failure"
    assert one_rep_max(60, 8, None) is None
    assert one_rep_max(0, 8, 1) is None
    doubtful, at_least = one_rep_max(60, 10, 2), one_rep_max(60, 5, 5)
    assert doubtful is not None and doubtful.doubtful and not doubtful.at_least
    assert at_least is not None and at_least.at_least
    sure, novice = one_rep_max(60, 5, 2), one_rep_max(60, 5, 2, rir_u=2)
    assert sure is not None and novice is not None
    assert novice.low < sure.low and novice.high > sure.high, "a novice's reserve is two off either way"


@given(st.floats(20, 200), st.integers(1, 9), st.integers(0, 3))
def test_load_and_repetitions_are_inverses(one_rm: float, reps: int, rir: int) -> None:
    load = load_for(one_rm, reps, rir)
    assert load is not None
    assert reps_at(one_rm, load, rir) == pytest.approx(reps)
    assert epley(load, reps + rir) == pytest.approx(one_rm)
    assert load_for(one_rm, 11, 2) is None


PIECES = st.lists(st.tuples(st.sampled_from([0.5, 1.25, 2.5, 5.0, 10.0, 20.0, 25.0, 20.4117]), st.integers(0, 5)), max_size=5)


@settings(max_examples=150, deadline=None)
@given(PIECES, st.sampled_from([20.0, 15.0, 35.5]))
def test_loads_are_exactly_the_subsets_of_the_plates(pieces: list[tuple[float, int]], empty: float) -> None:
    loads = Plates(empty_kg=empty, pieces=tuple(pieces))
    single = [p for p, n in pieces for _ in range(n // 2)]
    sums = {round(1000 * empty) + 2 * sum(round(1000 * p) for p in chosen) for chosen in _subsets(single)}
    assert [round(1000 * x) for x in loads.all()] == sorted(sums)
    for load in loads.all():
        plates = loads.per_side(load)
        assert plates is not None
        assert round(1000 * load) == round(1000 * empty) + 2 * sum(round(1000 * p) for p in plates)
        assert all(plates.count(p) <= single.count(p) for p in plates), "only plates that are owned"
        fewest = min(len(c) for c in _subsets(single) if round(1000 * empty) + 2 * sum(round(1000 * p) for p in c) == round(1000 * load))
        assert len(plates) == fewest


def _subsets(items: list[float]) -> set[tuple[float, ...]]:
    short = items[:9]
    assert len(items) <= 10
    return set(chain.from_iterable(combinations(short + items[9:], n) for n in range(len(items) + 1)))


def test_not_greedy_where_greed_fails() -> None:
    # one 25 and two 20 a side: 40 is 20 + 20; taking the 25 first never gets there
    loads = Plates(empty_kg=20, pieces=((25, 2), (20, 4)))
    assert loads.per_side(100) == (20, 20)
    assert loads.exists(100) and not loads.exists(95)
    assert loads.at_most(99) == 70
    assert loads.above(100) == 110


def test_stacks_dumbbells_and_the_body() -> None:
    assert stack([5, 10, 15], 2.5).all() == (5, 7.5, 10, 12.5, 15, 17.5)
    assert stack([5, 10]).per_side(5) is None
    assert dumbbells([10, 5, 5]).above(5) == 10
    assert BODY_ALONE.all() == (0.0,) and BODY_ALONE.above(0) is None


BAR = Plates(empty_kg=20, pieces=((25, 4), (20, 2), (10, 2), (5, 2), (2.5, 2), (1.25, 2)))


def test_a_warm_up_ramp() -> None:
    # light, half, three quarters, and a single at nine tenths for heavy work: common practice, no source
    steps = warm_up(100, BAR, one_rm=115, many_joint=True)
    assert [(s.load_kg, s.reps) for s in steps] == [(20, (10, 15)), (50, (8, 8)), (75, (3, 5)), (90, (1, 1))]
    assert [s.load_kg for s in warm_up(100, BAR, one_rm=130, many_joint=True)] == [20, 50, 75], "under 85 % no single"
    assert [s.load_kg for s in warm_up(27.5, BAR, None, many_joint=True)] == [20], "under one and a half bars one set"
    assert [s.load_kg for s in warm_up(35, BAR, None, many_joint=True)] == [20, 25]
    assert warm_up(20, BAR, None, many_joint=True) == []
    heavy = warm_up(12.5, dumbbells([10, 12.5, 15]), None, many_joint=True)
    assert [s.load_kg for s in heavy] == [10], "10 kg is within one and a half of the lightest"


@given(st.sampled_from(BAR.all()), st.booleans(), st.floats(20, 300))
def test_warm_ups_rise_exist_and_stay_below_the_work(work: float, many: bool, one_rm: float) -> None:
    loads = [s.load_kg for s in warm_up(work, BAR, one_rm, many)]
    assert all(BAR.exists(x) and x < work for x in loads)
    assert loads == sorted(loads)
    assert not many or work < 30 or len(loads) >= 2


def test_the_weaker_side_needs_two_sessions_and_more_than_chance() -> None:
    assert weaker_side([SidePair(8, 10)]) is None, "once is not enough"
    found = weaker_side([SidePair(8, 10), SidePair(10, 10), SidePair(7, 10)])
    assert found is not None and found.side == "left"
    assert found.index == pytest.approx(15 / 20) and found.flagged
    assert weaker_side([SidePair(9, 10), SidePair(9, 10)]) is None, "one repetition is chance"
    assert weaker_side([SidePair(18.5, 20), SidePair(18.5, 20)]) is None, "within a tenth"
    assert weaker_side([SidePair(8, 10), SidePair(10, 8)]) is None, "they contradict one another"


def _day(level: float | None, morning: float | None = None, **more: bool) -> Report:
    return Report("2026-01-01", level, morning, **more)


def test_stages_move_by_the_rules() -> None:
    # 0-2 go, 3-5 change something, over 5 stop, calm by the morning: Thomeé 1997 (from memory)
    assert stage_after([_day(0)], 4) == Stage(NOTHING)
    assert stage_after([_day(2)], 4).number == BENCH
    assert stage_after([_day(4)], 4).number == CHANGES
    assert stage_after([_day(6)], 4).number == OTHERS
    assert stage_after([_day(1, red_flag=True)], 4).number == REFER
    sore = [_day(4)] * 4
    assert [stage_after(sore[:n], 4).change for n in (1, 2, 3, 4)] == [0, 1, 2, 3], "one change a session, in order"
    assert stage_after([_day(4)] * 5, 4).number == OTHERS, "still sore after the last change"
    assert stage_after([_day(6), _day(7)], 4).number == REFER
    assert stage_after([_day(6), _day(4), _day(4)], 4).number == REFER


def test_up_after_two_calm_sessions_and_down_at_once() -> None:
    at = Stage(CHANGES)
    once = next_stage(at, _day(2, 1), 4)
    assert once.number == CHANGES
    assert next_stage(once, _day(1, 2), 4).number == BENCH
    assert next_stage(once, _day(1, 4), 4).change == 1, "calm while training, sore the next morning: not calm"
    assert next_stage(Stage(BENCH), _day(5), 4).number == CHANGES
    assert next_stage(Stage(REFER), _day(0), 4).number == REFER, "calm days do not lift a referral"
    assert next_stage(Stage(REFER), _day(0, clinician=True), 4).number == OTHERS
