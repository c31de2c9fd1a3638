"""Everything measured per rep and per film, by name.

A measure is a function of a Scene (and a Rep). It returns a Value, or raises CannotTell with the reason and with what
to film so that it can be told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body import Body
from deepmirror.core.geometry import along_and_across, included_angle
from deepmirror.core.kinematics import UP, facing, outward
from deepmirror.core.plane import Plane
from deepmirror.core.reps import Rep
from deepmirror.core.skeleton import SIDES, near_side, sided
from deepmirror.core.tempo import WORDS, Tempo
from deepmirror.core.track import Points, Series, Track
from deepmirror.core.values import COVERAGE_FACTOR, Value

Array = NDArray[np.float64]

FILM_SIDE = "Film from the side: camera at hip height, square to the client, whole body and feet in the picture."
FILM_FRONT = "Film from straight in front: camera at knee to hip height, both feet and both hips in the picture."
ADD_SCALE = "Give a known length in the client's plane (a plate of 45 cm, a box edge) or her measured thigh and shank."
ADD_PAD = "Click the two ends of the pad's edge on one frame."
ADD_PIVOT = "Click the machine's pivot on one frame."
ADD_BACK = "Place mid-back (and low back) on one frame, on the line of the spine."
ADD_BAR = "Click the end of the bar on one frame."

# The front of the hip crease lies above the joint's centre and the top of the knee above its own, as shares of stature;
# from memory of anthropometric sketches, no source: the doubt is as large as the offset.
CREASE_ABOVE_HIP_SHARE = 0.020
KNEE_TOP_ABOVE_SHARE = 0.030
SOFT_TISSUE_U_CM = 3.0
RISE_U_CM = 0.35  # k = 2 of a foot that only seems to rise: following on a shoe that turns a little, from our rendered films
MOVING_RISE_U_CM = 1.8  # the same with a hand-held camera: the room behind moves otherwise than the client before it
RANGE_SHARE_U_PCT = 4.0
INWARD_U_PCT = 2.0  # k = 2, from our rendered front films
BOUNCE_DWELL_S = 0.3  # common practice, no source
YAW_LIMIT_DEG = 28.0  # beyond this a side film is not corrected but refused
CLICK_U_PX = 4.0  # k = 2 of a clicked mark


class CannotTell(Exception):
    """This film does not give the measure: why, and what would."""

    def __init__(self, reason: str, film_next: str) -> None:
        super().__init__(reason)
        self.reason, self.film_next = reason, film_next


@dataclass(frozen=True)
class Marks:
    """Things in the room clicked on a frame, px."""

    pad_line: Array | None = None
    pivot: Array | None = None
    floor_line: Array | None = None


@dataclass(frozen=True)
class Scene:
    """All that measures may look at. px_per_cm is the scale at the client's plane, up the room's vertical."""

    track: Track
    view: str
    angles: dict[str, Series]
    reps: list[Rep]
    body: Body
    px_per_cm: Value | None
    tempo: Tempo | None = None
    up: Array = field(default_factory=lambda: UP)
    marks: Marks = field(default_factory=Marks)
    plane: Plane | None = None
    seen: Track | None = None

    @property
    def film_track(self) -> Track:
        """The points where the film shows them; `track` has a moving camera's movement taken out."""
        return self.seen or self.track

    @property
    def near(self) -> str | None:
        return near_side(self.view)

    def side_point(self, joint: str) -> str:
        """Name of the near-side point. Raises CannotTell in front and rear views or when it was not followed."""
        if self.near is None:
            raise CannotTell("the camera sees the client from the front or rear", FILM_SIDE)
        name = sided(joint, self.near)
        if name not in self.track.names:
            raise CannotTell(f"the {joint} was not followed", FILM_SIDE)
        return name

    def angle(self, name: str) -> Series:
        """A series by name, the near side's when it has sides. Raises CannotTell when this view does not give it."""
        for key in (name, f"{name}_{self.near}"):
            if key in self.angles:
                if self.plane is not None and abs(self.plane.yaw.value) - self.plane.yaw.u > YAW_LIMIT_DEG:
                    raise CannotTell(f"the camera stands about {abs(self.plane.yaw.value):.0f}° off the side view", FILM_SIDE)
                return self.angles[key]
        advice = FILM_FRONT if name.startswith(("fppa", "knee_medial", "knee_to_foot", "knee_ankle")) else FILM_SIDE
        raise CannotTell(f"a {self.view} film does not show it", advice)

    def cm(self, pixels: Value) -> Value:
        """A distance in cm. Raises CannotTell when the film has no scale."""
        if self.px_per_cm is None:
            raise CannotTell("the film has no scale", ADD_SCALE)
        return pixels.scaled(1 / self.px_per_cm.value, self.px_per_cm.u / self.px_per_cm.value)


