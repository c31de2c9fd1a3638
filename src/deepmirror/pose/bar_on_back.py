"""Where a shoulder is behind the near plate of a bar on the back, told by the plate: bar and shoulder girdle are one.

The plate lies half a metre nearer the camera, so that it shows beside the shoulder and moves faster across the picture than the client
does. What is not known of it beforehand (how it lies beside the bar in the picture, how much faster it moves, how the bar lies on this
back) the film tells: a bar keeps its distance from the hip, it stays over the foot that stands, and clicks say where the shoulder was.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from deepmirror.core.camera.sagittal_fit import FOCAL_SHARE
from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.skeleton import sided
from deepmirror.core.uncertain_value import COVERAGE_FACTOR
from deepmirror.core.views import facing
from deepmirror.pose.evidence import Evidence, Keyframe, filled, rotate
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets

Array = NDArray[np.float64]

SEEN_SHARE = 0.5  # of the frames: a plate that shows in fewer tells nothing; our own choice
# A bar on the back from the shoulder joint, along the trunk and behind it; our estimate. Bars lie high or low on backs.
BAR_UP_CM, BAR_BACK_CM, BAR_SD_CM = 4.0, 9.0, 4.0
PLATE_NEARER_CM = 50.0  # a bar's inner plate stands 65 cm beside its middle (collars 1.31 m apart), a shoulder joint 16; from memory
# How far beside the shoulder, across the picture and up it, a plate may show beyond what the way it is nearer makes: a camera stands up to
# some 25 degrees askew and looks up to some 15 down; standard deviations, our own estimates.
ASKEW_CM = (20.0, 12.0)
FOCAL_SD = 0.2  # share that the picture's angle, and so the plate's gain, may be off
TRUNK_SD = 0.08  # share that a back may show longer or shorter than was predicted: it bends, the shoulder blade slides; our estimate
OVER_FOOT_SD_CM = 6.0  # so far from the middle of the foot a loaded bar may stand in the mean; our estimate
HIP_SD_CM, POSTURES = 2.0, 6.0  # what the hip is off by in one posture, and how many different ones a film shows; our estimates
UPRIGHT_LEAN_DEG = 10.0  # of a back that stands with a bar on it, where solving begins; common practice, no source
OFF_SHARE = 0.2  # further from its distance to the bar a hip was not followed; our own choice
ASTRAY_SHARE = 0.35  # by so much further from it, or nearer, a look saw something else; our own choice
TOGETHER = 3.5  # standard deviations: what is further off was not the bar of this client; our own choice
GIRDLE_SD_CM = 1.0  # what the shoulder girdle gives under the bar from frame to frame; our estimate


@dataclass(frozen=True)
class SeenBar:
    """What tells of a bar: px in the still room of the first picture. plate, hip (T, 2), shown (T,): where both are known; foot: the
    middle of the foot that stands, across the picture, NaN where it does not; guess (T, 2): where the network has the shoulder,
    with its doubt guess_sd; clicks: (frame, shoulder (2,), sd); back: which way (+1, -1) is behind her in the picture;
    looked (T,): shown, and looked at; hip_sd (T,): what the hip is off by; cm: px per cm; trunk_px: the back's length with trunk_sd;
    gain: how much faster the plate moves than the bar; centre (2,): the middle of the picture; room as in Evidence."""

    plate: Array
    hip: Array
    shown: NDArray[np.bool_]
    looked: NDArray[np.bool_]
    hip_sd: Array
    guess: Array
    guess_sd: float
    foot: float
    clicks: list[tuple[int, Array, float]]
    cm: float
    trunk_px: float
    trunk_sd: float
    gain: float
    back: float
    centre: Array
    room: Array

    def shaken(self, path: Array) -> Array:
        """A still path (T, 2) px as the moving camera sees it."""
        if not len(self.room):
            return path
        room = self.room[: len(path)]
        return np.asarray(np.einsum("tij,tj->ti", room[:, :, :2], path) + room[:, :, 2])


def bar_seen(evidence: Evidence, own: Offsets, keys: Sequence[Keyframe], setting: FilmSetting) -> SeenBar | None:
    """What tells of the bar; own: what is added to the network's places. None where its plate hardly shows, or not with a hip."""
    near = setting.near or "left"
    names = [sided(joint, near) for joint in ("shoulder", "hip", "ankle", "toe")]
    if not len(evidence.plate) or not set(names) <= set(evidence.names):
        return None
    guided = compensate_camera_motion(evidence.network + own.move, evidence.room)
    plate = compensate_camera_motion(evidence.plate[:, None], evidence.room)[:, 0]
    looked = np.isfinite(guided[:, evidence.names.index(names[1]), 0])
    shown = np.isfinite(plate[:, 0])
    if shown.mean() < SEEN_SHARE or (shown & looked).sum() < POSTURES:
        return None
    shoulder, hip, ankle, toe = (filled(guided)[:, evidence.names.index(name)] for name in names)
    cm = _shank_px(guided, evidence.names, keys, near) / setting.body.length("shank").cm
    trunk = setting.body.length("trunk")
    at = evidence.names.index(names[0])
    guess_sd = np.hypot(own.sigma[:, at].mean(axis=1), evidence.network_sigma[:, at])
    clicks = []
    for key in keys:
        if names[0] in key.points and shown[key.frame]:
            point = np.array([[key.points[names[0]]]])
            clicks.append((key.frame, compensate_camera_motion(point, evidence.room[key.frame : key.frame + 1])[0, 0], key.sigma_px))
    return SeenBar(
        plate=filled(plate[:, None])[:, 0],
        hip=hip,
        shown=shown,
        looked=looked & shown,
        hip_sd=np.hypot(HIP_SD_CM * cm, evidence.network_sigma[:, evidence.names.index(names[1])]),
        guess=shoulder,
        guess_sd=min(float(np.median(guess_sd[looked])), trunk.cm * cm),  # the network may never have seen one
        foot=float(np.median((ankle + toe)[looked, 0]) / 2) if setting.movement.feet_stand else np.nan,
        clicks=clicks,
        cm=cm,
        trunk_px=trunk.cm * cm,
        trunk_sd=float(np.hypot(TRUNK_SD, trunk.u_cm / trunk.cm / COVERAGE_FACTOR)) * trunk.cm * cm,
        gain=plate_gain(cm, setting.size),
        back=-facing(setting.view),
        centre=np.array(setting.size) / 2,
        room=evidence.room,
    )


