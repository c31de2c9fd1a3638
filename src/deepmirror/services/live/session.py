"""A set while it is lifted: looks at a steady rate, reps as they end, the end of the set, and what is said of it."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.reps import Rep
from deepmirror.core.skeleton import ALL_POINTS, near_side
from deepmirror.core.uncertain_value import Verdict
from deepmirror.errors import BadFilm
from deepmirror.exchange.brief import Brief
from deepmirror.judge.records import SAFETY, Finding
from deepmirror.media.camera import Camera, Shot
from deepmirror.media.film import FilmFacts
from deepmirror.movements.loader import Catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.back_outline import back_in_picture
from deepmirror.pose.network import COLUMNS, region_around
from deepmirror.pose.pose_tracker import QUICK, PoseTracker
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.observation import where_back_lies
from deepmirror.services.films.set_log import shown_set
from deepmirror.services.live.counting import LiveCount
from deepmirror.services.live.following import Following, Seen
from deepmirror.services.live.sled import SledWatch
from deepmirror.words import say

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

STILL_S = 10.0  # without a rep for so long, and still: the set is over. A rest-pause is shorter or moves; common practice, no source
STILL_SHARE = 0.3  # of the usual range: a signal that moved less was still; our own choice
PRAISE = "Every rep was clean: do the next set just like that."
NOT_YET = "Not everything that matters could be told yet: the full result follows."
NOT_SEEN = "No repetition was seen."


@dataclass(frozen=True)
class SetEnd:
    """The set is over; end_s: where its last rep ended."""

    end_s: float


@dataclass(frozen=True)
class Summary:
    """What is said of a set in the rest: one finding at most, or praise. finding: its code; unsafe: its title where it is a matter of
    safety; praised: everything that matters was seen, and was well; judged: the reps were judged and not only counted."""

    reps: int
    clean_reps: int
    finding: str | None
    cue: str
    unsafe: str = ""
    praised: bool = False
    judged: bool = True


class Newest:
    """The newest shot of a camera that is read in a thread of its own: a slow look drops pictures, never the camera's time.

    every: which n-th shot is looked at; beside: called with every shot, in the camera's thread.
    """

    def __init__(self, camera: Camera, every: int, wait_for_all: bool, beside: Callable[[Shot], object] = lambda _: None) -> None:
        self._every, self._wait_for_all, self._beside = every, wait_for_all, beside
        self.times: list[float] = []
        self.looked, self.dropped = 0, 0  # pictures that were to be looked at: taken, and passed over as a newer one came first
        self._slot: Shot | None = None
        self._over = False
        self._changed = threading.Condition()
        self._thread = threading.Thread(target=self._read, args=(camera,), daemon=True)
        self._thread.start()

    def _read(self, camera: Camera) -> None:
        try:
            for shot in camera.shots():
                self._beside(shot)
                with self._changed:
                    self.times.append(shot.time_s)
                    if shot.number % self._every:
                        continue
                    while self._wait_for_all and self._slot is not None:
                        self._changed.wait()
                    self.dropped += self._slot is not None
                    self._slot = shot
                    self._changed.notify_all()
        finally:
            with self._changed:
                self._over = True
                self._changed.notify_all()

    def looks(self) -> Iterator[Shot]:
        """Shots to look at, the newest each time; ends with the camera."""
        while True:
            with self._changed:
                while self._slot is None and not self._over:
                    self._changed.wait()
                shot, self._slot = self._slot, None
                self._changed.notify_all()
            if shot is None:
                return
            self.looked += 1
            yield shot


class Looker:
    """Looks at pictures as they come and keeps to one body, in a set and between sets."""

    def __init__(self, brief: Brief, movement: Movement) -> None:
        clicked = {f: r for f, p in brief.seeds if (r := region_around(p)) is not None}
        subject = brief.file.subject.at_px if brief.file.subject else None
        self._tracker = PoseTracker(QUICK, clicked, subject, near_side(brief.file.view) is None, movement.lying_turn(brief.file.view))
        self._back, self._turn = where_back_lies(brief, movement), 0

    def look(self, shot: Shot) -> Seen | None:
        """What is seen of the body; None where nobody is."""
        found = self._tracker.look_now(self._turn, shot.number, shot.picture)
        self._turn += 1
        if found.seen is None:
            return None
        back = None if self._back is None else back_in_picture(found.seen, *self._back)
        return Seen(found.seen.points[COLUMNS], found.seen.sureness[COLUMNS], back)


class LiveSet:
    """One set. Give it looks; it gives back reps and the set's end as they happen, and the evidence for all that follows."""

    def __init__(self, brief: Brief, catalogue: Catalogue, every: int, phase: int = 0) -> None:
        """every: which n-th picture is looked at; phase: see Following."""
        self.brief, self.catalogue = brief, catalogue
        self.movement = catalogue.movement(brief.file.movement)
        self.count = LiveCount(self.movement, brief.file.view, list(ALL_POINTS), brief.file.pattern)
        self.following = Following(brief, self.movement, every, phase)
        self._sled = SledWatch(brief, self.movement)
        self._looks: list[tuple[int, Seen]] = []
        self.ended = False

    def goes_on(self, looks: list[tuple[int, Seen]], told: list[Rep]) -> None:
        """What was seen of the set before anybody knew that it is one: looks as for `take`, and reps that have ended."""
        for number, seen in looks:
            self._looks.append((number, seen))
            self.following.look(number, seen)
        self.count.told.extend(told)

    def take(self, number: int, seen: Seen | None, times: Array, picture: Picture) -> list[Rep | SetEnd]:
        """What has ended by now. number: of the picture that was looked at, (H, W, 3) RGB; seen: None where nobody was; times (T,) s of
        all pictures until this one."""
        self._sled.look(float(times[-1]), picture, None if seen is None else seen.points)
        if seen is not None:
            self._looks.append((number, seen))
            self.following.look(number, seen)
        out: list[Rep | SetEnd] = list(self.count.closed(times, self._network(len(times)), travel=self._sled.travel()))
        if out:
            self.ended = False
        elif self.count.told and not self.ended and self._still(float(times[-1])):
            self.ended = True
            out.append(SetEnd(self.count.told[-1].end_s))
        return out

    def close(self, times: Array) -> list[Rep | SetEnd]:
        """The camera has ended: what comes now is standing still."""
        out: list[Rep | SetEnd] = []
        if self._looks:
            out += self.count.closed(times, self._network(len(times)), over=True, travel=self._sled.travel())
        if not self.ended:
            self.ended = True
            out.append(SetEnd(self.count.told[-1].end_s if self.count.told else float(times[-1])))
        return out

    def conclude(self, facts: FilmFacts) -> Analysis:
        """The set worked out from what was seen and followed while it was lifted. Raises CannotSolve, BadFilm."""
        if not self._looks:
            raise BadFilm("Nobody could be seen.")
        done = self.following.settled()
        times = done.evidence.times
        thinned = replace(facts, frames=len(times), duration_s=float(times[-1]))
        return conclude(thinned, done.brief, self.catalogue, done.evidence)

    def _network(self, frames: int) -> Array:
        network = np.full((frames, len(ALL_POINTS), 2), np.nan)
        for number, seen in self._looks:
            network[number] = seen.points
        return network

    def _still(self, now_s: float) -> bool:
        last = self.count.told[-1]
        return now_s - last.end_s >= STILL_S and self.count.moved_since(last.end_s) < STILL_SHARE * last.range