RepMeasure = Callable[[Scene, Rep], Value]
FilmMeasure = Callable[[Scene], Value]


def highest(series: Series, rep: Rep) -> Value:
    """Largest value inside the rep, with its own doubt."""
    part = series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(part.values))
    return Value(float(part.values[i]), float(part.u[i]))


def lowest(series: Series, rep: Rep) -> Value:
    """Smallest value inside the rep, with its own doubt."""
    part = series.window(rep.start_s, rep.end_s)
    i = int(np.argmin(part.values))
    return Value(float(part.values[i]), float(part.u[i]))


def _high(name: str) -> RepMeasure:
    return lambda scene, rep: highest(scene.angle(name), rep)


def _low(name: str) -> RepMeasure:
    return lambda scene, rep: lowest(scene.angle(name), rep)


def knee_past_toe(scene: Scene, rep: Rep) -> Value:
    """Furthest forward reach of the knee past the toe tip, cm, positive past it."""
    knee, toe = scene.side_point("knee"), scene.side_point("toe")
    side = scene.near or "left"
    if scene.plane is None:
        forward = facing(scene.view) * np.array([-scene.up[1], scene.up[0]])
        return scene.cm(highest(scene.track.series(lambda p: (p[knee] - p[toe]) @ forward), rep))

    def reach(p: Points, plane: Plane) -> Array:
        q = plane.in_space(p, side)
        return plane.forward(q["knee"] - q["toe"])

    return scene.cm(highest(scene.plane.series(scene.track, reach), rep))


def rise(scene: Scene, rep: Rep, name: str) -> Value:
    """How far a point rose above where it was at the rep's start, cm."""
    series = scene.track.series(lambda p: p[name] @ scene.up)
    # a point's own click error cancels in a difference; what is left is following noise
    noise = COVERAGE_FACTOR * _jitter(series.values)
    return scene.cm(Value(highest(series, rep).value - _at(series, rep.start_s), noise * np.sqrt(2))).widened(
        RISE_U_CM if scene.seen is None or scene.seen is scene.track else MOVING_RISE_U_CM
    )


def heel_rise(scene: Scene, rep: Rep) -> Value:
    """Rise of the near heel (side) or of the higher heel (front) during the rep, cm."""
    if scene.near:
        return rise(scene, rep, scene.side_point("heel"))
    return max((rise(scene, rep, sided("heel", s)) for s in SIDES), key=lambda v: v.value)


def crease_margin(scene: Scene, rep: Rep) -> Value:
    """Hip crease height over the top of the knee at the lowest point, cm; negative is below the knee's top."""
    hip, knee = scene.side_point("hip"), scene.side_point("knee")
    centres = scene.cm(lowest(scene.track.series(lambda p: (p[hip] - p[knee]) @ scene.up), rep))
    stature = scene.body.stature_cm or 170.0
    return Value(centres.value + (CREASE_ABOVE_HIP_SHARE - KNEE_TOP_ABOVE_SHARE) * stature, centres.u).widened(SOFT_TISSUE_U_CM)


