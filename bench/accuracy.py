"""Accuracy against films with known truth: `python -m bench.accuracy [--auto] [--seeds 2] [FILM.mp4 ...]`.

Films come with NAME.brief.json and NAME.truth.json beside them (studio renders them: `python -m studio.render --bench --all`).
Prints per film the median and 95th percentile of joint-angle errors (degrees, in space), rep counts, the median error of
the phase boundaries (frames), hip lift and frontal angle errors, how many true values lie inside value ± u (k = 2), and what
the clicks alone cost (bench/floor.py): the floor that one seeded frame sets.
"""

from __future__ import annotations

import argparse
import json
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from bench.floor import clicked_angles
from deepmirror.core.motion.reps import Rep, find_reps
from deepmirror.core.skeleton import near_side
from deepmirror.exchange.brief import check_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.observation import observe

HERE = Path(__file__).parent
FILMS = (HERE.parent / "src/deepmirror/assets/demo", HERE / "films")
ANGLES = ("knee_flexion", "hip_flexion", "trunk_lean", "ankle_dorsiflexion")
SIGNAL = {"romanian_deadlift": "hip_flexion", "standing_calf_raise": "ankle_dorsiflexion"}
MEDIAN_GOAL, TAIL_GOAL = 2.0, 4.5  # degrees
ALIAS = {"fppa_left_deg": "fppa_max_deg_left", "fppa_right_deg": "fppa_max_deg_right"}


@dataclass
class Row:
    """What one film gave."""

    name: str
    errors: dict[str, tuple[float, float]] = field(default_factory=dict)
    inside: dict[str, tuple[int, int]] = field(default_factory=dict)
    reps: tuple[int, int] = (0, 0)
    boundary_frames: float = float("nan")
    off: dict[str, list[tuple[float, float]]] = field(default_factory=dict)  # each measure's error and its u
    findings: tuple[str, ...] = ()
    misses: tuple[str, ...] = ()
    floor: dict[str, tuple[float, float]] = field(default_factory=dict)
    doubt_used: dict[str, float] = field(default_factory=dict)


def films(names: list[str]) -> Iterator[Path]:
    """Films given, or all that lie in the usual places."""
    if names:
        yield from (Path(n) for n in names)
        return
    for folder in FILMS:
        yield from sorted(p for p in folder.glob("*.mp4") if p.with_suffix("").with_suffix(".truth.json").exists())


def analysed(path: Path, auto: bool, seeds: int, cache: Path | None, truth: dict[str, Any]) -> Analysis:
    """The film analysed; evidence is kept in `cache` so that solving can be tried again without looking again."""
    brief = json.loads(path.with_suffix(".brief.json").read_text())
    if auto:
        brief["seeds"] = []
    if seeds > 1 and brief["seeds"]:
        brief["seeds"].append(second_seed(truth, brief))
    catalogue, checked = load_catalogue(), check_brief(brief)
    kept = cache / f"{path.stem}{'.auto' if auto else ''}{seeds}.npz" if cache else None
    with Film(path) as film:
        if kept and kept.exists():
            evidence = Evidence.load(kept)
        else:
            evidence = observe(film, checked, catalogue.movement(checked.file.movement), Progress())
            if kept:
                kept.parent.mkdir(parents=True, exist_ok=True)
                evidence.save(kept)
        return conclude(film.facts, checked, catalogue, evidence)


def second_seed(truth: dict[str, Any], brief: dict[str, Any]) -> dict[str, Any]:
    """Clicks (2 px noise) on the far turn-round of the second rep."""
    rng = np.random.default_rng(7)
    frame = round(truth["reps"][min(1, len(truth["reps"]) - 1)]["bottom_s"] * truth["fps"])
    near = near_side(brief["view"])
    points = {}
    for name in brief["seeds"][0]["points_px"]:
        full = name if name.endswith(("_left", "_right")) else f"{name}_{near}"
        points[name] = [float(v) for v in np.array(truth["landmarks_px"][full][frame]) + rng.normal(0, 2, 2)]
    return {"frame": frame, "points_px": points}


