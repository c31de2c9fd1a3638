"""A sled's way while a set is lifted: what counts the reps of a camera that does not see the legs bend."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS, near_side
from deepmirror.core.trajectories import Series
from deepmirror.exchange.brief import Brief
from deepmirror.movements.schema import Movement
from deepmirror.pose.platform import PlatformFollower
from deepmirror.pose.rigid_attachment import feet_among
from deepmirror.services.films.observation import on_sled
from deepmirror.services.films.repetitions import place_on_sled, sled_travel

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]


class SledWatch:
    """Follows the platform from look to look. It begins where the brief marked it, else where the feet stand at first."""

    def __init__(self, brief: Brief, movement: Movement) -> None:
        self._brief, self._movement = brief, movement
        self._wanted = movement.platform_moves and near_side(brief.file.view) is None
        self._follower: PlatformFollower | None = None
        self._place: tuple[Array, float] | None = None
        self._times: list[float] = []

    def look(self, time_s: float, picture: Picture, points: Array | None) -> None:
        """A picture (H, W, 3) RGB, and all body points (P, 2) px seen in it; None where nobody was."""
        if not self._wanted:
            return
        if self._follower is None:
            self._begin({} if points is None else feet_among(dict(zip(ALL_POINTS, points, strict=True))))
        if self._follower is not None:
            self._follower.add(np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8))
            self._times.append(time_s)

    def _begin(self, seen: dict[str, Array]) -> None:
        clicked = next((points for frame, points in self._brief.seeds if frame == 0), {})
        feet = feet_among({name: np.array(point) for name, point in clicked.items()}) or seen
        corners, self._place = on_sled(self._brief, self._movement, feet), place_on_sled(self._brief.file.marks, feet)
        if corners is not None and self._place is not None:
            self._follower = PlatformFollower(corners)

    def travel(self) -> Series | None:
        """How far the sled has gone until now, cm, at each look; None where it is not followed."""
        if self._follower is None or self._place is None:
            return None
        return sled_travel(np.array(self._times), self._follower.path(), np.empty(0), np.empty((0, 2, 3)), *self._place)