def hip_lift(scene: Scene, rep: Rep) -> Value:
    """Furthest the hip came off the pad, normal to it, against where it lay at the rep's start, cm."""
    return _from_pad(scene, rep)[0]


def hip_slide(scene: Scene, rep: Rep) -> Value:
    """Furthest the hip slid along the pad, cm."""
    return _from_pad(scene, rep)[1]


def _from_pad(scene: Scene, rep: Rep) -> tuple[Value, Value]:
    if scene.marks.pad_line is None:
        raise CannotTell("the pad is not marked", ADD_PAD)
    name, line = scene.side_point("hip"), scene.marks.pad_line
    path = scene.track.point(name)
    along, across = along_and_across(path, line[0], line[1] - line[0])
    away = across if np.median(across) >= 0 else -across
    window = (scene.track.times >= rep.start_s) & (scene.track.times <= rep.end_s)
    rest = _contact_reference(scene, away)
    lift, slide = float(away[window].max() - rest), float(np.ptp(along[window]))
    noise = COVERAGE_FACTOR * np.hypot(1.5 * _jitter(away), 0.01 * (np.percentile(away, 98) - np.percentile(away, 2)) + 0.6)
    return scene.cm(Value(lift, float(noise))), scene.cm(Value(slide, float(noise)))


def _contact_reference(scene: Scene, away: Array) -> float:
    """The hip's distance from the pad in contact: the lower quarter over the whole film, where she lies still."""
    return float(np.percentile(away, 25))


def bar_drift(scene: Scene, rep: Rep) -> Value:
    """Largest horizontal distance of the bar from its place at the rep's start, cm."""
    if "bar" not in scene.track.names:
        raise CannotTell("the bar is not marked", ADD_BAR)
    across = np.array([-scene.up[1], scene.up[0]])
    series = scene.track.series(lambda p: p["bar"] @ across)
    start = _at(series, rep.start_s)
    away = Series(series.times, np.abs(series.values - start), np.full(len(series.u), COVERAGE_FACTOR * _jitter(series.values) + 1.0))
    return scene.cm(highest(away, rep))


def spine_flexion(scene: Scene, rep: Rep) -> Value:
    """How much more the back is bent than at the set's start, degrees: the turn of the line shoulder - mid-back - hip."""
    shoulder, hip = scene.side_point("shoulder"), scene.side_point("hip")
    if "mid_back" not in scene.track.names:
        raise CannotTell("the back is not marked", ADD_BACK)
    series = scene.track.series(lambda p: 180 - included_angle(p[shoulder], p["mid_back"], p[hip]))
    start = _at(series, scene.reps[0].start_s)
    return Value(highest(series, rep).value - start, highest(series, rep).u)


def _knee_inward(side: str) -> RepMeasure:
    def measure(scene: Scene, rep: Rep) -> Value:
        """How far the knee came inward of its line against the rep's own start, % of the shank.

        A click's own error cancels in the difference; what is left is how the landmarks drift with posture.
        """
        series = scene.angle(f"knee_medial_{side}")
        return Value(highest(series, rep).value - _at(series, rep.start_s), INWARD_U_PCT)

    return measure


def range_share(scene: Scene, rep: Rep) -> Value:
    """The rep's range as percent of the set's median range."""
    middle = float(np.median([r.range for r in scene.reps]))
    return Value(100 * rep.range / middle, RANGE_SHARE_U_PCT)


def phase_share(phase: str) -> RepMeasure:
    """A phase's seconds over the prescribed seconds, percent."""

    def measure(scene: Scene, rep: Rep) -> Value:
        if scene.tempo is None:
            raise CannotTell("no tempo was prescribed", "Give the prescribed tempo, for example 3-1-1-0.")
        wanted, seconds = scene.tempo.wanted(phase), rep.phases_s[phase]
        if not wanted or seconds is None:
            raise CannotTell(f"the prescription sets no time for the {WORDS[phase]}", "Give the prescribed tempo in seconds.")
        frame = float(np.median(np.diff(scene.track.times)))
        return Value(100 * seconds / wanted, 100 * 2 * frame / wanted)

    return measure


