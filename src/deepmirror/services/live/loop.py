"""The worst moment of a set as a loop: its pictures, the lines through the body in each, and what was found drawn on it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.media.film import Film
from deepmirror.services.films.measure_drawing import MeasureDrawing
from deepmirror.services.live.floor_engine import AROUND_S, Told


class Loop:
    """One rep of a recorded set. Frames count from 0."""

    def __init__(self, path: Path, told: Told) -> None:
        """Raises BadFilm."""
        self._film, self._told = Film(path), told
        span = told.worst or ((told.reps[-1].start_s, told.reps[-1].end_s) if told.reps else (0.0, float(self._film.times[-1])))
        self.first = self._film.frame_at(max(span[0] - AROUND_S, 0.0))
        self.frames = max(self._film.frame_at(min(span[1] + AROUND_S, float(self._film.times[-1]))) - self.first, 1)
        self.step_ms = round(1000 / self._film.facts.fps)

    def picture(self, frame: int) -> NDArray[np.uint8]:
        """Frame of the loop (H, W, 3) RGB. Raises BadFilm."""
        return self._film.picture(self.first + frame)

    def lines(self, frame: int) -> list[tuple[tuple[float, float], tuple[float, float]]]:
        """Lines through the body in a frame, px."""
        if not len(self._told.line_times):
            return []
        k = int(np.argmin(np.abs(self._told.line_times - self._film.times[self.first + frame])))
        return [((float(a[0]), float(a[1])), (float(b[0]), float(b[1]))) for a, b in (ends[k] for ends in self._told.lines.values())]

    def drawing(self, frame: int) -> MeasureDrawing | None:
        """How what was found shows itself in a frame; None where nothing was."""
        drawn, now = self._told.drawn, float(self._film.times[self.first + frame])
        return drawn[min(drawn, key=lambda at: abs(at - now))] if drawn else None

    def close(self) -> None:
        """Let go of the film."""
        self._film.close()
