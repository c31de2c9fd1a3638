"""How each measure draws itself in a frame, and the frame of a rep in which it shows most."""

from __future__ import annotations

from collections.abc import Callable

from deepmirror.core.measures.context import CannotTell, MeasurementContext
from deepmirror.core.measures.spec import Drawing, Focus
from deepmirror.core.measures.table import MEASURES
from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.sketches import angles, front, times, ways
from deepmirror.core.sketches.frame import Frame, NotShown
from deepmirror.core.sketches.sketch import NOTHING, Sketch
from deepmirror.core.trajectories import NotFollowed

EVERY = 2  # frames from one look to the next when the one that shows most is searched; our own choice

DRAWERS: dict[Drawing, Callable[[Frame], Sketch]] = {
    Drawing.ANGLE: angles.joint_angle,
    Drawing.ANKLE: angles.ankle_angle,
    Drawing.CHANGE: angles.joint_change,
    Drawing.SWING: angles.trunk_change,
    Drawing.DEPTH: angles.depth,
    Drawing.CREASE: angles.crease,
    Drawing.PAST_TOE: angles.past_toe,
    Drawing.LEAN: angles.lean,
    Drawing.BACK: angles.back_curve,
    Drawing.OUTLINE: angles.back_outline,
    Drawing.STEP: angles.step_length,
    Drawing.OFF_PAD: ways.off_pad,
    Drawing.ALONG_PAD: ways.along_pad,
    Drawing.RISEN: ways.risen,
    Drawing.HEEL_WAY: ways.heel_way,
    Drawing.MOVED: ways.moved,
    Drawing.BAR_PATH: ways.bar_path,
    Drawing.BAR_FOOT: ways.bar_foot,
    Drawing.BAR_LEG: ways.bar_leg,
    Drawing.PELVIS: ways.pelvis_roll,
    Drawing.EDGE: ways.edge,
    Drawing.PIVOT: ways.pivot,
    Drawing.ROLLER: ways.roller,
    Drawing.LEVER: ways.lever,
    Drawing.INWARD: front.knee_to_leg,
    Drawing.KNEE_GAP: front.knee_gap,
    Drawing.PROJECTION: front.projection_angle,
    Drawing.OVER_FOOT: front.knee_to_foot,
    Drawing.SHIFT: front.hip_shift,
    Drawing.SPREAD: front.legs_apart,
    Drawing.STANCE: front.stance,
    Drawing.FOOT_TURN: front.foot_turn,
    Drawing.PLATFORM: front.on_platform,
    Drawing.ASKED_TIME: times.asked_time,
    Drawing.BY_REP: times.by_rep,
    Drawing.SPEEDS: times.lifting_speeds,
    Drawing.RANGES: times.ranges,
}


def sketch_of(scene: MeasurementContext, measure: str | None, number: int) -> Sketch:
    """How a measure shows in frame `number` of the film (px of the film); the body's own points to look at where it cannot be drawn."""
    rep = rep_at(scene, number)
    spec = MEASURES.get(measure or "")
    if spec is not None and rep is not None and spec.focus.drawing in DRAWERS:
        frame = Frame(scene, spec, rep, number)
        try:
            return DRAWERS[spec.focus.drawing](frame).mapped(frame.to_film())
        except (NotShown, NotFollowed, CannotTell):
            pass
    return _looked_at(scene, spec.focus if spec is not None else Focus(), number)


def _looked_at(scene: MeasurementContext, focus: Focus, number: int) -> Sketch:
    """What of the body a measure concerns, without a drawing."""
    film = scene.film_track
    if not 0 <= number < len(film.times):
        return NOTHING
    at = [film.point(sided(j, s))[number] for j in focus.joints for s in ((scene.near,) if scene.near else SIDES) if film.has(sided(j, s))]
    at = at or [film.positions[number, i] for i in range(len(film.names))]
    return Sketch(tag=at[0] if at else None, focus=tuple(at), close_up=focus.close_up)


def rep_at(scene: MeasurementContext, number: int) -> Rep | None:
    """The rep a frame belongs to, else the nearest one; None without any."""
    if not scene.reps or not 0 <= number < len(scene.track.times):
        return None
    now = float(scene.track.times[number])
    return min(scene.reps, key=lambda r: max(r.start_s - now, now - r.end_s, 0.0))


def shows_most(scene: MeasurementContext, measure: str, rep: Rep) -> float:
    """The instant (s) of a rep in which what a measure draws is largest; its far turn-round where it draws nothing."""
    drawer, spec = DRAWERS.get(MEASURES[measure].focus.drawing), MEASURES[measure]
    times_s = scene.track.times
    numbers = [i for i in range(len(times_s)) if rep.start_s <= times_s[i] <= rep.end_s][::EVERY]
    if drawer is None or not numbers:
        return rep.bottom_s
    try:
        extents = {i: drawer(Frame(scene, spec, rep, i)).extent() for i in numbers}
    except (NotShown, NotFollowed, CannotTell):
        return rep.bottom_s
    return float(times_s[max(extents, key=lambda i: extents[i])])