def bounce(scene: Scene, rep: Rep) -> Value:
    """Sharpness of the turn-round: peak acceleration of the rep signal over its peak lifting speed per second, 1/s.

    A smooth turn takes about a third of a second from rest to full speed (3 per s); a held bottom counts as 0.
    """
    dwell = rep.turn_end_s - rep.turn_start_s
    if dwell >= BOUNCE_DWELL_S:
        return Value(0.0, 0.5)
    return Value(rep.turn_acceleration / max(rep.peak_speeds.values()), 2.0)


def _jitter(values: Array) -> float:
    """Standard deviation of frame-to-frame noise: from third differences, which a smooth movement hardly has."""
    if len(values) < 5:
        return 1.0
    return float(1.48 * np.median(np.abs(np.diff(values, 3))) / np.sqrt(20))


def _at(series: Series, time_s: float) -> float:
    """Middle value within a tenth of a second of a time."""
    near = np.abs(series.times - time_s) <= 0.1
    return float(np.median(series.values[near])) if near.any() else float(np.interp(time_s, series.times, series.values))


REP_MEASURES: dict[str, RepMeasure] = {
    "knee_flexion_max_deg": _high("knee_flexion"),
    "knee_flexion_min_deg": _low("knee_flexion"),
    "hip_flexion_max_deg": _high("hip_flexion"),
    "hip_flexion_min_deg": _low("hip_flexion"),
    "thigh_from_horizontal_min_deg": _low("thigh_from_horizontal"),
    "trunk_lean_max_deg": _high("trunk_lean"),
    "dorsiflexion_max_deg": _high("ankle_dorsiflexion"),
    "dorsiflexion_min_deg": _low("ankle_dorsiflexion"),
    "shank_from_vertical_max_deg": _high("shank_from_vertical"),
    "fppa_left_deg": _high("fppa_left"),
    "fppa_right_deg": _high("fppa_right"),
    "knee_medial_left_pct": _high("knee_medial_left"),
    "knee_medial_right_pct": _high("knee_medial_right"),
    "knee_to_foot_left_pct": _high("knee_to_foot_left"),
    "knee_to_foot_right_pct": _high("knee_to_foot_right"),
    "knee_inward_left_pct": _knee_inward("left"),
    "knee_inward_right_pct": _knee_inward("right"),
    "knee_ankle_separation_ratio_min": _low("knee_ankle_separation_ratio"),
    "knee_past_toe_cm": knee_past_toe,
    "heel_rise_cm": heel_rise,
    "crease_margin_cm": crease_margin,
    "hip_lift_cm": hip_lift,
    "hip_slide_cm": hip_slide,
    "bar_drift_cm": bar_drift,
    "spine_flexion_deg": spine_flexion,
    "range_share_pct": range_share,
    "eccentric_share_pct": phase_share("eccentric"),
    "concentric_share_pct": phase_share("concentric"),
    "bounce_per_s": bounce,
}


def stance_width(scene: Scene) -> Value:
    """Distance between the ankle centres, cm, over the frames of the whole set."""
    if scene.near:
        raise CannotTell("a side film hides one foot behind the other", FILM_FRONT)
    across = np.array([-scene.up[1], scene.up[0]])
    series = scene.track.series(lambda p: np.abs((p["ankle_left"] - p["ankle_right"]) @ across))
    return scene.cm(Value(float(np.median(series.values)), float(np.median(series.u))))


def stance_ratio(scene: Scene) -> Value:
    """Stance width over the distance between the shoulder joints."""
    width, shoulders = stance_width(scene), scene.body.length("biacromial")
    return width.scaled(1 / shoulders.cm, shoulders.u_cm / shoulders.cm)


