"""Second stage: what hides the body from view has no say on it: a forearm, what the hand carries, a thigh seen end on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import near_side, sided, split
from deepmirror.pose.annotations import Annotated
from deepmirror.pose.consistency import hidden_share
from deepmirror.pose.evidence import FREE_CARRIERS, TURNING, Evidence, Keyframe, shank_px, steady
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.other_things import without_other_things
from deepmirror.pose.posture import thighs_end_on
from deepmirror.pose.shoe_shape import without_torn_shoe
from deepmirror.pose.sole import SOLE_SD
from deepmirror.pose.trajectory_solver import SegmentRotations, segment_ends

Array = NDArray[np.float64]

ARM_REACH = 0.22  # of the shank: a forearm hides what lies this near its bone
OCCLUDED_SIGMA_FACTOR = 60.0  # times the uncertainty of what is seen where something passes in front: it is the other thing's
# Found with no more than this times the surest match's sigma, a patch shows what it showed when it was clicked, the hand before it too: it
# then only says that much less. Our own choice; of 1, 4 and 60 times, 4 did best on eighteen hinges of two renderers.
AS_CLICKED, AS_CLICKED_FACTOR = 1.1, 4.0
# How far off the network guesses a hidden joint, of the shank. On nine hinges (open films) more of it kept more measures inside their
# bands (0: 86 %, 0.12: 87 %, 0.25: 89 %) and moved knees that plates hide by a degree; in between, our own choice.
GUESSED_SHARE = 0.2
# How far off it guesses one behind a plate beyond what it says itself, of the shank. On nine hinges worked with 0.12 to 0.18 did alike and
# better than 0 and 0.25; hips there were 0.36 off (median), knees 0.13 to 0.20.
BEHIND, BEHIND_SHARE = ("hip", "knee", "ankle"), 0.12
LEG = ("hip", "knee")
BELOW_HANDS = ("shank", "foot")
# By how much the uncertainty of flow and of patches grows at the hip of a thigh seen end on; flow keeps the time of the reversal.
END_ON_STEP, END_ON_MATCH = 2.0, 10.0


@dataclass(frozen=True)
class Unoccluded:
    """evidence: of the points that are not left out, with what hides them taken out of it; rotations: how the segments that show were
    seen to turn."""

    annotated: Annotated
    evidence: Evidence
    rotations: SegmentRotations


def without_occluded(annotated: Annotated) -> Unoccluded:
    """Take the say from what was seen of something that lies before the body."""
    setting, whole = annotated.setting, annotated.whole
    evidence = without_torn_shoe(without_other_things(annotated.kept_evidence()), annotated.keys, setting.view)
    evidence = behind_hands(evidence, whole, setting.view, setting.movement.hands_pass)
    evidence = behind_plate(evidence, whole)
    evidence = guessed(evidence, annotated.keys, GUESSED_SHARE * shank_px(whole.network, whole.names))
    if setting.near is None:
        evidence = _thighs_end_on(evidence, thighs_end_on(annotated.shown)[:, list(annotated.kept)])
    return Unoccluded(annotated, evidence, _rotations(evidence, setting))


def guessed(evidence: Evidence, keys: Sequence[Keyframe], off_px: float) -> Evidence:
    """Where neither flow nor a patch holds a clicked joint that they hold else, something hides it, and the network can but guess it:
    it tells a hidden joint as surely as one that shows. off_px: how far off such a guess may be."""
    return replace(evidence, network_sigma=np.hypot(evidence.network_sigma, off_px * hidden_share(evidence, keys)))


def behind_hands(evidence: Evidence, whole: Evidence, view: str, reach: float) -> Evidence:
    """Flow and patches lose their say on leg and back while a forearm, or what the hand carries, passes before them.

    A hand that carries a bar comes back before the hip in every rep as it lay there on the clicked picture: what is found so well again
    keeps some say. whole: the evidence with the arm's points; reach: how far what the hand carries reaches, share of the shank, 0 for
    nothing.
    """
    near = near_side(view)
    if near is None:
        return evidence
    calm, shank = steady(whole.network), shank_px(whole.network, whole.names)
    elbow, wrist = (calm[:, whole.names.index(sided(j, near))] for j in ("elbow", "wrist"))
    out = replace(evidence, step_sigma=evidence.step_sigma.copy(), match_sigma=evidence.match_sigma.copy())
    for i, name in enumerate(evidence.names):
        if split(name)[0] in LEG or FREE_CARRIERS.get(name) == "trunk":
            point = calm[:, whole.names.index(name)]
            hidden = _from_segment(point, elbow, wrist) < ARM_REACH * shank
            hidden |= np.linalg.norm(point - wrist, axis=1) < reach * shank
            out.step_sigma[hidden, i] *= OCCLUDED_SIGMA_FACTOR
            # a hand that lies before the hip as it lay on the clicked picture hides nothing that was not hidden there
            as_clicked = _found_as_clicked(evidence.match_sigma[:, i]) & (reach > 0)
            out.match_sigma[hidden, i] *= np.where(as_clicked, AS_CLICKED_FACTOR, OCCLUDED_SIGMA_FACTOR)[hidden]
    return out


def behind_plate(evidence: Evidence, whole: Evidence) -> Evidence:
    """Flow has no say on a joint behind a bar's plate, a patch only where it shows again what was clicked, and the network can but guess:
    it is the plate that moves, and its edge. whole: the evidence of all points."""
    if not len(evidence.plate) or not len(evidence.plate_radius):
        return evidence
    calm, shank = steady(whole.network), shank_px(whole.network, whole.names)
    sigma, step_sigma, match_sigma = evidence.network_sigma.copy(), evidence.step_sigma.copy(), evidence.match_sigma.copy()
    for i, name in enumerate(evidence.names):
        if split(name)[0] not in BEHIND:
            continue
        away = np.linalg.norm(calm[:, whole.names.index(name)] - evidence.plate, axis=1)
        hidden = away < evidence.plate_radius  # not where the plate was not seen
        as_clicked = _found_as_clicked(match_sigma[:, i])
        step_sigma[hidden, i] *= OCCLUDED_SIGMA_FACTOR
        match_sigma[hidden & ~as_clicked, i] *= OCCLUDED_SIGMA_FACTOR
        sigma[hidden, i] = np.hypot(sigma[hidden, i], BEHIND_SHARE * shank)
    return replace(evidence, network_sigma=sigma, step_sigma=step_sigma, match_sigma=match_sigma)


def _found_as_clicked(match_sigma: Array) -> NDArray[np.bool_]:
    """Whether a point's patch, found this surely (T,) px, shows what it showed when it was clicked."""
    return np.asarray(match_sigma < AS_CLICKED * np.min(match_sigma))


