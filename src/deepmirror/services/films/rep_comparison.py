"""Any two reps side by side by phase: of one film, of two films, of then and now, of left and right."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.series import series_spec
from deepmirror.core.motion.time_normalisation import Difference, by_phase, difference, phase_of, time_of
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.trajectories import Series
from deepmirror.core.uncertain_value import Value, with_doubt
from deepmirror.errors import LibraryError
from deepmirror.reply.draw import Overlay, draw_framed
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.limb_asymmetry import COMPARED, SECONDS_U
from deepmirror.words import say

SHOWN = (840, 520)  # px of each picture

COUNTS = "rep count"


@dataclass(frozen=True)
class Row:
    """One number on both sides; real is True when they differ by more than both uncertainties together."""

    words: str
    first: str
    second: str
    change: str
    real: bool


class ComparedFilm:
    """One film of a comparison, open and concluded. Close it when done."""

    def __init__(self, library: FilmLibrary, film_id: int) -> None:
        """Raises LibraryError when the film was never measured or shows no rep; BadFilm."""
        self.record = library.store.film(film_id)
        self.film, brief, evidence = library.open_analysis(film_id)
        if evidence is None:
            self.film.close()
            raise LibraryError(
                say(
                    "The film of {client_name} from {arrived_at} is not measured yet.",
                    client_name=self.record.client_name,
                    arrived_at=self.record.arrived_at[:10],
                )
            )
        self.analysis: Analysis = library.conclude(self.film.facts, brief, evidence)
        if not self.analysis.scene.reps:
            self.film.close()
            raise LibraryError(
                say(
                    "The film of {client_name} from {arrived_at} shows no rep to compare.",
                    client_name=self.record.client_name,
                    arrived_at=self.record.arrived_at[:10],
                )
            )

    def close(self) -> None:
        """Let go of the film."""
        self.film.close()

    def reps(self) -> list[Rep]:
        """Its reps."""
        return self.analysis.scene.reps

    def title(self) -> str:
        """Whose, when, from which side."""
        file = self.analysis.brief.file
        load = say(", {load_kg:g} kg", load_kg=file.load_kg) if file.load_kg else ""
        return say(
            "{client_name}, {arrived_at}, {view}{load}",
            client_name=self.record.client_name,
            arrived_at=self.record.arrived_at[:10],
            view=file.view.replace("-", " "),
            load=load,
        )

    def series(self, name: str) -> Series | None:
        """A series by its name without a side, the near leg's in side films; COUNTS is what counts the reps."""
        if name == COUNTS:
            return self.analysis.signal
        near = near_side(self.analysis.brief.file.view)
        for key in (name, sided(name, near) if near else name):
            if key in self.analysis.scene.angles:
                return self.analysis.scene.angles[key]
        return None

    def names(self) -> list[str]:
        """Names of its series, without the near side."""
        near = near_side(self.analysis.brief.file.view)
        return [n.removesuffix(f"_{near}") if near else n for n in self.analysis.scene.angles]


