"""The near plate of a bar, on the back or in the hands: found in a film, and put to use where it hides the body."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import sided, split
from deepmirror.core.trajectories import Track
from deepmirror.movements.schema import Movement
from deepmirror.pose.bar_on_back import ASTRAY_SHARE, GIRDLE_SD_CM, SeenBar, Shoulder, bar_seen, shoulder_under_bar
from deepmirror.pose.disc import UP_DOWN, Disc, DiscFollower, Picture, find_disc
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px, usual_network_sigma
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets

Array = NDArray[np.float64]

# How far over and under a wrist the plate of its bar may show, of the shank: cameras stand high and low; our own choice
UP_DOWN_OF_WRIST = (0.95, 0.95)
PICTURES = 9  # of a film in which the plate is looked for; our own choice
# A head is round as well: a small disc about a clearly seen ear (of the shank; of the radius; times the ear's usual doubt); our own choice.
HEAD_RADIUS, HEAD_AWAY, EAR_CLEAR = 0.40, 0.6, 2.0
HIDDEN_CM = 10.0  # by so much the bar may be elsewhere while its plate does not show; our own choice
PLATE_PX = 1.0  # what a plate's centre is off by from picture to picture


def beside_plate(movement: Movement, near: str | None) -> str | None:
    """The near point that the plate of a bar may lie beside: the shoulder under a bar on the back, the wrist of a hand that carries one."""
    if near is None or not (movement.bar_on_back or movement.hands_pass):
        return None
    return sided("shoulder" if movement.bar_on_back else "wrist", near)


class PlateLook:
    """Keeps a few grey pictures of a film while it is looked at, and finds the plate in them once it is known where the client was."""

    def __init__(self, frames: int, every: int, beside: str) -> None:
        """frames: of the film; every: which n-th is looked at; beside: the point that the plate lies beside."""
        self._wanted = {int(n) * every for n in np.linspace(0, (frames - 1) // every, PICTURES + 2)[1:-1]}
        self._beside = beside
        self._kept: dict[int, Picture] = {}

    def kept_from(self, frames: Iterable[tuple[int, Picture]]) -> Iterator[tuple[int, Picture]]:
        """The same (number, picture (H, W, 3) RGB), those that are wanted kept."""
        for number, picture in frames:
            if number in self._wanted:
                self._kept[number] = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)
            yield number, picture

    def found(self, evidence: Evidence, shank_px: float) -> tuple[DiscFollower, str] | None:
        """What follows the plate, and the point that it is beside; None where they show none."""
        disc = find_plate(sorted(self._kept.items()), evidence, self._beside)
        return None if disc is None else (DiscFollower(disc, shank_px, up_down(self._beside)), self._beside)


def up_down(beside: str) -> tuple[float, float]:
    """How far over and under this point its plate may show, share of the shank."""
    return UP_DOWN_OF_WRIST if split(beside)[0] == "wrist" else UP_DOWN


def find_plate(pictures: Sequence[tuple[int, Picture]], evidence: Evidence, beside: str) -> Disc | None:
    """The near plate beside a point, from a few (frame, grey picture) of a film that was looked at; None where there is none, or only a
    head."""
    at, ear = evidence.names.index(beside), evidence.names.index(sided("ear", split(beside)[1] or "left"))
    frames = [frame for frame, _ in pictures if np.isfinite(evidence.network[frame, at, 0])]
    if len(frames) < 2:
        return None
    shank = shank_px(evidence.network, evidence.names)
    found = find_disc([p for frame, p in pictures if frame in frames], evidence.network[frames, at], shank, up_down(beside))
    if found is None:
        return None
    disc, centres = found
    clear = np.median(evidence.network_sigma[frames, ear]) < EAR_CLEAR * usual_network_sigma(evidence.names, shank)[ear]
    about_ear = np.nanmedian(np.linalg.norm(centres - evidence.network[frames, ear], axis=1)) < HEAD_AWAY * disc.radius
    return None if clear and about_ear and disc.radius < HEAD_RADIUS * shank else disc


@dataclass(frozen=True)
class BehindPlate:
    """A near shoulder told by the plate before it, named `name`; what network, flow and patches saw there was the plate."""

    name: str
    bar: SeenBar
    shoulder: Shoulder

    def seen(self, evidence: Evidence, own: Offsets) -> Evidence:
        """The evidence with the network's shoulder there; own: what is added to the network's places, (T, P) as the evidence's points."""
        at = evidence.names.index(self.name)
        network, looked = evidence.network.copy(), np.isfinite(evidence.network).any(axis=(1, 2))
        shown = looked & self.bar.shown
        network[shown, at] = (self.bar.shaken(self.shoulder.places) - own.move[:, at])[shown]
        return evidence.with_network(network, evidence.network_sigma)

    def put(self, evidence: Evidence, own: Offsets) -> tuple[Evidence, Offsets]:
        """Evidence and offsets with the shoulder as it was told, where the plate shows."""
        out, at = self.seen(evidence, own), evidence.names.index(self.name)
        shown = self.bar.shown
        both = shown & np.concatenate([[False], shown[:-1]])
        sigma, match_sigma, step_sigma = out.network_sigma.copy(), out.match_sigma.copy(), out.step_sigma.copy()
        match, step = out.match.copy(), out.step.copy()
        others = [i for i in range(len(evidence.names)) if i != at]
        network = out.network.copy()
        for row in np.flatnonzero(self.shoulder.astray):
            network[row, others], sigma[row, others] = np.nan, np.inf
        out = out.with_network(network, sigma)
        sigma[shown & np.isfinite(out.network[:, at, 0]), at] = np.hypot(GIRDLE_SD_CM * self.bar.cm, PLATE_PX)
        step[both, at] = np.diff(self.bar.shaken(self.shoulder.places), axis=0)[both[1:]]
        step_sigma[shown, at] = np.where(both, PLATE_PX, np.inf)[shown]
        match[:, at], match_sigma[:, at] = np.nan, np.inf
        out = replace(out, network_sigma=sigma, step=step, step_sigma=step_sigma, match=match, match_sigma=match_sigma)
        sure = own.sigma.copy()
        sure[shown, at] = self.shoulder.lasting(own.turn[:, at])[shown]
        return out, replace(own, sigma=sure)

    def with_lost_hips(self, track: Track) -> Track:
        """The track with hip and knee known to be lost where the hip hangs nowhere near the bar: no flow makes that good."""
        near = split(self.name)[1] or "left"
        away = np.linalg.norm(self.bar.shaken(self.shoulder.bar) - track.point(sided("hip", near)), axis=1) / self.shoulder.kept - 1
        lost = np.where(self.bar.shown & (np.abs(away) > ASTRAY_SHARE), self.shoulder.kept, 0.0)
        covariance = track.covariance.copy()
        unseen = track.unseen.copy() if track.unseen.size else np.zeros((len(track.times), len(track.names)))
        for at in (track.names.index(name) for name in (sided("hip", near), sided("knee", near)) if name in track.names):
            for axis in (2 * at, 2 * at + 1):
                covariance[:, axis, axis] += lost**2
            unseen[:, at] = np.hypot(unseen[:, at], lost)
        return replace(track, covariance=covariance, unseen=unseen)

    def with_bar(self, track: Track) -> Track:
        """The track with the bar as its plate tells it; as it was where the coach clicked the bar."""
        if "bar" in track.names:
            return track
        frames, size = len(track.times), track.covariance.shape[1]
        covariance = np.zeros((frames, size + 2, size + 2))
        covariance[:, :size, :size] = track.covariance
        covariance[:, size:, size:] = self.shoulder.bar_covariance + PLATE_PX**2 * np.eye(2)
        unseen = track.unseen if track.unseen.size else np.zeros((frames, len(track.names)))
        hidden = np.where(self.bar.shown, 0.0, HIDDEN_CM * self.bar.cm)
        places = self.bar.shaken(self.shoulder.bar)
        return replace(
            track,
            names=(*track.names, "bar"),
            positions=np.concatenate([track.positions, places[:, None]], axis=1),
            covariance=covariance,
            unseen=np.concatenate([unseen, hidden[:, None]], axis=1),
        )


def shoulder_behind_plate(evidence: Evidence, own: Offsets, keys: Sequence[Keyframe], setting: FilmSetting) -> BehindPlate | None:
    """The near shoulder as the plate tells it; own: the offsets. None where there is no plate or it does not go together with the rest.

    A shoulder that the coach holds is left to her.
    """
    shoulder = sided("shoulder", setting.near or "left")
    beside = beside_plate(setting.movement, setting.near)
    if beside != shoulder or shoulder in setting.held or shoulder not in evidence.names:
        return None
    bar = bar_seen(evidence, own, keys, setting)
    told = None if bar is None else shoulder_under_bar(bar)
    return None if bar is None or told is None else BehindPlate(shoulder, bar, told)
