"""Watching a film: runs the network over its frames, then follows points through it.

Frames come from the caller as an iterable of pictures, so this module knows nothing of files.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import split
from deepmirror.errors import BadFilm
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px
from deepmirror.pose.follow import PatchFollower, StepFollower
from deepmirror.pose.network import NETWORK_INDEX, Detector, LandmarkNetwork, Quality, Region, Sighting, region_around

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Tick = Callable[[int], None]

PRESENCE_FLOOR = 0.5
SETTLING_LOOKS = 3
# Spread of the heavy network on clear films after its offset is removed, as a share of the shank (our own bench).
NETWORK_SIGMA_SHARE = {
    "ear": 0.02,
    "shoulder": 0.04,
    "elbow": 0.06,
    "wrist": 0.06,
    "hip": 0.035,
    "knee": 0.025,
    "ankle": 0.03,
    "heel": 0.035,
    "toe": 0.04,
}


class Watcher:
    """Finds the body in a first frame and keeps it; two networks take turns on neighbouring frames."""

    def __init__(self, quality: Quality, first: Region | None) -> None:
        self._detector: Detector | None = None
        self._networks = [LandmarkNetwork(quality), LandmarkNetwork(quality)]
        self._first = first
        self._regions: list[Region | None] = [None, None]

    def _look(self, lane: int, rgb: Picture) -> Sighting | None:
        region = self._regions[lane]
        if region is None:
            return None
        seen = self._networks[lane].look(rgb, region)
        self._regions[lane] = seen.next_region() if seen.presence >= PRESENCE_FLOOR else None
        return seen if seen.presence >= PRESENCE_FLOOR else None

    def _find(self, rgb: Picture) -> None:
        """Fill lanes that have lost the body: from the other lane, else from the clicks, else from the whole picture."""
        known = next((r for r in self._regions if r is not None), None)
        if known is None:
            known = self._settle(rgb, self._first) or self._settle(rgb, self._detected(rgb))
        self._regions = [r or known for r in self._regions]

    def _detected(self, rgb: Picture) -> Region | None:
        """The body that fills most of the picture."""
        self._detector = self._detector or Detector(2)
        found = self._detector.find(rgb)
        return max(found, key=lambda f: f[1].side * f[0])[1] if found else None

    def _settle(self, rgb: Picture, region: Region | None) -> Region | None:
        """Look a few times at one picture, so that a rough first region does not cost the first frames."""
        for _ in range(SETTLING_LOOKS):
            if region is None:
                return None
            seen = self._networks[0].look(rgb, region)
            region = seen.next_region() if seen.presence >= PRESENCE_FLOOR else None
        return region

    def run(self, frames: Iterable[Picture]) -> Iterator[Sighting | None]:
        """One sighting (or None) per frame, in order."""
        with ThreadPoolExecutor(2) as pool:
            waiting: list[Future[Sighting | None]] = []
            for i, rgb in enumerate(frames):
                lane = i % 2
                # a lane's own last look must be finished before its region is read; a lost lane also waits for the other
                while waiting and (len(waiting) == 2 or self._regions[lane] is None):
                    yield waiting.pop(0).result()
                if self._regions[lane] is None:
                    self._find(rgb)
                waiting.append(pool.submit(self._look, lane, rgb))
            for w in waiting:
                yield w.result()


def look(
    frames: Iterable[Picture], times: Array, names: list[str], quality: Quality, first: dict[str, tuple[float, float]] | None, tick: Tick
) -> Evidence:
    """Network positions of the named points over a film.

    first: clicked points (px) that show where the body is, or None. Raises BadFilm when no body was ever seen.
    """
    network = np.full((len(times), len(names), 2), np.nan)
    columns = [(p, NETWORK_INDEX[n]) for p, n in enumerate(names) if n in NETWORK_INDEX]
    for i, seen in enumerate(Watcher(quality, region_around(first) if first else None).run(frames)):
        if seen is not None and i < len(times):
            for p, k in columns:
                network[i, p] = seen.points[k]
        tick(i)
    if not np.isfinite(network).any():
        raise BadFilm("Nobody could be seen in this film. Check that the whole body is in the picture, or click its joints on one frame.")
    shank = shank_px(network, names)
    share = np.array([NETWORK_SIGMA_SHARE.get(split(n)[0], 0.05) for n in names])
    sigma = np.where(np.isfinite(network[..., 0]), share * shank, np.inf)
    return Evidence(times, names, network, sigma)


def follow(frames: Callable[[], Iterator[Picture]], evidence: Evidence, keys: list[Keyframe], positions: Array, tick: Tick) -> Evidence:
    """Add flow steps and patch matches around first positions (T, P, 2) px."""
    shank = shank_px(positions, evidence.names)
    stepper, patcher = StepFollower(shank), PatchFollower(shank)
    by_frame = {k.frame: k for k in keys}
    if by_frame:
        for i, rgb in enumerate(frames()):
            if i in by_frame:
                patcher.learn(_grey(rgb), by_frame[i], evidence.names, positions[i])
            if i >= max(by_frame):
                break
    for i, rgb in enumerate(frames()):
        if i >= len(evidence.times):
            break
        grey = _grey(rgb)
        evidence.step[i], evidence.step_sigma[i] = stepper.step(grey, positions[max(i - 1, 0)])
        if by_frame:
            evidence.match[i], evidence.match_sigma[i] = patcher.match(grey, positions[i], evidence.names)
        tick(i)
    return evidence


def _grey(rgb: Picture) -> Picture:
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)