class SideBySide:
    """Two reps at the same phase."""

    def __init__(self, first: ComparedFilm, second: ComparedFilm, rep_a: int = 1, rep_b: int = 1) -> None:
        self.first, self.second = first, second
        self.rep_a = min(max(rep_a, 1), len(first.reps()))
        self.rep_b = min(max(rep_b, 1), len(second.reps()))

    def close(self) -> None:
        """Let go of both films."""
        self.first.close()
        if self.second is not self.first:
            self.second.close()

    def names(self) -> tuple[str, str]:
        """How the two are told apart: by date where the films differ, by rep where they do not."""
        if self.first is self.second:
            return say("rep {rep_a}", rep_a=self.rep_a), say("rep {rep_b}", rep_b=self.rep_b)
        days = [h.record.arrived_at[:10] for h in (self.first, self.second)]
        if days[0] == days[1]:
            days = [h.analysis.brief.file.view.replace("-", " ") for h in (self.first, self.second)]
        return say("{days}, rep {rep_a}", days=days[0], rep_a=self.rep_a), say("{days}, rep {rep_b}", days=days[1], rep_b=self.rep_b)

    def pair(self) -> tuple[Rep, Rep]:
        """The two reps."""
        return self.first.reps()[self.rep_a - 1], self.second.reps()[self.rep_b - 1]

    def frames(self, phase: float) -> tuple[int, int]:
        """The frame of each film at a phase 0..3."""
        a, b = self.pair()
        return self.first.film.frame_at(time_of(a, phase)), self.second.film.frame_at(time_of(b, phase))

    def phase_at(self, seconds: float) -> float:
        """The phase after so many seconds of the first rep: played at the first one's own speed."""
        a, _ = self.pair()
        return phase_of(a, a.start_s + seconds)

    def seconds(self) -> float:
        """How long the first rep takes."""
        a, _ = self.pair()
        return a.end_s - a.start_s

    def pictures(self, phase: float) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
        """Both frames at a phase, with the body's lines. Each (H, W, 3) RGB."""
        i, j = self.frames(phase)
        return _drawn(self.first, i), _drawn(self.second, j)

    def signals(self) -> list[str]:
        """What can be laid over one another: series both films have; what counts the reps where it is the same in both."""
        alike = self.first.analysis.scene.counted_in == self.second.analysis.scene.counted_in
        return [*([COUNTS] if alike else []), *(n for n in self.first.names() if self.second.series(n) is not None)]

    def unit(self, name: str) -> str:
        """The unit of one of the signals."""
        return self.first.analysis.scene.counted_in if name == COUNTS else series_spec(name).unit

    def curves(self, name: str) -> tuple[Series, Series, Difference] | None:
        """Both curves over the phases, and their difference; None when one film lacks the series."""
        a, b = self.first.series(name), self.second.series(name)
        if a is None or b is None:
            return None
        one, two = by_phase(a, self.pair()[0]), by_phase(b, self.pair()[1])
        return one, two, difference(one, two)

    def rows(self) -> list[Row]:
        """The numbers of the two reps, those that differ surely first."""
        a, b = self.first.analysis.measured.reps[self.rep_a - 1], self.second.analysis.measured.reps[self.rep_b - 1]
        rows = [_row(s.words, s.unit, a[s.name], b[s.name]) for s in COMPARED if s.name in a and s.name in b]
        for phase, words in (("eccentric", "lowering"), ("bottom", "hold at the bottom"), ("concentric", "lifting")):
            one, two = (rep.phases_s[phase] for rep in self.pair())
            if one is not None and two is not None:
                rows.append(_row(words, "s", Value(one, SECONDS_U), Value(two, SECONDS_U)))
        return sorted(rows, key=lambda r: not r.real)


def _row(words: str, unit: str, a: Value, b: Value) -> Row:
    gap = b - a
    real = abs(gap.value) > gap.u
    places = 1 if unit == "s" or gap.u < 1.5 else 0

    def said(v: Value) -> str:
        return with_doubt(v.value, v.u, places, unit)

    return Row(words, said(a), said(b), with_doubt(gap.value, gap.u, places, unit, signed=True), real)


def _drawn(half: ComparedFilm, frame: int) -> NDArray[np.uint8]:
    scene = half.analysis.scene
    return draw_framed(half.film.picture(frame), Overlay(scene.film_track, scene.view, frame), SHOWN)


def films_to_compare(library: FilmLibrary, film_id: int) -> list[tuple[int, str]]:
    """Measured films of the same client, those of the same movement first, as (id, words)."""
    film = library.store.film(film_id)
    mine = [f for f in library.store.films(film.client_id) if library.store.evidence_path(f.id).exists()]
    mine.sort(key=lambda f: f.movement != film.movement)
    return [
        (
            f.id,
            say(
                "{arrived_at} · {movement} · {view}",
                arrived_at=f.arrived_at[:10],
                movement=f.movement.replace("_", " "),
                view=f.view.replace("-", " "),
            ),
        )
        for f in mine
    ]
