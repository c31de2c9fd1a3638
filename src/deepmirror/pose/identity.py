"""Who the client is among all who are in the picture: where she was seen, how she lies, and what she looks like."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.pose.appearance import Appearance, as_clicked, colours
from deepmirror.pose.network import NETWORK_INDEX, Detection, Region

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

HOME_LOOKS = 60  # about eight seconds: longer than anybody takes to walk past; our own choice
FROM_LEVEL_RAD = np.radians(50.0)  # a trunk turned further from level is not one that lies, however askew it is seen; our own choice
# Who lies stays where she lies; the network's look slides from her to one who stands behind her, further with each. Our own choice.
SETTLED_LOOKS = 5  # so often seen it is known where she lies
HOME_SHARE, HOME_SIZE, HOME_RAD = 0.25, 0.25, np.radians(30.0)  # of the region's side, of its logarithm, and turned: further off is not her
CLEAR = 0.5  # a look that shows but a blur (a bench, a jacket before she walked in) tells nothing of how she looks; our own choice
STAYS_SHARE = 0.08  # of the region's side: one who lifts has her hips or her ankles where they were; our own choice
HIPS, ANKLES = ([NETWORK_INDEX[sided(joint, side)] for side in SIDES] for joint in ("hip", "ankle"))


@dataclass(frozen=True)
class Client:
    """What is known of her from the looks so far.

    lies: she lies throughout, her region turned about so (rad). told: where she was looked for lately. last: what was last seen that
    looked like her. Frozen, so that a look knows the same of her whichever of two threads was quicker.
    """

    lies: float | None = None
    appearance: Appearance = field(default_factory=Appearance)
    told: tuple[Region, ...] = ()
    last: Detection | None = None

    def with_look(self, region: Region, seen: Detection, now: Array) -> Client:
        """One more look, into a region; now: the colours (K, 3) she had there."""
        told = (*self.told, region)[-HOME_LOOKS:]
        if seen.clearness < CLEAR:
            return replace(self, told=told)
        last = self.last if self.appearance.unlike(now) else seen
        return replace(self, appearance=self.appearance.with_look(now), told=told, last=last)

    def clicked(self, rgb: Picture, seen: Detection) -> Client:
        """She was clicked in a picture, where this was seen: that is her, whatever was followed till then."""
        return Client(self.lies, as_clicked(colours(rgb, seen)), (), seen)

    def lost(self, knows_looks: bool) -> Client:
        """Not seen for long: she may be elsewhere, or it was another one; knows_looks: what she looks like was clicked and stays."""
        return Client(self.lies, self.appearance if knows_looks else Appearance())

    def as_she_lies(self, found: Region) -> Region:
        """A region found anew as she lies: of a small body that lies the detector takes the feet for the head."""
        return replace(found, turn=found.turn + np.pi) if self._askew(found) > np.pi - FROM_LEVEL_RAD else found

    def stands(self, region: Region) -> bool:
        """True of somebody who stands where she lies, and of a body that is none, as its head lies where her feet must."""
        return bool(self._askew(region) > FROM_LEVEL_RAD)

    def where(self) -> Region | None:
        """Where she lies, else where she was last seen for sure; None before she was."""
        if self.lies is not None:
            return middle(self.told) if self.told else None
        return self.last.next_region() if self.last is not None else None

    def doubts(self, rgb: Picture, seen: Detection) -> bool:
        """True of a body that does not lie where she lies, or does not look like her."""
        return self._away(seen.next_region()) if self.lies is not None else self.appearance.unlike(colours(rgb, seen), self._moved(seen))

    def is_not(self, seen: Detection) -> bool:
        """True of a doubted body that may not be hers: hers may look otherwise for a moment, but then it is where it was. Where nothing is
        known of that, as she was not seen for long, it may be hers in another light."""
        return self.lies is not None or self._moved(seen)

    def _moved(self, seen: Detection) -> bool:
        """True of a body that is not where she was last seen for sure."""
        return self.last is not None and not same_place(self.last, seen)

    def _askew(self, region: Region) -> float:
        """How far a region is turned from how she lies, rad; 0 where nobody lies."""
        return 0.0 if self.lies is None else abs(float(wrapped(region.turn - self.lies, 2 * np.pi)))

    def _away(self, wanted: Region) -> bool:
        if len(self.told) < SETTLED_LOOKS:
            return False
        home = middle(self.told)
        shift = float(np.hypot(wanted.x - home.x, wanted.y - home.y)) / home.side
        turn = abs(float(wrapped(wanted.turn - home.turn, 2 * np.pi)))
        return shift > HOME_SHARE or abs(float(np.log(wanted.side / home.side))) > HOME_SIZE or turn > HOME_RAD


def middle(told: Iterable[Region]) -> Region:
    """The middle of some regions."""
    return Region(*np.median([(r.x, r.y, r.side, r.turn) for r in told], axis=0).tolist())


def same_place(last: Detection, now: Detection) -> bool:
    """True when hips or ankles are where they were, as of one who lifts; of one who stands behind her they are not."""
    reach = STAYS_SHARE * last.next_region().side
    return any(float(np.hypot(*(now.points[k].mean(axis=0) - last.points[k].mean(axis=0)))) < reach for k in (HIPS, ANKLES))
