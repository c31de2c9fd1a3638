"""What measures may look at: the followed points, angles, reps, body and marks of one film; and how they say that they cannot tell."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from deepmirror.core.body.client_body import Body
from deepmirror.core.camera.frontal_camera import Frontal
from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.series import series_spec
from deepmirror.core.motion.tempo import Tempo
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.trajectories import Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR, Value
from deepmirror.core.views import UP
from deepmirror.words import say

Array = NDArray[np.float64]
Kept = TypeVar("Kept")


class Remedy(StrEnum):
    """What would let a film's lack be made good."""

    SIDE_FILM = "side film"
    FRONT_FILM = "front film"
    WHOLE_FILM = "a film of the whole set"
    MARK = "a mark or a word of the coach's"


@dataclass(frozen=True)
class Advice:
    """What to do so that a measure can be told: its kind, and the words for it."""

    remedy: Remedy
    words: str

    @property
    def new_film(self) -> bool:
        """True when it takes another film."""
        return self.remedy is not Remedy.MARK


FILM_SIDE = Advice(Remedy.SIDE_FILM, "Film from the side: camera at hip height, square to the client, whole body and feet in the picture.")
FILM_FRONT = Advice(Remedy.FRONT_FILM, "Film from straight in front: camera at knee to hip height, both feet and both hips in the picture.")
ADD_SCALE = Advice(Remedy.MARK, "Give a known length in the client's plane (a plate of 45 cm, a box edge) or her measured thigh and shank.")
ADD_PAD = Advice(Remedy.MARK, "Click the two ends of the pad's edge on one frame.")
ADD_PIVOT = Advice(Remedy.MARK, "Click the machine's pivot on one frame.")
ADD_BACK = Advice(Remedy.MARK, "Place mid-back (and low back) on one frame, on the line of the spine.")
ADD_BAR = Advice(Remedy.MARK, "Click the end of the bar on one frame.")

ADD_SEAT = Advice(Remedy.MARK, "Click two points of the seat's surface on one frame.")
ADD_BACK_PAD = Advice(Remedy.MARK, "Click two points of the back pad's surface on one frame.")
ADD_EDGE = Advice(Remedy.MARK, "Click the edge of the bench where the knees hang over it, on one frame.")
ADD_ROLLER = Advice(Remedy.MARK, "Place the roller's middle on one frame.")
ADD_WAISTBAND = Advice(Remedy.MARK, "Place the waistband above the hip on one frame.")
ADD_STACK = Advice(Remedy.MARK, "Click the front of the moving weight plates while they rest, on the first frame.")
ADD_PLATFORM = Advice(Remedy.MARK, "Click the platform's four corners on one frame and give its width and height.")
TAKE_IN = Advice(Remedy.MARK, "Use the point again, and place it on one frame where it shows.")
PLACE_AGAIN = Advice(Remedy.MARK, "Place the points it is measured from on one more frame, where they show best.")
LOST = "the points it is measured from are lost for so long that nothing is left of it"
NO_FIT = "the picture does not fit a side view of this client: the camera stands far off, or the leg is hidden"
CLICK_U_PX = 4.0  # k = 2 of a clicked mark
# A knee lies three quarters of the shank before its line at the reversal: a turned camera shows that as inward or outward;
# the projected angle at the knee grows about as much in degrees. Our own estimate, no source.
FRONT_SHIFT = {"pct": 75.0, "deg": 90.0}
FRONT_LIMIT_DEG = 10.0  # beyond its uncertainty; what is asked of the knees' gap in our measures, our own estimate
YAW_LIMIT_DEG = 28.0  # beyond this a side film is not corrected but refused


class CannotTell(Exception):
    """This film does not give the measure: why, and what would. seen_from: the kind of film that does not show it, where that is why."""

    def __init__(self, reason: str, advice: Advice, seen_from: str = "") -> None:
        super().__init__(reason)
        self.reason, self.advice, self.seen_from = reason, advice, seen_from


class NotAsked(CannotTell):
    """There is nothing to compare with: not the film's lack, and no reason to ask for another one."""


@dataclass(frozen=True)
class Marks:
    """Things in the room clicked on a frame, px."""

    pad_line: Array | None = None
    pivot: Array | None = None
    floor_line: Array | None = None
    seat_line: Array | None = None
    back_pad: Array | None = None
    bench_edge: Array | None = None
    rail: Array | None = None
    platform: Array | None = None
    platform_cm: tuple[float, float] | None = None


@dataclass(frozen=True)
class BackSeen:
    """Where the back ends (T, K, 2) behind the line from hip to shoulder, and that line as the same look saw it (T, 2) each; all px of
    the film, NaN where nobody looked."""

    outline: Array
    hip: Array
    shoulder: Array


