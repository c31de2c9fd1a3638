"""The floor's engine: owns the camera, looks, counts, records, ends a set and says what is to be said of it. Knows no library.

It is given commands and says messages (both plain values, so that it can run in a process apart from the interface).
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import ALL_POINTS, SEGMENTS, SIDES, sided
from deepmirror.documents import Document
from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.brief import Brief, check_brief
from deepmirror.media.camera import Camera, Shot
from deepmirror.media.film import FilmFacts
from deepmirror.media.recorder import PRE_ROLL_S, Kept, Recorder, room_left
from deepmirror.movements.loader import Catalogue
from deepmirror.pose.pose_tracker import QUICK
from deepmirror.services.common.memory import give_back
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.measure_drawing import MeasureDrawing, MeasureDrawings
from deepmirror.services.live.counting import LiveCount
from deepmirror.services.live.following import Seen
from deepmirror.services.live.framing import Framing, framing_of
from deepmirror.services.live.session import LiveSet, Looker, SetEnd, Summary, only_counted, summary_of, the_one

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

PREVIEW_PX, PREVIEW_PER_S = 640, 15.0  # least of the longer side, and pictures a second that are shown; our own choice
FRAMING_EVERY, FRAMING_LOOKS = 4, 7  # looks; our own choice
NOT_WRITTEN = "The disk takes no more of this film: the set is counted on, what was written is kept."
DRAWN = ("trunk", "thigh", "shank", "foot")
AROUND_S = 0.4  # before and after the worst rep its loop shows; our own choice
SHORT_OF_SHARE = 0.85  # of the set's longest rep so far: a rep that moved less is short of it; our own choice


@dataclass(frozen=True)
class Preview:
    """What the camera shows, small (H, W, 3) RGB, its time, s, and the size of what it films, px."""

    picture: Picture
    time_s: float
    size: tuple[int, int]


@dataclass(frozen=True)
class Framed:
    """How the camera stands."""

    framing: Framing


@dataclass(frozen=True)
class Begun:
    """A set is being recorded; before_s: how much of it lies before it was begun."""

    before_s: float


@dataclass(frozen=True)
class RepTold:
    """A rep has ended; late_s: by how much this is said after its end; short: it moved clearly less than those before."""

    rep: Rep
    late_s: float
    short: bool


@dataclass(frozen=True)
class Over:
    """The set is over; since_s: how long ago its last rep ended, by the camera's clock."""

    since_s: float


@dataclass(frozen=True)
class Told:
    """What is said of the set: the summary, the reps, and the moment that shows it best (s of the film), with the lines through the
    body there: times (T,) and, per segment, its two ends (T, 2, 2) px; drawn: how what was found shows itself, by time (s) around it."""

    summary: Summary
    reps: tuple[Rep, ...]
    worst: tuple[float, float] | None
    line_times: Array = field(default_factory=lambda: np.empty(0))
    lines: dict[str, Array] = field(default_factory=dict)
    drawn: dict[float, MeasureDrawing] = field(default_factory=dict)


@dataclass(frozen=True)
class Recorded:
    """The film of the set is whole."""

    path: Path
    frames: int


@dataclass(frozen=True)
class Said:
    """Something the coach should know: the camera is lost or back, the disk is nearly full, something failed. Empty: it is well again."""

    sentence: str


Message = Preview | Framed | Begun | RepTold | Over | Told | Recorded | Said


@dataclass(frozen=True)
class GetReady:
    """Be ready for a set of this brief; the film will be written here."""

    brief: Document
    film: Path


@dataclass(frozen=True)
class Begin:
    """The set begins."""


@dataclass(frozen=True)
class End:
    """The set is over, the coach says."""


@dataclass(frozen=True)
class Close:
    """Let go of the camera."""


Command = GetReady | Begin | End | Close