def plate_gain(px_per_cm: float, size: tuple[int, int]) -> float:
    """How much faster than the bar its near plate moves across the picture; px_per_cm: the client's scale; size: the picture's, px."""
    away = FOCAL_SHARE * max(size) / px_per_cm
    return 1 + PLATE_NEARER_CM / max(away - PLATE_NEARER_CM, PLATE_NEARER_CM)


def _shank_px(guided: Array, names: list[str], keys: Sequence[Keyframe], near: str) -> float:
    """The near shank as it was clicked, else as it mostly shows, px."""
    knee, ankle = (sided(joint, near) for joint in ("knee", "ankle"))
    clicked = [np.subtract(k.points[knee], k.points[ankle]) for k in keys if {knee, ankle} <= set(k.points)]
    lines = np.array(clicked) if clicked else guided[:, names.index(knee)] - guided[:, names.index(ankle)]
    return float(np.nanmedian(np.linalg.norm(lines, axis=1)))


@dataclass(frozen=True)
class Shoulder:
    """Its places (T, 2) px in the still room of the first picture, and their covariance (T, 2, 2) px², which lasts through the film;
    astray (T,): looks whose hip is nowhere near where it hangs from the bar, so that they saw something else; bar (T, 2) px: the
    bar's places, and their covariance (2, 2) px², which lasts as well; kept: how far it stays from the hip, px."""

    places: Array
    covariance: Array
    astray: NDArray[np.bool_]
    bar: Array
    bar_covariance: Array
    kept: float

    def lasting(self, turn: Array) -> Array:
        """Standard deviation (T, 2) px along directions turn (T,) rad and across them."""
        c, s = np.cos(turn), np.sin(turn)
        ways = [np.stack([c, s], axis=1), np.stack([-s, c], axis=1)]
        return np.asarray(np.sqrt([np.einsum("ti,tij,tj->t", way, self.covariance, way) for way in ways]).T)


