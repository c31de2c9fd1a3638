"""A set on the floor, played by the simulated camera, and what the engine said of it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

from deepmirror.services.live.floor_engine import Message, Preview
from deepmirror.services.live.floor_link import FloorHere
from deepmirror.standins.simulated_camera import SimulatedCamera

PATIENCE_S = 60.0


class Floor:
    """The engine here, before a simulated camera."""

    def __init__(self, films: list[Path], **camera: float) -> None:
        self.said: list[Message] = []
        self._changed = threading.Condition()
        self.link = FloorHere(SimulatedCamera(films, **{"rest_s": 1.5, "before_s": 1.0, "speed": 0.6} | camera), self._take)

    def _take(self, message: Message) -> None:
        with self._changed:
            if not isinstance(message, Preview) or not any(isinstance(m, Preview) for m in self.said):
                self.said.append(message)
            self._changed.notify_all()

    def of(self, kind: type) -> list[Message]:
        """All messages of a kind until now."""
        return [m for m in list(self.said) if isinstance(m, kind)]

    def wait(self, ready: Callable[[], bool]) -> None:
        """Until something is so."""
        deadline = time.monotonic() + PATIENCE_S
        with self._changed:
            while not ready():
                assert self._changed.wait(timeout=deadline - time.monotonic()), [type(m).__name__ for m in self.said]
