"""Left against right in one-leg work: which leg is weaker, and by how much."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

Side = Literal["left", "right"]

SESSIONS_NEEDED = 2  # common practice, no source
BEYOND_REPS, BEYOND_SHARE = 1.0, 0.10  # a difference counts beyond the larger of one repetition and a tenth; common practice, no source
FLAGGED_UNDER = 0.90  # weak / strong; common practice in rehabilitation, no source


@dataclass(frozen=True)
class SidePair:
    """What both legs did in one session at the same load: clean repetitions, with the reserve added where it was not the same."""

    left: float
    right: float

    def weaker(self) -> Side | None:
        """The leg with fewer, when the difference is larger than what chance makes; None otherwise."""
        strong, weak = max(self.left, self.right), min(self.left, self.right)
        if strong - weak <= max(BEYOND_REPS, BEYOND_SHARE * strong):
            return None
        return "left" if self.left < self.right else "right"


@dataclass(frozen=True)
class Weaker:
    """The weaker leg and its index: its repetitions as a share of the other's, over the sessions that showed it."""

    side: Side
    index: float

    @property
    def flagged(self) -> bool:
        """Worth telling: under nine tenths of the other leg."""
        return self.index < FLAGGED_UNDER


def weaker_side(sessions: Sequence[SidePair]) -> Weaker | None:
    """The weaker leg, when at least two sessions show it and none of these the other one; newest sessions last."""
    shown = [(pair, side) for pair in sessions if (side := pair.weaker()) is not None]
    if len(shown) < SESSIONS_NEEDED or len({side for _, side in shown}) > 1:
        return None
    side = shown[-1][1]
    weak = sum(min(p.left, p.right) for p, _ in shown)
    return Weaker(side, weak / sum(max(p.left, p.right) for p, _ in shown))
