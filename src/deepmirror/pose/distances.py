"""How far apart points must be: what lengths, a shoe, a back and a pelvis tell the solver."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.frontal_camera import standing_scale
from deepmirror.core.camera.sagittal_fit import FOCAL_SHARE, Plane
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.trajectories import Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.fitted import fitted
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.trajectory_solver import Lengths, segment_ends

Array = NDArray[np.float64]

# Share of a segment's length that its seen length may be off in one frame; the trunk bends and the shoulder blade slides.
SEEN_SEGMENT_SIGMA = {"thigh": 0.02, "shank": 0.02, "trunk": 0.05}
# How much longer or shorter than the plane has it a film may show the trunk throughout, and how well one frame's clicks tell it: the spine
# bends and the shoulder blade slides; shares, our own estimates, no source.
TRUNK_SHOWN_SD, CLICKED_TRUNK_SD = 0.1, 0.04
# A length as the film shows it throughout, share: how far off where nobody clicked its ends, and what is left where somebody did (beside
# the click's noise). The network's joints lie 1 to 2 cm off; our own estimates, no source.
SHOWN_LENGTH_SD, CLICKED_LENGTH_SD = 0.04, 0.015
PADDED_TRUNK_SIGMA = 0.06  # of one that lies on a pad: the pelvis may curl off it while the back stays
SHOE_SIGMA = 0.05  # share of a shoe's distances that a turned foot may change them by
# A back of which something passes before the hip: the film's own length of it where it shows, and how much that may be off.
SHOWS_PX, SHOWN_SHARE, OWN_TRUNK_SIGMA = 5.0, 0.3, 0.01
SITS_BACK = fitted("sits_back")
# How far (px) the hips' distance as followed in standing may be off, and how far from the client's own it may lie (in standard
# deviations) before that is taken for something else, such as the breadth over the outside; pelvis: how well it is held in one frame.
FOLLOWED_WIDTH_PX, OTHER_WIDTH, PELVIS_SIGMA = 3.5, 3.0, 0.02


def side_lengths(evidence: Evidence, keys: list[Keyframe], plane: Plane, setting: FilmSetting, positions: Array, free: Array) -> Lengths:
    """What a side film's points keep: segments as plane and film show them, the back as the film does, the shoe as it was clicked.

    positions (T, P, 2) px; free: the same, found without lengths.
    """
    near = near_side(setting.view) or "left"
    out: Lengths = {}
    shares = SEEN_SEGMENT_SIGMA | ({} if setting.movement.standing else {"trunk": PADDED_TRUNK_SIGMA})
    for segment, share in shares.items():
        ends = segment_ends(segment, near)
        clicked = [k for k in keys if set(ends) <= set(k.points)]
        stretch, left = 1.0, 0.0
        if segment == "trunk" and clicked:
            stretch = _trunk_as_clicked(clicked, plane, near)
        elif set(ends) <= set(evidence.names):
            stretch, left = _as_shown(_lines(free, evidence.names, ends), clicked, plane, setting.body, segment)
        sigma = float(np.hypot(share, left)) * plane.lengths_cm[segment] * plane.scale.value
        out[ends] = (partial(_stretched, plane, segment, stretch), sigma)
    if setting.movement.hands_pass:
        out |= _back(evidence, plane, near, positions)
    return out | _shoe(keys, near)


def _stretched(plane: Plane, segment: str, stretch: float, direction: Array) -> Array:
    return stretch * plane.seen_length_px(segment, direction)


def _lines(positions: Array, names: list[str], ends: tuple[str, str]) -> Array:
    """From one end to the other (T, 2) px."""
    a, b = (positions[:, names.index(name)] for name in ends)
    return np.asarray(b - a)


def _shown_longer(lines: Array, plane: Plane, segment: str) -> Array:
    """Logarithm (T,) of how much longer than the plane has it a segment is shown, lines (T, 2) px."""
    far = np.linalg.norm(lines, axis=1)
    return np.asarray(np.log(far / plane.seen_length_px(segment, lines / far[:, None])))


def _as_shown(lines: Array, clicked: list[Keyframe], plane: Plane, body: Body, segment: str) -> tuple[float, float]:
    """By how much longer than the plane has it this film's segment is held, and what doubt that leaves (share).

    A length that was only predicted may be a tenth off. Held to it in every frame, a leg that shows as shorter has nowhere to go but out
    of line: a hip that is nearly straight rose by 10 cm off its bench for a thigh predicted 13 % too long.
    """
    known = body.length(segment)
    known_sd = known.u_cm / known.cm / COVERAGE_FACTOR
    shown_sd = SHOWN_LENGTH_SD
    if clicked:
        click = np.sqrt(2 / len(clicked)) * clicked[0].sigma_px / float(np.median(np.linalg.norm(lines, axis=1)))
        shown_sd = float(np.hypot(CLICKED_LENGTH_SD, click))
    gain = known_sd**2 / (known_sd**2 + shown_sd**2)
    return float(np.exp(gain * np.median(_shown_longer(lines, plane, segment)))), float(np.sqrt(gain) * shown_sd)


def _trunk_as_clicked(clicked: list[Keyframe], plane: Plane, near: str) -> float:
    """By how much this film shows the trunk longer than the plane has it, as shoulder and hip were clicked.

    A camera that looks down shows the trunk larger than the leg, and the near shoulder lies nearer than the hip: that is so in every
    frame, and must not pull every frame's shoulder off where it was clicked.
    """
    a, b = segment_ends("trunk", near)
    lines = np.array([np.subtract(k.points[b], k.points[a]) for k in clicked])
    seen = float(np.mean(_shown_longer(lines, plane, "trunk")))
    click = float(np.hypot(CLICKED_TRUNK_SD, np.sqrt(2) * clicked[0].sigma_px / np.linalg.norm(lines, axis=1).mean()))
    return float(np.exp(seen * TRUNK_SHOWN_SD**2 / (TRUNK_SHOWN_SD**2 + click**2 / len(lines))))


def _back(evidence: Evidence, plane: Plane, near: str, positions: Array) -> Lengths:
    """Where hands pass before the hip: shoulder and hip are as far apart as in this film's like postures in which both show."""
    a, b = segment_ends("trunk", near)
    if not {a, b} <= set(evidence.names):
        return {}
    i, j = evidence.names.index(a), evidence.names.index(b)
    shows = (evidence.step_sigma[:, [i, j]] < SHOWS_PX).all(axis=1)
    if shows.mean() < SHOWN_SHARE:
        return {}
    d = positions[:, j] - positions[:, i]
    far = np.linalg.norm(d, axis=1)
    share = far / plane.seen_length_px("trunk", d / far[:, None])
    lean = np.unwrap(np.arctan2(d[:, 1], d[:, 0]))
    lean = np.clip(lean, lean[shows].min(), lean[shows].max())
    own = np.polyval(np.polyfit(lean[shows], share[shows], 1), lean)

    def length(direction: Array) -> Array:
        return np.asarray(own * plane.seen_length_px("trunk", direction))

    return {(a, b): (length, OWN_TRUNK_SIGMA * plane.lengths_cm["trunk"] * plane.scale.value)}