def _toe_out(side: str) -> FilmMeasure:
    def measure(scene: Scene) -> Value:
        """Foot's turn away from straight ahead, degrees, from how much of its length points sideways."""
        if scene.near:
            raise CannotTell("a side film does not show which way the foot points", FILM_FRONT)
        heel, toe, way = sided("heel", side), sided("toe", side), outward(scene.view, side)
        across = np.array([-scene.up[1], scene.up[0]])
        series = scene.track.series(lambda p: way * ((p[toe] - p[heel]) @ across))
        foot = scene.body.length("foot")
        share = scene.cm(Value(float(np.median(series.values)), float(np.median(series.u)))).scaled(1 / foot.cm, foot.u_cm / foot.cm)
        sine = float(np.clip(share.value, -0.98, 0.98))
        return Value(float(np.degrees(np.arcsin(sine))), float(np.degrees(share.u / np.sqrt(1 - sine**2))))

    return measure


def toe_out_asymmetry(scene: Scene) -> Value:
    """Difference between the feet's turn, degrees."""
    left, right = FILM_MEASURES["toe_out_left_deg"](scene), FILM_MEASURES["toe_out_right_deg"](scene)
    return Value(abs(left.value - right.value), (left - right).u)


def pivot_misalignment(scene: Scene) -> Value:
    """Distance of the machine's pivot from the knee's centre, averaged over the reps, cm."""
    if scene.marks.pivot is None:
        raise CannotTell("the pivot is not marked", ADD_PIVOT)
    knee, pivot = scene.side_point("knee"), scene.marks.pivot
    inside = np.zeros(len(scene.track.times), bool)
    for rep in scene.reps:
        inside |= (scene.track.times >= rep.start_s) & (scene.track.times <= rep.end_s)
    path = scene.track.point(knee)[inside] if inside.any() else scene.track.point(knee)
    mean = (path - pivot).mean(axis=0)
    u = COVERAGE_FACTOR * float(np.median(scene.track.sigma(knee)))
    return scene.cm(Value(float(np.hypot(*mean)), float(np.hypot(u, CLICK_U_PX))))


def speed_loss(scene: Scene) -> Value:
    """Loss of mean lifting speed from the fastest to the last rep, percent of the fastest."""
    speeds = [r.mean_speeds["concentric"] for r in scene.reps if r.complete]
    if len(speeds) < 2:
        raise CannotTell("the set has fewer than two whole reps", "Film the whole set.")
    return Value(100 * (1 - speeds[-1] / max(speeds)), 6.0)


def range_loss(scene: Scene) -> Value:
    """Loss of range from the largest to the last rep, percent of the largest."""
    ranges = [r.range for r in scene.reps]
    if len(ranges) < 2:
        raise CannotTell("the set has fewer than two reps", "Film the whole set.")
    return Value(100 * (1 - ranges[-1] / max(ranges)), 4.0)


def scale(scene: Scene) -> Value:
    """Picture scale at the client's plane, px per cm."""
    if scene.px_per_cm is None:
        raise CannotTell("the film has no scale", ADD_SCALE)
    return scene.px_per_cm


def camera_yaw(scene: Scene) -> Value:
    """How far the camera stands off the side view, degrees, either way."""
    if scene.plane is None:
        raise CannotTell("the camera's angle is only worked out for side films", FILM_SIDE)
    return Value(abs(scene.plane.yaw.value), scene.plane.yaw.u)


FILM_MEASURES: dict[str, FilmMeasure] = {
    "stance_width_cm": stance_width,
    "stance_to_shoulder_ratio": stance_ratio,
    "toe_out_left_deg": _toe_out("left"),
    "toe_out_right_deg": _toe_out("right"),
    "toe_out_asymmetry_deg": toe_out_asymmetry,
    "pivot_misalignment_cm": pivot_misalignment,
    "speed_loss_pct": speed_loss,
    "range_loss_pct": range_loss,
    "px_per_cm": scale,
    "camera_yaw_deg": camera_yaw,
}
