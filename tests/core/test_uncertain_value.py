"""The three-valued verdict and the propagation of doubt."""

from __future__ import annotations

import math

import numpy as np
import pytest

from deepmirror.core.motion.smoothing import low_pass, residual_cutoff
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import Band, Value, Verdict, verdict


@pytest.mark.parametrize(
    ("value", "u", "band", "limit", "expected"),
    [
        (3.0, 1.0, Band(None, 5), math.inf, Verdict.WITHIN),
        (4.5, 1.0, Band(None, 5), math.inf, Verdict.BORDERLINE),
        (5.9, 1.0, Band(None, 5), math.inf, Verdict.BORDERLINE),
        (6.1, 1.0, Band(None, 5), math.inf, Verdict.OFF),
        (84.0, 4.0, Band(85, None), math.inf, Verdict.BORDERLINE),
        (70.0, 4.0, Band(85, None), math.inf, Verdict.OFF),
        (5.0, 12.0, Band(0, 10), math.inf, Verdict.CANNOT_TELL),
        (4.0, 9.0, Band(None, 5), 8.0, Verdict.CANNOT_TELL),
        (40.0, 9.0, Band(None, 5), 8.0, Verdict.OFF),
        (15.0, 9.0, Band(None, 5), 8.0, Verdict.CANNOT_TELL),  # past its doubt, but not so far that a doubtful number accuses
        (-10.0, 9.0, Band(None, 5), 8.0, Verdict.WITHIN),  # further inside than its doubt
        (60.0, 21.0, Band(None, 5), 8.0, Verdict.CANNOT_TELL),  # lost
        (-60.0, 21.0, Band(None, 5), 8.0, Verdict.CANNOT_TELL),
        (math.nan, 1.0, Band(None, 5), math.inf, Verdict.CANNOT_TELL),
    ],
)
def test_verdict(value: float, u: float, band: Band, limit: float, expected: Verdict) -> None:
    assert verdict(Value(value, u), band, limit) is expected


def test_nothing_measured_is_never_guessed() -> None:
    assert verdict(None, Band(None, 5)) is Verdict.CANNOT_TELL


def test_sums_and_quotients_follow_the_gum() -> None:
    # JCGM 100:2008 (GUM) 5.1.2: independent contributions add in quadrature; 5.1.6: relative ones for quotients
    assert (Value(10, 3) - Value(4, 4)).u == 5
    quotient = Value(10, 0.3).scaled(1 / 4, 0.04)
    assert quotient.value == 2.5
    assert quotient.u / quotient.value == pytest.approx(math.hypot(0.03, 0.04))


def test_doubt_of_an_angle_agrees_with_brute_force() -> None:
    rng = np.random.default_rng(1)
    points = np.array([[[300.0, 200], [330, 330], [290, 450]]])
    spread = rng.normal(size=(6, 6))
    covariance = (spread @ spread.T)[None]
    track = Track(np.array([0.0]), ("a", "b", "c"), points, covariance)

    def angle(p: object) -> np.ndarray:
        u, v = p["a"] - p["b"], p["c"] - p["b"]  # type: ignore[index]
        return np.degrees(np.arctan2(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0], (u * v).sum(1)))

    samples = rng.multivariate_normal(points.ravel(), covariance[0], 40000).reshape(-1, 3, 2)
    many = angle({"a": samples[:, 0], "b": samples[:, 1], "c": samples[:, 2]})
    assert track.series(angle).u[0] == pytest.approx(2 * np.std(many), rel=0.03)


@pytest.mark.parametrize("cutoff", [3.0, 6.0])
def test_smoothing_halves_the_power_at_its_cutoff_without_delay(cutoff: float) -> None:
    # a zero-phase filter passes 1/sqrt(2) of the amplitude at its cut-off: Winter, 4th ed., 2.5.4.4 (from memory)
    t = np.arange(0, 20, 0.01)
    out = low_pass(np.sin(2 * np.pi * cutoff * t), 100, cutoff)[500:1500]
    assert out.max() == pytest.approx(1 / math.sqrt(2), abs=0.02)
    slow = low_pass(np.sin(2 * np.pi * 0.5 * t), 100, cutoff)[500:1500]
    assert np.abs(slow - np.sin(2 * np.pi * 0.5 * t)[500:1500]).max() < 0.02


def test_residual_analysis_finds_more_bandwidth_in_a_faster_signal() -> None:
    rng = np.random.default_rng(2)
    t = np.arange(0, 15, 1 / 30)
    slow, fast = (100 * np.sin(2 * np.pi * f * t) + rng.normal(0, 1, len(t)) for f in (0.3, 3.0))
    assert residual_cutoff(slow, 30) < residual_cutoff(fast, 30)
