"""Every fault of every movement as it draws itself, on the synthetic lifter and on the demo's front films; and a sheet of them.

`python -m tests.movements.drawing_cases sheet.png` writes the sheet to look at.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np

from deepmirror.core.measures.context import BackSeen, CannotTell, MeasurementContext
from deepmirror.core.measures.spec import view_kind
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.sketches.sketch import Sketch
from deepmirror.core.sketches.table import sketch_of
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import facing
from deepmirror.judge.findings import moment_of
from deepmirror.media.writer import png
from deepmirror.movements.schema import Movement
from deepmirror.reply.draw import Overlay, draw
from deepmirror.reply.heads import head_circles
from tests.movements.rig import CATALOGUE, FREE, POSES, judged, marks_for, places, programme, seconds

CELL = (426, 300)


@dataclass(frozen=True)
class Case:
    """One fault's measure in one frame of a set: what it comes to there, and how it is drawn."""

    movement: str
    code: str
    measure: str
    scene: MeasurementContext
    frame: int
    value: Value
    sketch: Sketch


def cases_of(movement: Movement, scene: MeasurementContext) -> Iterator[Case]:
    """The faults of a movement that a set of it can show, each at its moment of the last rep."""
    for fault in movement.fault:
        spec = MEASURES[fault.measure]
        if view_kind(scene.view) not in spec.views:
            continue
        rep = scene.reps[-1]
        try:
            value = spec.value(scene, rep) if spec.per_rep else spec.value(scene)
        except CannotTell:
            continue
        frame = int(np.argmin(np.abs(scene.track.times - moment_of(scene, fault.measure, rep))))
        yield Case(movement.id, fault.code, fault.measure, scene, frame, value, sketch_of(scene, fault.measure, frame))


def side_scene(movement: Movement) -> MeasurementContext:
    """A set of three whole reps and a short one, with every mark and free point there is, and a stack that rests."""
    reps = [seconds(movement) for _ in range(3)] + [seconds(movement, 1.0, share=0.8)]
    _, share, _ = programme(reps)
    scene = judged(movement, reps, "3-1-1-1", marks_for(places(POSES[movement.id], share)), free=FREE).scene
    far = scene.track.point("ankle_right") - [180.0, 0.0] if "ankle_right" in scene.track.names else None
    stack = np.clip(share, 0, 1) * 100
    back = back_of(scene, share) if "mid_back" in movement.marks else None
    return replace(scene, stack=stack, far={} if far is None else {"ankle": far}, back=back, kept={})


def back_of(scene: MeasurementContext, share: np.ndarray) -> BackSeen:
    """The back's outline in every frame: a fifth of the trunk behind it, and rounder in the last whole rep."""
    hip, shoulder = (scene.film_track.point(scene.side_point(joint)) for joint in ("hip", "shoulder"))
    line, along = shoulder - hip, np.linspace(0, 1, 15)
    behind = -facing(scene.view) * np.stack([-line[:, 1], line[:, 0]], axis=1)
    last = scene.reps[-1]
    round_there = 0.1 * share * ((scene.track.times >= last.start_s) & (scene.track.times <= last.end_s))
    height = 0.2 + round_there[:, None] * 4 * along * (1 - along)
    outline = hip[:, None] + along[:, None] * line[:, None] + height[..., None] * behind[:, None]
    return BackSeen(outline, hip, shoulder)


def side_cases(movement: Movement) -> list[Case]:
    """A movement's faults on the synthetic lifter."""
    return list(cases_of(movement, side_scene(movement)))


def overlay_of(case: Case, tag: str, zoom: float = 1.0) -> Overlay:
    """The case as it lies over its frame."""
    film = case.scene.film_track
    faces = head_circles(film)[case.frame]
    return Overlay(film, case.scene.view, case.frame, case.measure, case.sketch, tag=tag, faces=faces, zoom=zoom)


def picture_of(case: Case, tag: str = "") -> np.ndarray:
    """The case drawn on plain ground, (720, 1280, 3)."""
    overlay = overlay_of(case, tag)
    ground = np.full((720, 1280, 3), 96, np.uint8)
    for x, y, r in overlay.faces:
        cv2.circle(ground, (round(x), round(y)), round(r * 0.6), (140, 130, 120), -1)
    return draw(ground, overlay)


def sheet(cases: list[Case]) -> np.ndarray:
    """One picture a measure, in rows of four, its code and movement under it."""
    cells = []
    for case in cases:
        spec = MEASURES[case.measure]
        cell = cv2.resize(
            picture_of(case, f"{case.value.value:.{spec.places}f} {spec.unit}".strip()), (CELL[0], 240), interpolation=cv2.INTER_AREA
        )
        cell = cv2.copyMakeBorder(cell, 0, CELL[1] - 240, 0, 0, cv2.BORDER_CONSTANT, value=(20, 20, 20))
        for i, words in enumerate((f"{case.code}  {case.movement}", case.measure)):
            cv2.putText(cell, words, (6, 262 + 22 * i), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (230, 230, 230), 1, cv2.LINE_AA)
        cells.append(cell)
    cells += [np.zeros_like(cells[0])] * (-len(cells) % 4)
    return np.vstack([np.hstack(cells[i : i + 4]) for i in range(0, len(cells), 4)])


def main() -> None:
    """Write the sheet: each measure once a view."""
    seen: dict[str, Case] = {}
    for movement in CATALOGUE.movements.values():
        for case in side_cases(movement):
            seen.setdefault(case.measure, case)
    from tests.conftest import demo_analyses

    for name, analysis in demo_analyses().items():
        if name.endswith("front"):
            for case in cases_of(analysis.movement, analysis.scene):
                seen.setdefault(f"{case.measure} front", case)
    cases = list(seen.values())
    for i in range(0, len(cases), 16):
        Path(sys.argv[1]).with_stem(f"{Path(sys.argv[1]).stem}-{i // 16 + 1}").write_bytes(png(sheet(cases[i : i + 16])))


if __name__ == "__main__":
    main()
