"""Third stage: from where the network and the patches see a joint to where its centre lies, and how surely."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import near_side
from deepmirror.fitted import fitted_by_name, fitted_rows
from deepmirror.movements.schema import Movement
from deepmirror.pose.consistency import CLICK_SLACK_SD, CLICK_SLACK_SHARE
from deepmirror.pose.evidence import Evidence, Keyframe, carrier_turns, filled, rotate, shank_px
from deepmirror.pose.occlusion import Unoccluded
from deepmirror.pose.offsets import JointOffsetPrior, Offsets, offsets
from deepmirror.pose.plate import BehindPlate, shoulder_behind_plate
from deepmirror.pose.posture import posture_of
from deepmirror.pose.sled_shoe import with_shoe_on_plate
from deepmirror.pose.standing_shoe import with_standing_shoe

Array = NDArray[np.float64]

SIDE_PRIORS = {joint: JointOffsetPrior(**row) for joint, row in fitted_rows("joint_offsets_side").items()}
FRONT_PRIORS = {joint: JointOffsetPrior(**row) for joint, row in fitted_rows("joint_offsets_front").items()}
BEHIND_PLATE = JointOffsetPrior(**fitted_by_name("joint_offset_behind_plate"))


@dataclass(frozen=True)
class Corrected:
    """evidence: with the patches' places as joint centres; offsets: what to add to the network's places, and their uncertainty; behind: the
    shoulder that the plate of a bar tells, where there is one."""

    unoccluded: Unoccluded
    evidence: Evidence
    offsets: Offsets
    behind: BehindPlate | None = None


def correct_offsets(unoccluded: Unoccluded) -> Corrected:
    """The joints' own offsets from what is usual in this movement and from the clicks."""
    annotated, evidence = unoccluded.annotated, unoccluded.evidence
    setting, keys = annotated.setting, list(annotated.keys)
    kept, whole = list(annotated.kept), joint_offsets(annotated.shown, keys, setting.movement, setting.view)
    own = whole.only(kept)
    behind = shoulder_behind_plate(evidence, own, keys, setting)
    if behind is not None:  # offsets of hip and knee lie along the trunk, which was seen askew
        own = joint_offsets(behind.seen(annotated.shown, whole), keys, setting.movement, setting.view).only(kept)
        evidence, own = behind.put(evidence, own)
    evidence = with_standing_shoe(evidence, own, keys, setting)
    evidence, own = with_shoe_on_plate(evidence, own, keys, setting)
    return Corrected(unoccluded, matches_at_centres(evidence, keys, own), own, behind)


def joint_offsets(evidence: Evidence, keys: list[Keyframe], movement: Movement, view: str) -> Offsets:
    """Of every point, from its usual offset in this movement and view and from the clicks."""
    priors = FRONT_PRIORS
    if near_side(view):
        priors = SIDE_PRIORS | ({"shoulder": BEHIND_PLATE} if movement.bar_on_back else {})
    return offsets(evidence, keys, priors, posture_of(evidence, view))


def matches_at_centres(evidence: Evidence, keys: list[Keyframe], own: Offsets) -> Evidence:
    """Patch places as joint centres: a patch was learned around one place and found with it; the joint keeps its place in the
    patch, so a moved click moves the match without looking at the film again."""
    if not len(evidence.learned):
        return evidence
    guided = filled(evidence.network) + own.move
    turn = carrier_turns(guided, evidence.names)
    match, slack = evidence.match.copy(), CLICK_SLACK_SHARE * shank_px(guided, evidence.names)
    by_frame = {k.frame: k for k in keys}
    for k, (frame, point, x, y, learned_turn) in enumerate(evidence.learned):
        p, f = int(point), int(frame)
        if p < 0:
            continue
        rows = evidence.match_key[:, p] == k
        key = by_frame.get(f)
        centre = np.array([x, y])
        if key is not None and evidence.names[p] in key.points:
            centre = _clicked_centre(np.array(key.points[evidence.names[p]]), guided[f, p], CLICK_SLACK_SD * key.sigma_px + slack)
        shift = centre - np.array([x, y])
        match[rows, p] += rotate(np.tile(shift, (int(rows.sum()), 1)), turn[rows, p] - learned_turn)
    return replace(evidence, match=match)


def _clicked_centre(click: Array, guided: Array, slack_px: float) -> Array:
    """A clicked joint's centre (2,) px: as the click and the usual offset together say, which is surer than either, but where they do
    not go together as clicked: the network saw something else there."""
    return guided if np.linalg.norm(guided - click) < slack_px else click
