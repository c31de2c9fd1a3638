"""Analysing one film: observe (slow, once per film and seeds), then conclude (fast, after every edit)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera import scale as scales
from deepmirror.core.camera.frontal_camera import fit_frontal, standing_scale
from deepmirror.core.camera.frontal_yaw import frontal_yaw
from deepmirror.core.measures.context import FILM_SIDE, Marks, MeasurementContext
from deepmirror.core.motion.kinematics import LEVEL_U_DEG, angle_series
from deepmirror.core.motion.reps import Rep, find_reps, mark_partials
from deepmirror.core.skeleton import ALL_POINTS, SIDES, near_side, points_for, sided, split
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.views import UP, facing
from deepmirror.errors import CannotSolve
from deepmirror.exchange.brief import FREE_POINTS, Brief, BriefFile
from deepmirror.judge.findings import Judgement, Measured, Unmeasurable, judge, measure
from deepmirror.media.film import Film, FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe, filled
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.flow_pass import follow
from deepmirror.pose.pose_tracker import FINAL as FINAL
from deepmirror.pose.pose_tracker import QUICK as QUICK
from deepmirror.pose.pose_tracker import Plan, look
from deepmirror.pose.rigid_attachment import carry
from deepmirror.pose.rough_positions import first_positions, followed_positions
from deepmirror.pose.segment_rotation import BESIDE_PLATE, watch_turns
from deepmirror.pose.stack import follow_stack
from deepmirror.pose.tracking_pipeline import track
from deepmirror.services.common.jobs import Progress
from deepmirror.services.common.plausible import contradictions
from deepmirror.services.posture.build_feedback import build_view
from deepmirror.services.posture.posture_commands import body_of

LEAP_DEG, LEAP_GAP_S = 45.0, 0.1  # a knee at 45° in a thirtieth of a second turns at 1350 °/s, about twice the fastest kicks; from memory
LEAPS = "the camera stands too far off, or a joint is hidden (its angle leaps from one frame to the next)"
STEP_SHARE = 0.35  # of the shank: a foot that lands this far from where it stood took a step
CONTRADICT = "The points, marks and lengths of this film contradict one another: look at those set last."
NOT_FOLLOWED = "The points of this side were not followed through the film yet: measure it anew (M)."
LEFT_TO_NETWORK = ("ear", "elbow", "wrist")  # leg sets need them little, rows and presses read them off the network


@dataclass(frozen=True)
class Analysis:
    """All that is concluded from one film."""

    facts: FilmFacts
    brief: Brief
    movement: Movement
    scene: MeasurementContext
    signal: Series
    measured: Measured
    judgement: Judgement


def keyframes(brief: Brief, frames: int) -> list[Keyframe]:
    """The brief's seeds that lie inside the film."""
    return [Keyframe(frame, points) for frame, points in brief.seeds if frame < frames and points]


def observe(film: Film, brief: Brief, movement: Movement, progress: Progress, plan: Plan = FINAL) -> Evidence:
    """Run the network over the film and follow the points through it. Raises BadFilm, CannotSolve, Cancelled."""
    _must_hold_together(brief, film.facts)
    total, keys = len(film.times), keyframes(brief, len(film.times))
    first = next((k.points for k in sorted(keys, key=lambda k: k.frame)), None)
    every = plan.every(film.times)
    frames = ((i * every, p) for i, p in enumerate(film.stream(every)))
    share = 0.98 if plan is QUICK else 0.65
    subject = brief.file.subject.at_px if brief.file.subject else None
    tick = progress.part(0.0, share, "looking for the body", total, every)
    evidence = look(frames, film.times, plan, first, tick, subject, mirrored=near_side(brief.file.view) is None)
    return evidence if plan is QUICK else refollow(film, brief, movement, evidence, progress, share)


