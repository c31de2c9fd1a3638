"""Who of several people in a film is the client: the one who lifts.

The first picture tells only who stands largest and nearest its middle, which may be somebody who waits behind one who lies or sits.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.core.views import TrunkTurn
from deepmirror.pose.evidence import Evidence, shank_px
from deepmirror.pose.network import Region

Array = NDArray[np.float64]

OFTEN = 0.25  # of the looks in which another body showed at one place: less is somebody who walks past; our own choice
ONE_PLACE = 0.3  # of a region's side: bodies found nearer to one another are one; our own choice
MORE = 1.4  # times as much another must move to be the client; our own choice
# A body found turned so much otherwise than her movement turns her counts less by two fifths: thirteen clients of presses were found 24
# to 59 degrees turned back, who stands by is not; and who is turned further than counts a third is not she. Our own choice.
LEANS_RAD, LEAST_LIKE = np.radians(25.0), 1 / 3
BODY = ("shoulder", "hip", "knee", "ankle", "toe")


def motion(evidence: Evidence) -> float:
    """How far two joints of one side move against one another at most (10th to 90th percentile of their way), in shanks; 0 where hardly
    anything was seen. Against one another, because a camera that pans moves all of a body that stands still."""
    seen = np.isfinite(evidence.network[:, 0, 0])
    if seen.sum() < 4:
        return 0.0
    sides = [evidence.network[seen][:, [evidence.names.index(sided(j, s)) for j in BODY]] for s in SIDES]
    apart = np.concatenate([points[:, i] - points[:, j] for points in sides for i, j in combinations(range(len(BODY)), 2)], axis=1)
    low, high = np.percentile(apart, [10, 90], axis=0)
    return float(np.linalg.norm((high - low).reshape(-1, 2), axis=1).max()) / shank_px(evidence.network, evidence.names)


def leans_as_she_does(found: Region, lies: TrunkTurn | None) -> float:
    """How well (0 to 1) a body's turn goes with how her movement turns her trunk; 1 where it turns it no certain way."""
    return 1.0 if lies is None else float(np.exp(-0.5 * (wrapped(found.turn - lies.turn, 2 * np.pi) / LEANS_RAD) ** 2))


def somebody_else(elsewhere: Sequence[Region], looks: int, lies: TrunkTurn | None = None) -> Region | None:
    """Where another body than the followed one showed most often that may be the client's; None where none did often. looks: how many
    there were; lies: how her movement turns her trunk."""
    elsewhere = [r for r in elsewhere if leans_as_she_does(r, lies) > LEAST_LIKE]
    if len(elsewhere) < OFTEN * looks:
        return None
    places = np.array(sorted((r.x, r.y, r.side, r.turn) for r in elsewhere))
    near = np.linalg.norm(places[:, None, :2] - places[None, :, :2], axis=2) < ONE_PLACE * places[:, 2]
    most = int(near.sum(axis=0).argmax())
    if near[:, most].sum() < OFTEN * looks:
        return None
    x, y, side, turn = np.median(places[near[:, most]], axis=0)
    return Region(float(x), float(y), float(side), float(turn))


def lifts_more(other: Evidence, followed: Evidence) -> bool:
    """True when another one is the client rather than who was followed; who is seen in a mirror lifts as much, and no more."""
    return motion(other) > MORE * motion(followed)
