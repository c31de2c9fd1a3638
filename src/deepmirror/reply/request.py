"""A request for a new film: what it says, and where the phone should stand."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.reply.camera import CameraPlan


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
        """The whole request as plain text."""
        return "\n".join([*self.words, "", *(f"- {line}" for line in self.must())])

    def must(self) -> list[str]:
        """What the film must show, as a list."""
        return [f"In the picture: {s}." for s in self.plan.see]
