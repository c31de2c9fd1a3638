"""The solver: outliers, gaps, corrections, and whether its doubt is honest."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.exchange.brief import check_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.leg_swaps import LEG, fix_side_swaps
from deepmirror.pose.offsets import NETWORK_LOOK_SHARE, PASSING_SHARE, JointOffsetPrior, Offsets, Posture, offsets
from deepmirror.pose.track_uncertainty import DRIFT_REST, _systematic
from deepmirror.pose.trajectory_solver import Lengths, SegmentRotations, Solution, SourceWeights, solve
from deepmirror.services.films.analysis import conclude
from tests.conftest import DEMO

NAMES = ["hip_left", "knee_left", "ankle_left"]
FRAMES = 120


def leg(frames: int = FRAMES) -> np.ndarray:
    """A swinging leg with constant lengths, (T, 3, 2) px."""
    t = np.arange(frames) / 30
    hip = np.stack([400 + 30 * np.sin(t), 300 + 20 * np.cos(t)], 1)
    thigh, shank = 1.2 + 0.3 * np.sin(2 * t), 1.8 + 0.5 * np.sin(2 * t + 1)
    knee = hip + 120 * np.stack([np.cos(thigh), np.sin(thigh)], 1)
    return np.stack([hip, knee, knee + 118 * np.stack([np.cos(shank), np.sin(shank)], 1)], 1)


def seen(truth: np.ndarray, noise: float, offset: tuple[float, float] = (0, 0), seed: int = 0) -> Evidence:
    rng = np.random.default_rng(seed)
    network = truth + np.array(offset) + rng.normal(0, noise, truth.shape)
    step = np.concatenate([np.zeros((1, 3, 2)), np.diff(truth, axis=0)]) + rng.normal(0, 0.2, truth.shape)
    sigma = np.full(truth.shape[:2], max(noise, 1.0))
    return Evidence(np.arange(len(truth)) / 30, list(NAMES), network, sigma, step, np.full(truth.shape[:2], 0.3), np.empty(0), np.empty(0))


def clicks(truth: np.ndarray, frame: int) -> Keyframe:
    return Keyframe(frame, {n: tuple(truth[frame, i]) for i, n in enumerate(NAMES)}, 1.0)


def solved(
    evidence: Evidence, keys: list[Keyframe], trust: dict[str, SourceWeights], lengths: Lengths | None = None, acceleration: float = 2.0
) -> Solution:
    """Solve with offsets taken from the clicks alone: nothing usual is known of these joints."""
    shape = evidence.network.shape[:2]
    posture = Posture(np.zeros(shape), np.zeros(shape), {"left": 1}, np.zeros((shape[0], 1)))
    return solve(evidence, keys, trust, offsets(evidence, keys, {}, posture), lengths, acceleration)


def error(positions: np.ndarray, truth: np.ndarray) -> np.ndarray:
    return np.linalg.norm(positions - truth, axis=2)


def test_more_looks_in_the_same_time_tell_no_more() -> None:
    """A look's error lasts: three times as many looks make nobody surer."""
    truth = leg()
    evidence = seen(truth, 3.0)
    evidence.step_sigma[:] = np.inf
    seldom = seen(truth, 3.0)
    seldom.step_sigma[:] = np.inf
    seldom.network[[t for t in range(FRAMES) if t % 3]] = np.nan
    seldom.network_sigma[[t for t in range(FRAMES) if t % 3]] = np.inf
    often, few = (solved(e, [], {}).sigma()[10:-10].mean() for e in (evidence, seldom))
    assert often == pytest.approx(few, rel=0.1)


@pytest.mark.parametrize("sigma", [300.0, 1e6])
def test_a_point_that_hardly_anything_tells_of_is_not_drawn_to_the_pictures_corner(sigma: float) -> None:
    truth = leg() + 600.0
    evidence = seen(truth, 1.0)
    evidence.network_sigma[:, 2], evidence.step_sigma[:, 2] = sigma, np.inf
    found = solved(evidence, [], {}).positions
    assert np.abs(found[:, 2].mean(axis=0) - truth[:, 2].mean(axis=0)).max() < 10, "smoothed, but where it was"


def test_one_clicked_frame_takes_the_networks_offset_out() -> None:
    truth = leg()
    evidence = seen(truth, 2.0, offset=(9, -6))
    without, with_click = solved(evidence, [], {}, None, 2.0), solved(evidence, [clicks(truth, 20)], {}, None, 2.0)
    assert np.median(error(without.positions, truth)) > 8
    assert np.median(error(with_click.positions, truth)) < 4


