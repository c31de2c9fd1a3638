"""The solver: outliers, gaps, corrections, and whether its doubt is honest."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.fuse import Plane, Trust, solve

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


def error(positions: np.ndarray, truth: np.ndarray) -> np.ndarray:
    return np.linalg.norm(positions - truth, axis=2)


def test_one_clicked_frame_takes_the_networks_offset_out() -> None:
    truth = leg()
    evidence = seen(truth, 2.0, offset=(9, -6))
    without, with_click = solve(evidence, [], {}, None, 2.0), solve(evidence, [clicks(truth, 20)], {}, None, 2.0)
    assert np.median(error(without.positions, truth)) > 8
    assert np.median(error(with_click.positions, truth)) < 4


def test_wild_looks_lose_their_say_and_gaps_are_bridged_with_growing_doubt() -> None:
    truth = leg()
    evidence = seen(truth, 1.5)
    evidence.network[40:46, 1] += 150
    evidence.network[70:90, 2] = np.nan
    evidence.network_sigma[70:90, 2] = np.inf
    evidence.step_sigma[70:90, 2] = np.inf
    solution = solve(evidence, [clicks(truth, 0)], {}, None, 2.0)
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
    first = solve(evidence, [clicks(truth, 0)], {}, None, 2.0)
    both = solve(evidence, [clicks(truth, 0), clicks(truth, FRAMES - 1)], {}, None, 2.0)
    assert error(first.positions, truth)[-1, 1] > 10
    assert error(both.positions, truth)[-1, 1] < 2
    assert error(both.positions, truth)[:, 1].max() < error(first.positions, truth)[:, 1].max() / 2


def test_known_lengths_hold_and_help() -> None:
    truth = leg()
    evidence = seen(truth, 6.0)
    free = solve(evidence, [], {}, None, 2.0)
    held = solve(evidence, [], {}, Plane({"thigh": 120.0, "shank": 118.0}), 2.0)
    lengths = [np.linalg.norm(s.positions[:, 0] - s.positions[:, 1], axis=1) for s in (free, held)]
    assert np.abs(lengths[1] - 120).max() < np.abs(lengths[0] - 120).max()
    assert np.median(error(held.positions, truth)) <= np.median(error(free.positions, truth)) * 1.02


def test_the_doubt_is_the_inverse_of_the_normal_matrix() -> None:
    # the banded recursion against scipy's dense inverse (a general-purpose reference library): one linear pass, no steps
    truth = leg(9)
    evidence = seen(truth, 1.0)
    evidence.step_sigma[:] = np.inf
    solution = solve(evidence, [], {}, None, 3.0)
    from scipy.linalg import inv

    from deepmirror.pose import fuse

    size = 9 * 6
    index = np.arange(size).reshape(9, 3, 2)
    problem = fuse._Problem(size)
    fuse._add_points(problem, index, evidence, evidence.network, {}, solution.positions)
    fuse._add_smoothness(problem, index, evidence.times, 3.0)
    dense = np.zeros((size, size))
    band = problem.banded(17)
    band[-1] += 1e-6
    for k in range(18):
        for j in range(size):
            if j - k >= 0:
                dense[j - k, j] = dense[j, j - k] = band[17 - k, j]
    inverse = inv(dense)
    for t in range(9):
        assert np.allclose(solution.covariance[t], inverse[t * 6 : t * 6 + 6, t * 6 : t * 6 + 6], rtol=0.02)


def test_distrust_is_obeyed() -> None:
    truth = leg()
    evidence = seen(truth, 1.0)
    evidence.match, evidence.match_sigma = truth + 20.0, np.full(truth.shape[:2], 1.0)
    trusted = solve(evidence, [], {"knee": Trust(match=0.2)}, None, 2.0)
    doubted = solve(evidence, [], {"knee": Trust(match=50.0)}, None, 2.0)
    assert error(doubted.positions, truth)[:, 1].mean() < error(trusted.positions, truth)[:, 1].mean()


def test_uneven_frames_are_solved_too() -> None:
    truth = leg()[np.sort(np.random.default_rng(5).choice(FRAMES, 70, replace=False))]
    evidence = seen(truth, 1.0)
    assert np.median(error(solve(evidence, [], {}, None, 2.0).positions, truth)) < 1.5
    assert shank_px(truth, NAMES) == pytest.approx(118, abs=0.5)