def _from_segment(point: Array, a: Array, b: Array) -> Array:
    """Distance (T,) of points (T, 2) from the segments between a and b (T, 2)."""
    along = b - a
    share = np.clip(((point - a) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-9), 0, 1)
    return np.asarray(np.linalg.norm(point - a - share[:, None] * along, axis=1))


def _thighs_end_on(evidence: Evidence, bend: Array) -> Evidence:
    """From the front: where a thigh points at the camera, flow and patches at the hip see the thigh's cloth and not the hip.

    bend: (T, P) how far each point's thigh does, 0 to about 1.
    """
    out = replace(evidence, step_sigma=evidence.step_sigma.copy(), match_sigma=evidence.match_sigma.copy())
    for p in (i for i, n in enumerate(evidence.names) if split(n)[0] == "hip"):
        out.step_sigma[:, p] *= 1 + END_ON_STEP * bend[:, p] ** 2
        out.match_sigma[:, p] *= 1 + END_ON_MATCH * bend[:, p] ** 2
    return out


def _rotations(evidence: Evidence, setting: FilmSetting) -> SegmentRotations:
    """How far the near side's segments were seen to turn, and where its sole's edge points.

    Only shank and foot where hands and what they carry pass before the others. The shirt of a back on a pad stays where the
    pelvis curls off it: how far it was seen to turn may all be missing.
    """
    near = setting.near
    if near is None:
        return {}
    out: SegmentRotations = {}
    for s, segment in enumerate(TURNING):
        if setting.movement.hands_pass and segment not in BELOW_HANDS:
            continue
        unseen = 0.0 if setting.movement.standing or segment != "trunk" else 1.0
        told = zip(evidence.turn[..., s], evidence.turn_sigma[..., s], evidence.turn_since, strict=True)
        out[segment_ends(segment, near)] = [(turn, np.hypot(sigma, unseen * np.abs(turn)), int(since)) for turn, sigma, since in told]
    if len(evidence.sole) and not setting.shoe_held:
        out[segment_ends("foot", near)].append((evidence.sole, np.full(len(evidence.sole), SOLE_SD), None))
    return out