class FloorEngine:
    """Runs in one thread, `run`, beside the camera's. `command` may be called from any."""

    def __init__(self, camera: Camera, catalogue: Catalogue, say: Callable[[Message], object]) -> None:
        self._camera, self._catalogue, self._say = camera, catalogue, say
        self._every = max(1, round(camera.fps / QUICK.looks_per_s))
        self._recorder = Recorder(camera.size, camera.fps)
        self._commands: deque[Command] = deque()
        self._changed = threading.Condition()
        self._newest: Shot | None = None
        self._camera_over = False
        self._times: list[float] = []  # of the set's pictures, or of the last seconds before one
        self._first = 0  # number of the first of them
        self._looks: deque[tuple[int, Seen | None]] = deque()
        self._preview_due = 0.0
        self._brief: Brief | None = None
        self._film = Path()
        self._looker: Looker | None = None
        self._set: LiveSet | None = None
        self._waiting_count: LiveCount | None = None  # reps while nobody has said that a set begins
        self._told, self._looks_for = "", ("", "")  # view and movement the looker is for

    def command(self, command: Command) -> None:
        """Do this as soon as the look at hand is done."""
        with self._changed:
            self._commands.append(command)
            self._changed.notify_all()

    def run(self) -> None:
        """Until it is closed, or the camera ends; a set that runs is then over."""
        reader = threading.Thread(target=self._read, name="deepmirror-camera", daemon=True)
        reader.start()
        try:
            while (what := self._next()) is not None:
                if isinstance(what, Shot):
                    self._look(what)
                elif isinstance(what, Close):
                    break
                else:
                    self._obey(what)
        finally:
            self._camera.close()
            if self._set is not None:
                self._finish(self._set)
            reader.join(timeout=5)

    # The camera's thread

    def _read(self) -> None:
        try:
            for shot in self._camera.shots():
                with self._changed:  # so that what is recorded and what is counted begin with the same picture
                    kept = self._recorder.push(shot)
                    self._times.append(shot.time_s)
                    if self._set is not None:
                        self._follow(self._set, kept)
                    else:
                        self._forget_oldest()
                    if shot.number % self._every == 0:
                        self._newest = shot
                        self._changed.notify_all()
                self._show(shot)
        except DeepMirrorError as error:
            self._say(Said(error.sentence))
        finally:
            with self._changed:
                self._camera_over = True
                self._changed.notify_all()

    def _follow(self, live: LiveSet, kept: Kept) -> None:
        live.following.picture(kept.number - self._first, kept.time_s - self._times[0], kept.picture)

    def _forget_oldest(self) -> None:
        while self._times[-1] - self._times[0] > PRE_ROLL_S:
            self._times.pop(0)
            self._first += 1

    def _show(self, shot: Shot) -> None:
        if shot.time_s >= self._preview_due:
            self._preview_due = shot.time_s + 1 / PREVIEW_PER_S
            fold = max(1, max(shot.picture.shape[:2]) // PREVIEW_PX)  # whole numbers are quick
            size = shot.picture.shape[1] // fold, shot.picture.shape[0] // fold
            self._say(
                Preview(np.asarray(cv2.resize(shot.picture, size, interpolation=cv2.INTER_AREA), np.uint8), shot.time_s, self._camera.size)
            )

    # The engine's thread

    def _next(self) -> Shot | Command | None:
        with self._changed:
            while not self._commands and self._newest is None and not self._camera_over:
                if not self._changed.wait(timeout=1.0):
                    self._tell_camera()
            if self._commands:
                return self._commands.popleft()
            shot, self._newest = self._newest, None
            return shot

    def _tell_camera(self) -> None:
        if self._camera.lost:
            self._warn("The camera is gone: plug it in again, what was filmed is kept.")

    def _warn(self, sentence: str) -> None:
        if sentence != self._told:
            self._told = sentence
            self._say(Said(sentence))

    def _obey(self, command: Command) -> None:
        if isinstance(command, GetReady):
            self._get_ready(command)
        elif isinstance(command, Begin) and self._set is None and self._brief is not None and self._times:
            self._begin()
        elif isinstance(command, End) and self._set is not None:
            self._finish(self._set)

    def _get_ready(self, command: GetReady) -> None:
        if self._set is not None:
            return  # the client was quicker than the key: her set goes on under the brief it began with
        try:
            self._brief, self._film = check_brief(command.brief), command.film
        except DeepMirrorError as error:
            self._say(Said(error.sentence))
            return
        looks_for = self._brief.file.view, self._brief.file.movement
        if self._looker is None or self._looks_for != looks_for:
            self._looker = Looker(self._brief, self._catalogue.movement(self._brief.file.movement))
        self._looks_for = looks_for
        self._count_anew(self._brief)
        self._looks.clear()

    def _count_anew(self, brief: Brief) -> None:
        movement = self._catalogue.movement(brief.file.movement)
        self._waiting_count = LiveCount(movement, brief.file.view, list(ALL_POINTS), brief.file.pattern)

    def _look(self, shot: Shot) -> None:
        if self._looker is None:
            return
        seen = self._looker.look(shot)
        self._warn(NOT_WRITTEN if self._recorder.failed() else room_left(self._film.parent))
        if self._set is not None:
            with self._changed:
                number, times = shot.number - self._first, np.array(self._times[: shot.number - self._first + 1])
            self._pass_on(self._set, self._set.take(number, seen, times - times[0], shot.picture))
        else:
            self._look_before(shot, seen)

    def _look_before(self, shot: Shot, seen: Seen | None) -> None:
        """Before a set: the framing, and whether it has begun without a key."""
        self._looks.append((shot.number, seen))
        with self._changed:
            first, times = self._first, np.array(self._times[: max(shot.number - self._first + 1, 0)])
        while self._looks and self._looks[0][0] < first:
            self._looks.popleft()
        if self._brief is None or self._waiting_count is None:
            return
        if shot.number // self._every % FRAMING_EVERY == 0:
            lately = [s.points for _, s in list(self._looks)[-FRAMING_LOOKS:] if s is not None]
            self._say(Framed(framing_of(shot.picture, lately, self._brief.file.view)))
        network = np.full((len(times), len(ALL_POINTS), 2), np.nan)
        for number, seen_there in self._looks:
            if seen_there is not None and number - first < len(times):
                network[number - first] = seen_there.points
        if self._waiting_count.closed(times, network):
            self._begin()

    def _begin(self) -> None:
        """Record, from some seconds before; what was seen in them counts."""
        assert self._brief is not None
        with self._changed:
            try:
                kept = self._recorder.start(self._film)
            except DeepMirrorError as error:
                self._say(Said(error.sentence))
                return
            self._first, self._times = kept[0].number if kept else self._first, [k.time_s for k in kept]
            live = LiveSet(self._brief, self._catalogue, self._every, self._first)
            for k in kept:
                live.following.picture(k.number - self._first, k.time_s - self._times[0], k.picture)
            self._set, first, times = live, self._first, np.array(self._times)
        told = [rep.later(-times[0]) for rep in (self._waiting_count.told if self._waiting_count else [])]
        live.goes_on([(n - first, p) for n, p in self._looks if p is not None and n >= first], told)
        self._looks.clear()
        self._say(Begun(float(times[-1] - times[0])))
        self._pass_on(live, told)

    def _pass_on(self, live: LiveSet, happened: Sequence[Rep | SetEnd]) -> None:
        for what in happened:
            if isinstance(what, Rep):
                now = self._camera.now_s() - self._times[0]
                longest = max(r.range for r in live.count.told)
                self._say(RepTold(what, now - what.end_s, what.range < SHORT_OF_SHARE * longest))
            elif self._set is not None:
                self._finish(live)

    def _finish(self, live: LiveSet) -> None:
        """End the film, then say what there is to say."""
        with self._changed:
            times, self._set, self._brief = np.array(self._times), None, None  # until somebody is ready for the next one
        for what in live.close(times - times[0]):
            if isinstance(what, Rep):
                self._say(RepTold(what, 0.0, False))
        end_s = live.count.told[-1].end_s if live.count.told else float(times[-1] - times[0])
        self._say(Over(max(float(self._camera.now_s() - times[0] - end_s), 0.0)))
        size = self._camera.size
        facts = FilmFacts(len(times), self._camera.fps, float(times[-1] - times[0]), *size, 0, "h264")
        try:
            self._say(told_of(live.conclude(facts), live.count.told))  # first what she waits for, then the film
        except DeepMirrorError:
            self._say(Told(only_counted(len(live.count.told)), tuple(live.count.told), None))
        finally:
            live.following.close()
        try:
            film = self._recorder.stop()
            self._say(Recorded(film.path, len(film.times)))
        except DeepMirrorError as error:
            self._say(Said(error.sentence))
        give_back()


def told_of(analysis: Analysis, counted: Sequence[Rep] = ()) -> Told:
    """What is said of a set, its worst moment, and the lines through the body around it. counted: the reps as they were told."""
    summary = summary_of(analysis, len(counted))
    if not summary.judged:
        return Told(summary, tuple(counted), None)
    finding, track, near = the_one(analysis), analysis.scene.film_track, analysis.scene.near
    worst, drawn = None, {}
    if finding is not None:
        reps = analysis.scene.reps
        rep = next((r for r in reps if r.start_s <= finding.time_s <= r.end_s), reps[finding.reps[0] - 1])
        worst = (rep.start_s, rep.end_s)
        drawings, around = MeasureDrawings(analysis), (track.times >= worst[0] - AROUND_S) & (track.times <= worst[1] + AROUND_S)
        drawn = {float(track.times[i]): drawings.at(finding.measure, int(i)) for i in np.flatnonzero(around)}
    lines = {}
    for side in (near,) if near else SIDES:
        for segment in DRAWN:
            ends = [sided(joint, side) for joint in SEGMENTS[segment]]
            if all(name in track.names for name in ends):
                lines[sided(segment, side)] = np.stack([track.positions[:, track.names.index(n)] for n in ends], axis=1)
    return Told(summary, tuple(analysis.scene.reps), worst, track.times, lines, drawn)