def _shoe(keys: list[Keyframe], near: str) -> Lengths:
    """A shoe does not change its shape: ankle, heel and toe keep the distances they had where all three were clicked."""
    out: Lengths = {}
    for i, j in (("ankle", "heel"), ("ankle", "toe"), ("heel", "toe")):
        a, b = sided(i, near), sided(j, near)
        apart = [float(np.hypot(*np.subtract(k.points[a], k.points[b]))) for k in keys if a in k.points and b in k.points]
        if apart:
            out[(a, b)] = (partial(_always, float(np.mean(apart))), SHOE_SIGMA * max(apart) + 1.5)
    return out


def _always(length_px: Array | float, directions: Array) -> Array:
    return np.broadcast_to(length_px, len(directions))


def pelvis_width(evidence: Evidence, setting: FilmSetting, positions: Array) -> Lengths:
    """From the front or behind: the hips stay as far apart as in standing, but for sitting back, away from the camera or towards it.

    What was followed in standing and the client's own breadth are taken together. positions (T, P, 2) px.
    """
    track = Track(evidence.times, tuple(evidence.names), positions, np.zeros((len(positions), 0, 0)))
    if not setting.movement.standing or not track.has(*(sided(j, s) for j in ("hip", "knee", "ankle") for s in SIDES)):
        return {}
    scale = standing_scale(track, setting.body)
    thigh = np.mean([np.linalg.norm(track.point(sided("knee", s)) - track.point(sided("hip", s)), axis=1) for s in SIDES], axis=0)
    upright = np.clip(thigh / np.quantile(thigh, 0.95), 0, 1)
    back = SITS_BACK * setting.body.length("thigh").cm * np.sqrt(1 - upright**2) * scale.value / (FOCAL_SHARE * max(setting.size))
    nearer = 1 - back if setting.view == "front" else 1 + back
    apart = np.linalg.norm(track.point("hip_left") - track.point("hip_right"), axis=1) / nearer
    width, sd = _width(float(np.median(apart[upright >= np.quantile(upright, 0.75)])), setting.body, scale)
    return {("hip_left", "hip_right"): (partial(_always, width * nearer), float(np.hypot(sd, PELVIS_SIGMA * width)))}


def _width(followed_px: float, body: Body, scale: Value) -> tuple[float, float]:
    """The standing hips' distance and its standard deviation, px."""
    length = body.joint_breadth("hip_breadth")
    known_px = length.cm * scale.value
    known_sd = known_px / COVERAGE_FACTOR * float(np.hypot(length.u_cm / length.cm, scale.u / scale.value))
    if abs(followed_px - known_px) > OTHER_WIDTH * np.hypot(known_sd, FOLLOWED_WIDTH_PX):
        return followed_px, FOLLOWED_WIDTH_PX
    weights = np.array([known_sd, FOLLOWED_WIDTH_PX]) ** -2.0
    return float(weights @ [known_px, followed_px] / weights.sum()), float(weights.sum() ** -0.5)