def refollow(film: Film, brief: Brief, movement: Movement, evidence: Evidence, progress: Progress, start: float = 0.0) -> Evidence:
    """Follow the points anew from changed clicks, without running the network again."""
    keys = keyframes(brief, len(film.times))
    extra = sorted({n for k in keys for n in k.points if n in FREE_POINTS})
    whole = carry(evidence.swapped(brief.file.swaps).only([*ALL_POINTS, *extra]), keys, brief.file.view)
    names = points_for(brief.file.view) + extra
    positions = first_positions(whole.only(names), keys, movement, brief.file.view)
    kept = [i for i, n in enumerate(names) if split(n)[0] not in LEFT_TO_NETWORK]
    names, positions = [names[i] for i in kept], positions[:, kept]
    progress.tell(start, "following the points")
    turning = start + 0.8 * (0.98 - start)
    tick = progress.part(start, turning, "following the points", len(film.times))
    near = near_side(brief.file.view)
    plate_beside = sided("shoulder", near) if near and movement.bar_on_back else None
    followed = follow(film.stream_grey, whole, keys, names, positions, tick, plate_beside)
    if near and keys:
        tick = progress.part(turning, 0.98, "seeing limbs turn", len(film.times))
        followed = _see_turns(film, brief, movement, followed, near, tick)
    if brief.file.marks.stack is not None:
        followed = replace(followed, stack=follow_stack(film.stream_grey(), brief.file.marks.stack, lambda _: None))
    return followed.swapped(brief.file.swaps)  # what is kept is what was seen; exchanging sides stays an edit


def _see_turns(film: Film, brief: Brief, movement: Movement, followed: Evidence, near: str, tick: Callable[[int], None]) -> Evidence:
    """What was followed, and how the near side's segments turn, seen on them as a whole."""
    names, keys = points_for(brief.file.view), keyframes(brief, len(film.times))
    positions = followed_positions(followed.only(names), keys, movement, brief.file.view)
    shown = {"foot": movement.foot_seen} | ({"trunk": BESIDE_PLATE} if movement.bar_on_back else {})
    turns = watch_turns(film.stream_grey(), positions, names, near, [k.frame for k in keys], shown, tick)
    return replace(followed, turn=turns.turn, turn_sigma=turns.sigma, turn_since=turns.since, sole=turns.sole)


