"""Films drawn by lot against what they must reach: `python -m bench.lot DIR [--auto] [--cache DIR] [--only 1000-1039]`.

Films come from `python -m studio.client_film` with brief and truth beside them. Prints one line a film and then how many of them
reach each goal; a film that was refused counts as missed. Angles are scored inside the set.
"""

from __future__ import annotations

import argparse
import json
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bench.accuracy import ANGLES, analysed, compare, frame_times, inside_set, true_reps
from deepmirror.core.measures.context import CannotTell, MeasurementContext
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import Band
from deepmirror.errors import DeepMirrorError
from deepmirror.judge.records import Finding
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.films.analysis import Analysis

GOALS = {True: dict.fromkeys(ANGLES, (2.0, 4.5)), False: {"knee_flexion": (3.5, 7.0), "ankle_dorsiflexion": (5.0, 10.0)}}
CLOSE = {"knee_flexion": (3.0, 6.0), "ankle_dorsiflexion": (4.0, 8.0), "hip_flexion": (3.0, 6.0)}  # asked later, not clicked
TURN_S = 0.2  # a turn-round further off than this must have said so


@dataclass(frozen=True)
class Planted:
    """A planted fault: whether it was found, and by how much each measure that shows it truly lies beyond its target."""

    code: str
    found: bool
    beyond: dict[str, float]

    def told_by(self, doubts: dict[str, float]) -> bool:
        """Whether it is larger than its limit by twice what such a measure is unsure by on clean films; so is one of unknown size."""
        return not self.beyond or any(size > 2 * doubts.get(measure, 0.0) for measure, size in self.beyond.items())


@dataclass
class Scored:
    """What one film gave."""

    name: str
    kind: str
    seconds: float
    length_s: float
    refused: str = ""
    reps: tuple[int, int] = (0, 0)
    boundary_frames: float = float("nan")
    turn_off_s: float = 0.0
    angles: dict[str, tuple[float, float]] = field(default_factory=dict)
    inside: tuple[int, int] = (0, 0)
    outside: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)
    alarms: list[str] = field(default_factory=list)
    missed: list[str] = field(default_factory=list)
    faults: int = 0
    family: str = ""
    view: str = ""
    planted: list[Planted] = field(default_factory=list)
    doubts: dict[str, float] = field(default_factory=dict)  # of a film without a fault: each measure's u, median over its repetitions


def score(path: Path, auto: bool, cache: Path | None) -> Scored:
    """One film."""
    truth = json.loads(path.with_suffix(".truth.json").read_text())
    times, began = frame_times(truth), time.monotonic()
    out = Scored(
        path.stem,
        f"{truth['movement']} {truth['view']}",
        0.0,
        float(times[-1]),
        faults=len(truth["faults"]),
        view=truth["view"].partition("-")[0],
    )
    out.family = load_catalogue().movement(truth["movement"]).family
    try:
        analysis = analysed(path, auto, 1, cache, truth)
    except DeepMirrorError as error:
        out.refused, out.reps = str(error), (len(truth["reps"]), 0)
        out.missed = [fault["code"] for fault in truth["faults"]]
        out.planted = [Planted(code, False, {}) for code in out.missed]
        return out
    out.seconds = time.monotonic() - began
    row = compare(path.stem, analysis, truth)
    out.reps, out.boundary_frames, out.missed = row.reps, row.boundary_frames, list(row.misses)
    plane = analysis.scene.plane
    if plane is not None and plane.strained:
        out.refused = "does not fit a side view"
    elif truth["near_side"]:
        out.angles = {a: row.errors[a] for a in ANGLES if a in row.errors}
    for name, pairs in row.off.items():
        kept = sum(abs(e) <= u for e, u in pairs)
        out.inside = (out.inside[0] + kept, out.inside[1] + len(pairs))
        if kept < len(pairs):
            worst = max(pairs, key=lambda pair: abs(pair[0]) / max(pair[1], 1e-9))
            out.outside.append(f"{name} {len(pairs) - kept}/{len(pairs)} off {worst[0]:+.1f} ± {worst[1]:.1f}")
    if row.reps[0] == row.reps[1]:
        turns = zip(analysis.scene.reps, truth["reps"], strict=True)
        out.turn_off_s = max(max(0.0, t["turn_start_s"] - r.bottom_s, r.bottom_s - t["turn_end_s"]) for r, t in turns)
    for finding in analysis.judgement.findings:
        _weigh(finding, analysis, truth, out)
    out.planted = [_planted(fault, analysis, truth, fault["code"] not in out.missed) for fault in truth["faults"]]
    if not truth["faults"]:
        names = {name for values in analysis.measured.reps for name in values}
        out.doubts = {n: float(np.median([v[n].u for v in analysis.measured.reps if n in v])) for n in names}
    return out


