"""Marks of the room and the machine: how they are placed, what each lets a film measure, which of them a movement wants."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from deepmirror.core.measures.table import MEASURES
from deepmirror.documents import Document
from deepmirror.errors import BadBrief
from deepmirror.exchange.brief import FREE_POINTS, BriefFile, MarksPart, ScalePart, check_brief
from deepmirror.movements.schema import Movement
from deepmirror.store.library import LibraryStore
from deepmirror.words import capital, say


@dataclass(frozen=True)
class MarkKind:
    """A kind of mark: its words, how many clicks it takes, and what it lets a film measure."""

    title: str
    clicks: int
    gives: str


KINDS: dict[str, MarkKind] = {
    "scale": MarkKind("Known length", 2, "centimetres"),
    "plumb": MarkKind("Plumb line", 2, "what is upright"),
    "floor_line": MarkKind("Level line", 2, "what is level"),
    "pad_line": MarkKind("Pad edge", 2, "lift and slide of hip or thigh"),
    "seat_line": MarkKind("Seat surface", 2, "seat lift-off"),
    "back_pad": MarkKind("Back pad", 2, "shoulders leaving the pad"),
    "bench_edge": MarkKind("Bench edge", 1, "room for the kneecaps"),
    "pivot": MarkKind("Machine pivot", 1, "pivot fit, roller creep"),
    "stack": MarkKind("Weight stack", 1, "its rest between reps"),
    "rail": MarkKind("Rail direction", 2, "load path along the rail"),
    "platform": MarkKind("Platform corners", 4, "where the feet stand"),
}
"""Marks that stay where they are in the room; a known length is kept beside them as the film's scale."""

POINT_GIVES = {
    "waistband": "roll of the pelvis",
    "mid_back": "shape of the back",
    "low_back": "shape of the low back",
    "roller": "roller position and creep",
    "bar": "path of the bar",
}
ALWAYS = ("scale", "plumb", "floor_line")


@dataclass(frozen=True)
class Wanted:
    """One mark for one film: its kind, words, what it gives, whether it is placed, and whether this movement asks for it."""

    kind: str
    title: str
    gives: str
    placed: bool
    asked: bool


def wanted_marks(file: BriefFile, movement: Movement) -> list[Wanted]:
    """All marks of the room for this film, those the movement asks for first."""
    asked = [k for k in movement.marks if k in KINDS and k not in ALWAYS]
    order = [*asked, *ALWAYS, *(k for k in KINDS if k not in asked and k not in ALWAYS)]
    return [Wanted(k, KINDS[k].title, KINDS[k].gives, is_placed(file, k), k in asked) for k in order]


def is_placed(file: BriefFile, kind: str) -> bool:
    """True when the mark is there; a platform also needs its size."""
    if kind == "scale":
        return file.scale is not None
    if kind == "platform" and file.marks.platform_cm is None:
        return False
    return getattr(file.marks, kind) is not None


def free_points(movement: Movement) -> list[str]:
    """Points beside the joints that this movement asks for; a back is marked twice."""
    asked = {*movement.marks, *(["low_back"] if "mid_back" in movement.marks else [])}
    asked |= {need for f in movement.fault for need in MEASURES[f.measure].needs if need == "bar"}
    return [n for n in FREE_POINTS if n in asked]


def still_wanted(file: BriefFile, movement: Movement, followed: Iterable[str] = ()) -> list[str]:
    """One line per mark or point that this movement asks for and the film lacks, with what it would let it measure; followed: points that
    are told without a click, as a bar is by its plate."""
    placed = {n for s in file.seeds for n in s.points_px} | set(followed)
    lines = [say("{title}: {gives}", title=w.title, gives=w.gives) for w in wanted_marks(file, movement) if w.asked and not w.placed]
    return lines + [
        say("{n}: {point_gives}", n=capital(n.replace("_", " ")), point_gives=POINT_GIVES[n])
        for n in movement.marks
        if n in POINT_GIVES and n not in placed
    ]


@dataclass(frozen=True)
class CopiedMarks:
    """Marks and scale of another film of the same machine, in question until the coach says that they fit."""

    marks: MarksPart
    scale: ScalePart | None

    def fields(self) -> Document:
        """The brief's fields with them."""
        scale = {} if self.scale is None else {"scale": self.scale.model_dump(mode="json")}
        return {"marks": self.marks.model_dump(mode="json", exclude_none=True), "marks_taken_over": True} | scale


def marks_of_machine(store: LibraryStore, film_id: int, machine: str | None, view: str) -> CopiedMarks | None:
    """Marks and scale of the newest other film of this machine from the same side that can be read; None when there is none."""
    for other, kept in store.briefs_on(machine, view) if machine else []:
        if other == film_id or not kept.get("marks"):
            continue
        try:
            file = check_brief(kept).file
        except BadBrief:  # kept by a program that asked less of a brief
            continue
        return CopiedMarks(file.marks, file.scale)
    return None
