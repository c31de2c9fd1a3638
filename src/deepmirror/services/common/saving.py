"""Edits are saved as they happen, in a thread of their own, so that a busy disk never holds up the hand; one that a locked or full
library does not take is kept, in order, and tried again."""

from __future__ import annotations

import threading
from collections.abc import Callable

from deepmirror.errors import Gone, LibraryError, ReadOnly

Save = Callable[[], None]
TRY_EVERY_S = 4.0  # our own choice


class Saver:
    """The one writer of what a coach edits in one library.

    Until `start` an edit is saved by who makes it. `told` is called with a sentence when saving begins to fail, and with "" when
    it works again: by the thread that tried.
    """

    def __init__(self) -> None:
        self._waiting: list[Save] = []
        self._turn = threading.Condition()  # of the list
        self._writing = threading.Lock()  # one tries at a time, so that the order is kept
        self._thread: threading.Thread | None = None
        self._closing = False
        self.sentence = ""
        self.told: Callable[[str], None] = lambda _: None

    @property
    def waiting(self) -> int:
        """How many edits are not saved yet."""
        return len(self._waiting)

    def start(self) -> None:
        """Save in a thread of its own from now on."""
        self._thread = threading.Thread(target=self._run, name="deepmirror-saving", daemon=True)
        self._thread.start()

    def close(self) -> None:
        """Try what waits once more, and stop the thread."""
        with self._turn:
            self._closing = True
            self._turn.notify_all()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def write(self, save: Save) -> None:
        """Save an edit after those that still wait. Raises ReadOnly where there is no thread."""
        with self._turn:
            idle = not self._waiting
            self._waiting.append(save)
            self._turn.notify_all()
        if self._thread is None and idle:
            self.retry()

    def wait(self, seconds: float = 1.0) -> bool:
        """Wait for what is being saved, so that it is read back as it now is; True when nothing waits any longer."""
        with self._turn:
            return self._turn.wait_for(lambda: not self._waiting or bool(self.sentence), seconds) and not self._waiting

    def retry(self) -> bool:
        """Try what waits, in the order it was done; True when nothing waits any longer. Raises ReadOnly."""
        with self._writing:
            while self._waiting:
                try:
                    self._waiting[0]()
                except ReadOnly:
                    self._waiting.clear()
                    raise
                except Gone:
                    pass  # deleted meanwhile: there is nothing to save any longer
                except LibraryError as error:
                    if error.sentence != self.sentence:
                        self.sentence = error.sentence
                        self.told(error.sentence)
                    return False
                with self._turn:
                    self._waiting.pop(0)
                    self._turn.notify_all()
            if self.sentence:
                self.sentence = ""
                self.told("")
            return True

    def _run(self) -> None:
        saved = True
        while True:
            with self._turn:
                while not self._closing and not self._waiting:
                    self._turn.wait()
                if not saved and not self._closing:
                    self._turn.wait(TRY_EVERY_S)
                closing = self._closing
            try:
                saved = self.retry()
            except ReadOnly:
                saved = True
            if closing:
                return
