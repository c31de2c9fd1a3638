"""Concluding from what was seen in a film: a second or less, after every edit. Each stage takes and gives one frozen object."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.camera import scale as scales
from deepmirror.core.camera.camera_direction import USUAL_FRONT_DIRECTION, CameraDirection
from deepmirror.core.camera.frontal_camera import Frontal, fit_frontal, standing_scale
from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.measures.context import FILM_SIDE, Advice, BackSeen, Marks, MeasurementContext, Remedy
from deepmirror.core.motion.kinematics import LEVEL_U_DEG, angle_series
from deepmirror.core.skeleton import near_side, points_for, sided
from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.core.uncertain_value import Value
from deepmirror.core.views import UP
from deepmirror.errors import CannotSolve
from deepmirror.exchange.brief import Brief, BriefFile
from deepmirror.judge.findings import judge, measure
from deepmirror.judge.records import Finding as Finding
from deepmirror.judge.records import Judgement as Judgement
from deepmirror.judge.records import Measured, Unmeasurable
from deepmirror.media.film import FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.bar_on_back import plate_gain
from deepmirror.pose.camera_direction import camera_direction
from deepmirror.pose.consistency import LooseClick
from deepmirror.pose.evidence import Evidence, Keyframe, filled, shank_px, steady
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.near_leg import near_leg
from deepmirror.pose.plate import beside_plate
from deepmirror.pose.rigid_attachment import feet_at_first
from deepmirror.pose.set_span import set_span
from deepmirror.pose.tracking_pipeline import track
from deepmirror.services.common.plausible import must_hold_together
from deepmirror.services.films.bar_bend import BarBend, bar_bend, bar_fall
from deepmirror.services.films.observation import keyframes
from deepmirror.services.films.repetitions import Repetitions, knee_rise, place_on_sled, repetitions, sled_travel
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.build_feedback import build_view
from deepmirror.words import joined, say

CONTRADICT = "The points, marks and lengths of this film contradict one another: look at those set last."
OUTSIDE_SHARE = 0.25  # of the shank: how well the network alone tells where a point is; our own estimate, no source
LOOK_AGAIN = Advice(Remedy.MARK, "Look at those points again on that frame: place them anew, or leave out what is hidden there.")
NOT_FOLLOWED = "The points of this side were not followed through the film yet: measure it anew (M)."


@dataclass(frozen=True)
class Trajectories:
    """Where the joints were: path as the film shows them; still with a moving camera's movement taken out; plane of side films;
    far (T, 2) px: a side film's far joints as the network alone sees them, gaps bridged; loose: clicks that do not go with the film;
    direction: of front and rear films where the looks see the camera stand."""

    path: Track
    still: Track
    plane: Plane | None
    far: dict[str, NDArray[np.float64]]
    loose: tuple[LooseClick, ...]
    direction: CameraDirection | None


@dataclass(frozen=True)
class BodyMotion:
    """The joints' angles by name, in the body as far as the camera could be worked out; px_per_cm at the client's plane."""

    angles: dict[str, Series]
    frontal: Frontal | None
    px_per_cm: Value | None


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


def conclude(facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
    """Solve, measure and judge what was observed; a second or less. Raises CannotSolve."""
    must_hold_together(brief, (facts.width, facts.height))
    if _only_other_side_followed(evidence, brief.file.view):
        raise CannotSolve(NOT_FOLLOWED)
    try:
        return _conclude(facts, brief, catalogue, evidence)
    except np.linalg.LinAlgError as error:
        raise CannotSolve(CONTRADICT) from error


def _only_other_side_followed(evidence: Evidence, view: str) -> bool:
    """True where points were followed through the film, but none of those that this view shows; a first quick result has followed none."""
    return bool(np.isfinite(evidence.step_sigma).any()) and not np.isfinite(evidence.only(points_for(view)).step_sigma).any()


def _conclude(facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
    setting = film_setting(facts, brief, catalogue, evidence.roll)
    whole, keys = evidence.swapped(brief.file.swaps), keyframes(brief, len(evidence.times))
    first, last = set_span(whole, keys, setting)
    evidence, keys = whole.between(first, last), [replace(k, frame=k.frame - first) for k in keys]
    trajectories = solve_film(evidence, keys, setting)
    motion = body_motion(trajectories, brief.file, setting)
    travel = _sled_travel(evidence, brief.file, keys)
    bar = _bar_bend(evidence, motion, setting)
    rise = _knee_rise(trajectories, motion, setting)
    found = repetitions(motion.angles, trajectories.still, setting.movement, setting.view, brief.file.pattern, travel, bar, rise)
    scene = measurement_context(trajectories, motion, found, brief, setting, evidence)
    measured = measure(scene)
    build = build_view(brief.file, scene, measured, setting.movement)
    judgement = judge(scene, measured, setting.movement, catalogue, brief.file.client.schools, build, brief.file.client.pain)
    judgement = judgement.asking(*_asked_again(trajectories.loose, evidence.times))
    if found.refused:
        judgement = judgement.asking(Unmeasurable("reps", found.refused, FILM_SIDE, "Repetitions"))
    scene, signal = _in_whole_film(scene, found.signal, whole, first)
    return Analysis(facts, brief, setting.movement, scene, signal, measured, judgement)


def _asked_again(loose: tuple[LooseClick, ...], times: NDArray[np.float64]) -> list[Unmeasurable]:
    """What to ask the coach about each frame whose clicks the film does not bear out."""
    out = []
    for frame in sorted({c.frame for c in loose}):
        names = joined(", ", [c.name.replace("_", " ") for c in loose if c.frame == frame])
        furthest = max(c.miss_px for c in loose if c.frame == frame)
        reason = say(
            "clicked at {times:.1f} s, up to {furthest:.0f} px from where the film and the client's lengths put it: {names}",
            times=times[frame],
            furthest=furthest,
            names=names,
        )
        out.append(Unmeasurable("clicks", reason, LOOK_AGAIN, "Clicks the film does not bear out"))
    return out


def _in_whole_film(scene: MeasurementContext, signal: Series, whole: Evidence, first: int) -> tuple[MeasurementContext, Series]:
    """What was concluded of the set, as part of the whole film: before and after it the points are about where the network sees them."""
    if len(scene.track.times) == len(whole.times):
        return scene, signal
    names = list(scene.track.names)
    around, sigma = steady(whole.only(names).network), OUTSIDE_SHARE * shank_px(whole.network, whole.names)
    still = compensate_camera_motion(around, whole.room) if len(whole.room) else around
    track = scene.track.within(whole.times, first, still, sigma)
    return replace(
        scene,
        track=track,
        plane=None if scene.plane is None else replace(scene.plane, standing=scene.plane.standing + first),
        seen=track if scene.film_track is scene.track else scene.film_track.within(whole.times, first, around, sigma),
        angles={name: series.within(whole.times, first) for name, series in scene.angles.items()},
        far=far_joints(whole, scene.view),
        stack=whole.stack,
        back=back_seen(whole, scene.view),
        kept={},
    ), signal.within(whole.times, first)


def _sled_travel(evidence: Evidence, file: BriefFile, keys: list[Keyframe]) -> Series | None:
    """A followed sled's way, from its marked platform or the feet on it; None where none was followed."""
    if not len(evidence.platform):
        return None
    place = place_on_sled(file.marks, feet_at_first(evidence, keys))
    return None if place is None else sled_travel(evidence.times, evidence.platform, evidence.platform_sigma, evidence.room, *place)


