"""What a reply says: at most a few corrections, each with a picture, a number, a cue and what to film next; and how it is drawn.

Everything here is plain data that the coach may edit and the library keeps as JSON.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Literal

from pydantic import TypeAdapter, ValidationError

from deepmirror.documents import Document
from deepmirror.errors import ReplyError
from deepmirror.words import say

CAUTION = (
    "Stop for sharp, shooting or worsening pain, numbness, giving way, swelling or locking, and see a licensed clinician. "
    "Follow the machine maker's instructions and use the safety stops. See a physician before starting a programme. "
    "These numbers are measured from a film; they are not a diagnosis."
)
USUAL_CORRECTIONS = 3
StrokeKind = Literal["line", "angle", "arrow", "text"]
CLICKS: dict[StrokeKind, int] = {"line": 2, "angle": 3, "arrow": 2, "text": 1}


@dataclass
class Anchor:
    """A place that goes with a body point: dx, dy are film px from it; with no point it stays where it is in the picture."""

    point: str | None
    dx: float
    dy: float


@dataclass
class Stroke:
    """Something the coach drew: its anchors in the order they were clicked, and words for a text."""

    kind: StrokeKind
    anchors: list[Anchor]
    text: str = ""


@dataclass
class Before:
    """The same moment in an earlier film: which film and time (s), when it came, and its number in words."""

    film_id: int
    time_s: float
    when: str
    number: str


@dataclass
class Correction:
    """One correction, as the coach may edit it. frame is the picture shown; number already carries its uncertainty.

    tag_at: where the number stands in the picture (shares of width and height), None for beside the joint.
    """

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
    severity: str = "polish"
    short: str = ""
    zoom: bool = False
    lines: bool = True
    tag_at: tuple[float, float] | None = None
    strokes: list[Stroke] = field(default_factory=list)
    before: Before | None = None
    side_by_side: bool = False
    cause: str = ""
    answers: list[str] = field(default_factory=list)  # ways to change it; `change` says the one the coach took
    film_id: int | None = None  # the film it is about, where that is another one of the visit than the reply's own

    @property
    def key(self) -> str:
        """What names it among the corrections of all films of a visit."""
        return self.code if self.film_id is None else f"{self.code}@{self.film_id}"

    def take_next_answer(self) -> str | None:
        """Say the next of the ways to change it; None where there is but one."""
        if len(self.answers) < 2:
            return None
        at = self.answers.index(self.change) if self.change in self.answers else -1
        self.change = self.answers[(at + 1) % len(self.answers)]
        return self.change


@dataclass
class Since:
    """A correction sent earlier and what became of it: words, and the pictures then and now."""

    title: str
    words: str
    verdict: str
    frame: int | None
    measure: str
    before: Before
    chosen: bool = True
    film_id: int | None = None  # as of a Correction


@dataclass
class Reply:
    """A reply to one film, or to all films of a visit; films: the others of the visit it answers. spoken: the take the coach spoke over its
    film (a folder beside the reply), empty for none; spoken_words: what she says in it, written down."""

    client: str
    movement: str
    facts: str
    greeting: str
    praise: str
    corrections: list[Correction] = field(default_factory=list)
    unable: list[str] = field(default_factory=list)
    caution: str = CAUTION
    since: list[Since] = field(default_factory=list)
    coach: str = ""
    blur: bool = False
    imperial: bool = False
    date: str = ""
    table: list[list[str]] = field(default_factory=list)  # rep by rep; the first row is the head
    films: list[int] = field(default_factory=list)
    spoken: str = ""
    spoken_words: str = ""

    def chosen(self) -> list[Correction]:
        """The corrections that will be sent."""
        return [c for c in self.corrections if c.chosen]

    def since_chosen(self) -> list[Since]:
        """What is said of earlier corrections."""
        return [s for s in self.since if s.chosen]

    def to_dict(self) -> Document:
        """For the library's draft."""
        return asdict(self)

    @classmethod
    def from_dict(cls, data: Document) -> Reply:
        """Back from the library's draft. Raises ReplyError when it is not one."""
        try:
            return TypeAdapter(cls).validate_python(data)
        except ValidationError as error:
            raise ReplyError(say("A kept draft cannot be read: {msg}.", msg=error.errors()[0]["msg"])) from error


def anchor_for(at: tuple[float, float], places: dict[str, tuple[float, float]], snap_px: float, reach_px: float) -> Anchor:
    """The anchor of a click: on the joint when within snap_px, beside the nearest one within reach_px, else fixed."""
    name = min(places, key=lambda n: (places[n][0] - at[0]) ** 2 + (places[n][1] - at[1]) ** 2, default=None)
    if name is not None:
        dx, dy = at[0] - places[name][0], at[1] - places[name][1]
        away = (dx * dx + dy * dy) ** 0.5
        if away <= snap_px:
            return Anchor(name, 0.0, 0.0)
        if away <= reach_px:
            return Anchor(name, round(dx, 1), round(dy, 1))
    return Anchor(None, round(at[0], 1), round(at[1], 1))
