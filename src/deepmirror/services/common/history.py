"""Undo and redo without limit: one stack for whatever a coach edits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class History(Generic[T]):
    """States of something edited, each with the name of the edit that led to it; a state never changes once it is in here."""

    def __init__(self, opened: T) -> None:
        self._done: list[tuple[str, T]] = [("opened", opened)]
        self._undone: list[tuple[str, T]] = []

    @classmethod
    def of(cls, done: list[tuple[str, T]], undone: list[tuple[str, T]]) -> History[T]:
        """One that was kept: states done, oldest first, and states undone, the next to be done again last."""
        out = cls(done[0][1])
        out._done, out._undone = list(done), list(undone)
        return out

    @property
    def present(self) -> T:
        """The state as it now stands."""
        return self._done[-1][1]

    @property
    def undone(self) -> int:
        """How many edits are taken back and may come again."""
        return len(self._undone)

    def do(self, label: str, state: T) -> None:
        """A new state; what was undone before it is gone."""
        self._done.append((label, state))
        self._undone.clear()

    def undo(self) -> str | None:
        """Go one state back; returns the name of the edit taken back, None when there was none."""
        if len(self._done) < 2:
            return None
        self._undone.append(self._done.pop())
        return self._undone[-1][0]

    def redo(self) -> str | None:
        """Bring back the edit last taken back; returns its name, None when there was none."""
        if not self._undone:
            return None
        self._done.append(self._undone.pop())
        return self._done[-1][0]

    def can_undo(self) -> str | None:
        """What undo would take back, or None."""
        return self._done[-1][0] if len(self._done) > 1 else None

    def can_redo(self) -> str | None:
        """What redo would bring again, or None."""
        return self._undone[-1][0] if self._undone else None

    def renew(self, change: Callable[[T], T]) -> None:
        """Change every state alike: something outside of the edits moved under them."""
        self._done = [(label, change(state)) for label, state in self._done]
        self._undone = [(label, change(state)) for label, state in self._undone]