def compare(name: str, analysis: Analysis, truth: dict[str, Any]) -> Row:
    """Errors of one film."""
    row, near, clicked = Row(name), truth["near_side"], clicked_angles(analysis, truth)
    in_set = inside_set(truth)
    for side in (near,) if near else ("left", "right"):
        for angle in ANGLES if near else ("fppa", "knee_flexion"):
            key = angle if angle == "trunk_lean" else f"{angle}_{side}"
            if key in analysis.scene.angles and key in truth["angles_deg"]:
                series, true = analysis.scene.angles[key], np.array(truth["angles_deg"][key])
                true = true[: len(series.values)]
                good = (np.abs(true) < 60 if angle == "fppa" else np.ones(len(true), bool)) & in_set[: len(true)]
                if not good.any():
                    continue
                error = np.abs(series.values - true)[good]
                row.errors[key if not near else angle] = (float(np.median(error)), float(np.percentile(error, 95)))
                if key in clicked and angle in (*ANGLES, "fppa")[0 if near else -1 :]:
                    floor = np.abs(clicked[key].values - true[: len(clicked[key].values)])[good[: len(clicked[key].values)]]
                    row.floor[key if not near else angle] = (float(np.median(floor)), float(np.percentile(floor, 95)))
                row.doubt_used[angle] = float(np.sqrt(np.mean((error / series.u[good]) ** 2)))
                row.inside[key if not near else angle] = (int((error <= series.u[good]).sum()), int(good.sum()))
    reps = analysis.scene.reps
    row.reps = (len(truth["reps"]), len(reps))
    if len(reps) == len(truth["reps"]):
        row.boundary_frames = boundaries(analysis, truth)
        for values, want in zip(analysis.measured.reps, truth["reps"], strict=True):
            for key, value in values.items():
                true = want["measures"].get(ALIAS.get(key, key), want["measures"].get(f"{key}_{near}"))
                if isinstance(true, (int, float)):
                    row.off.setdefault(key, []).append((value.value - true, value.u))
                    got, of = row.inside.get("measures", (0, 0))
                    row.inside["measures"] = (got + (abs(value.value - true) <= value.u), of + 1)
    for key, value in analysis.measured.film.items():
        true = truth["measures"].get(key, truth["measures"].get(f"{key}_{near}"))
        if isinstance(true, (int, float)):
            row.off.setdefault(key, []).append((value.value - true, value.u))
    found = {f.code: set(f.reps) for f in analysis.judgement.findings}
    row.findings = tuple(f"{c}{sorted(r)}" for c, r in found.items())
    row.misses = tuple(f["code"] for f in truth["faults"] if not any(c in found for c in [f["code"], *f.get("accept_also", [])]))
    return row


def inside_set(truth: dict[str, Any]) -> NDArray[np.bool_]:
    """Frames (T,) of the set: all, but for films in which the client walks in or out."""
    times = frame_times(truth)
    start, end = truth.get("set_s") or (times[0], times[-1])
    return (times >= start - 1e-9) & (times <= end + 1e-9)


def frame_times(truth: dict[str, Any]) -> NDArray[np.float64]:
    """Presentation times (T,) s of a film's frames."""
    given = truth.get("times_s")
    return np.array(given) if given else np.arange(truth["frames"]) / truth["fps"]


def true_reps(truth: dict[str, Any], movement: Movement) -> list[Rep]:
    """The reps of the noise-free angle, cut as ours are."""
    side = truth["near_side"] or "left"
    signal = movement.signal_sign * np.array(truth["angles_deg"][f"{SIGNAL.get(truth['movement'], 'knee_flexion')}_{side}"])
    keep = inside_set(truth)
    return find_reps(frame_times(truth)[keep], signal[keep], movement.first_phase, 10.0)


def boundaries(analysis: Analysis, truth: dict[str, Any]) -> float:
    """Median error (frames) of the phases' boundaries against the truth's own at 5 % of peak speed."""
    want = true_reps(truth, analysis.movement)
    if len(want) != len(analysis.scene.reps):
        return float("nan")
    pairs = zip(analysis.scene.reps, want, strict=True)
    misses = [abs(x - y) for a, b in pairs for x, y in zip(moments(a), moments(b), strict=True)]
    return float(np.median(misses)) * float(truth["fps"])


