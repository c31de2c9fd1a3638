"""Keeping the client in view: which region of each picture the network looks into."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.views import TrunkTurn
from deepmirror.pose.appearance import colours
from deepmirror.pose.client_choice import leans_as_she_does
from deepmirror.pose.identity import CLEAR, Client
from deepmirror.pose.joint_centres import CentreReader, Centres
from deepmirror.pose.network import Detection, Detector, LandmarkNetwork, Quality, Region

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

PRESENCE_FLOOR = 0.5  # the network's own score of a body being there; below it there is none, as its makers run it, from memory
SETTLING_LOOKS = 3  # at the first frame, until the region fits; our own choice
MAX_REGION_MISFIT_RAD = np.radians(8.0)  # turned further from the body the region is found anew; our own choice
SAME_BODY, SAME_SIZE = 0.25, 0.4  # of the region's side, and of its logarithm: a body found anew is the one that was followed
ABSENCE_COSTS = 3.0  # a region in which the network hardly sees a body is not chosen for lying well; our own choice
AGAIN_MISFIT, AGAIN_LOOKS = 0.3, 2  # a region that fits worse is looked into again where that look asks for it; our own choice
# A region that follows a trunk is late by as much as it turned since the lane's last look, and the network is content with it 40 degrees
# askew, hips and all seen elsewhere: so a trunk that turns is looked for where it will be, at most so much further.
MOST_AHEAD_RAD = 0.5
TURNED_RAD = np.radians(30.0)  # where all is a blur the region is also tried turned so far either way; of 30 and 45 degrees 30 did better
BLURRED = 0.6  # clearness below which the body is also looked for anew; our own choice
BLUR_COSTS = 5.0  # the network is as content with a trunk seen upside down, but sees its joints in a blur then; our own choice
# What was never clearer than CLEAR in its last looks is given up for a body elsewhere that is so much clearer: clients of our films have a
# median of 0.58 and more, one whom a plate hides 0.36; our own choice.
GHOST_LOOKS, CLEARER = 5, 0.15
CHANGE_COSTS = 0.1  # by so much better must fit what is found anew, which may be a plate taken for a head; our own choice
# A body found anew that was no better than the followed one is left alone for so many of the lane's looks, about a second, while it lies
# as it did within LIKE_RAD: the detector sees a trunk on a press 12 degrees turned, and looking there each time won one of 169; our own
# choice.
LEFT_ALONE, LIKE_RAD = 3, np.radians(5.0)
# Looks of a lane, about eight seconds and two, after which she is looked for elsewhere: one who stands or sits may also have walked.
GIVEN_UP, GIVEN_UP_STANDING = 30, 8


@dataclass(frozen=True)
class Plan:
    """How closely to look: which network, how many looks a second, which n-th look the other network checks (0: none), and whether a
    blur is looked into turned either way as well, which takes three times as long."""

    quality: Quality
    looks_per_s: float
    check_every: int = 0
    turns: bool = False

    def every(self, times: Array) -> int:
        """Frames from one look to the next in a film with frames at times (T,) s."""
        return max(1, round(1 / (self.looks_per_s * float(np.median(np.diff(times)))))) if len(times) > 1 else 1


# Looks of a network err alike for longer than they lie apart: ten a second told no more than these do, five hardly less (our bench).
# Every second look is checked, so that it is always that of the network which looks straight.
FINAL = Plan("heavy", 7.5, 2, turns=True)
QUICK = Plan("full", 7.5)  # for the first result
GLANCE = Plan("full", 2.5)  # to tell whether somebody lifts


@dataclass(frozen=True)
class Look:
    """What one frame showed: the network's sighting, and the checking network's where it looked too; where it was looked for; and what was
    read of the joints' centres there, and what colours she had."""

    frame: int
    seen: Detection | None
    checked: Detection | None
    region: Region | None = None
    centres: Centres | None = None
    colours: Array | None = None


@dataclass(frozen=True)
class Sighting:
    """A region that was looked into, and what was seen there."""

    region: Region
    seen: Detection

    def costs(self) -> float:
        """What speaks against it: that it lies askew to what was seen in it, that there was nobody, that it was a blur."""
        misfit, seen = region_misfit(self.region, self.seen), self.seen
        return misfit + ABSENCE_COSTS * (1 - seen.presence) + BLUR_COSTS * (1 - seen.clearness)

    def unless(self, other: Sighting) -> Sighting:
        """This one, unless another is clearly better."""
        return other if other.costs() < self.costs() - CHANGE_COSTS else self


@dataclass(frozen=True)
class NoBetter:
    """A body found anew that was no better: for how many looks it is left alone, how it lay turned to the followed one (rad), and what
    spoke against that one then."""

    left: int
    turn: float
    costs: float


