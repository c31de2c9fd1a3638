"""One passage through a film in which everything that moves from picture to picture is followed at once.

Frames come from the caller as iterables of pictures, so this module knows nothing of files.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.camera_motion import RoomFollower
from deepmirror.pose.evidence import Evidence, Keyframe, filled, shank_px
from deepmirror.pose.optical_flow import PatchFollower, StepFollower
from deepmirror.pose.plate import PlateFollower

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Tick = Callable[[int], None]


class _Followers:
    """All that is looked for in each picture around first positions (T, P, 2) px of `names`."""

    def __init__(self, evidence: Evidence, names: list[str], positions: Array, plate_beside: str | None) -> None:
        self._before, self._names, self._plate_beside = evidence, names, plate_beside
        self._step, self._step_sigma = evidence.step.copy(), evidence.step_sigma.copy()
        self._match, self._match_sigma, self._match_key = evidence.match.copy(), evidence.match_sigma.copy(), evidence.match_key.copy()
        self._at = [evidence.names.index(n) for n in names]
        self._steady = filled(positions)
        shank = shank_px(self._steady, names)
        self._stepper, self._patcher, self._room = StepFollower(shank), PatchFollower(shank), RoomFollower()
        self._plate = PlateFollower(shank)
        self._shoulder = names.index(plate_beside) if plate_beside in names else None
        self._plates = np.full((len(evidence.times), 2), np.nan)
        self._clicked = False

    def learn(self, number: int, grey: Picture, key: Keyframe) -> None:
        """Keep what was clicked on this picture."""
        centres, self._clicked = self._steady[number], True
        self._patcher.learn(grey, key, self._names, centres)
        if self._shoulder is not None and self._plate_beside in key.points:
            self._plate.learn(grey, centres[self._shoulder])

    def step(self, number: int, grey: Picture) -> None:
        """How the still room moved since the picture before, and flow."""
        centres = self._steady[number]
        before = self._steady[max(number - 1, 0)]
        self._room.add(grey, centres)
        moved = self._stepper.step(grey, before, centres - before, self._room.last_move(before))
        self._step[number, self._at], self._step_sigma[number, self._at] = moved

    def find(self, number: int, grey: Picture) -> None:
        """Patches and plate in this picture."""
        centres = self._steady[number]
        if self._clicked:
            found = self._patcher.match(grey, centres, self._names)
            self._match[number, self._at], self._match_sigma[number, self._at], self._match_key[number, self._at] = found
        if self._shoulder is not None:
            self._plates[number] = self._plate.find(grey, centres[self._shoulder])

    def finish(self) -> Evidence:
        """The evidence with what was learned and how the room moved."""
        learned = self._patcher.learned()
        for row in learned:
            row[1] = self._at[int(row[1])]
        return replace(
            self._before,
            step=self._step,
            step_sigma=self._step_sigma,
            match=self._match,
            match_sigma=self._match_sigma,
            match_key=self._match_key,
            learned=learned,
            room=self._room.path(),
            plate=self._plates if np.isfinite(self._plates).any() else np.empty((0, 2)),
        )


def follow(
    frames: Callable[[], Iterator[Picture]],
    evidence: Evidence,
    keys: list[Keyframe],
    names: list[str],
    positions: Array,
    tick: Tick,
    plate_beside: str | None = None,
) -> Evidence:
    """Add flow steps, patch matches and the still room's movement, around first positions (T, P, 2) px of `names`.

    frames gives the film's grey pictures in order, as often as it is called.
    """
    followers = _Followers(evidence, names, positions, plate_beside)
    by_frame = {k.frame: k for k in keys}
    for i, grey in enumerate(frames() if by_frame else ()):
        if i in by_frame:
            followers.learn(i, grey, by_frame[i])
        if i >= max(by_frame):
            break
    with ThreadPoolExecutor(1) as pool:
        for i, grey in enumerate(frames()):
            if i >= len(evidence.times):
                break
            beside = pool.submit(followers.find, i, grey)
            followers.step(i, grey)
            beside.result()
            tick(i)
    return followers.finish()
