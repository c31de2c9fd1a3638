"""Loads that exist: what can be built from the plates, pins and dumbbells at hand, exactly."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

GRAMS = 1000
MOST_SUMS = 20_000  # different sums of one side's plates that are kept; no gym has as many


def _grams(kg: float) -> int:
    return round(kg * GRAMS)


@dataclass(frozen=True)
class Loads:
    """Loads that exist, ascending, kg. The base of all implements; alone it is a list of loads known to exist."""

    known: tuple[float, ...] = ()

    def all(self) -> tuple[float, ...]:
        """Every load that exists, ascending, kg."""
        return self.known

    def per_side(self, load: float) -> tuple[float, ...] | None:
        """The plates on one side for a load, heaviest first; None for implements without plates."""
        return None

    def exists(self, load: float) -> bool:
        """Whether a load can be set, to the gram."""
        return any(_grams(load) == _grams(known) for known in self.all())

    def at_most(self, load: float) -> float | None:
        """The heaviest that is not above `load`; None when all are."""
        return next((x for x in reversed(self.all()) if _grams(x) <= _grams(load)), None)

    def above(self, load: float) -> float | None:
        """The lightest above `load`; None when there is none."""
        return next((x for x in self.all() if _grams(x) > _grams(load)), None)

    def between(self, low: float, high: float) -> tuple[float, ...]:
        """All from low to high, ends included."""
        return tuple(x for x in self.all() if _grams(low) <= _grams(x) <= _grams(high))


@dataclass(frozen=True)
class Plates(Loads):
    """A bar, or a sled or carriage with a mass of its own, and plates that go on both sides alike.

    empty_kg: what it weighs without plates, a counterweight taken off; pieces: (plate in kg, how many there are).
    """

    empty_kg: float = 20.0
    pieces: tuple[tuple[float, int], ...] = ()

    @cached_property
    def _sides(self) -> dict[int, tuple[float, ...]]:
        """Every sum of one side in grams with its plates: the fewest, of those the heaviest first. Exact subset sums, not greedy."""
        best: dict[int, tuple[float, ...]] = {0: ()}
        for plate, count in sorted(self.pieces, reverse=True):
            found = dict(best)
            for total, used in best.items():
                for n in range(1, count // 2 + 1):
                    key, plates = total + n * _grams(plate), (*used, *([plate] * n))
                    if key not in found or len(plates) < len(found[key]):
                        found[key] = plates
            best = dict(sorted(found.items())[:MOST_SUMS])
        return best

    @cached_property
    def _all(self) -> tuple[float, ...]:
        return tuple((_grams(self.empty_kg) + 2 * side) / GRAMS for side in sorted(self._sides))

    def all(self) -> tuple[float, ...]:
        return self._all

    def per_side(self, load: float) -> tuple[float, ...] | None:
        both = _grams(load) - _grams(self.empty_kg)
        return self._sides.get(both // 2) if both >= 0 and both % 2 == 0 else None


def dumbbells(each_kg: Iterable[float]) -> Loads:
    """Pairs of dumbbells; the load is one of the pair."""
    return Loads(tuple(sorted(set(each_kg))))


def stack(pins_kg: Iterable[float], adder_kg: float | None = None) -> Loads:
    """A weight stack: every pin, and every pin with the half-step adder laid on it."""
    pins = set(pins_kg)
    return Loads(tuple(sorted(pins | ({round(p + adder_kg, 3) for p in pins} if adder_kg else set()))))


BODY_ALONE = Loads((0.0,))
