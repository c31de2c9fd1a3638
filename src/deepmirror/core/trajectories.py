"""The followed points of one film, and how their uncertainty reaches anything computed from them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.uncertain_value import COVERAGE_FACTOR
from deepmirror.words import say

Array = NDArray[np.float64]


UNKNOWN_U = 180.0  # of a quantity where nothing is known of it


class NotFollowed(ValueError):
    """A point that was not followed, or that the coach left out, is asked for; `point` is its name."""

    def __init__(self, point: str) -> None:
        super().__init__(say("{point} was not followed", point=point))
        self.point = point


def _place(names: tuple[str, ...], name: str) -> int:
    if name not in names:
        raise NotFollowed(name)
    return names.index(name)


@dataclass(frozen=True)
class Track:
    """Positions of P points over T frames.

    times (T,) s; positions (T, P, 2) px; covariance (T, 2P, 2P) px² of the positions of one frame, with what is
    systematic over the whole film already added; unseen (T, P) px: standard deviation that comes and goes within the film, beyond
    that of a point that shows well, because the point is hidden or its sources disagree; empty where it shows well throughout.
    """

    times: Array
    names: tuple[str, ...]
    positions: Array
    covariance: Array
    unseen: Array = field(default_factory=lambda: np.empty((0, 0)))

    def has(self, *names: str) -> bool:
        """True when every named point was followed."""
        return all(n in self.names for n in names)

    def point(self, name: str) -> Array:
        """Path (T, 2) px of one point. Raises NotFollowed."""
        return self.positions[:, _place(self.names, name)]

    def sigma(self, name: str) -> Array:
        """Standard deviation (T,) px per axis of one point. Raises NotFollowed."""
        i = 2 * _place(self.names, name)
        return np.asarray(np.sqrt((self.covariance[:, i, i] + self.covariance[:, i + 1, i + 1]) / 2))

    def hidden_sd(self, name: str) -> Array:
        """Standard deviation (T,) px per axis by which a point is less sure than where it shows well. Raises NotFollowed."""
        i = _place(self.names, name)
        return self.unseen[:, i] if self.unseen.size else np.zeros(len(self.times))

    def doubtful(self, names: list[str], limit_px: float) -> NDArray[np.bool_]:
        """(T,) frames where the uncertainty (k = 2) of any of these points is over its own usual one by half, and over limit_px."""
        out = np.zeros(len(self.times), bool)
        for name in (n for n in names if n in self.names):
            u = COVERAGE_FACTOR * self.sigma(name)
            out |= (u > 1.5 * np.median(u)) & (u > limit_px)
        return out

    def camera_compensated(self, room: Array) -> Track:
        """The same points as a camera would have seen them that stayed where it was on frame 0.

        room (T, 2, 3): frame 0 to each frame, px; empty when the camera stood still.
        """
        return replace(self, positions=compensate_camera_motion(self.positions, room)) if len(room) else self

    def within(self, times: Array, first: int, around: Array, sigma_px: float) -> Track:
        """This track as the part of a longer film from frame `first` on.

        times (T,) s of the longer film; around (T, P, 2) px: about where the points are outside the part, no better than sigma_px.
        """
        part = slice(first, first + len(self.times))
        positions = around.copy()
        covariance = np.tile(np.eye(2 * len(self.names)) * sigma_px**2, (len(times), 1, 1))
        positions[part], covariance[part] = self.positions, self.covariance
        unseen = np.full(around.shape[:2], sigma_px)
        unseen[part] = self.unseen if self.unseen.size else 0.0
        return Track(times, self.names, positions, covariance, unseen)

    def series(self, compute: Callable[[Points], Array]) -> Series:
        """Evaluate a (T,) function of the points and carry the covariance through it by central differences."""
        middle = compute(Points(self.names, self.positions))
        jacobian = np.zeros((len(self.times), 2 * len(self.names)))
        step = 0.25
        used = _names_used(compute, self)
        for p in used:
            for k in range(2):
                moved = self.positions.copy()
                moved[:, p, k] += step
                high = compute(Points(self.names, moved))
                moved[:, p, k] -= 2 * step
                jacobian[:, 2 * p + k] = _difference(high, compute(Points(self.names, moved))) / (2 * step)
        variance = np.einsum("ti,tij,tj->t", jacobian, self.covariance, jacobian)
        return Series(self.times, middle, COVERAGE_FACTOR * np.sqrt(np.maximum(variance, 0)))


def _difference(a: Array, b: Array) -> Array:
    """a - b, with whole turns taken out: some series are angles that may wrap at 180°."""
    d = a - b
    return np.where(np.abs(d) > 180, d - 360 * np.sign(d), d)


@dataclass(frozen=True)
class Points:
    """Positions by name, (T, 2) px each; remembers which names were asked for."""

    names: tuple[str, ...]
    positions: Array
    asked: set[str] | None = None

    def __getitem__(self, name: str) -> Array:
        if self.asked is not None:
            self.asked.add(name)
        return self.positions[:, _place(self.names, name)]


def _names_used(compute: Callable[[Points], Array], track: Track) -> list[int]:
    asked: set[str] = set()
    compute(Points(track.names, track.positions, asked))
    return [track.names.index(n) for n in sorted(asked)]


@dataclass(frozen=True)
class Series:
    """A quantity over time: times (T,) s, values (T,), u (T,) expanded uncertainty (k = 2), in the quantity's unit."""

    times: Array
    values: Array
    u: Array

    def window(self, start_s: float, end_s: float) -> Series:
        """The part between two times, inclusive."""
        keep = (self.times >= start_s - 1e-9) & (self.times <= end_s + 1e-9)
        return Series(self.times[keep], self.values[keep], self.u[keep])

    def within(self, times: Array, first: int) -> Series:
        """This series as the part of a longer film from frame `first` on; outside it nothing is known: half a turn either way."""
        values = np.interp(times, self.times, self.values)
        u = np.full(len(times), UNKNOWN_U)
        u[first : first + len(self.times)] = self.u
        return Series(times, values, u)

    def widened(self, u: float | Array) -> Series:
        """The same series with a further independent uncertainty. u: one number or (T,)."""
        return Series(self.times, self.values, np.hypot(self.u, u))
