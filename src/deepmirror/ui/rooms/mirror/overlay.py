"""What lies over a frame of the film: measured lines and points with their uncertainty, hand-placed points, the machine's marks."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

from deepmirror.core.motion.series import series_spec
from deepmirror.core.skeleton import SEGMENTS, SIDES, near_side, sided, split
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, bare_unit, with_unit
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.review import MARK_KINDS, Review
from deepmirror.ui.widgets.film_view import Drawing
from deepmirror.ui.widgets.ribbon import RibbonData

ROOM_MARKS = ("scale", "plumb", "floor_line")  # shown while marks are placed; the machine's marks always
BODY, ARM = ("trunk", "thigh", "shank", "foot"), ("upper_arm", "forearm")


def drawn(review: Review, frame: int, lines: bool, everything: bool) -> Drawing:
    """The drawing of one frame; lines: show what was measured; everything: the marks of the room too."""
    drawing = Drawing()
    analysis = review.analysis
    if analysis is not None and lines and frame < len(analysis.scene.film_track.times):
        _measured(drawing, analysis, frame)
    drawing.placed = {n: QPointF(*xy) for n, xy in review.seed(frame).items()}
    drawing.marks = _marks(review, frame, everything)
    return drawing


def _measured(drawing: Drawing, analysis: Analysis, frame: int) -> None:
    track, near = analysis.scene.film_track, near_side(analysis.scene.view)
    places = {n: QPointF(*track.positions[frame, i]) for i, n in enumerate(track.names)}
    arms = analysis.movement.signal == "elbow_flexion"
    hidden = {"ear"} if arms else {"ear", "elbow", "wrist"}
    shown = {n: p for n, p in places.items() if split(n)[0] not in hidden}
    drawing.points = {n: (p, COVERAGE_FACTOR * float(track.sigma(n)[frame])) for n, p in shown.items()}
    pairs = [tuple(sided(j, s) for j in SEGMENTS[g]) for s in ((near,) if near else SIDES) for g in (*BODY, *(ARM if arms else ()))]
    if near and "mid_back" in places:
        back = [f"hip_{near}", *(n for n in ("low_back", "mid_back") if n in places), f"shoulder_{near}"]
        pairs = [p for p in pairs if p != (back[0], back[-1])] + list(pairwise(back))
    drawing.lines = [(places[a], places[b]) for a, b in pairs if a in places and b in places]


def _marks(review: Review, frame: int, everything: bool) -> dict[str, list[QPointF]]:
    """Marks where this frame shows them: a moving camera carries them along."""
    file, out = review.brief.file, {}
    kept = file.marks.model_dump(exclude_none=True)
    if file.scale is not None:
        kept["scale"] = file.scale.points_px
    for kind, points in kept.items():
        if kind not in MARK_KINDS or (kind in ROOM_MARKS and not everything):
            continue
        places = [points] if MARK_KINDS[kind] == 1 else [*points, *points[:1]] if kind == "platform" else points
        out[kind] = [QPointF(*review.from_reference_frame(frame, p)) for p in places]
    return out


def ribbon_data(analysis: Analysis, name: str | None, doubtful: NDArray[np.bool_]) -> RibbonData:
    """What the ribbon draws: a series of the film by name, the rep signal without one; doubtful: (T,) frames to be marked."""
    series = analysis.scene.angles.get(name, analysis.signal) if name else analysis.signal
    off = frozenset(r for f in analysis.judgement.findings for r in f.reps)
    unit = with_unit("", bare_unit(series_spec(name).unit if name else analysis.scene.counted_in))
    scene, first = analysis.scene, analysis.movement.first_phase
    return RibbonData(series.times, series.values, series.u, scene.reps, off, scene.tempo, first, unit, doubtful)