def conclude(facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
    """Solve, measure and judge what was observed; a second or less. Raises CannotSolve."""
    _must_hold_together(brief, facts)
    try:
        return _conclude(facts, brief, catalogue, evidence)
    except np.linalg.LinAlgError as error:
        followed = np.isfinite(evidence.only(points_for(brief.file.view)).step_sigma).any()
        raise CannotSolve(CONTRADICT if followed else NOT_FOLLOWED) from error


def _must_hold_together(brief: Brief, facts: FilmFacts) -> None:
    if wrong := next(contradictions(brief, (facts.width, facts.height)), ""):
        raise CannotSolve(wrong)


def _conclude(facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
    file = brief.file
    movement, body, view = catalogue.movement(file.movement), body_of(file.client), file.view
    up, level_u = _up(file)
    known = scales.from_length(np.array(file.scale.points_px), file.scale.length_cm) if file.scale else None
    keys = keyframes(brief, len(evidence.times))
    setting = FilmSetting(view, body, movement, known, up, (facts.width, facts.height), frozenset(file.hidden), frozenset(file.held))
    path, plane = track(evidence.swapped(file.swaps), keys, setting)
    still = path.still(evidence.room)
    side_by_side = movement.standing and not movement.steps
    frontal = fit_frontal(still, view, body, up, (facts.width, facts.height)) if side_by_side else None
    angles = angle_series(still, view, up, level_u, plane, frontal)
    signal = rep_signal(angles, movement, view, still.times)
    leaps = leaping(signal)
    halves = file.pattern == "one_and_a_half"
    reps = [] if leaps else find_reps(signal.times, signal.values, movement.first_phase, movement.min_range_deg, halves)
    far = far_joints(evidence.swapped(file.swaps), view)
    reps = reps_of_the_set(reps, movement, still, view)
    standing = standing_scale(still, body) if frontal and body.known() else None
    px_per_cm = plane.scale() if plane else scales.combine(known, standing or scales.from_body(still, view, body))
    scene = replace(
        MeasurementContext(still, view, angles, reps, body, px_per_cm, brief.tempo, up, _marks(file), plane, path, far),
        platform_moves=movement.platform_moves,
        stack=evidence.stack,
        front_yaw=frontal_yaw(still, view, body, px_per_cm, [(r.start_s, r.bottom_s) for r in reps], up),
        frontal=frontal,
    )
    measured = measure(scene)
    judgement = judge(scene, measured, movement, catalogue, file.client.schools, build_view(file, scene, measured))
    if leaps:
        judgement = replace(judgement, unmeasurable=(Unmeasurable("reps", LEAPS, FILM_SIDE, "Repetitions"), *judgement.unmeasurable))
    return Analysis(facts, brief, movement, scene, signal, measured, judgement)


def leaping(signal: Series) -> bool:
    """True when the rep signal changes in one frame by more than a body can: what is followed is not the joint it is taken for."""
    steps, gaps = np.abs(np.diff(signal.values)), np.diff(signal.times)
    return bool(np.any(steps[gaps < LEAP_GAP_S] > LEAP_DEG))


def rep_signal(angles: dict[str, Series], movement: Movement, view: str, times: NDArray[np.float64]) -> Series:
    """The series that counts reps: the near side's, or the mean of both sides in front and rear views.

    Level throughout, so that no rep is counted, where a point it needs was left out.
    """
    near = near_side(view)
    name = movement.signal if near else movement.front_signal or "knee_flexion"
    sign = movement.signal_sign if near else 1
    if name in angles:
        s = angles[name]
        return Series(s.times, sign * s.values, s.u)
    parts = [angles[sided(name, s)] for s in ((near,) if near else SIDES) if sided(name, s) in angles]
    if not parts:
        return Series(times, np.zeros(len(times)), np.full(len(times), 180.0))
    values = np.mean([p.values for p in parts], axis=0)
    return Series(parts[0].times, sign * values, np.max([p.u for p in parts], axis=0))


def _up(file: BriefFile) -> tuple[np.ndarray[tuple[int], np.dtype[np.float64]], float]:
    """What is up in the picture and how surely (degrees, k = 2)."""
    if file.marks.plumb is not None:
        return scales.up_from_plumb(np.array(file.marks.plumb)), 0.5
    if file.marks.floor_line is not None:
        return scales.up_from_floor(np.array(file.marks.floor_line)), 0.7
    return UP, LEVEL_U_DEG * 1.5


def _marks(file: BriefFile) -> Marks:
    m = file.marks
    kinds = ("pad_line", "pivot", "floor_line", "seat_line", "back_pad", "bench_edge", "rail", "platform")
    points = {k: np.array(getattr(m, k)) for k in kinds if getattr(m, k) is not None}
    return Marks(**points, platform_cm=m.platform_cm)


def far_joints(evidence: Evidence, view: str) -> dict[str, NDArray[np.float64]]:
    """Paths (T, 2) px of a side film's far joints by the network alone, gaps bridged; empty in other views."""
    near = near_side(view)
    if near is None:
        return {}
    other = "right" if near == "left" else "left"
    whole = filled(evidence.network)
    return {j: whole[:, evidence.names.index(sided(j, other))] for j in ("hip", "knee", "ankle")}


def reps_of_the_set(reps: list[Rep], movement: Movement, track: Track, view: str) -> list[Rep]:
    """Leave out walking out and racking, and say which leg led where legs take turns."""
    near = near_side(view)
    if near is None or not track.has(sided("ankle", near), sided("hip", near), sided("knee", near)):
        return reps
    ankle, hip, knee = (track.point(sided(j, near)) for j in ("ankle", "hip", "knee"))
    shank = float(np.percentile(np.linalg.norm(knee - ankle, axis=1), 90))

    def at(path: NDArray[np.float64], time: float) -> NDArray[np.float64]:
        return np.asarray(path[int(np.argmin(np.abs(track.times - time)))])

    if movement.standing and not movement.steps:
        still = [r for r in reps if np.linalg.norm(at(ankle, r.end_s) - at(ankle, r.start_s)) <= STEP_SHARE * shank]
        reps = mark_partials([replace(r, number=i + 1) for i, r in enumerate(still)])
    if movement.takes_turns:
        way, other = facing(view), "right" if near == "left" else "left"
        leads = [way * (at(ankle, r.bottom_s) - at(hip, r.bottom_s))[0] > 0 for r in reps]
        reps = [replace(r, leg=near if lead else other) for r, lead in zip(reps, leads, strict=True)]
    return reps
