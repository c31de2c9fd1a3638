"""What planning works from, as plain values: who lifts, what is at hand, the plan, what was done and what hurt."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from enum import StrEnum
from functools import cached_property
from typing import Literal

from deepmirror.core.training.loads import BODY_ALONE, Loads, Plates, dumbbells, stack

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
Side = Literal["both", "left", "right"]
BOTH: Side = "both"
SIDES: tuple[Side, Side] = ("left", "right")


class Kind(StrEnum):
    """What a set was for."""

    WORK = "work"
    WARM_UP = "warmup"
    BACK_OFF = "backoff"
    DROP = "drop"


class ProgressRule(StrEnum):
    """How an exercise goes up."""

    DOUBLE = "double"  # repetitions to the top of the range in every set, then load
    LINEAR = "linear"  # a fixed step whenever every set was done
    EFFORT = "effort"  # the load from the estimated maximum and the effort asked
    REPS_FIRST = "reps_first"  # one repetition more each time, load at the top; effort is not asked
    TEMPO_FIRST = "tempo_first"  # a slower lowering first, then repetitions, then load (rehabilitation)


@dataclass(frozen=True)
class FormFinding:
    """One finding of a film of a done set: open as long as nothing newer closed it."""

    code: str
    severity: str
    open: bool = True
    cause: str = ""  # the likeliest


@dataclass(frozen=True)
class FilmForm:
    """What the film of a set says of its form: told is False when it could not tell what the gate asks; view: its kind. cleared: the
    codes it looked for and did not find; None for a film of which that is not known, which then clears all."""

    findings: tuple[FormFinding, ...] = ()
    range_loss_pct: float | None = None
    told: bool = True
    view: str = ""
    cleared: tuple[str, ...] | None = None


@dataclass(frozen=True)
class DoneSet:
    """One set as it was done. load_kg: the whole bar, one of a pair of dumbbells, the pin, or what was added to the body.

    pain: 0 to 10 before or during, whichever is worse; lighter: done in a lighter week, never read as a decline.
    """

    date: date
    movement: str
    side: Side
    load_kg: float
    reps: int
    clean_reps: int
    rir: float | None = None
    kind: Kind = Kind.WORK
    pain: float | None = None
    pain_next_morning: float | None = None
    form: FilmForm | None = None
    lighter: bool = False


@dataclass(frozen=True)
class PainEntry:
    """Pain of 0 to 10 noted at a place on a day; signs are what else was noted; clinician: a clinician's note that allows training."""

    date: date
    where: str
    level: float | None
    signs: tuple[str, ...] = ()
    next_morning: float | None = None
    clinician: bool = False


@dataclass(frozen=True)
class Override:
    """The coach's own decision against the gate: what she overrode (a finding's code, or a gate's reason), when, who and why."""

    date: date
    movement: str
    code: str
    who: str
    why: str


@dataclass(frozen=True)
class Exercise:
    """One exercise of a session as it is planned."""

    movement: str
    sets: int
    reps: tuple[int, int]
    rir: float
    tempo: str = ""
    rest_s: int = 120
    implement: str = ""  # the movement's usual one when empty
    each_side: bool = False
    rule: ProgressRule = ProgressRule.DOUBLE
    step_kg: float | None = None  # of the linear rule
    note: str = ""
    link: str = ""  # how it follows the one before: superset, alternated, straight after


@dataclass(frozen=True)
class SessionPlan:
    """One day's exercises in order."""

    day: str
    exercises: tuple[Exercise, ...]
    name: str = ""
    order_reason: str = ""


@dataclass(frozen=True)
class Plan:
    """A block of weeks."""

    start: date
    weeks: int
    sessions: tuple[SessionPlan, ...]

    def week_of(self, day: date) -> int:
        """The week of the plan a day lies in, from 1; before the start it is week 1."""
        return max((day - self.start).days, 0) // 7 + 1


@dataclass(frozen=True)
class Stack:
    """A weight stack: its pins and its half-step adder."""

    pins_kg: tuple[float, ...]
    adder_kg: float | None = None


@dataclass(frozen=True)
class Sled:
    """Something with plates and a mass of its own."""

    own_kg: float
    plates_kg: tuple[tuple[float, int], ...] = ()  # its own plates; the common ones when empty


@dataclass(frozen=True)
class Equipment:
    """What a client trains with; plates are (kg, how many pieces)."""

    bar_kg: float | None = None
    plates_kg: tuple[tuple[float, int], ...] = ()
    dumbbells_kg: tuple[float, ...] = ()
    stacks: dict[str, Stack] = field(default_factory=dict)
    sleds: dict[str, Sled] = field(default_factory=dict)

    @cached_property
    def _bar(self) -> Plates | None:
        return Plates(empty_kg=self.bar_kg, pieces=self.plates_kg) if self.bar_kg is not None else None

    def loads(self, movement: str, implement: str) -> Loads | None:
        """The loads an implement has for a movement; None when she does not have it."""
        if implement == "body":
            return BODY_ALONE
        if implement == "bar":
            return self._bar
        if implement == "dumbbell":
            return dumbbells(self.dumbbells_kg) if self.dumbbells_kg else None
        if implement == "stack" and movement in self.stacks:
            return stack(self.stacks[movement].pins_kg, self.stacks[movement].adder_kg)
        if implement == "sled" and movement in self.sleds:
            sled = self.sleds[movement]
            return Plates(empty_kg=sled.own_kg, pieces=sled.plates_kg or self.plates_kg)
        return None


@dataclass(frozen=True)
class Trainee:
    """Who lifts, as far as planning goes. rules: her own values for rules.toml by name."""

    name: str
    mass_kg: float | None = None
    trained: bool = False
    imperial: bool = False
    rules: dict[str, float] = field(default_factory=dict)

    @property
    def rir_u(self) -> float:
        """How far a told reserve may be off: two repetitions for novices (Zourdos 2016, from memory)."""
        return 0.0 if self.trained else 2.0


@dataclass(frozen=True)
class TrainingRecord:
    """All of one client's training; history in any order."""

    client: Trainee
    equipment: Equipment
    plan: Plan
    history: tuple[DoneSet, ...] = ()
    pain: tuple[PainEntry, ...] = ()
    overrides: tuple[Override, ...] = ()
    noted: tuple[str, ...] = ()  # places noted as painful in the client's record, without a day or a level