def test_wild_looks_lose_their_say_and_gaps_are_bridged_with_growing_doubt() -> None:
    truth = leg()
    evidence = seen(truth, 1.5)
    evidence.network[40:46, 1] += 150
    evidence.network[70:90, 2] = np.nan
    evidence.network_sigma[70:90, 2] = np.inf
    evidence.step_sigma[70:90, 2] = np.inf
    solution = solved(evidence, [clicks(truth, 0)], {}, None, 2.0)
    assert error(solution.positions, truth)[40:46, 1].max() < 8
    sigma = solution.sigma()[:, 2]
    assert sigma[80] > 3 * sigma[60]
    assert error(solution.positions, truth)[80, 2] < 3 * sigma[80]


def test_a_correction_on_any_frame_bends_the_path_between_keyframes() -> None:
    truth = leg()
    evidence = seen(truth, 1.0)
    drift = np.linspace(0, 25, FRAMES)[:, None]
    evidence.network[:, 1] += drift
    evidence.step[:, 1] += np.diff(drift, axis=0, prepend=0)
    first = solved(evidence, [clicks(truth, 0)], {}, None, 2.0)
    both = solved(evidence, [clicks(truth, 0), clicks(truth, FRAMES - 1)], {}, None, 2.0)
    assert error(first.positions, truth)[-1, 1] > 10
    assert error(both.positions, truth)[-1, 1] < 3
    assert error(both.positions, truth)[:, 1].max() < error(first.positions, truth)[:, 1].max() / 2


def test_known_lengths_hold_and_help() -> None:
    truth = leg()
    evidence = seen(truth, 6.0)
    free = solved(evidence, [], {}, None, 2.0)

    def thigh(directions: np.ndarray) -> np.ndarray:
        return np.full(len(directions), 120.0)

    def shank(directions: np.ndarray) -> np.ndarray:
        return np.full(len(directions), 118.0)

    held = solved(evidence, [], {}, {("hip_left", "knee_left"): (thigh, 2.0), ("knee_left", "ankle_left"): (shank, 2.0)})
    lengths = [np.linalg.norm(s.positions[:, 0] - s.positions[:, 1], axis=1) for s in (free, held)]
    assert np.abs(lengths[1] - 120).max() < np.abs(lengths[0] - 120).max()
    assert np.median(error(held.positions, truth)) <= np.median(error(free.positions, truth)) * 1.02


def test_a_turn_seen_on_the_shank_overrules_a_network_that_wanders() -> None:
    truth = leg()
    evidence = seen(truth, 1.5)
    evidence.network[:, 2] += 24 * np.stack([np.zeros(FRAMES), np.sin(np.arange(FRAMES) / 25)], 1)
    evidence.step_sigma[:] = np.inf
    true = np.unwrap(np.arctan2(*(truth[:, 2] - truth[:, 1]).T[::-1]))
    turn, sigma = true - true[0] + np.random.default_rng(5).normal(0, 0.006, FRAMES), np.full(FRAMES, 0.01)
    turn[50:54] += 0.7  # something passed before the shank
    turn[1::3] = np.nan
    turns: SegmentRotations = {("knee_left", "ankle_left"): [(turn, sigma, 0)]}

    def off(turns: SegmentRotations | None) -> np.ndarray:
        shape = evidence.network.shape[:2]
        posture = Posture(np.zeros(shape), np.zeros(shape), {"left": 1}, np.zeros((FRAMES, 1)))
        keys = [clicks(truth, 0)]
        x = solve(evidence, keys, {}, offsets(evidence, keys, {}, posture), None, 2.0, turns=turns).positions
        return np.degrees(np.abs(np.arctan2(*(x[:, 2] - x[:, 1]).T[::-1]) - np.arctan2(*(truth[:, 2] - truth[:, 1]).T[::-1])))

    without, with_turns = off(None), off(turns)
    assert np.median(without) > 2.0
    assert np.median(with_turns) < 1.0 and with_turns[50:54].max() < 4


