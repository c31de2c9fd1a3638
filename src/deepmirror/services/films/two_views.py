"""One set filmed twice at once, from the side and from the front: matched by the rhythm of its reps, read together.

Two phones are started apart, so their clocks differ by a constant: between the reps of one set the difference is the same for every rep,
between two sets it is not, unless both go like clockwork.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deepmirror.core.measures.spec import view_kind
from deepmirror.core.motion.reps import Rep
from deepmirror.core.uncertain_value import Verdict
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary, FilmRecord
from deepmirror.services.films.rep_table import WEIGHT, Cell, MeasureRow, RepTable, rep_table
from deepmirror.services.films.visits import visit_of

FEWEST, LEAST_SHARE = 3, 0.6  # reps that must fit, and of the film with fewer; our own choice
FIT_S = 0.12  # how far the clocks' difference may stray from rep to rep: two boundaries of two films, each known to a frame or two
APART = 2.5  # times as badly the next best shift must fit, and as unevenly the reps must go, for a match to be sure; our own choice
MOST_OTHER_ROWS = 4  # of the other film beside this one's; our own choice


@dataclass(frozen=True)
class Match:
    """How two films' reps belong together: rep n of the first is rep n + shift of the second, whose clock reads offset_s more.
    stray_s: how far the difference strays; sure: the reps go unevenly enough to tell, and no other shift fits nearly as well."""

    shift: int
    offset_s: float
    stray_s: float
    sure: bool


@dataclass(frozen=True)
class Companion:
    """The other film of a set: its record and numbers, and how its reps belong to this film's."""

    film: FilmRecord
    analysis: Analysis
    match: Match


def match_reps(first: Sequence[Rep], second: Sequence[Rep]) -> Match | None:
    """How the reps of two films belong together; None where they are not one set's, or too few to tell."""
    here, there = (np.array([[r.start_s, r.bottom_s, r.end_s] for r in reps]) for reps in (first, second))
    needed = max(FEWEST, int(np.ceil(LEAST_SHARE * min(len(first), len(second)))))
    fits: list[Match] = []
    for shift in range(1 - len(first), len(second)):
        low, high = max(0, -shift), min(len(first), len(second) - shift)
        if high - low < needed:
            continue
        apart = there[low + shift : high + shift] - here[low:high]
        offset = float(np.median(apart))
        stray, rhythm = float(np.sqrt(np.mean((apart - offset) ** 2))), float(np.std(np.diff(here[low:high, 1])))
        fits.append(Match(shift, offset, stray, rhythm > APART * max(stray, FIT_S / 4)))
    fits.sort(key=lambda m: m.stray_s)
    if not fits or fits[0].stray_s > FIT_S:
        return None
    alone = len(fits) == 1 or fits[1].stray_s > APART * max(fits[0].stray_s, FIT_S / 4)
    return replace(fits[0], sure=fits[0].sure and alone)


def candidates(library: FilmLibrary, film_id: int, analysis: Analysis) -> list[FilmRecord]:
    """Films of the same visit and movement, seen from the other side."""
    kind = view_kind(analysis.scene.view)
    films = [f for f in visit_of(library, film_id).films if f.id != film_id and f.movement == analysis.movement.id]
    return [f for f in films if f.view and view_kind(f.view) != kind]


def companion_of(library: FilmLibrary, film_id: int, analysis: Analysis, read: Callable[[int], Analysis | None]) -> Companion | None:
    """The film that shows the same set from the other side, as far as the rhythm of the reps tells; read: a film's numbers."""
    for film in candidates(library, film_id, analysis):
        other = read(film.id)
        match = match_reps(analysis.scene.reps, other.scene.reps) if other is not None else None
        if other is not None and match is not None:
            return Companion(film, other, match)
    return None


def together(table: RepTable, companion: Companion) -> RepTable:
    """A film's table with what the other film of the set tells beside it, rep by rep; a rep is judged by both."""
    other, shift = rep_table(companion.analysis), companion.match.shift
    own = {row.measure for row in table.rows}
    more = [replace(row, cells=_shifted(row, shift, len(table.verdicts))) for row in other.rows if row.measure not in own]
    judged = sorted(more, key=lambda row: all(c.verdict in (None, Verdict.CANNOT_TELL) for c in row.cells))[:MOST_OTHER_ROWS]
    rows = tuple(replace(row, film_id=companion.film.id) for row in judged)
    verdicts = [
        max(verdict, other.verdicts[n + shift], key=WEIGHT.index) if 0 <= n + shift < len(other.verdicts) else verdict
        for n, verdict in enumerate(table.verdicts)
    ]
    return RepTable((*table.rows, *rows), tuple(verdicts))


def _shifted(row: MeasureRow, shift: int, count: int) -> tuple[Cell, ...]:
    return tuple(row.cells[n + shift] if 0 <= n + shift < len(row.cells) else Cell(None, None) for n in range(count))
