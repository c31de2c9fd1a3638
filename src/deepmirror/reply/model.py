"""What a reply says: at most a few corrections, each with a picture, a number, a cue and what to film next."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

CAUTION = (
    "Stop for sharp, shooting or worsening pain, numbness, giving way, swelling or locking, and see a licensed clinician. "
    "Follow the machine maker's instructions and use the safety stops. See a physician before starting a programme. "
    "These numbers are measured from a film; they are not a diagnosis."
)
USUAL_CORRECTIONS = 3


@dataclass
class Correction:
    """One correction, as the coach may edit it. frame is the picture shown; number already carries its doubt."""

    code: str
    title: str
    seen: str
    number: str
    why: str
    cue: str
    change: str
    film_next: str
    frame: int
    measure: str
    chosen: bool = True
    ghost: bool = False


@dataclass
class Reply:
    """A reply to one film."""

    client: str
    movement: str
    facts: str
    greeting: str
    praise: str
    corrections: list[Correction] = field(default_factory=list)
    unable: list[str] = field(default_factory=list)
    caution: str = CAUTION

    def chosen(self) -> list[Correction]:
        """The corrections that will be sent."""
        return [c for c in self.corrections if c.chosen]

    def to_dict(self) -> dict[str, Any]:
        """For the library's draft."""
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Reply:
        """Back from the library's draft."""
        rest = {k: v for k, v in data.items() if k != "corrections"}
        return cls(**rest, corrections=[Correction(**c) for c in data["corrections"]])
