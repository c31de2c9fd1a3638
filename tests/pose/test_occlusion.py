"""A hand with a bar passes before the hip: flow there is the bar's."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from deepmirror.core.skeleton import points_for
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.occlusion import BEHIND_SHARE, behind_hands, behind_plate, guessed

NAMES = [*points_for("side-right"), "low_back"]
FRAMES = 30


def hanging(way_px: np.ndarray) -> Evidence:
    """A standing client whose hand lies `way_px` (T,) in front of the hip; the shank is 100 px long."""
    at = {"shoulder": (400, 200), "elbow": (400, 270), "hip": (400, 340), "knee": (400, 440), "ankle": (400, 540), "low_back": (380, 310)}
    network = np.full((FRAMES, len(NAMES), 2), 700.0)
    for name, place in at.items():
        network[:, NAMES.index(name if name == "low_back" else f"{name}_right")] = place
    hand = NAMES.index("wrist_right")
    network[:, hand] = np.stack([400 + way_px, np.full(FRAMES, 345.0)], axis=1)
    network[:, NAMES.index("elbow_right"), 0] = 400 + way_px
    evidence = Evidence(np.arange(FRAMES) / 30, list(NAMES), network, np.full(network.shape[:2], 4.0))
    evidence = replace(evidence, step_sigma=np.ones(network.shape[:2]), match_sigma=np.ones(network.shape[:2]))
    return evidence


def test_what_lies_behind_the_hand_is_not_followed_and_what_is_clear_is() -> None:
    seen = hanging(np.linspace(0, 120, FRAMES))
    told = behind_hands(seen, seen, "side-right", 0.5)
    hip, knee, back, ankle = (NAMES.index(n) for n in ("hip_right", "knee_right", "low_back", "ankle_right"))
    assert told.step_sigma[0, hip] > 20 and told.step_sigma[0, back] > 20
    assert told.step_sigma[-1, hip] == 1 and told.step_sigma[-1, back] == 1
    assert (told.step_sigma[:, [knee, ankle]] == 1).all()
    assert (seen.step_sigma == 1).all()


def test_a_bare_hand_hides_what_it_lies_before_and_nothing_beside_it() -> None:
    seen, hip = hanging(np.zeros(FRAMES)), NAMES.index("hip_right")
    assert (behind_hands(seen, seen, "side-right", 0.0).step_sigma[:, hip] > 20).all()  # still on a handle for the whole set
    beside = hanging(np.full(FRAMES, 40.0))
    assert (behind_hands(beside, beside, "side-right", 0.0).step_sigma == 1).all()
    assert behind_hands(seen, seen, "front", 0.5) is seen


def test_a_hand_that_lies_as_on_the_clicked_picture_leaves_the_patch_some_say() -> None:
    seen, hip = hanging(np.zeros(FRAMES)), NAMES.index("hip_right")
    seen.match_sigma[10:, hip] = 2.0  # found less well from here on: the hand has moved within the patch
    carried, resting = (behind_hands(seen, seen, "side-right", reach).match_sigma[:, hip] for reach in (0.5, 0.0))
    assert (carried[:10] < 5).all() and (carried[10:] > 100).all()
    assert (resting > 20).all()  # one that holds on to a handle hides a pelvis that moves behind it


def test_the_network_only_guesses_a_joint_that_is_hidden_for_a_while() -> None:
    """Flow holds every joint, but for a knee that a plate hides for a third of the film, and a toe it never holds."""
    seen = hanging(np.zeros(FRAMES))
    seen = replace(seen, times=np.arange(FRAMES) / 5)  # 6 s
    knee, toe, hip = (NAMES.index(n) for n in ("knee_right", "toe_right", "hip_right"))
    seen.match_sigma[:] = np.inf
    seen.step_sigma[10:20, [knee, hip]] = 60.0
    seen.step_sigma[:, toe] = 60.0
    told = guessed(seen, [Keyframe(0, {"knee_right": (0.0, 0.0), "toe_right": (0.0, 0.0)})], 20.0).network_sigma
    assert told[15, knee] > 20 and (told[[0, 29], knee] == 4).all()
    assert (told[:, toe] == 4).all(), "what flow never holds tells nothing of hiding"
    assert (told[:, hip] == 4).all(), "of one that was not clicked nothing is known"


def test_joints_behind_a_plate_are_guessed_and_what_is_beside_it_or_was_clicked_behind_it_keeps_its_say() -> None:
    seen = hanging(np.zeros(FRAMES))
    assert behind_plate(seen, seen) is seen
    hip, knee, shoulder = (NAMES.index(n) for n in ("hip_right", "knee_right", "shoulder_right"))
    plate = np.stack([np.full(FRAMES, 400.0), np.linspace(340, 600, FRAMES)], axis=1)  # from the hip down past the knee
    plate[5] = np.nan
    seen.match_sigma[10:, knee] = 3.0
    told = behind_plate(replace(seen, plate=plate, plate_radius=np.full(FRAMES, 60.0)), seen)
    hidden = np.abs(plate[:, 1] - 340) < 60
    assert hidden[:5].all() and not hidden[5] and not hidden[-5:].any()
    assert (told.step_sigma[:, hip] > 20).tolist() == hidden.tolist()
    assert np.allclose(told.network_sigma[hidden, hip], np.hypot(4.0, BEHIND_SHARE * 100)) and (told.network_sigma[~hidden, hip] == 4).all()
    assert (told.match_sigma[:, hip] == 1).all(), "found as it was clicked, the plate before it too"
    passes = np.abs(plate[:, 1] - 440) < 60
    lost = passes & (np.arange(FRAMES) >= 10)  # from here on the patch shows something else
    assert lost.any() and ((told.match_sigma[:, knee] > 100) == lost).all()
    assert (told.step_sigma[:, shoulder] == 1).all()
