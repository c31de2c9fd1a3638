"""A camera that is none: plays films in real time with rests between them, late and lost pictures on demand, the same ones every time."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np

from deepmirror.media.camera import Shot
from deepmirror.media.film import Film

BEFORE_S, REST_S = 4.0, 45.0  # the client stands ready before the first set, and rests in her place between sets


class SimulatedCamera:
    """Plays `films`; before, between and after them the client keeps still. It runs until it is closed.

    dropped: share of pictures that never come; late_s: how late a picture may come (its time is right). Both are drawn from `seed`.
    speed: 1 is real time. unplugged: from and to, s on its clock, when nothing comes.
    """

    def __init__(
        self,
        films: Sequence[Path],
        rest_s: float = REST_S,
        before_s: float = BEFORE_S,
        *,
        dropped: float = 0.0,
        late_s: float = 0.0,
        seed: int = 0,
        speed: float = 1.0,
        unplugged: tuple[float, float] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        """Raises BadFilm."""
        self._films = list(films)
        with Film(self._films[0]) as film:
            facts = film.facts
        self.size, self.fps, self.lost = (facts.width, facts.height), facts.fps, False
        self._rest_s, self._before_s, self._dropped, self._late_s = rest_s, before_s, dropped, late_s
        self._rng, self._speed, self._clock, self._unplugged = np.random.default_rng(seed), speed, clock, unplugged
        self._begun: float | None = None
        self._closed = False

    def shots(self) -> Iterator[Shot]:
        """Pictures in order, none before its time."""
        self._begun, number = self._clock(), 0
        for time_s, picture in self._programme():
            lost, late = self._rng.random() < self._dropped, self._rng.uniform(0, self._late_s)
            gone = self._unplugged is not None and self._unplugged[0] <= time_s < self._unplugged[1]
            self._wait(time_s + (0.0 if gone else late))
            self.lost = gone
            if self._closed:
                return
            if not lost and not gone:
                yield Shot(number, time_s, picture)
                number += 1

    def _wait(self, until_s: float) -> None:
        assert self._begun is not None
        wait = until_s / self._speed - (self._clock() - self._begun)
        if wait > 0 and not self._closed:
            time.sleep(wait)

    def _programme(self) -> Iterator[tuple[float, np.ndarray[tuple[int, ...], np.dtype[np.uint8]]]]:
        """All pictures with their times: still, film, still, film, ... and still for ever."""
        at, step = 0.0, 1 / self.fps
        for k, path in enumerate(self._films):
            with Film(path) as film:  # an open film keeps pictures, and a long session plays dozens
                still = film.picture(0)
                for i in range(round((self._before_s if k == 0 else self._rest_s) * self.fps)):
                    yield at + i * step, still
                at += round((self._before_s if k == 0 else self._rest_s) * self.fps) * step
                for i, picture in enumerate(film.stream(1)):
                    yield at + float(film.times[i]), picture
                    still = picture
                at += float(film.times[-1]) + step
        while True:
            yield at, still
            at += step

    def now_s(self) -> float:
        """Its clock, from when it was begun."""
        return 0.0 if self._begun is None else (self._clock() - self._begun) * self._speed

    def close(self) -> None:
        """Stop at the next picture."""
        self._closed = True
