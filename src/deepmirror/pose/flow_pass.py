"""One passage through a film in which everything that moves from picture to picture is followed at once.

Frames come from the caller as iterables of pictures, so this module knows nothing of files.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.pose.camera_motion import RoomFollower
from deepmirror.pose.disc import DiscFollower
from deepmirror.pose.evidence import Evidence, Keyframe, filled, shank_px
from deepmirror.pose.optical_flow import PatchFollower, StepFollower
from deepmirror.pose.resting_feet import RestingFeet

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Tick = Callable[[int], None]


class Followers:
    """All that is looked for in each picture, given in order, around where the points of `names` are about (P, 2) px.

    shank: its length in the picture, px; plate: what follows the plate of a bar, if there is one; resting: where feet stand, if they are
    meant to.
    """

    def __init__(self, names: list[str], shank: float, plate: DiscFollower | None = None, resting: RestingFeet | None = None) -> None:
        self._names, self._plate, self._resting = names, plate, resting
        self._stepper, self._patcher, self._room = StepFollower(shank), PatchFollower(shank), RoomFollower()
        self._steps: list[tuple[Array, Array]] = []
        self._found: list[tuple[Array, Array, Array]] = []
        self._plates: list[Array] = []
        self._clicked = False

    def learn(self, grey: Picture, key: Keyframe, centres: Array) -> None:
        """Keep what was clicked on this picture."""
        self._clicked = True
        self._patcher.learn(grey, key, self._names, centres)

    def settle(self, grey: Picture, centres: Array) -> Array:
        """Where the points are about in this picture, with feet that stand where they stand."""
        return centres if self._resting is None else self._resting.settle(grey, self._room.last_move(centres))

    def step(self, grey: Picture, before: Array, centres: Array, body: Array, beside: Executor | None = None) -> None:
        """How the still room moved since the picture before, and flow; before: where the points were there; body (B, 2) px: all that was
        seen of the client, hands and head too; beside: where the room may be followed while the flow is worked out here."""
        around = np.concatenate([centres, body])
        room = None if beside is None else beside.submit(self._room.add, grey, around)
        flow = self._stepper.flow(grey, before)
        if room is None:
            self._room.add(grey, around)
        else:
            room.result()
        self._steps.append(self._stepper.steps(flow, centres - before, self._room.last_move(before)))

    def find(self, grey: Picture, centres: Array, beside: Array | None = None) -> None:
        """Patches and plate in this picture; beside (2,) px: where the point is that the plate lies beside."""
        nothing = np.full_like(centres, np.nan), np.full(len(centres), np.inf), np.full(len(centres), -1.0)
        self._found.append(self._patcher.match(grey, centres, self._names) if self._clicked else nothing)
        if self._plate is not None and beside is not None:
            self._plates.append(np.array([*self._plate.find(grey, beside), self._plate.radius]))

    def evidence(self, seen: Evidence) -> Evidence:
        """What was seen, with all that was followed through its first pictures, what was learned and how the room moved."""
        at, done, learned = [seen.names.index(n) for n in self._names], len(self._steps), self._patcher.learned()
        followed = {"step": 0, "step_sigma": 1, "match": 2, "match_sigma": 3, "match_key": 4}
        whole = {name: getattr(seen, name).copy() for name in followed}
        for name, k in followed.items():
            whole[name][:done, at] = np.array([(*step, *found)[k] for step, found in zip(self._steps, self._found, strict=True)])
        for row in learned:
            row[1] = at[int(row[1])]
        resting = np.empty((0, 0, 2))
        if self._resting is not None and np.isfinite(standing := self._resting.seen()).any():
            resting = np.full_like(seen.network, np.nan)
            resting[:done, at] = standing[:done]
        plates, radii, rest, room = seen.plate, seen.plate_radius, len(seen.times) - done, self._room.path()
        if self._plate is not None:
            whole_film = np.concatenate([np.array(self._plates).reshape(-1, 3), np.full((rest, 3), np.nan)])
            plates, radii = whole_film[:, :2], whole_film[:, 2]
        room = np.concatenate([room, np.repeat(room[-1:], rest, axis=0)]) if len(room) else room
        return replace(seen, **whole, learned=learned, room=room, plate=plates, plate_radius=radii, resting=resting)


def follow(
    frames: Callable[[], Iterator[Picture]],
    evidence: Evidence,
    keys: list[Keyframe],
    names: list[str],
    positions: Array,
    tick: Tick,
    plate: tuple[DiscFollower, str] | None = None,
    feet_stand: bool = False,
) -> Evidence:
    """Add flow steps, patch matches and the still room's movement, around first positions (T, P, 2) px of `names`.

    frames gives the film's grey pictures in order, as often as it is called. plate: what follows the plate of a bar, and the point that it
    lies beside; without one, what was seen of a plate before stays.
    """
    steady, body = filled(positions), filled(evidence.network)
    shank = shank_px(steady, names)
    resting = RestingFeet(names, steady, evidence.network[:, [evidence.names.index(n) for n in names]], shank) if feet_stand else None
    disc, beside = plate or (None, names[0])
    followers = Followers(names, shank, disc, resting)
    lies = body[:, evidence.names.index(beside)]  # where the point is that the plate lies beside
    by_frame = {k.frame: k for k in keys}
    for i, grey in enumerate(frames() if by_frame else ()):
        if i in by_frame:
            followers.learn(grey, by_frame[i], steady[i])
        if i >= max(by_frame):
            break
    before = steady[0]
    with ThreadPoolExecutor(2) as pool:
        for i, grey in enumerate(frames()):
            if i >= len(evidence.times):
                break
            about = followers.settle(grey, steady[i])
            found = pool.submit(followers.find, grey, about, lies[i])
            followers.step(grey, before, about, body[i], pool)
            found.result()
            before = about
            tick(i)
    return followers.evidence(evidence)
