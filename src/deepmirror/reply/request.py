"""A request for a new film: what it says, and where the phone should stand."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.reply.camera import CameraPlan
from deepmirror.words import in_language, joined, say


@dataclass
class RetakeRequest:
    """A request for a new film, as the coach may edit it."""

    client: str
    movement: str
    reasons: list[str]
    words: list[str]
    plan: CameraPlan
    heading: str
    coach: str = ""

    def text(self) -> str:
        """The whole request as plain text, in the reader's language."""
        return in_language(joined("\n", [*self.words, "", *(say("- {line}", line=line) for line in self.must())]))

    def must(self) -> list[str]:
        """What the film must show, as a list."""
        return [say("In the picture: {s}.", s=s) for s in self.plan.see]
