"""Following the points while a set is lifted: what the full analysis does after it, on every other picture and a moment behind the looks.

So the set can be judged a few seconds after its end by what only following shows: contact with a pad, the back, the pivot, the knees.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import count

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS, near_side
from deepmirror.exchange.brief import Brief
from deepmirror.movements.schema import Movement
from deepmirror.pose.back_outline import SHARES
from deepmirror.pose.evidence import Evidence, Keyframe, filled, shank_px
from deepmirror.pose.flow_pass import Followers
from deepmirror.pose.looking import looks_as_evidence
from deepmirror.pose.platform import PlatformFollower
from deepmirror.pose.rigid_attachment import feet_at_first
from deepmirror.pose.room_level import roll_of_room
from deepmirror.pose.stack import StackFollower
from deepmirror.services.films.observation import About, on_sled, where_about, where_back_lies, with_network_of

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

BEGIN_LOOKS = 12  # before these there is no telling how large the body is; our own choice
BEHIND_LOOKS = 3  # the last looks may still be found to have slipped; our own choice
CHUNK = 30  # pictures at a time: where the body is about is worked out anew for each; our own choice
ROLL_EVERY = 45  # pictures from one whose edges are read to the next; our own choice


@dataclass(frozen=True)
class Waiting:
    """A picture that waits to be followed through: its number in the film, its time, s, and what gives its pixels, RGB."""

    number: int
    time_s: float
    picture: Callable[[], Picture]


@dataclass(frozen=True)
class Seen:
    """What a look saw: all body points (P, 2) px, how surely each is there (P,) 0..1 (see Detection.sureness), and the back's outline
    (K, 2) px where the movement's back is judged."""

    points: Array
    sureness: Array
    back: Array | None = None


@dataclass(frozen=True)
class Followed:
    """What was seen of a set while it was lifted: the evidence of the pictures `numbers` of the film, and the brief on them."""

    evidence: Evidence
    brief: Brief
    numbers: list[int]