def _bar_bend(evidence: Evidence, motion: BodyMotion, setting: FilmSetting) -> BarBend | None:
    """What the fall of a bar tells, where its plate may hide the legs and was followed."""
    if beside_plate(setting.movement, setting.near) is None:
        return None
    known = shank_px(evidence.network, evidence.names) / setting.body.length("shank").cm
    px_per_cm = known if motion.px_per_cm is None else motion.px_per_cm.value
    of_plate = px_per_cm * plate_gain(px_per_cm, setting.size)
    fall = bar_fall(evidence.times, evidence.plate, evidence.room, setting.up, of_plate)
    return None if fall is None else bar_bend(fall, setting.movement, setting.body)


def _knee_rise(trajectories: Trajectories, motion: BodyMotion, setting: FilmSetting) -> Series | None:
    """How far the heels lift the knee, where they do and it was followed."""
    near = setting.near
    lifted = setting.movement.heels_lift
    if near is None or lifted is None or not trajectories.still.has(sided("knee", near)) or motion.px_per_cm is None:
        return None
    return knee_rise(trajectories.still, near, setting.up, motion.px_per_cm.value, with_hip=lifted == "body")


def film_setting(facts: FilmFacts, brief: Brief, catalogue: Catalogue, roll: NDArray[np.float64]) -> FilmSetting:
    """What the brief says of the film, and what the room says is upright (see Evidence.roll). Raises BadMovement."""
    file = brief.file
    known = scales.from_length(np.array(file.scale.points_px), file.scale.length_cm) if file.scale else None
    movement, body, size = catalogue.movement(file.movement), body_of(file.client), (facts.width, facts.height)
    up, up_u_deg = _up(file, roll)
    return FilmSetting(file.view, body, movement, known, up, up_u_deg, size, frozenset(file.hidden), frozenset(file.held))


