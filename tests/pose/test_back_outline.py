"""Where a body ends behind the line from hip to shoulder, in what the network gives, and through what is kept of a film."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.pose.back_outline import SHARES, back_outline
from deepmirror.pose.evidence import Evidence

HIP, SHOULDER = np.array([128.0, 180.0]), np.array([90.0, 100.0])


def circle(x: float, y: float, radius: float) -> np.ndarray:
    """A round body in the network's square: how far inside each pixel lies."""
    down, across = np.mgrid[0:256, 0:256]
    return np.asarray(radius - np.hypot(across - x, down - y), np.float32)


@pytest.mark.parametrize("behind", [1.0, -1.0])
def test_the_outline_lies_on_the_edge_behind_the_line(behind: float) -> None:
    middle = (HIP + SHOULDER) / 2
    outline = back_outline(circle(*middle, 50), HIP, SHOULDER, behind)
    reached = np.isfinite(outline[:, 0])
    assert 2 < reached.sum() < len(SHARES), "in the middle the circle ends beyond reach"
    assert np.abs(np.hypot(*(outline[reached] - middle).T) - 50).max() < 0.3
    out = behind * np.array([-(SHOULDER - HIP)[1], (SHOULDER - HIP)[0]])
    assert ((outline[reached] - middle) @ out > 0).all()


def test_where_there_is_no_body_or_no_end_there_is_no_outline() -> None:
    assert np.isnan(back_outline(np.full((256, 256), -5, np.float32), HIP, SHOULDER, 1.0)).all()
    assert np.isnan(back_outline(np.full((256, 256), 5, np.float32), HIP, SHOULDER, 1.0)).all()
    assert np.isnan(back_outline(circle(128, 128, 60), HIP, HIP, 1.0)).all()


def test_what_was_seen_of_the_back_is_kept_and_cut_with_the_film(tmp_path: Path) -> None:
    shape = (6, len(ALL_POINTS))
    back = np.arange(6 * 15 * 2, dtype=float).reshape(6, 15, 2)
    back[3] = np.nan
    seen = Evidence(np.arange(6) / 30, list(ALL_POINTS), np.zeros((*shape, 2)), np.ones(shape), back=back)
    seen.save(tmp_path / "seen.npz")
    kept = Evidence.load(tmp_path / "seen.npz")
    assert np.array_equal(kept.back, back, equal_nan=True)
    assert np.array_equal(kept.between(1, 5).only(["hip_left"]).back, back[1:5], equal_nan=True)