@dataclass(frozen=True)
class MeasurementContext:
    """All that measures may look at. px_per_cm is the scale at the client's plane, up the room's vertical.

    far: side films' far joints (T, 2) px as the network alone sees them, gaps bridged. platform_moves: the feet stand on
    something that moves with them. hands_pass: hands and what they carry pass before the legs. back: what the looks saw
    of the back, None where nobody looked for it.
    """

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
    far: dict[str, Array] = field(default_factory=dict)
    platform_moves: bool = False
    hands_pass: bool = False
    stack: Array | None = None  # (T,) px the weight stack has risen, NaN where hidden
    frontal: Frontal | None = None
    front_yaw: Value | None = None  # how far a front or rear film's camera stands off the straight line, degrees
    back: BackSeen | None = None
    counted_in: str = "°"  # the unit of the signal that counts the reps
    kept: dict[str, Any] = field(default_factory=dict, compare=False, repr=False)

    def cached(self, name: str, make: Callable[[], Kept]) -> Kept:
        """What every rep looks at, worked out once."""
        if name not in self.kept:
            self.kept[name] = make()
        found: Kept = self.kept[name]
        return found

    def cached_series(self, name: str, make: Callable[[], Series]) -> Series:
        """A series that every rep looks at, worked out once."""
        return self.cached(name, make)

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
            raise CannotTell(say("the {joint} was not followed", joint=joint), FILM_SIDE)
        return name

    def check_front(self) -> None:
        """Raises CannotTell when the camera of a front or rear film stands too far off the straight line."""
        yaw = self.front_yaw
        if yaw is not None and abs(yaw.value) - yaw.u > FRONT_LIMIT_DEG:
            raise CannotTell(say("the camera stands about {value:.0f}° off the straight line", value=abs(yaw.value)), FILM_FRONT)

    def check_toes(self) -> None:
        """Raises CannotTell where the client stands with her back to the camera: her heels hide which way her feet point."""
        if self.view == "rear" and not self.platform_moves:
            raise CannotTell("from behind the heels hide which way the feet point", FILM_FRONT)

    def turned_deg(self) -> float:
        """How far a front film's camera surely stands off the line, degrees; 0 within its uncertainty."""
        yaw = self.front_yaw
        return abs(yaw.value) if yaw is not None and abs(yaw.value) > yaw.u else 0.0

    def turned_u(self, unit: str) -> float:
        """What a front film's camera off the line adds to a frontal-plane number's uncertainty, % of the shank or degrees, where it is not
        taken out."""
        taken_out = self.frontal is not None and not self.frontal.flat
        return 0.0 if taken_out else FRONT_SHIFT[unit] * float(np.sin(np.radians(self.turned_deg())))

    def angle(self, name: str) -> Series:
        """A series by name, the near side's when it has sides. Raises CannotTell when this view does not give it."""
        spec = series_spec(name)
        for key in (name, f"{name}_{self.near}"):
            if key in self.angles:
                if spec.front_only:
                    self.check_front()
                    if self.platform_moves and self.view == "rear":
                        raise CannotTell("from behind the head trunk and head hide hips and knees", FILM_FRONT)
                    return self.angles[key].widened(self.turned_u("deg" if spec.unit == "°" else "pct"))
                if self.plane is not None and self.plane.strained:
                    raise CannotTell(NO_FIT, FILM_SIDE)
                if self.plane is not None and abs(self.plane.yaw.value) - self.plane.yaw.u > YAW_LIMIT_DEG:
                    raise CannotTell(
                        say("the camera stands about {value:.0f}° off the side view", value=abs(self.plane.yaw.value)), FILM_SIDE
                    )
                return self.angles[key]
        advice = FILM_FRONT if spec.front_only else FILM_SIDE
        seen_from = say("a {view} film", view=self.view)
        raise CannotTell(say("{seen_from} does not show it", seen_from=seen_from), advice, seen_from)

    def hidden_u(self, rep: Rep, *names: str, lasting: int = 1) -> float:
        """What hidden points add to the uncertainty (k = 2, px) of a way within a rep; 0 where they show well. Raises NotFollowed.

        lasting: an odd number of frames over which the way is steadied; where a point is lost for less than half of them it says nothing.
        """
        window = (self.track.times >= rep.start_s) & (self.track.times <= rep.end_s)
        worst = [float(median_filter(self.track.hidden_sd(n), lasting, mode="nearest")[window].max(initial=0.0)) for n in names]
        return COVERAGE_FACTOR * float(np.linalg.norm(worst))

    def cm(self, pixels: Value) -> Value:
        """A distance in cm. Raises CannotTell when the film has no scale."""
        if self.px_per_cm is None:
            raise CannotTell("the film has no scale", ADD_SCALE)
        return pixels.scaled(1 / self.px_per_cm.value, self.px_per_cm.u / self.px_per_cm.value)


RepMeasure = Callable[[MeasurementContext, Rep], Value]
FilmMeasure = Callable[[MeasurementContext], Value]


def highest(series: Series, rep: Rep) -> Value:
    """Largest value inside the rep: as high as any frame's own uncertainty may reach, where that changes within the rep."""
    part = series.window(rep.start_s, rep.end_s)
    i = int(np.argmax(part.values))
    return Value(float(part.values[i]), max(float(part.u[i]), float(np.max(part.values + part.u) - part.values[i])))


def lowest(series: Series, rep: Rep) -> Value:
    """Smallest value inside the rep: as low as any frame's own uncertainty may reach, where that changes within the rep."""
    below = highest(Series(series.times, -series.values, series.u), rep)
    return Value(-below.value, below.u)


def highest_of(name: str) -> RepMeasure:
    """The largest value of a series in the rep."""
    return lambda scene, rep: highest(scene.angle(name), rep)


def lowest_of(name: str) -> RepMeasure:
    """The smallest value of a series in the rep."""
    return lambda scene, rep: lowest(scene.angle(name), rep)


def noise_sd(values: Array) -> float:
    """Standard deviation of frame-to-frame noise: from third differences, which a smooth movement hardly has. values (T,)."""
    if len(values) < 5:
        return 1.0
    return float(1.48 * np.median(np.abs(np.diff(values, 3))) / np.sqrt(20))


def at(series: Series, time_s: float) -> float:
    """Middle value within a tenth of a second of a time."""
    near = np.abs(series.times - time_s) <= 0.1
    return float(np.median(series.values[near])) if near.any() else float(np.interp(time_s, series.times, series.values))