class Following:
    """One set, followed in a thread of its own. Pictures and looks are given in order; `settled` waits for what was given until then."""

    def __init__(self, brief: Brief, movement: Movement, every: int, phase: int = 0) -> None:
        """every: which n-th picture is looked at; phase: how many pictures before the film's first one the camera's counting began."""
        self._phase = phase
        self._brief, self._movement = brief, movement
        self._seeds = {frame: points for frame, points in brief.seeds if points}
        self._beside = {0, every // 2} if every > 1 else {0}
        self._every = every
        self._waiting: deque[Waiting] = deque()
        self._looks: dict[int, Seen] = {}
        self._numbers: list[int] = []
        self._times: list[float] = []
        self._done = 0
        self._before: Array | None = None
        self._followers: Followers | None = None
        self._stack = StackFollower(brief.file.marks.stack) if brief.file.marks.stack is not None else None
        self._platform: PlatformFollower | None = None
        self._edges: list[tuple[Picture, int]] = []
        self._names: list[str] = []
        self._over, self._draining, self._changed = False, False, threading.Condition()
        self._failed: BaseException | None = None
        self._thread = threading.Thread(target=self._run, name="deepmirror-following", daemon=True)
        self._thread.start()

    def picture(self, number: int, time_s: float, picture: Callable[[], Picture]) -> None:
        """A picture of the film (H, W, 3) RGB, fetched when its turn comes; most are passed over. Called from the camera's thread."""
        if (number + self._phase) % self._every not in self._beside and number not in self._seeds:
            return
        with self._changed:
            self._waiting.append(Waiting(number, time_s, picture))
            self._numbers.append(number)
            self._times.append(time_s)

    def look(self, number: int, seen: Seen) -> None:
        """What a look at a picture of the film saw."""
        with self._changed:
            self._looks[number] = seen
            self._changed.notify_all()

    def settled(self) -> Followed:
        """All that was given until now, followed. Raises what broke."""
        with self._changed:
            self._draining = True
            self._changed.notify_all()
            while self._waiting and self._failed is None:
                self._changed.wait()
            self._draining = False
            if self._failed is not None:
                raise self._failed
            until = self._done
        seen = self._seen(until)
        if self._followers is None:
            return Followed(seen, self._brief_here(until), self._numbers[:until])
        whole = where_about(self._brief_here(until), self._movement, seen, self._keys(until)).seen
        evidence = with_network_of(seen, self._followers.evidence(whole))
        if self._stack is not None:
            evidence = replace(evidence, stack=self._stack.rises())
        if self._platform is not None:
            platform, sigma = self._platform.believed()
            evidence = replace(evidence, platform=platform, platform_sigma=sigma)
        return Followed(replace(evidence, roll=self._roll(evidence)), self._brief_here(until), self._numbers[:until])

    def close(self) -> None:
        """Nothing more comes."""
        with self._changed:
            self._over = True
            self._changed.notify_all()
        self._thread.join()

    def _run(self) -> None:
        try:
            while (chunk := self._next()) is not None:
                if self._looks:
                    self._follow(chunk)
                with self._changed:
                    for _ in chunk:  # only now, so that whoever waits for them has them followed
                        self._waiting.popleft()
                    self._changed.notify_all()
        except BaseException as error:  # noqa: BLE001 - told by `settled`, where somebody waits for it
            with self._changed:
                self._failed = error
                self._changed.notify_all()

    def _next(self) -> list[Waiting] | None:
        """The pictures that can be followed now; None when nothing comes any more."""
        with self._changed:
            while not self._over:
                ready = self._ready()
                if ready >= CHUNK or (ready and self._draining):
                    return [self._waiting[k] for k in range(min(ready, 4 * CHUNK))]
                self._changed.wait()
        return None

    def _ready(self) -> int:
        """How many waiting pictures lie far enough behind the looks."""
        if self._draining:
            return len(self._waiting)
        looked = sorted(self._looks)
        if len(looked) < BEGIN_LOOKS:
            return 0
        until = looked[-BEHIND_LOOKS]
        return sum(w.number <= until for w in self._waiting)

    def _follow(self, chunk: list[Waiting]) -> None:
        known = len(self._numbers)  # with the looks that came meanwhile: the first pictures may have none
        about = where_about(self._brief_here(known), self._movement, self._seen(known), self._keys(known))
        steady, body = filled(about.positions), filled(about.seen.network)
        if self._followers is None:
            self._begin(about, steady)
        assert self._followers is not None
        for w in chunk:
            here, colours = self._places(about, steady[self._done]), w.picture()
            grey = np.asarray(cv2.cvtColor(colours, cv2.COLOR_RGB2GRAY), np.uint8)
            if w.number in self._seeds:
                self._followers.learn(grey, Keyframe(self._done, self._seeds[w.number]), here)
            self._followers.find(grey, here)
            self._followers.step(grey, here if self._before is None else self._before, here, body[self._done])
            for other in (self._stack, self._platform):
                if other is not None:
                    other.add(grey)
            if self._done % ROLL_EVERY == 0:
                self._edges.append((grey, self._done))
            self._before = here
            self._done += 1

    def _begin(self, about: About, steady: Array) -> None:
        self._names = about.names
        self._followers = Followers(self._names, shank_px(steady, about.names))
        corners = on_sled(self._brief, self._movement, feet_at_first(about.seen, self._keys(len(about.seen.times))))
        if near_side(self._brief.file.view) is None and corners is not None:
            self._platform = PlatformFollower(corners)

    def _places(self, about: About, row: Array) -> Array:
        """Where the points that are followed since the beginning are in a picture: a later click may have brought others."""
        return row[[about.names.index(n) for n in self._names]]

    def _seen(self, until: int) -> Evidence:
        network, back = np.full((until, len(ALL_POINTS), 2), np.nan), np.full((until, len(SHARES), 2), np.nan)
        sure = np.full(network.shape[:2], np.nan)
        place = {number: k for k, number in enumerate(self._numbers[:until])}
        for number, seen in list(self._looks.items()):
            if number in place:
                network[place[number]], sure[place[number]] = seen.points, seen.sureness
                back[place[number]] = np.nan if seen.back is None else seen.back
        evidence = looks_as_evidence(np.array(self._times[:until]), list(ALL_POINTS), network, np.full_like(network, np.nan), sure)
        return evidence if where_back_lies(self._brief, self._movement) is None else replace(evidence, back=back)

    def _keys(self, until: int) -> list[Keyframe]:
        return [Keyframe(k, self._seeds[n]) for k, n in zip(count(), self._numbers[:until]) if n in self._seeds]

    def _brief_here(self, until: int) -> Brief:
        """The brief with its clicks on the first pictures that are followed."""
        place = {number: k for k, number in enumerate(self._numbers[:until])}
        return replace(self._brief, seeds=tuple((place[f], p) for f, p in self._brief.seeds if f in place))

    def _roll(self, evidence: Evidence) -> Array:
        body = filled(evidence.network)
        still = np.eye(2, 3)
        return roll_of_room((grey, body[k], evidence.room[k] if len(evidence.room) else still) for grey, k in self._edges)
