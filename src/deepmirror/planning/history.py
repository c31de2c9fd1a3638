"""A history of done sets, lift by lift and session by session."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from deepmirror.core.training.one_rep_max import OneRepMax, one_rep_max
from deepmirror.planning.records import BOTH, DoneSet, FilmForm, Kind, Side, Trainee
from deepmirror.planning.rules import Rules

RECENT_DAYS = 30  # our own choice
LIGHT_SHARE = 0.92  # a session at no more of the load before it and at ease was a light one; our own choice


@dataclass(frozen=True)
class LiftSession:
    """The working sets of one lift on one day, in the order they were done; light: of a lighter week, not to be judged by."""

    day: date
    sets: tuple[DoneSet, ...]
    light: bool = False

    @cached_property
    def load_kg(self) -> float:
        """The heaviest load of the day."""
        return max(s.load_kg for s in self.sets)

    @cached_property
    def form(self) -> FilmForm | None:
        """What a film of the day says; of several, the last."""
        return next((s.form for s in reversed(self.sets) if s.form is not None), None)

    @cached_property
    def pain(self) -> float | None:
        """The worst pain of the day."""
        return max((s.pain for s in self.sets if s.pain is not None), default=None)

    @cached_property
    def pain_next_morning(self) -> float | None:
        """The worst pain of the morning after."""
        return max((s.pain_next_morning for s in self.sets if s.pain_next_morning is not None), default=None)

    @cached_property
    def rir(self) -> float | None:
        """The middle reserve of the sets that told one."""
        told = [s.rir for s in self.sets if s.rir is not None]
        return sum(told) / len(told) if told else None

    @cached_property
    def clean_share(self) -> float:
        """Clean repetitions as a share of all."""
        return sum(s.clean_reps for s in self.sets) / max(sum(s.reps for s in self.sets), 1)

    def strength(self, moved: Callable[[float], float], rir_u: float) -> OneRepMax | None:
        """The highest estimate of the day; moved: from the load to the mass that is moved."""
        found = [e for s in self.sets if (e := one_rep_max(moved(s.load_kg), s.clean_reps, s.rir, rir_u)) is not None]
        return max(found, key=lambda e: e.low + e.high, default=None)


class History:
    """Done sets up to a day, grouped once."""

    def __init__(self, sets: Iterable[DoneSet], until: date, client: Trainee, rules: Rules) -> None:
        self.until, self.client, self.rules = until, client, rules
        self.sets = sorted((s for s in sets if s.date <= until), key=lambda s: s.date)  # a stable sort: the day's order stays
        by_lift: dict[tuple[str, Side], dict[date, list[DoneSet]]] = defaultdict(lambda: defaultdict(list))
        for s in self.sets:
            if s.kind is Kind.WORK:
                by_lift[s.movement, s.side][s.date].append(s)
        self._by_lift = by_lift
        self._sessions: dict[tuple[str, Side], list[LiftSession]] = {}

    def recent(self) -> dict[date, set[str]]:
        """Movements by day, warm-ups left out, of the last few weeks: what the next session's day depends on."""
        out: dict[date, set[str]] = {}
        for s in reversed(self.sets):
            if (self.until - s.date).days > RECENT_DAYS and out:
                break
            if s.kind is not Kind.WARM_UP:
                out.setdefault(s.date, set()).add(s.movement)
        return out

    @property
    def lifts(self) -> list[tuple[str, Side]]:
        """(movement, side) of everything ever done as work."""
        return list(self._by_lift)

    def sessions(self, movement: str, side: Side) -> list[LiftSession]:
        """A lift's sessions, oldest first; light ones are marked. A two-sided lift takes rows of either side too."""
        key = (movement, side)
        if key not in self._sessions:
            days = self._by_lift.get(key) or (self._either_side(movement) if side == BOTH else {})
            out: list[LiftSession] = []
            for day, sets in sorted(days.items()):
                before = next((s for s in reversed(out) if not s.light), None)
                out.append(LiftSession(day, tuple(sets), _light(sets, before)))
            self._sessions[key] = out
        return self._sessions[key]

    def _either_side(self, movement: str) -> dict[date, list[DoneSet]]:
        days: dict[date, list[DoneSet]] = defaultdict(list)
        for (name, _), by_day in self._by_lift.items():
            if name == movement:
                for day, sets in by_day.items():
                    days[day] += sets
        return days

    def full_sessions(self, movement: str, side: Side) -> list[LiftSession]:
        """Those that were not light."""
        return [s for s in self.sessions(movement, side) if not s.light]


def _light(sets: list[DoneSet], before: LiftSession | None) -> bool:
    """Whether a day's sets are of a lighter week: marked so, or at clearly less load and at ease."""
    if any(s.lighter for s in sets):
        return True
    if before is None or max(s.load_kg for s in sets) > LIGHT_SHARE * before.load_kg:
        return False
    return all(s.rir is not None and s.rir >= 4 for s in sets)
