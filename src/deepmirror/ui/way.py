"""How threads that compute learn that the interface has nothing to do just now."""

from __future__ import annotations

import threading

from PyQt6.QtCore import QCoreApplication, QEvent, QObject

GIVES_WAY_S = 0.05  # at most: while a window is dragged or a file is chosen nobody answers
AFTER_PAINTING = -2  # windows are painted at Qt::LowEventPriority, -1
ASKED = QEvent.registerEventType()


class _Asked(QEvent):
    """Somebody waits for the interface."""

    def __init__(self) -> None:
        super().__init__(QEvent.Type(ASKED))
        self.passed = threading.Event()


class Way(QObject):
    """Lives in the interface's thread and answers when it has done what was there to do."""

    def wait(self) -> None:
        """In any other thread: until everything that waits for the interface now is done and painted."""
        asked = _Asked()
        passed = asked.passed
        QCoreApplication.postEvent(self, asked, AFTER_PAINTING)
        passed.wait(GIVES_WAY_S)

    def event(self, event: QEvent | None) -> bool:
        """Answers."""
        if isinstance(event, _Asked):
            event.passed.set()
            return True
        return super().event(event)
