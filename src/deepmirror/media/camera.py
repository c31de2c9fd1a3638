"""Cameras as a protocol: pictures with their presentation times, as they come. And a film that is fed like one."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from deepmirror.media.film import Film

Picture = NDArray[np.uint8]


@dataclass(frozen=True)
class Shot:
    """One picture (H, W, 3) RGB: its number from 0 and its time on the camera's clock, s."""

    number: int
    time_s: float
    picture: Picture


class Camera(Protocol):
    """Gives pictures as they come. The clock goes on when there are no more."""

    size: tuple[int, int]  # width, height of a picture, px
    fps: float  # pictures a second, as far as it keeps to it

    @property
    def lost(self) -> bool:
        """Unplugged, or nothing comes: it is tried again meanwhile."""

    def shots(self) -> Iterator[Shot]:
        """The pictures in order; ends when the camera does."""

    def now_s(self) -> float:
        """The camera's clock."""

    def close(self) -> None:
        """Let go of the camera."""


class Turned:
    """A camera that stands on its side: its pictures turned clockwise by 0, 90, 180 or 270 degrees."""

    def __init__(self, camera: Camera, degrees: int) -> None:
        self._camera, self._quarters = camera, degrees // 90 % 4
        width, height = camera.size
        self.size, self.fps = (height, width) if self._quarters % 2 else (width, height), camera.fps

    @property
    def lost(self) -> bool:
        """As the camera says."""
        return self._camera.lost

    def shots(self) -> Iterator[Shot]:
        """The camera's pictures, turned."""
        for shot in self._camera.shots():
            yield Shot(shot.number, shot.time_s, np.ascontiguousarray(np.rot90(shot.picture, -self._quarters)))

    def now_s(self) -> float:
        """The camera's clock."""
        return self._camera.now_s()

    def close(self) -> None:
        """Let go of the camera."""
        self._camera.close()


class FilmCamera:
    """A film fed through the protocol: in real time, some times faster, or (speed 0) as fast as it is taken."""

    def __init__(self, path: Path, speed: float = 1.0, clock: Callable[[], float] = time.monotonic) -> None:
        self.film = Film(path)
        self.size, self.fps, self.lost = (self.film.facts.width, self.film.facts.height), self.film.facts.fps, False
        self._speed, self._clock = speed, clock
        self._begun: float | None = None
        self._ended: float | None = None
        self._last_s = 0.0

    def shots(self) -> Iterator[Shot]:
        """Every frame, none before its time."""
        self._begun = self._clock()
        for number, picture in enumerate(self.film.stream(1)):
            self._last_s = float(self.film.times[number])
            wait = self._last_s / self._speed - (self._clock() - self._begun) if self._speed else 0.0
            if wait > 0:
                time.sleep(wait)
            yield Shot(number, self._last_s, picture)
        self._ended = self._clock()

    def now_s(self) -> float:
        """Time of the film while it plays; after its end the client stands still and the clock goes on."""
        if self._begun is None:
            return 0.0
        if self._ended is not None:
            return self._last_s + self._clock() - self._ended
        return (self._clock() - self._begun) * self._speed if self._speed else self._last_s

    def close(self) -> None:
        """Close the film."""
        self.film.close()