def test_the_doubt_is_the_inverse_of_the_normal_matrix() -> None:
    # the banded recursion against scipy's dense inverse (a general-purpose reference library): one linear pass, no steps
    truth = leg(9)
    evidence = seen(truth, 1.0)
    evidence.step_sigma[:] = np.inf
    solution = solved(evidence, [], {}, None, 3.0)
    from scipy.linalg import inv

    from deepmirror.pose import trajectory_solver

    normal = trajectory_solver._Normal(9, 3)
    trajectory_solver._add_points(normal, evidence, evidence.network, {}, solution.positions, trajectory_solver.NETWORK_MEMORY_S)
    trajectory_solver._add_smoothness(normal, evidence.times, 3.0)
    size, band = 54, normal.banded()
    dense = np.zeros((size, size))
    for k in range(len(band)):
        for j in range(k, size):
            dense[j - k, j] = dense[j, j - k] = band[len(band) - 1 - k, j]
    inverse = inv(dense)
    for t in range(9):
        assert np.allclose(solution.covariance[t], inverse[t * 6 : t * 6 + 6, t * 6 : t * 6 + 6], rtol=0.02, atol=1e-6)


def test_the_usual_offset_and_a_click_are_weighted_by_their_doubts() -> None:
    truth = leg()
    evidence = seen(truth, 0.0)
    posture = Posture(np.zeros(truth.shape[:2]), np.zeros(truth.shape[:2]), {"left": 1}, np.zeros((len(truth), 1)))
    habit = {"knee": JointOffsetPrior(0.10, 0.0, 0.05)}
    usual = offsets(evidence, [], habit, posture)
    assert usual.move[:, 1, 0] == pytest.approx(0.10 * 118, abs=0.3)
    spot = Keyframe(10, {"knee_left": tuple(truth[10, 1])}, 2.0)
    mixed = offsets(evidence, [spot], habit, posture)
    noise = np.hypot(2.0, NETWORK_LOOK_SHARE * 118)
    own = np.hypot(np.hypot(0.05, habit["knee"].wander), PASSING_SHARE * 0.05) * 118
    assert mixed.move[10, 1, 0] == pytest.approx(0.10 * 118 * noise**2 / (own**2 + noise**2), abs=0.3)
    assert np.all(mixed.sigma[10, 1] < noise) and np.all(noise < usual.sigma[10, 1])


def test_what_is_known_across_a_limb_a_click_hardly_moves() -> None:
    truth = leg()
    posture = Posture(np.full(truth.shape[:2], np.pi / 2), np.zeros(truth.shape[:2]), {"left": 1}, np.zeros((len(truth), 1)))
    habit = {"knee": JointOffsetPrior(0.0, 0.0, 0.05, narrow=0.004, narrow_wander=0.004)}
    spot = Keyframe(10, {"knee_left": tuple(truth[10, 1] + [6.0, 6.0])}, 2.0)
    found = offsets(seen(truth, 0.0), [spot], habit, posture)
    across, along = found.move[10, 1]  # the limb points down the picture
    assert across < 1.0 and along > 5.0
    assert found.sigma[10, 1, 1] < 0.6 * found.sigma[10, 1, 0]


def test_a_click_told_better_across_counts_more_there() -> None:
    truth = leg()
    posture = Posture(np.zeros(truth.shape[:2]), np.zeros(truth.shape[:2]), {"left": 1}, np.zeros((len(truth), 1)))
    place = {"knee_left": tuple(truth[10, 1] + [4.0, 4.0])}
    found = offsets(seen(truth, 0.0), [Keyframe(10, place, 6.0, {"knee_left": 1.0})], {"knee": JointOffsetPrior(0.0, 0.0, 0.05)}, posture)
    assert found.move[10, 1, 1] > 3.5 > found.move[10, 1, 0]


def swaying(place: np.ndarray, changes_px: float) -> tuple[Evidence, np.ndarray, Posture]:
    """A still leg whose knee the network sees lower the deeper the posture; place (T,) 0..1."""
    truth = np.tile(leg()[:1], (len(place), 1, 1))
    network = truth.copy()
    network[:, 1, 1] -= changes_px * place
    evidence = Evidence(np.arange(len(place)) / 30, NAMES, network, np.full(truth.shape[:2], 3.0))
    flat = np.zeros(truth.shape[:2])
    return evidence, truth, Posture(flat, flat, {"left": 1}, place[:, None])


def test_clicks_in_two_postures_hold_in_every_frame_of_like_posture() -> None:
    place = 0.5 - 0.5 * np.cos(np.linspace(0, 6 * np.pi, 180))  # three reps
    evidence, truth, posture = swaying(place, 12.0)
    habit = {"knee": JointOffsetPrior(0.0, 0.0, 0.05, wander=0.06)}
    deep = int(np.argmax(place[:60]))
    one, two = (offsets(evidence, [clicks(truth, f) for f in row], habit, posture) for row in ([0], [0, deep]))
    missed = [np.abs(evidence.network[:, 1] + found.move[:, 1] - truth[:, 1]).max(axis=1) for found in (one, two)]
    last = 120 + int(np.argmax(place[120:]))
    assert missed[0][last] > 6  # one standing click cannot know
    assert max(missed[1][last], missed[1][119]) < 3
    assert np.all(two.sigma[last, 1] < 0.7 * one.sigma[last, 1])


