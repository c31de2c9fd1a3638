"""One frame of a set as the drawings of measures look at it: points, directions and what was elsewhere in the rep."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from deepmirror.core.measures.context import Array, MeasurementContext
from deepmirror.core.measures.spec import MeasureSpec
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SEGMENTS, SIDES, sided
from deepmirror.core.sketches.sketch import Line, Map, similarity
from deepmirror.core.views import facing

REST_S = 0.1  # around a moment: what is averaged as "where it was then"
BODY = ("trunk", "thigh", "shank", "foot")


class NotShown(Exception):
    """What would be drawn was not followed or marked here."""


@dataclass(frozen=True)
class Frame:
    """A frame, in the coordinates of the set's track (a moving camera's movement taken out)."""

    scene: MeasurementContext
    spec: MeasureSpec
    rep: Rep
    number: int

    @cached_property
    def side(self) -> str | None:
        """The side that a measure's name tells, else the one that faces the camera."""
        return next((s for s in SIDES if f"_{s}_" in self.spec.name), self.scene.near)

    @property
    def sides(self) -> tuple[str, ...]:
        """That side, or both."""
        return (self.side,) if self.side else SIDES

    @property
    def up(self) -> Array:
        """The room's vertical, a unit vector."""
        return self.scene.up

    @property
    def across(self) -> Array:
        """Level in the picture, to the right."""
        return np.array([-self.scene.up[1], self.scene.up[0]])

    @property
    def forward(self) -> Array:
        """Level, the way the client faces; to the right in front films."""
        return np.asarray((facing(self.scene.view) or 1) * self.across)

    def name(self, joint: str, side: str | None = None) -> str:
        """A point's name: of a side, or of none ("bar"). Raises NotShown."""
        track = self.scene.track
        named = joint if joint in track.names else sided(joint, side or self.side or "left")
        if named not in track.names:
            raise NotShown(joint)
        return named

    def at(self, joint: str, side: str | None = None) -> Array:
        """Where a point is (2,) px. Raises NotShown."""
        return np.asarray(self.scene.track.point(self.name(joint, side))[self.number])

    def was(self, joint: str, time_s: float, side: str | None = None) -> Array:
        """Where a point was around another moment (2,) px. Raises NotShown."""
        times, path = self.scene.track.times, self.scene.track.point(self.name(joint, side))
        around = np.abs(times - time_s) <= REST_S
        return np.asarray(path[around].mean(axis=0) if around.any() else path[int(np.argmin(np.abs(times - time_s)))])

    def index(self, time_s: float) -> int:
        """The frame nearest to a moment."""
        return int(np.argmin(np.abs(self.scene.track.times - time_s)))

    @property
    def time_s(self) -> float:
        return float(self.scene.track.times[self.number])

    @cached_property
    def window(self) -> slice:
        """The rep's frames."""
        return slice(self.index(self.rep.start_s), self.index(self.rep.end_s) + 1)

    @cached_property
    def reach(self) -> float:
        """A length to draw by, px: about half a shank."""
        names = [sided(j, s) for j in ("knee", "ankle") for s in self.sides if sided(j, s) in self.scene.track.names]
        if len(names) < 2:
            return 60.0
        track = self.scene.track
        pairs = [(sided("knee", s), sided("ankle", s)) for s in self.sides]
        return 0.5 * max(float(np.median(np.linalg.norm(track.point(k) - track.point(a), axis=1))) for k, a in pairs if track.has(k, a))

    def series_now(self, name: str) -> float:
        """The value of a series in this frame. Raises NotShown."""
        series = self.scene.angles.get(name)
        if series is None:
            raise NotShown(name)
        return float(np.interp(self.time_s, series.times, series.values))

    def body(self, number: int) -> tuple[Line, ...]:
        """The body's lines in another frame."""
        track, out = self.scene.track, []
        for side in (self.scene.near,) if self.scene.near else SIDES:
            for segment in BODY:
                a, b = (sided(j, side) for j in SEGMENTS[segment])
                if track.has(a, b):
                    out.append((track.point(a)[number], track.point(b)[number]))
        return tuple(out)

    def cm(self, length_cm: float) -> float:
        """Centimetres as px. Raises NotShown without a scale."""
        if self.scene.px_per_cm is None:
            raise NotShown("scale")
        return length_cm * self.scene.px_per_cm.value

    def to_film(self) -> Map:
        """From the track's coordinates to the film's in this frame."""
        track, film = self.scene.track, self.scene.film_track
        if track is film:
            return Map()
        return similarity(track.positions[self.number], film.positions[self.number])