@dataclass(frozen=True)
class _Bar:
    """Unknowns of one film as they are solved for: the bar where the plate mostly is (2,) px, the plate's gain, the trunk's length and
    the bar along and behind it, px."""

    seen: SeenBar

    def usual(self) -> Array:
        """What each is before anything is asked; the bar over an upright back."""
        seen, up, behind = self.seen, BAR_UP_CM * self.seen.cm, BAR_BACK_CM * self.seen.cm
        high = int(np.argmin(np.where(seen.looked, seen.plate[:, 1], np.inf)))
        at = seen.hip[high] + rotate(np.array([0.0, -(seen.trunk_px + up)]), seen.back * -np.radians(UPRIGHT_LEAN_DEG))
        at = at - (seen.plate[high] - np.median(seen.plate[seen.looked], axis=0)) / seen.gain
        return np.array([*at, seen.gain, seen.trunk_px, up, behind])

    def scale(self) -> Array:
        """How far each may be off before anything is asked, standard deviation."""
        gain, bar = FOCAL_SD * (self.seen.gain - 1), BAR_SD_CM * self.seen.cm
        return np.array([10 * self.seen.guess_sd, 10 * self.seen.guess_sd, gain, self.seen.trunk_sd, bar, bar])

    def bar(self, unknown: Array) -> Array:
        """The bar's place (T, 2) px."""
        plate = self.seen.plate
        return np.asarray(unknown[:2] + (plate - np.median(plate[self.seen.looked], axis=0)) / unknown[2])

    def kept(self, unknown: Array) -> float:
        """How far the bar stays from the hip, px."""
        return float(np.hypot(unknown[3] + unknown[4], unknown[5]))

    def off(self, unknown: Array) -> Array:
        """By how much further it is from the hip (T,), share."""
        return np.asarray(np.linalg.norm(self.bar(unknown) - self.seen.hip, axis=1) / self.kept(unknown) - 1)

    def shoulder(self, unknown: Array) -> Array:
        """The shoulder's place (T, 2) px: below and before the bar, as the line from hip to bar turns."""
        bar, up, behind = self.bar(unknown), unknown[4], unknown[5]
        line, holds = bar - self.seen.hip, self.seen.looked & (np.abs(self.off(unknown)) < OFF_SHARE)
        frames, lean = np.arange(len(line)), np.arctan2(line[:, 1], line[:, 0])
        if holds.any():
            lean = np.interp(frames, frames[holds], np.unwrap(lean[holds]))
        lean = lean - self.seen.back * np.arctan2(behind, unknown[3] + up)  # the bar lies behind the trunk's line by so much
        turned = np.stack([np.cos(lean), np.sin(lean)], axis=1)
        return np.asarray(bar - up * turned - behind * self.seen.back * rotate(turned, np.pi / 2))

    def misses(self, unknown: Array) -> Array:
        """What is off, each in standard deviations."""
        seen = self.seen
        off = self.off(unknown)[seen.looked] * self.kept(unknown)
        return np.concatenate([*self.asked(unknown), off / (seen.hip_sd[seen.looked] * np.sqrt(len(off) / POSTURES))])

    def asked(self, unknown: Array) -> list[Array]:
        """What is off of all that tells of the film as a whole, in standard deviations: what is usual, where the network has the shoulder,
        the foot, the clicks."""
        seen = self.seen
        bar, shoulder = self.bar(unknown), self.shoulder(unknown)
        out = [(unknown - self.usual())[2:] / self.scale()[2:]]
        out.append(np.median((shoulder - seen.guess)[seen.looked], axis=0) / seen.guess_sd)
        straight = seen.centre + (np.median(seen.plate[seen.looked], axis=0) - seen.centre) / unknown[2]
        out.append((unknown[:2] - straight) / (np.array(ASKEW_CM) * seen.cm))
        if np.isfinite(seen.foot):
            out.append(np.array([(np.mean(bar[seen.looked, 0]) - seen.foot) / (OVER_FOOT_SD_CM * seen.cm)]))
        return out + [(shoulder[frame] - point) / np.hypot(sd, GIRDLE_SD_CM * seen.cm) for frame, point, sd in seen.clicks]


def shoulder_under_bar(seen: SeenBar) -> Shoulder | None:
    """The shoulder as all that tells of the bar has it; None where that does not go together."""
    bar = _Bar(seen)
    found = least_squares(bar.misses, bar.usual(), x_scale=bar.scale(), loss="soft_l1")
    if np.abs(np.concatenate(bar.asked(found.x))).max() > TOGETHER:
        return None
    slopes = np.asarray(found.jac)
    unsure = np.linalg.inv(slopes.T @ slopes)
    shoulder = bar.shoulder(found.x)
    steps = 0.01 * bar.scale()
    slope = np.stack([(bar.shoulder(found.x + step) - shoulder) / step.sum() for step in np.diag(steps)], axis=2)
    off = np.abs(bar.off(found.x))
    lasting, astray = slope @ unsure @ slope.swapaxes(1, 2), seen.looked & (off > ASTRAY_SHARE)
    return Shoulder(shoulder, lasting, astray, bar.bar(found.x), unsure[:2, :2], bar.kept(found.x))