def _planted(fault: dict[str, Any], analysis: Analysis, truth: dict[str, Any], found: bool) -> Planted:
    codes, near = {fault["code"], *fault.get("accept_also", [])}, truth["near_side"]
    beyond: dict[str, float] = {}
    for known in analysis.movement.fault:
        if (known.reported or known.code) in codes:
            band = known.targets[known.school].band()
            given = [truth["reps"][n - 1]["measures"] for n in fault["reps"]]
            true = [m.get(known.measure, m.get(f"{known.measure}_{near}")) for m in given]
            sizes = [band.excess(float(v)) for v in true if isinstance(v, int | float)]
            if sizes:
                beyond[known.measure] = max(sizes)
    return Planted(fault["code"], found, beyond)


def _weigh(finding: Finding, analysis: Analysis, truth: dict[str, Any], out: Scored) -> None:
    """Is a finding on the wrong side of its target, or a false alarm?"""
    said = f"{finding.code}{list(finding.reps)} {finding.value:.1f} ± {finding.u:.1f}"
    known = true_values(finding, analysis, truth)
    if known and any(_within(v, finding.target) for v in known):
        out.wrong.append(f"{said}, true {', '.join(f'{v:.1f}' for v in known)}")
    allowed = {t["code"] for t in truth["tolerated"]}
    for fault in truth["faults"]:
        allowed |= {fault["code"], *fault.get("accept_also", [])}
    truly_off = bool(known) and not any(_within(v, finding.target) for v in known)
    if finding.code not in allowed and not truly_off:
        out.alarms.append(said)


def _within(value: float, band: Band) -> bool:
    return (band.low is None or value >= band.low) and (band.high is None or value <= band.high)


def true_values(finding: Finding, analysis: Analysis, truth: dict[str, Any]) -> list[float]:
    """The true numbers behind a finding: the truth's own, or the same measure of the noise-free angles; empty where neither is known."""
    spec, reps, near = MEASURES.get(finding.measure), true_reps(truth, analysis.movement), truth["near_side"]
    if spec is None or len(reps) != len(analysis.scene.reps):
        return []
    if not finding.reps:
        value = truth["measures"].get(finding.measure)
        return [float(value)] if isinstance(value, int | float) else []
    context, out = true_context(truth, analysis, reps), []
    for number in finding.reps:
        given = truth["reps"][number - 1]["measures"]
        value = given.get(finding.measure, given.get(f"{finding.measure}_{near}"))
        if value is None and finding.measure in TEMPO:
            try:
                value = spec.compute(context, reps[number - 1]).value
            except CannotTell:
                return []
        if not isinstance(value, int | float):
            return []
        out.append(float(value))
    return out


TEMPO = {name for name in MEASURES if name.endswith(("_share_pct", "per_s", "_hold_s"))}


def true_context(truth: dict[str, Any], analysis: Analysis, reps: list[Rep]) -> MeasurementContext:
    """A film of which everything is known: for measures that look at angles and times only."""
    keep = inside_set(truth)
    times: NDArray[np.float64] = frame_times(truth)[keep]
    angles = {k: Series(times, np.array(v)[keep], np.zeros(len(times))) for k, v in truth["angles_deg"].items()}
    track = Track(times, (), np.zeros((len(times), 0, 2)), np.zeros((len(times), 0, 0)))
    return MeasurementContext(track, truth["view"], angles, reps, analysis.scene.body, None, analysis.scene.tempo)


def failures(r: Scored, clicked: bool) -> int:
    """How badly a film fails, to put the worst first."""
    off = sum(not reached(r, a, GOALS[clicked]) for a in GOALS[clicked]) if "side" in r.kind else 0
    short_of = 2 * (r.reps[0] != r.reps[1]) + 2 * (r.inside[0] < 0.8 * r.inside[1]) + 4 * bool(r.refused)
    return 3 * len(r.wrong) + 3 * len(r.alarms) + short_of + off