NEVER = NoBetter(0, 0.0, 0.0)


class PoseTracker:
    """Finds the body in a first frame and keeps it; two networks take turns on the frames that are looked at.

    mirrored: the second one looks into a mirror. The network errs a little to one side of the picture, which counts where left
    and right are compared. lies: as her movement turns her trunk: one who lies
    throughout is no other body (see identity.Client), one who leans back is looked for first among those who do.
    reader: reads the joints' centres in every look; without a mirror only in those that are not checked, as half of them tell as much.
    """

    def __init__(
        self,
        plan: Plan,
        clicked: dict[int, Region],
        subject: tuple[float, float] | None = None,
        mirrored: bool = False,
        lies: TrunkTurn | None = None,
        reader: CentreReader | None = None,
    ) -> None:
        self._reader, self._mirrored = reader, mirrored
        self._plan, self._place = plan, subject
        self._detectors = [Detector(), Detector()]
        self._networks = [LandmarkNetwork(plan.quality), LandmarkNetwork(plan.quality, mirrored=mirrored)]
        self._checkers = [LandmarkNetwork("full"), LandmarkNetwork("full")] if plan.check_every else []
        self._clicked, self._first = clicked, clicked[min(clicked)] if clicked else None
        self._regions: list[Region | None] = [None, None]
        self._turns: list[list[float]] = [[], []]  # how the regions lay that each lane's last looks asked for, rad
        self._clear: deque[float] = deque(maxlen=GHOST_LOOKS)  # how clearly she was seen lately
        self._turned_about = lies
        self._client = Client(lies.turn if lies is not None and lies.throughout else None)  # as the looks that were told show her
        self._known = [self._client, self._client]  # as each lane's look may know her
        self._unseen, self._patience = 0, GIVEN_UP if self._client.lies is not None else GIVEN_UP_STANDING
        self._no_better = [NEVER, NEVER]  # what each lane last found anew in vain
        self._shown = False  # whether she who is followed was clicked
        self._missed = [0, 0]  # looks of each lane, one after the other, that did not show her
        self.elsewhere: list[Region] = []  # other bodies than the followed one, of all looks

    def _look(self, frame: int, lane: int, rgb: Picture, check: bool = False) -> Look:
        followed = self._regions[lane]
        if followed is None:
            return Look(frame, None, None)
        best = self._sighting(lane, rgb, followed)
        same, others = self._bodies(lane, rgb, followed)
        self.elsewhere += others
        if same and self._asks_for_a_look(lane, same[0], followed, best):
            anew = self._unless(lane, rgb, best, self._sighting(lane, rgb, same[0]))
            self._no_better[lane] = NoBetter(LEFT_ALONE, same[0].turn - followed.turn, best.costs()) if anew is best else NEVER
            best = anew
        if not same and others and self._follows_a_ghost(best):
            best = self._rather(best, self._sighting(lane, rgb, others[0]))
        for _ in range(AGAIN_LOOKS):
            if region_misfit(best.region, best.seen) < AGAIN_MISFIT and best.seen.presence >= PRESENCE_FLOOR:
                break
            again = self._unless(lane, rgb, best, self._sighting(lane, rgb, best.seen.next_region()))
            if again is best:
                break
            best = again
        if self._plan.turns and best.seen.clearness < BLURRED:
            best = self._turned(lane, rgb, best)
        if self._known[lane].doubts(rgb, best.seen):
            again = self._sighting(lane, rgb, self._known[lane].where() or best.region)
            if again.seen.presence >= PRESENCE_FLOOR and not self._known[lane].doubts(rgb, again.seen):
                best = again
            elif self._known[lane].is_not(best.seen):
                return self._not_her(frame, lane, again.region)
        seen, self._missed[lane] = best.seen, 0
        wanted = seen.next_region()
        if seen.presence < PRESENCE_FLOOR or self._client.stands(wanted):
            self._turns[lane], self._regions[lane] = [], None
            return Look(frame, None, None)
        self._place = (best.region.x, best.region.y)
        self._turns[lane] = [*self._turns[lane], wanted.turn][-3:]
        self._regions[lane] = self._ahead(lane, wanted)
        checked = self._checkers[lane].look(rgb, best.region) if check else None
        reader = self._reader if self._mirrored or not check else None
        return Look(frame, seen, checked, best.region, None if reader is None else reader.read(rgb, seen), colours(rgb, seen))

    def _asks_for_a_look(self, lane: int, found: Region, followed: Region, best: Sighting) -> bool:
        """Whether a body found anew is looked into as well: it is needed, and was not just as it is now and no better."""
        before = self._no_better[lane]
        self._no_better[lane] = replace(before, left=before.left - 1)
        turned = wrapped(found.turn - followed.turn - before.turn, 2 * np.pi)
        alike = abs(turned) < LIKE_RAD and best.costs() < before.costs + CHANGE_COSTS
        blurred = best.seen.clearness < BLURRED
        return _afresh(found, followed, blurred) and (blurred or before.left <= 0 or not alike)

    def _not_her(self, frame: int, lane: int, home: Region) -> Look:
        """A look that showed somebody else tells nothing, and the next one is taken where she lies; not for ever."""
        self._missed[lane] += 1
        self._turns[lane], self._regions[lane] = [], home
        if self._missed[lane] > self._patience:
            self._missed[lane], self._regions[lane] = 0, None
        return Look(frame, None, None)

    def _unless(self, lane: int, rgb: Picture, best: Sighting, other: Sighting) -> Sighting:
        """The best sighting so far, unless the other is clearly better and of the same body."""
        better = best.unless(other)
        return best if better is best or self._known[lane].doubts(rgb, better.seen) else better

    def _turned(self, lane: int, rgb: Picture, best: Sighting) -> Sighting:
        """The sighting, or one into a region turned either way where that is clearly better."""
        for way in (TURNED_RAD, -TURNED_RAD):
            wanted = best.seen.next_region()
            best = self._unless(lane, rgb, best, self._sighting(lane, rgb, replace(wanted, turn=wanted.turn + way)))
        return best

    def _ahead(self, lane: int, wanted: Region) -> Region:
        """The region of the lane's next look: turned on as it has turned from look to look, where it did so twice the same way: a look
        that went astray leads no further."""
        ways = wrapped(np.diff(self._turns[lane]), 2 * np.pi)
        if len(ways) < 2 or ways[0] * ways[1] <= 0:
            return wanted
        way = float(np.sign(ways[1]) * min(np.abs(ways).min(), MOST_AHEAD_RAD))
        return replace(wanted, turn=wanted.turn + way)

    def _sighting(self, lane: int, rgb: Picture, region: Region) -> Sighting:
        return Sighting(region, self._networks[lane].look(rgb, region))

    def _bodies(self, lane: int, rgb: Picture, region: Region) -> tuple[list[Region], list[Region]]:
        """The bodies in the whole picture: those that are the followed one found anew, the nearest first, and others, the surest first."""
        found = [(float(np.hypot(r.x - region.x, r.y - region.y)), r) for _, r in self._found(lane, rgb)]
        same = [(d, r) for d, r in found if d < SAME_BODY * region.side and abs(np.log(r.side / region.side)) < SAME_SIZE]
        others = [r for d, r in found if d >= SAME_BODY * region.side]
        return [r for _, r in sorted(same, key=lambda f: f[0])], others

    def _follows_a_ghost(self, now: Sighting) -> bool:
        """True when what is followed was but a blur all the time: a bench, a jacket on the wall, before the client walked in. One who was
        clicked is none, however much a plate hides of her."""
        if self._shown:
            return False
        blurs = [*self._clear, now.seen.clearness]
        return len(self._clear) == GHOST_LOOKS and float(np.median(blurs)) < CLEAR and now.seen.clearness < CLEAR

    def _rather(self, ghost: Sighting, body: Sighting) -> Sighting:
        seen = body.seen
        return body if seen.presence >= PRESENCE_FLOOR and seen.clearness > float(np.median(self._clear)) + CLEARER else ghost

    def _found(self, lane: int, rgb: Picture) -> list[tuple[float, Region]]:
        """The bodies in the whole picture that may be the client's, and how surely, the surest first."""
        found = [(score, self._client.as_she_lies(r)) for score, r in self._detectors[lane].find(rgb)]
        return [(score, r) for score, r in found if not self._client.stands(r)]

    def _find(self, rgb: Picture) -> None:
        """Fill lanes that have lost the body: from the other lane, else from the clicks or where she lies, else from the whole picture."""
        known = next((r for r in self._regions if r is not None), None)
        if known is None:
            lies = self._client.where() if self._client.lies is not None else None
            known = self._settle(rgb, self._first) or self._settle(rgb, lies) or self._settle(rgb, self._detected(rgb))
        self._turns = [turns if region is not None else [] for turns, region in zip(self._turns, self._regions, strict=True)]
        self._regions = [r or known for r in self._regions]

    def _keep_together(self, lane: int) -> None:
        """Somebody who walks past takes one of the lanes along: the lane that is nearer to where the client was all the time leads.

        Only looks that are told already count, so that it does not hang on which of two threads was quicker.
        """
        own, told = self._regions[lane], self._client.told
        if own is None or not told:
            return
        home = np.median([(r.x, r.y) for r in told], axis=0)
        other = min(told[-2:], key=lambda r: float(np.hypot(*(home - [r.x, r.y]))))
        apart = float(np.hypot(own.x - other.x, own.y - other.y))
        if apart > SAME_BODY * other.side and np.hypot(*(home - [own.x, own.y])) > np.hypot(*(home - [other.x, other.y])):
            self._regions[lane], self._turns[lane] = other, []

    def _tell(self, look: Look) -> Look:
        if look.region is not None and look.seen is not None and look.colours is not None:
            self._client = self._client.with_look(look.region, look.seen, look.colours)
            self._clear.append(look.seen.clearness)
        self._unseen = 0 if look.seen is not None else self._unseen + 1
        if self._unseen > 2 * self._patience:
            self._unseen, self._client, self._shown = 0, self._client.lost(knows_looks=self._first is not None), False
        return look

    def _detected(self, rgb: Picture) -> Region | None:
        """The body nearest to where the client was last (or was clicked); at first the largest, most central one."""
        found = self._found(0, rgb)
        height, width = rgb.shape[:2]

        def weight(found: tuple[float, Region]) -> float:
            score, r = found
            if self._place is not None:
                return -float(np.hypot(r.x - self._place[0], r.y - self._place[1]))
            middle = 1 - 0.5 * float(np.hypot((r.x - width / 2) / width, (r.y - height / 2) / height))
            return r.side * score * middle * leans_as_she_does(r, self._turned_about)

        return max(found, key=weight)[1] if found else None

    def _settle(self, rgb: Picture, region: Region | None) -> Region | None:
        """Look a few times at one picture, so that a rough first region does not cost the first frames."""
        for _ in range(SETTLING_LOOKS):
            if region is None:
                return None
            seen = self._networks[0].look(rgb, region)
            wanted = seen.next_region()
            region = wanted if seen.presence >= PRESENCE_FLOOR and not self._client.stands(wanted) else None
        return region

    def _settle_on_clicks(self, rgb: Picture, region: Region) -> None:
        """Look where the client was clicked, whatever was followed till then."""
        found = self._settle(rgb, region)
        if found is not None:
            self._regions, self._turns = [found, found], [[], []]
            self._client = self._client.clicked(rgb, self._sighting(0, rgb, found).seen)
            self._clear.clear()
            self._shown = True

    def look_now(self, turn: int, number: int, rgb: Picture) -> Look:
        """One look at a picture that has just come; turn: how many were looked at before. The lanes take turns, none waits."""
        lane = turn % 2
        if passed := [frame for frame in self._clicked if frame <= number]:
            self._settle_on_clicks(rgb, self._clicked.pop(max(passed)))
            self._clicked = {f: r for f, r in self._clicked.items() if f > number}
        if self._regions[lane] is None:
            self._find(rgb)
        self._keep_together(lane)
        self._known[lane] = self._client
        return self._tell(self._look(number, lane, rgb))

    def run(self, frames: Iterable[tuple[int, Picture]]) -> Iterator[Look]:
        """One look per frame given, in order."""
        with ThreadPoolExecutor(2) as pool:
            waiting: list[Future[Look]] = []
            for i, (number, rgb) in enumerate(frames):
                lane = i % 2
                if passed := [frame for frame in self._clicked if frame <= number]:
                    while waiting:
                        yield self._tell(waiting.pop(0).result())
                    self._settle_on_clicks(rgb, self._clicked.pop(max(passed)))
                    self._clicked = {f: r for f, r in self._clicked.items() if f > number}
                # a lane's own last look must be finished before its region is read; a lost lane also waits for the other
                while waiting and (len(waiting) == 2 or self._regions[lane] is None):
                    yield self._tell(waiting.pop(0).result())
                if self._regions[lane] is None:
                    self._find(rgb)
                self._keep_together(lane)
                self._known[lane] = self._client
                check = bool(self._plan.check_every) and i % self._plan.check_every == 0
                waiting.append(pool.submit(self._look, number, lane, rgb, check))
            for w in waiting:
                yield self._tell(w.result())


def _afresh(found: Region, region: Region, blurred: bool) -> bool:
    """True when the body is also looked into where it was found anew: it lies askew to the followed region, or showed only a blur there.

    A region that only follows may turn too slowly with a trunk that rises, and then keeps itself askew for a second; a region
    found anew may take a plate for a head. Both are looked into then.
    """
    return blurred or abs(wrapped(found.turn - region.turn, 2 * np.pi)) > MAX_REGION_MISFIT_RAD


def region_misfit(region: Region, seen: Detection) -> float:
    """How far what was seen in a region asks for another one: a body looked at rightly stays where it is looked for."""
    wanted = seen.next_region()
    shift = float(np.hypot(wanted.x - region.x, wanted.y - region.y)) / region.side
    turn = float(wrapped(wanted.turn - region.turn, 2 * np.pi))
    return shift + abs(float(np.log(wanted.side / region.side))) + abs(turn)
