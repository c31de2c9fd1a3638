"""A measured number with its uncertainty, and the three-valued verdict."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from deepmirror.words import say

COVERAGE_FACTOR = 2.0  # expanded uncertainty, k = 2 (about 95 %); JCGM 100:2008 (GUM) section 6


@dataclass(frozen=True)
class Value:
    """A number and its expanded uncertainty (k = 2), both in the unit the measure's name ends in."""

    value: float
    u: float

    def __add__(self, other: Value) -> Value:
        return Value(self.value + other.value, math.hypot(self.u, other.u))

    def __sub__(self, other: Value) -> Value:
        return Value(self.value - other.value, math.hypot(self.u, other.u))

    def scaled(self, factor: float, factor_share: float = 0.0) -> Value:
        """Times a factor that is itself uncertain by the share `factor_share` (k = 2)."""
        return Value(self.value * factor, math.hypot(self.u * factor, self.value * factor * factor_share))

    def widened(self, u: float) -> Value:
        """The same number with a further independent uncertainty."""
        return Value(self.value, math.hypot(self.u, u))


def weighted_mean(*values: Value) -> Value:
    """Of independent numbers for the same quantity, each weighted by how sure it is; JCGM 100:2008 (GUM), from memory."""
    weights = [1 / v.u**2 for v in values]
    return Value(sum(w * v.value for w, v in zip(weights, values, strict=True)) / sum(weights), 1 / math.sqrt(sum(weights)))


def with_unit(number: str, unit: str) -> str:
    """A number and its unit as they are written: "3.6 cm", but "33°" without a gap."""
    return f"{number}{unit}" if not unit or unit.startswith("°") else say("{number} {unit}", number=number, unit=unit)


def with_doubt(value: float, u: float, places: int, unit: str, signed: bool = False) -> str:
    """A number, its uncertainty and its unit: "3.6 ± 0.6 cm"; nothing is ever written as minus zero."""
    number = round(value, places) + 0.0
    return with_unit(f"{number:{'+' if signed else ''}.{places}f} ± {u:.{places}f}", unit)


def bare_unit(unit: str) -> str:
    """The unit alone where it is written with what it counts: "cm" of "cm off the pad"; "per s" is one."""
    words = unit.split()
    return " ".join(words[: 2 if words[:1] == ["per"] else 1])


def counted(unit: str) -> str:
    """What a unit is written with: "off the pad" of "cm off the pad"; empty for a bare one."""
    return unit.removeprefix(bare_unit(unit)).strip()


BEYOND_USE = 2.0  # times a measure's largest useful doubt; of 61 films, clicked and not, the four findings beyond it were of lost points
FAR_OFF = 1.25  # times its own doubt that a very doubtful number must pass an edge to accuse; our own choice


class Verdict(StrEnum):
    """Within, borderline (inside within), off, or not to be told from this film."""

    WITHIN = "within"
    BORDERLINE = "borderline"
    OFF = "off"
    CANNOT_TELL = "cannot tell"


@dataclass(frozen=True)
class Band:
    """A target: from low to high, either end open (None)."""

    low: float | None
    high: float | None

    def excess(self, value: float) -> float:
        """How far a value lies outside (positive) or inside (negative) the nearer edge."""
        sides = []
        if self.low is not None:
            sides.append(self.low - value)
        if self.high is not None:
            sides.append(value - self.high)
        return max(sides) if sides else -math.inf

    def width(self) -> float:
        """Distance between the edges; infinite when an end is open."""
        return self.high - self.low if self.low is not None and self.high is not None else math.inf


def verdict(measured: Value | None, band: Band, limit_u: float = math.inf) -> Verdict:
    """Judge a value against a band.

    Off only when the edge is passed by more than the expanded uncertainty; within the uncertainty of the edge it is borderline. A
    number more doubtful than `limit_u` accuses only when it passes the edge by FAR_OFF times its doubt, and is within only when it lies
    further inside than its doubt; between the two nothing can be told, nor at all when the doubt is BEYOND_USE times `limit_u`: the
    point was lost, and what is lost does not err like what is seen.
    """
    if measured is None or not math.isfinite(measured.value) or not math.isfinite(measured.u):
        return Verdict.CANNOT_TELL
    if measured.u > BEYOND_USE * limit_u:
        return Verdict.CANNOT_TELL
    excess, doubtful = band.excess(measured.value), measured.u > limit_u
    if excess > measured.u:
        return Verdict.CANNOT_TELL if doubtful and excess <= FAR_OFF * measured.u else Verdict.OFF
    if excess < -measured.u:
        return Verdict.WITHIN
    return Verdict.CANNOT_TELL if doubtful or measured.u > band.width() else Verdict.BORDERLINE


def describe_band(band: Band) -> str:
    """ "at most 5", "at least 85", "4 to 8"."""
    if band.low is None:
        return say("at most {high:g}", high=band.high)
    if band.high is None:
        return say("at least {low:g}", low=band.low)
    return say("{low:g} to {high:g}", low=band.low, high=band.high)