def show(rows: list[Scored], clicked: bool) -> None:
    """A line a film, the failing ones first, and how many reach each goal."""
    for r in sorted(rows, key=partial(failures, clicked=clicked), reverse=True):
        angles = " ".join(f"{a.split('_')[0]} {m:.1f}/{p:.1f}" for a, (m, p) in r.angles.items())
        counted = f"reps {r.reps[1]}/{r.reps[0]} at {r.boundary_frames:.1f} fr, inside {r.inside[0]}/{r.inside[1]}"
        print(f"{r.name} {r.kind:30s} {angles:60s} {counted}")
        for title, lines in (("REFUSED", [r.refused] if r.refused else []), ("WRONG", r.wrong), ("ALARM", r.alarms), ("missed", r.missed)):
            for line in lines:
                print(f"      {title} {line}")
        if r.inside[0] < 0.8 * r.inside[1]:
            print("      outside: " + "; ".join(r.outside))
    _totals(rows, GOALS[clicked])


def reached(r: Scored, angle: str, goals: dict[str, tuple[float, float]]) -> bool:
    """Whether a film's angle lies within its median and 95th percentile."""
    got = r.angles.get(angle)
    return got is not None and got[0] <= goals[angle][0] and got[1] <= goals[angle][1]


def _totals(rows: list[Scored], goals: dict[str, tuple[float, float]]) -> None:
    side, count = [r for r in rows if "side" in r.kind], len(rows)
    share = lambda hits: f"{100 * sum(hits) / max(len(hits), 1):.0f} % of {len(hits)}"
    print(f"\n{count} films, {sum(r.length_s for r in rows):.0f} s; refused whole {sum(bool(r.refused) for r in rows)}")
    print("reps exact: " + share([r.reps[0] == r.reps[1] for r in rows]))
    print(f"boundaries, median over films: {np.nanmedian([r.boundary_frames for r in rows]):.2f} frames; ", end="")
    print(f"films with a turn-round over {TURN_S} s off: {sum(r.turn_off_s > TURN_S for r in rows)}")
    for angle, (median, tail) in goals.items():
        print(f"{angle} within {median}/{tail}°: " + share([reached(r, angle, goals) for r in side]))
    inside, of = np.sum([r.inside for r in rows], axis=0)
    print(f"measures inside ±u: {100 * inside / max(of, 1):.1f} % of {of}; ", end="")
    print("films with at least 80 %: " + share([r.inside[0] >= 0.8 * r.inside[1] for r in rows if r.inside[1]]))
    wrong, alarms = sum(bool(r.wrong) for r in rows), sum(bool(r.alarms) for r in rows)
    print(f"films with a verdict on the wrong side: {wrong}; with a false alarm: {alarms}")
    faulty = [r for r in rows if r.faults]
    print("faults found: " + share([not r.missed for r in faulty]), end="; ")
    print("of those larger than limit + 2 u of a clean film: " + share(large_found(rows)))


def large_found(rows: list[Scored]) -> list[bool]:
    """Whether each planted fault was found that a film can be asked to tell."""
    doubts = usual_doubts(rows)
    return [p.found for r in rows for p in r.planted if p.told_by(doubts)]


def usual_doubts(rows: list[Scored]) -> dict[str, float]:
    """What each measure is unsure by (k = 2) on films without a fault: the median over those films."""
    names = {n for r in rows for n in r.doubts}
    return {n: float(np.median([r.doubts[n] for r in rows if n in r.doubts])) for n in names}


def wanted(only: str | None, folder: Path) -> list[Path]:
    """The films of a folder, or those whose seeds lie in `A-B`."""
    films = sorted(p for p in folder.glob("*.mp4") if p.with_suffix(".truth.json").exists())
    if only is None:
        return films
    first, _, last = only.partition("-")
    return [p for p in films if int(first) <= int(p.stem.rpartition("_")[2]) <= int(last or first)]


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--auto", action="store_true", help="no seeded frame")
    parser.add_argument("--cache", type=Path, help="keep what was seen here, to solve again quickly")
    parser.add_argument("--only", help="seeds A-B")
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    with ProcessPoolExecutor(args.jobs) as pool:
        rows = list(pool.map(partial(score, auto=args.auto, cache=args.cache), wanted(args.only, args.folder)))
    show(rows, not args.auto)


if __name__ == "__main__":
    main()
