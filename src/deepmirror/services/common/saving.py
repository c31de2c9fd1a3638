"""Edits are saved as they happen; one that a locked or full library does not take is kept, in order, and tried again."""

from __future__ import annotations

from collections.abc import Callable

from deepmirror.errors import Gone, LibraryError, ReadOnly


class Saver:
    """Writes for one library, from one thread. `told` is called with a sentence when saving begins to fail, and with "" when it works."""

    def __init__(self) -> None:
        self._waiting: list[Callable[[], None]] = []
        self.sentence = ""
        self.told: Callable[[str], None] = lambda _: None

    @property
    def waiting(self) -> int:
        """How many edits are not saved yet."""
        return len(self._waiting)

    def write(self, save: Callable[[], None]) -> None:
        """Save an edit now, or after those that still wait. Raises ReadOnly."""
        idle = not self._waiting
        self._waiting.append(save)
        if idle:
            self.retry()

    def retry(self) -> bool:
        """Try what waits, in the order it was done; True when nothing waits any longer. Raises ReadOnly."""
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
            self._waiting.pop(0)
        if self.sentence:
            self.sentence = ""
            self.told("")
        return True