def moments(rep: Rep) -> tuple[float, float, float, float]:
    """Where its phases meet, s."""
    return rep.start_s, rep.turn_start_s, rep.turn_end_s, rep.end_s


def short(angle: str) -> str:
    """Its name in the table."""
    return angle.replace("_flexion", "").replace("_dorsiflexion", "")


def show(rows: list[Row]) -> None:
    """Print the table."""
    for r in rows:
        missed_by = {k: np.abs([error for error, _ in pairs]) for k, pairs in r.off.items()}
        angles = "  ".join(f"{short(k)} {m:.1f}/{p:.1f}" for k, (m, p) in r.errors.items())
        clicked = "   clicks alone " + " ".join(f"{short(k)} {m:.1f}/{p:.1f}" for k, (m, p) in r.floor.items()) if r.floor else ""
        kept = " ".join(f"{k.split('_')[0]} {100 * a / max(b, 1):.0f}%" for k, (a, b) in r.inside.items())
        lift = f"  lift {np.round(missed_by['hip_lift_cm'], 2)}" if "hip_lift_cm" in missed_by else ""
        fppa = "".join(f"  {k[:6]} peak {np.round(missed_by[k], 1)}" for k in ("fppa_left_deg", "fppa_right_deg") if k in missed_by)
        print(f"{r.name:32s} {angles}{lift}{fppa}  reps {r.reps[1]}/{r.reps[0]} at {r.boundary_frames:.1f} fr")
        said = ", ".join(r.findings) or "no finding"
        missed = f"  MISSED {', '.join(r.misses)}" if r.misses else ""
        print(f"{'':34s}inside ±u: {kept}{clicked}   {said}{missed}")
    total = {k: np.sum([r.inside[k] for r in rows if k in r.inside], axis=0) for k in {k for r in rows for k in r.inside}}
    used = {k: np.array([r.doubt_used[k] for r in rows if k in r.doubt_used]) for k in {k for r in rows for k in r.doubt_used}}
    for k in sorted({k for r in rows for k in r.floor}):
        told = [r for r in rows if k in r.floor]
        got, floor = np.array([r.errors[k] for r in told]), np.array([r.floor[k] for r in told])
        within = [100 * np.mean((v[:, 0] <= MEDIAN_GOAL) & (v[:, 1] <= TAIL_GOAL)) for v in (got, floor)]
        means = [f"{v[:, 0].mean():.2f}/{v[:, 1].mean():.2f}" for v in (got, floor)]
        print(f"{short(k)}: mean over {len(got)} films {means[0]}, clicks alone {means[1]}; ", end="")
        print(f"within {MEDIAN_GOAL}/{TAIL_GOAL}°: {within[0]:.0f} % of films, with clicks alone {within[1]:.0f} %")
    # one click's error stays for a whole film, so films and not frames are the independent cases
    print("error / u, root mean square over films (0.5 is honest at k = 2): ", end="")
    print(", ".join(f"{k} {np.sqrt(np.mean(v**2)):.2f} of {len(v)}" for k, v in sorted(used.items())))
    for key in sorted({k for r in rows for k in r.off}):
        error, u = np.array([pair for r in rows for pair in r.off.get(key, [])]).T
        kept = 100 * np.mean(np.abs(error) <= u)
        print(
            f"  {key}: {len(error)} times, bias {error.mean():+.2f}, sd {error.std():.2f}, median u {np.median(u):.2f}, inside {kept:.0f} %"
        )
    print("inside ±u over all films: " + ", ".join(f"{k} {100 * v[0] / v[1]:.1f} % of {v[1]}" for k, v in sorted(total.items())))


def main() -> None:
    """Command line."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("films", nargs="*")
    parser.add_argument("--auto", action="store_true", help="no seeded frame")
    parser.add_argument("--seeds", type=int, default=1)
    parser.add_argument("--cache", type=Path, help="keep what was seen here, to solve again quickly")
    args = parser.parse_args()
    rows = []
    for path in films(args.films):
        truth = json.loads(path.with_suffix("").with_suffix(".truth.json").read_text())
        analysis = analysed(path, args.auto, args.seeds, args.cache, truth)
        rows.append(compare(path.stem, analysis, truth))
    show(rows)


if __name__ == "__main__":
    main()
