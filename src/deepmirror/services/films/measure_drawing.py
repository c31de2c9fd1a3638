"""How a number of an analysed film draws itself in a frame: for the Mirror, with the words of its tag."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.sketches.sketch import Circle, Sketch
from deepmirror.core.sketches.table import rep_at, sketch_of
from deepmirror.core.uncertain_value import with_doubt
from deepmirror.reply.heads import head_circles
from deepmirror.services.films.analysis import Analysis


@dataclass(frozen=True)
class MeasureDrawing:
    """The lines of a measure in one frame, px; the number of the frame's rep with its doubt; and the faces it keeps off."""

    sketch: Sketch
    words: str
    faces: tuple[Circle, ...]


class MeasureDrawings:
    """Draws any measure of one film."""

    def __init__(self, analysis: Analysis) -> None:
        self._analysis = analysis
        self._faces = head_circles(analysis.scene.film_track)

    def at(self, measure: str, frame: int) -> MeasureDrawing:
        """A measure in a frame."""
        scene = self._analysis.scene
        faces = self._faces[frame] if frame < len(self._faces) else ()
        return MeasureDrawing(sketch_of(scene, measure, frame), self._words(measure, frame), faces)

    def _words(self, measure: str, frame: int) -> str:
        """The number, as it stands in the table; empty where this film does not tell it."""
        spec, rep = MEASURES.get(measure), rep_at(self._analysis.scene, frame)
        if spec is None or rep is None:
            return ""
        measured = self._analysis.measured
        value = measured.reps[rep.number - 1].get(measure) if spec.per_rep else measured.film.get(measure)
        return "" if value is None else with_doubt(value.value, value.u, spec.places, spec.unit)
