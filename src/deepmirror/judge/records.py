"""What judging gives: findings, checks, what a film cannot tell, and what was measured. Plain values."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from deepmirror.core.measures.context import Advice
from deepmirror.core.uncertain_value import Band, Value, Verdict
from deepmirror.judge.causes import Limit, WeighedCause
from deepmirror.movements.schema import CauseKind
from deepmirror.words import say

BY_THE_CLOCK = "prescription"  # the school of what is judged by the asked tempo: pace, not form
LOST_SHARE = 0.75  # of the reps from a breakdown on that are off; our own choice
SAFETY, RANGE = "safety", "range"
SEVERITY_ORDER = (SAFETY, RANGE, "tension", "polish")


@dataclass(frozen=True)
class Finding:
    """One thing worth saying; reps count from 1, value and u are of the worst rep, in `unit`."""

    code: str
    title: str
    severity: str
    reps: tuple[int, ...]
    value: float
    u: float
    target: Band
    target_source: str
    school: str
    unit: str
    measure: str
    time_s: float
    why: str
    cue: str
    change: str
    film_next: str
    weighed: tuple[WeighedCause, ...]
    seen: tuple[str, ...]  # what was measured, a line a rep, and how that was done
    asked: tuple[str, ...]  # the target, whose it is, and by how much it was missed; what this build makes of it
    drill: str = ""
    told: str = ""  # the title as the client reads it
    answers: tuple[str, ...] = ()  # ways to change it that this body has, each with its number; `change` is the first

    @property
    def chain(self) -> tuple[str, ...]:
        """The numbers and reasons that led to it, in the order a coach would ask for them."""
        drill = (say("drill: {drill}", drill=self.drill),) if self.drill else ()
        return (*self.seen, *self.asked, *(row for cause in self.weighed for row in cause.rows), *drill, *self.answers)

    @property
    def causes(self) -> tuple[str, ...]:
        """The causes in words, the likeliest first; what the film rules out is none, unless it rules out all."""
        possible = [c for c in self.weighed if not c.ruled_out]
        return tuple(c.words for c in possible or self.weighed)

    @property
    def kinds(self) -> frozenset[CauseKind]:
        """Of all its causes."""
        return frozenset(kind for cause in self.weighed for kind in cause.kinds)


@dataclass(frozen=True)
class Unmeasurable:
    """What this film cannot tell, why, and what to film so that it can be told."""

    measure: str
    reason: str
    advice: Advice
    title: str = ""
    seen_from: str = ""  # the kind of film that does not show it, where that is why
    doubtful: bool = False  # there is a number, and its uncertainty is wider than the target allows


@dataclass(frozen=True)
class Check:
    """The verdict on one fault over the whole set; `held` is what may be praised when nothing is off."""

    code: str
    title: str
    verdict: Verdict
    held: str
    praised: bool = False  # nothing in the film speaks against saying so
    severity: str = ""
    measure: str = ""
    by_rep: tuple[tuple[int, Verdict], ...] = ()  # rep, from 1, and its own verdict; empty for what is told of the whole set


@dataclass(frozen=True)
class BuildView:
    """What the build solver says of this film's client: the lean its build asks for, its words, and by fault code the ways
    this body has to change it."""

    lean: Band | None
    words: tuple[str, ...]
    answers: dict[str, tuple[str, ...]] = field(default_factory=dict)
    limit: Limit | None = None


@dataclass(frozen=True)
class Measured:
    """All numbers of a film: per rep and per film, and what could not be measured."""

    reps: tuple[dict[str, Value], ...]
    film: dict[str, Value]
    unmeasurable: tuple[Unmeasurable, ...]


@dataclass(frozen=True)
class Judgement:
    """Findings in the order they should be said, one check per fault, and what the film cannot tell."""

    findings: tuple[Finding, ...]
    checks: tuple[Check, ...]
    unmeasurable: tuple[Unmeasurable, ...]
    schools: dict[str, str] = field(default_factory=dict)
    rep_count: int = 0

    def asking(self, *more: Unmeasurable) -> Judgement:
        """The same with what else the film cannot tell said first."""
        return replace(self, unmeasurable=(*more, *self.unmeasurable)) if more else self

    @property
    def breakdown(self) -> tuple[int, Finding] | None:
        """The rep at which form left the set's own standard for good, and how: the reps before it were clean, and nearly all from it on
        were not. A single rep that went wrong and was put right is none; the last rep alone is."""
        form = [f for f in self.findings if f.severity != "polish" and f.school != BY_THE_CLOCK]
        late = [(rep, f) for f in form if (rep := self._lost_from(f.reps)) is not None]
        return min(late, key=lambda row: row[0]) if late else None

    def _lost_from(self, off: tuple[int, ...]) -> int | None:
        """The rep from which on at least LOST_SHARE of the reps are off, and before which none is; None where there is none."""
        if not off or min(off) < 2:
            return None
        first = min(off)
        after = self.rep_count - first + 1
        return first if len(off) >= LOST_SHARE * after else None
