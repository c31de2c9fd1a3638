"""What standing on a level floor tells of a shoe, against scipy's integration and a pinhole camera (general-purpose references)."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.stats import norm

from deepmirror.core.camera.sole import LYING, seen_slope, standing_slope


@pytest.mark.parametrize(("seen", "sd"), [(0.0, 2.5), (-2.0, 2.5), (-6.0, 2.5), (-6.0, 1.2), (-14.0, 2.5), (4.0, 3.0)])
def test_the_slope_is_the_mean_of_what_may_be(seen: float, sd: float) -> None:
    def density(x: float) -> float:
        return float(sum(share * norm.pdf(x, mean, spread) for mean, spread, share in LYING) * norm.pdf(seen, x, sd))

    moments = [quad(lambda x, k=k: x**k * density(x), -90, 90, points=[0.0, seen], limit=400)[0] for k in range(3)]
    mean, found_sd = standing_slope(seen, sd)
    assert mean == pytest.approx(moments[1] / moments[0], abs=1e-4)
    assert found_sd == pytest.approx(np.sqrt(moments[2] / moments[0] - mean**2), abs=1e-4)


def test_a_shoe_a_little_askew_stands_level_and_heels_on_a_wedge_stay_up() -> None:
    level, level_sd = standing_slope(2.5, 2.5)
    wedge, wedge_sd = standing_slope(-15.0, 2.5)
    between = standing_slope(-7.0, 2.5)[1]
    assert abs(level) < 0.3 and level_sd < 0.8
    assert wedge < -13 and wedge_sd < 2.6
    assert between > 2 * level_sd  # it may be either, and says so


@pytest.mark.parametrize("seen", [-45.0, 20.0])
def test_the_foot_of_a_leg_set_back_or_held_up_is_taken_as_it_is_seen(seen: float) -> None:
    assert standing_slope(seen, 2.5)[0] == pytest.approx(seen, abs=1.0)


@pytest.mark.parametrize("away_deg", [-10.0, 0.0, 12.0, 25.0])
def test_a_level_shoe_seen_from_above_slopes_no_more_than_is_taken_out(away_deg: float) -> None:
    focal, far, high = 1024.0, 350.0, 100.0  # px, cm, cm
    toe = 26.0 * np.array([np.cos(np.radians(away_deg)), np.sin(np.radians(away_deg))])  # along the picture, towards the camera
    picture = [np.array([x, -high]) * focal / (far - z) for x, z in ((0.0, 0.0), toe)]  # level right, upright positive
    level, upright = picture[1] - picture[0]
    pictured = np.degrees(np.arctan2(upright, level))
    slope, sd = seen_slope((float(level), float(upright)), (away_deg, 5.0), (np.degrees(np.arctan2(high, far)), 4.0))
    assert abs(slope) < 1.5 and abs(slope) < sd
    if abs(away_deg) > 10:
        assert abs(slope) < 0.4 * abs(pictured)