def only_counted(reps: int) -> Summary:
    """What is said of a set whose reps were counted, but can be judged by the full analysis only."""
    return Summary(reps, reps, None, NOT_YET if reps else NOT_SEEN, judged=False)


def summary_of(analysis: Analysis, counted: int = 0) -> Summary:
    """One cue: a matter of safety, else the fault that is in at least two reps and the last or in the whole set, else praise.

    counted: reps that were told while they were lifted. Where the few looks of a set show none in the end, nothing is judged by them.
    """
    shown = shown_set(analysis)
    if counted and not shown["reps"]:
        return only_counted(counted)
    finding = the_one(analysis)
    reps, clean = shown["reps"], shown["clean_reps"]
    if finding is None:
        return _well(analysis, reps, clean)
    return Summary(reps, clean, finding.code, finding.cue, finding.title if finding.severity == SAFETY else "")


def _well(analysis: Analysis, reps: int, clean: int) -> Summary:
    """What is said where nothing stayed: no praise where what could hurt was not seen surely enough."""
    if not reps:
        return Summary(reps, clean, None, NOT_SEEN)
    grave = {f.code for f in analysis.movement.fault if f.safe is not None}
    unsure = [c for c in analysis.judgement.checks if c.verdict is Verdict.CANNOT_TELL and (c.severity == SAFETY or c.code in grave)]
    if unsure:
        return Summary(reps, clean, None, NOT_YET)
    words = (
        PRAISE
        if clean == reps
        else say("{clean} of {reps} reps were clean and no fault stayed: make them all clean.", clean=clean, reps=reps)
    )
    return Summary(reps, clean, None, words, praised=clean == reps)


def the_one(analysis: Analysis) -> Finding | None:
    """The finding a coach would speak of between two sets; None where praise is due. What is off in the whole set names no reps."""
    findings, last = analysis.judgement.findings, len(analysis.scene.reps)
    safety = next((f for f in findings if f.severity == SAFETY), None)
    lasting = next((f for f in findings if not f.reps or (len(f.reps) >= 2 and last in f.reps)), None)
    return safety or lasting