def test_mending_a_moment_does_not_spoil_the_rest() -> None:
    evidence, truth, posture = swaying(np.zeros(180), 0.0)
    evidence.network[80:95, 1] += 14.0
    habit = {"knee": JointOffsetPrior(0.0, 0.0, 0.05)}
    mended = offsets(evidence, [clicks(truth, 0), clicks(truth, 87)], habit, posture)
    assert np.abs(mended.move[150, 1]).max() < 6.5
    assert mended.move[87, 1, 0] < -8


def test_legs_taken_for_one_another_are_exchanged_back() -> None:
    names = list(ALL_POINTS)
    rng = np.random.default_rng(1)
    path = np.tile(rng.uniform(200, 500, (1, len(names), 2)), (40, 1, 1))
    swapped = path.copy()
    left = [i for i, n in enumerate(names) if n.endswith("_left") and n.split("_")[0] in LEG]
    right = [names.index(names[i].replace("_left", "_right")) for i in left]
    swapped[12:20, left], swapped[12:20, right] = path[12:20, right], path[12:20, left]
    fix_side_swaps(swapped, names)
    assert np.allclose(swapped, path)


def test_distrust_is_obeyed() -> None:
    truth = leg()
    evidence = seen(truth, 1.0)
    evidence = replace(evidence, match=truth + 20.0, match_sigma=np.full(truth.shape[:2], 1.0))
    matched = solved(evidence, [], {"knee": SourceWeights(network=50.0)}, None, 2.0)
    doubted = solved(evidence, [], {"knee": SourceWeights(match=50.0)}, None, 2.0)
    assert error(matched.positions, truth)[:, 1].mean() > 20
    assert error(doubted.positions, truth)[:, 1].mean() < 2


def test_uneven_frames_are_solved_too() -> None:
    truth = leg()[np.sort(np.random.default_rng(5).choice(FRAMES, 70, replace=False))]
    evidence = seen(truth, 1.0)
    assert np.median(error(solved(evidence, [], {}, None, 2.0).positions, truth)) < 1.5
    assert shank_px(truth, NAMES) == pytest.approx(118, abs=0.5)


@pytest.mark.parametrize("joint", ["shoulder", "hip", "knee", "ankle", "heel", "toe"])
def test_any_point_can_be_left_out_and_what_needs_it_is_said_to_be_missing(joint: str) -> None:
    name = "tove_back_squat_side"
    brief = json.loads((DEMO / f"{name}.brief.json").read_text()) | {"hidden": [f"{joint}_left"]}
    seen_of_it = Evidence.load(DEMO / f"{name}.npz")
    with Film(DEMO / f"{name}.mp4") as film:
        analysis = conclude(film.facts, check_brief(brief), load_catalogue(), seen_of_it)
        bare = conclude(film.facts, check_brief(brief), load_catalogue(), replace(seen_of_it, plate=np.empty((0, 2))))
    assert f"{joint}_left" not in analysis.scene.track.names
    assert len(analysis.scene.reps) == 4
    if joint in ("hip", "knee", "ankle"):
        assert "knee_flexion_left" not in analysis.scene.angles  # the bar's plate counts
        assert bare.scene.reps == []
    else:
        assert len(bare.scene.reps) == 4


def test_habits_doubt_is_shared_out_by_joint() -> None:
    """Half the share, half the doubt that lasts: what joints nobody clicked have."""
    truth = leg(30)
    evidence, shape = seen(truth, 1.0), (30, 3)
    lasting = Offsets(np.zeros((*shape, 2)), np.full((*shape, 2), 6.0), np.zeros(shape))
    solution = Solution(truth, np.zeros((30, 6, 6)))
    whole, half = (np.sqrt(_systematic(evidence, lasting, solution, np.array([1.0, s, 1.0]), 0.1)[:, 2, 2]) for s in (1.0, 0.5))
    drift = DRIFT_REST * shank_px(truth, NAMES)
    assert whole == pytest.approx(np.hypot(6.0, drift)) and half == pytest.approx(np.hypot(3.0, drift))
