"""Sources that contradict one another widen the uncertainty instead of being averaged away."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from deepmirror.core.skeleton import points_for
from deepmirror.pose.consistency import followed, misfit, widened
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.source_weights import SourceWeights
from deepmirror.pose.track_uncertainty import LENGTH_LASTS, MOST_BETWEEN, _between_lengths
from deepmirror.pose.trajectory_solver import Solution

NAMES, FRAMES = points_for("side-left"), 90
KNEE, HIP = NAMES.index("knee_left"), NAMES.index("hip_left")


def solved() -> tuple[Evidence, Offsets, Solution]:
    """Points 100 px apart that network and solution see in the same places."""
    places = np.tile(np.arange(len(NAMES))[:, None] * [60.0, 80.0], (FRAMES, 1, 1))
    evidence = Evidence(np.arange(FRAMES) / 30, list(NAMES), places.copy(), np.full(places.shape[:2], 3.0))
    own = Offsets(np.zeros_like(places), np.full(places.shape, 2.0), np.zeros(places.shape[:2]))
    return evidence, own, Solution(places, np.tile(np.eye(2 * len(NAMES)), (FRAMES, 1, 1)))


def test_where_all_agree_nothing_grows() -> None:
    assert (misfit(*solved()[:2], {}, solved()[2]) == 1).all()


def test_a_network_that_keeps_seeing_the_joint_elsewhere_widens_it_there_and_then() -> None:
    evidence, own, solution = solved()
    evidence.network[30:60, KNEE, 0] += 30.0
    grown = misfit(evidence, own, {}, solution)
    assert grown[45, KNEE] == pytest.approx(30**2 / 2 / (9 + 4 + 1), rel=0.01) and grown[45, HIP] == 1 and grown[5, KNEE] == 1
    wide = widened(solution.covariance, grown)
    assert np.sqrt(wide[45, 2 * KNEE, 2 * KNEE]) == pytest.approx(np.sqrt(grown[45, KNEE]))


def test_a_network_hardly_believed_widens_less_and_a_found_patch_bears_the_point_out() -> None:
    evidence, own, solution = solved()
    evidence.network[:, KNEE, 0] += 30.0
    plain, doubted = (misfit(evidence, own, w, solution)[45, KNEE] for w in ({}, {"knee": SourceWeights(network=4.0)}))
    assert doubted < plain / 4
    found = replace(evidence, match=solution.positions.copy(), match_sigma=np.full(evidence.match_sigma.shape, 2.5))
    assert misfit(found, own, {}, solution)[45, KNEE] == 1


def test_a_point_is_followed_where_flow_or_a_patch_holds_it() -> None:
    evidence, _, _ = solved()
    sigma = evidence.step_sigma.copy()
    sigma[:45, KNEE] = 0.3
    share = followed(replace(evidence, step_sigma=sigma))
    assert share[10, KNEE] == 1 and share[80, KNEE] == 0 and 0.3 < share[45, KNEE] < 0.7 and (share[:, HIP] == 0).all()


def test_a_hidden_knee_that_lengths_hold_is_the_less_sure_the_straighter_it_is() -> None:
    """Hip and ankle stand still, the knee between them is 4 or 40 px off their line: a length that is 1.5 px wrong moves it further."""
    names = ["hip_left", "knee_left", "ankle_left"]
    hidden = np.zeros((2, 3))
    hidden[1, 1] = 1.0
    sd = []
    for off in (4.0, 40.0):
        places = np.tile([[300.0, 200.0], [300.0 + off, 300.0], [300.0, 400.0]], (2, 1, 1))
        wide = _between_lengths(hidden, names, places, "left")
        assert not wide[0].any() and not wide[1, :2].any() and not wide[1, 4:].any(), "where it shows, and of its neighbours, nothing grows"
        assert wide[1, 3, 3] == pytest.approx(0), "along the line the lengths hold it"
        sd.append(float(np.sqrt(wide[1, 2, 2])))
    length = np.hypot(100, 40)
    assert sd[1] == pytest.approx(length * LENGTH_LASTS * length / 40, rel=0.01) and sd[0] == pytest.approx(
        MOST_BETWEEN * np.hypot(100, 4), rel=0.01
    )
    # against the geometry itself: both segments 1.5 % longer, hip and ankle where they are
    assert np.sqrt((1.015 * length) ** 2 - 100**2) - 40 == pytest.approx(sd[1], rel=0.1)