def solve_film(seen: Evidence, keys: list[Keyframe], setting: FilmSetting) -> Trajectories:
    """Where the joints were, from everything seen, sides exchanged where the coach said so, and clicked."""
    evidence = near_leg(seen, keys, setting.view, setting.movement.front_leg_near)
    found = track(evidence, keys, setting)
    far = far_joints(evidence, setting.view)
    direction = None if setting.near else camera_direction(evidence, setting.view, setting.up)
    return Trajectories(found.track, found.track.camera_compensated(evidence.room), found.plane, far, found.loose, direction)


def body_motion(trajectories: Trajectories, file: BriefFile, setting: FilmSetting) -> BodyMotion:
    """From places in the picture to angles of the body, with the camera that took it."""
    still, view, body, up, plane = trajectories.still, setting.view, setting.body, setting.up, trajectories.plane
    side_by_side = setting.movement.feet_stand
    direction = trajectories.direction or USUAL_FRONT_DIRECTION
    frontal = fit_frontal(still, view, body, up, setting.size, direction) if side_by_side else None
    trusted = None if plane is None or plane.strained else plane  # one that does not fit may not bend the picture's own angles
    angles = angle_series(still, view, up, setting.up_u_deg, trusted, frontal)
    if near_side(view) is None and not setting.movement.standing:
        # the bend of a front film's knees is read off the height of hips that stand
        angles |= {n: a.widened(UNKNOWN_U) for n, a in angles.items() if n.startswith("knee_flexion")}
    standing = standing_scale(still, body) if frontal and body.known() else None
    px_per_cm = trusted.scale if trusted else setting.scale
    if plane is None:
        px_per_cm = scales.combine(setting.scale, standing or scales.from_body(still, view, body))
    return BodyMotion(angles, frontal, px_per_cm)


def measurement_context(
    trajectories: Trajectories, motion: BodyMotion, found: Repetitions, brief: Brief, setting: FilmSetting, evidence: Evidence
) -> MeasurementContext:
    """All that measures may look at."""
    still, view, body, up = trajectories.still, setting.view, setting.body, setting.up
    return MeasurementContext(
        still,
        view,
        motion.angles,
        found.reps,
        body,
        motion.px_per_cm,
        brief.tempo,
        up,
        _marks(brief.file),
        trajectories.plane,
        trajectories.path,
        trajectories.far,
        platform_moves=setting.movement.platform_moves,
        hands_pass=setting.movement.hands_pass > 0,
        stack=evidence.stack,
        back=back_seen(evidence, view),
        frontal=motion.frontal,
        front_yaw=trajectories.direction.yaw if trajectories.direction else None,
        counted_in=found.unit,
    )


def _up(file: BriefFile, roll: NDArray[np.float64]) -> tuple[np.ndarray[tuple[int], np.dtype[np.float64]], float]:
    """What is up in the picture and how surely (degrees, k = 2)."""
    if file.marks.plumb is not None:
        return scales.up_from_plumb(np.array(file.marks.plumb)), 0.5
    if file.marks.floor_line is not None:
        return scales.up_from_floor(np.array(file.marks.floor_line)), 0.7
    unknown = LEVEL_U_DEG * 1.5
    if len(roll) and 2 * np.degrees(roll[1]) < unknown:
        return scales.up_from_roll(float(roll[0])), 2 * float(np.degrees(roll[1]))
    return UP, unknown


def _marks(file: BriefFile) -> Marks:
    m = file.marks
    kinds = ("pad_line", "pivot", "floor_line", "seat_line", "back_pad", "bench_edge", "rail", "platform")
    points = {k: np.array(getattr(m, k)) for k in kinds if getattr(m, k) is not None}
    return Marks(**points, platform_cm=m.platform_cm)


def back_seen(evidence: Evidence, view: str) -> BackSeen | None:
    """What the looks saw of the back; None where nobody looked for it."""
    near = near_side(view)
    if near is None or not len(evidence.back):
        return None
    hip, shoulder = (evidence.network[:, evidence.names.index(sided(joint, near))] for joint in ("hip", "shoulder"))
    return BackSeen(evidence.back, hip, shoulder)


def far_joints(evidence: Evidence, view: str) -> dict[str, NDArray[np.float64]]:
    """Paths (T, 2) px of a side film's far joints by the network alone, gaps bridged; empty in other views."""
    near = near_side(view)
    if near is None:
        return {}
    other = "right" if near == "left" else "left"
    whole = filled(evidence.network)
    return {j: whole[:, evidence.names.index(sided(j, other))] for j in ("hip", "knee", "ankle")}
