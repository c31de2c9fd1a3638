"""Analysing one film: observe (slow, once per film and seeds), then conclude (fast, after every edit)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from deepmirror.core import scale as scales
from deepmirror.core.body import Body
from deepmirror.core.kinematics import LEVEL_U_DEG, UP, angle_series
from deepmirror.core.measures import Marks, Scene
from deepmirror.core.reps import find_reps
from deepmirror.core.skeleton import SIDES, near_side, points_for, sided
from deepmirror.core.track import Series, Track
from deepmirror.core.values import Value
from deepmirror.exchange.brief import FREE_POINTS, Brief, BriefFile, ClientPart
from deepmirror.judge.findings import Judgement, Measured, judge, measure
from deepmirror.media.film import Film, FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.network import Quality
from deepmirror.pose.solve import first_positions, track
from deepmirror.pose.watch import follow, look
from deepmirror.services.jobs import Progress


@dataclass(frozen=True)
class Analysis:
    """All that is concluded from one film."""

    facts: FilmFacts
    brief: Brief
    movement: Movement
    scene: Scene
    signal: Series
    measured: Measured
    judgement: Judgement


def keyframes(brief: Brief, frames: int) -> list[Keyframe]:
    """The brief's seeds that lie inside the film."""
    return [Keyframe(frame, points) for frame, points in brief.seeds if frame < frames and points]


def observe(film: Film, brief: Brief, movement: Movement, progress: Progress, quality: Quality = "heavy") -> Evidence:
    """Run the network over the film and follow the points through it. Raises BadFilm, Cancelled."""
    total, keys = len(film.times), keyframes(brief, len(film.times))
    clicked = [n for k in keys for n in k.points if n in FREE_POINTS]
    names = points_for(brief.file.view) + sorted(set(clicked))
    first = next((k.points for k in sorted(keys, key=lambda k: k.frame)), None)
    evidence = look(film.stream(), film.times, names, quality, first, progress.part(0.0, 0.7, "looking for the body", total))
    return refollow(film, brief, movement, evidence, progress, 0.7)


def refollow(film: Film, brief: Brief, movement: Movement, evidence: Evidence, progress: Progress, start: float = 0.0) -> Evidence:
    """Follow the points anew from changed clicks, without running the network again."""
    keys = keyframes(brief, len(film.times))
    positions = first_positions(evidence, keys, movement)
    progress.tell(start, "following the points")
    return follow(film.stream, evidence, keys, positions, progress.part(start, 0.98, "following the points", len(film.times)))


def conclude(facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence, schools: dict[str, str] | None = None) -> Analysis:
    """Solve, measure and judge what was observed; a second or less."""
    movement = catalogue.movement(brief.file.movement)
    body = body_of(brief.file.client)
    path = track(evidence, keyframes(brief, len(evidence.times)), movement, brief.file.view, body)
    up, level_u = _up(brief.file)
    angles = angle_series(path, brief.file.view, up, level_u)
    signal = rep_signal(angles, movement, brief.file.view)
    reps = find_reps(signal.times, signal.values, movement.first_phase, movement.min_range_deg)
    scene = Scene(path, brief.file.view, angles, reps, body, px_per_cm(brief.file, path, body), brief.tempo, up, _marks(brief.file))
    measured = measure(scene)
    return Analysis(facts, brief, movement, scene, signal, measured, judge(scene, measured, movement, catalogue, schools or {}))


def body_of(client: ClientPart) -> Body:
    """The brief's client in the core's terms."""
    return Body(client.stature_cm, client.mass_kg, client.sex, dict(client.segments_cm))


def rep_signal(angles: dict[str, Series], movement: Movement, view: str) -> Series:
    """The series that counts reps: the near side's, or the mean of both sides in front and rear views."""
    near = near_side(view)
    name = movement.signal if near else "knee_flexion"
    sign = movement.signal_sign if near else 1
    if name in angles:
        s = angles[name]
        return Series(s.times, sign * s.values, s.u)
    parts = [angles[sided(name, s)] for s in ((near,) if near else SIDES) if sided(name, s) in angles]
    values = np.mean([p.values for p in parts], axis=0)
    return Series(parts[0].times, sign * values, np.max([p.u for p in parts], axis=0))


def px_per_cm(file: BriefFile, path: Track, body: Body) -> Value | None:
    """Scale from the known length and from the client's own leg, together."""
    known = scales.from_length(np.array(file.scale.points_px), file.scale.length_cm) if file.scale else None
    return scales.combine(known, scales.from_body(path, file.view, body))


def _up(file: BriefFile) -> tuple[np.ndarray[tuple[int], np.dtype[np.float64]], float]:
    """What is up in the picture and how surely (degrees, k = 2)."""
    if file.marks.plumb is not None:
        return scales.up_from_plumb(np.array(file.marks.plumb)), 0.5
    if file.marks.floor_line is not None:
        return scales.up_from_floor(np.array(file.marks.floor_line)), 0.7
    return UP, LEVEL_U_DEG * 1.5


def _marks(file: BriefFile) -> Marks:
    m = file.marks
    return Marks(
        np.array(m.pad_line) if m.pad_line else None,
        np.array(m.pivot) if m.pivot else None,
        np.array(m.floor_line) if m.floor_line else None,
    )
