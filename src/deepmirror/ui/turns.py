"""Long work of the interface thread, a part in each turn of the event loop, so that keys and clicks come between."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer


class Turns(QObject):
    """Parts that are done one after the other; what is begun anew takes the place of what has not been done yet."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._parts: deque[Callable[[], object]] = deque()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)

    def begin(self, *parts: Callable[[], object]) -> None:
        """Do these, the first of them in the next turn of the loop."""
        self._parts = deque(parts)
        self._timer.start(0)

    def then(self, *parts: Callable[[], object]) -> None:
        """Do these after what is left."""
        self._parts += parts
        self._timer.start(0)

    def waiting(self) -> bool:
        """True while parts are left."""
        return bool(self._parts)

    def forget(self) -> None:
        """Nothing of what is left is done."""
        self._parts.clear()
        self._timer.stop()

    def _next(self) -> None:
        part = self._parts.popleft()
        if not self._parts:
            self._timer.stop()
        part()
