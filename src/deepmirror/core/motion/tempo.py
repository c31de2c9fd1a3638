"""Prescribed tempo: lowering - bottom - lifting - top in seconds, X for as fast as possible."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.motion.reps import Rep
from deepmirror.words import say

PHASES = ("eccentric", "bottom", "concentric", "top")
WORDS = {"eccentric": "lowering", "bottom": "bottom", "concentric": "lifting", "top": "top"}


@dataclass(frozen=True)
class Tempo:
    """Seconds per phase; None for X (as fast as possible)."""

    eccentric: float | None
    bottom: float | None
    concentric: float | None
    top: float | None

    def __str__(self) -> str:
        return "-".join("X" if v is None else f"{v:g}" for v in (self.eccentric, self.bottom, self.concentric, self.top))

    def wanted(self, phase: str) -> float | None:
        """Seconds asked for in a phase; None for X."""
        value: float | None = getattr(self, phase)
        return value


def parse_tempo(text: str) -> Tempo:
    """Read "3-1-X-0". Raises ValueError with a sentence when it is not four numbers or X."""
    parts = text.strip().replace("–", "-").split("-")
    if len(parts) != 4:
        raise ValueError(say("A tempo has four parts like 3-1-1-0, not “{text}”.", text=text))
    values: list[float | None] = []
    for part in parts:
        if part.strip().upper() == "X":
            values.append(None)
            continue
        try:
            seconds = float(part)
        except ValueError:
            raise ValueError(say("“{part}” in the tempo “{text}” is neither seconds nor X.", part=part, text=text)) from None
        if not 0 <= seconds <= 60:
            raise ValueError(say("{part} s in the tempo “{text}” is not between 0 and 60 s.", part=part, text=text))
        values.append(seconds)
    return Tempo(*values)


def time_under_tension_s(reps: list[Rep]) -> float:
    """Seconds under load: from each bout's first rep to its last one's end, holds between reps included and rests between bouts not."""
    bouts: dict[int, list[Rep]] = {}
    for rep in reps:
        bouts.setdefault(rep.block, []).append(rep)
    return sum(bout[-1].end_s - bout[0].start_s for bout in bouts.values())


def digits(rep: Rep) -> str:
    """The rep's own tempo to a tenth of a second; a hold that was not seen to end is a dash."""
    return " - ".join("–" if rep.phases_s[p] is None else f"{rep.phases_s[p]:.1f}" for p in PHASES)
