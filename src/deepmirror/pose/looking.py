"""Looking a film over with the network: what its looks tell, as evidence.

Frames come from the caller as iterables of pictures, so this module knows nothing of files.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import ALL_POINTS
from deepmirror.core.views import TrunkTurn
from deepmirror.errors import BadFilm
from deepmirror.pose.back_outline import SHARES, back_in_picture
from deepmirror.pose.evidence import DISAGREEMENT_SHARE, Evidence, shank_px, usual_network_sigma
from deepmirror.pose.joint_centres import CentreReader
from deepmirror.pose.leg_swaps import exchange_legs, fix_side_swaps
from deepmirror.pose.network import COLUMNS, Region, region_around
from deepmirror.pose.pose_tracker import Plan, PoseTracker

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]
Tick = Callable[[int], None]

# In 1,480 looks at 99 open films joints lay 0.06 to 0.10 of a body unit off (median) where the map held them to be with 0.5 or more,
# 0.1 to 0.2 with 0.4, 0.2 to 0.3 with 0.3, 0.2 to 2.5 with 0.2, 0.4 to 2.2 below: what plates and the picture's edge hide is guessed.
SURE, GROWS = 0.55, 6.0  # from where on a point is believed in full; growth of the logarithm of its doubt below it


def look(
    frames: Iterable[tuple[int, Picture]],
    times: Array,
    plan: Plan,
    clicked: dict[int, dict[str, tuple[float, float]]],
    tick: Tick,
    subject: tuple[float, float] | None = None,
    mirrored: bool = False,
    elsewhere: list[Region] | None = None,
    begin: Region | None = None,
    back: tuple[str, float] | None = None,
    lies: TrunkTurn | None = None,
    reader: CentreReader | None = None,
) -> Evidence:
    """Network positions of all body points over a film; frames gives (number, picture) of the frames to look at.

    clicked: frame -> clicked points (px) that show where the body is there; subject: a click (px) on the one to follow where several
    people are in view; mirrored: every second look is into a mirror; elsewhere: takes the other bodies that were seen; begin: where the
    body is looked for in the first picture; back: the near side and where the back lies (see back_outline), where its outline is to be
    seen; lies: see PoseTracker; reader: reads the joints' centres. Raises BadFilm when no body was ever seen.
    """
    names = list(ALL_POINTS)
    network, second = (np.full((len(times), len(names), 2), np.nan) for _ in range(2))
    centre, doubt = np.full(network.shape, np.nan), np.full(network.shape, np.inf)
    outline, sure = np.full((len(times), len(SHARES), 2), np.nan), np.full(network.shape[:2], np.nan)
    regions = {frame: region for frame, points in clicked.items() if (region := region_around(points)) is not None}
    tracker = PoseTracker(plan, regions if begin is None else {0: begin} | regions, subject, mirrored, lies, reader)
    for found in tracker.run(frames):
        if found.frame >= len(times):
            continue
        if found.seen is not None:
            network[found.frame], sure[found.frame] = found.seen.points[COLUMNS], found.seen.sureness[COLUMNS]
            if found.centres is not None:
                centre[found.frame], doubt[found.frame] = found.centres.move, found.centres.sigma
            if back is not None:
                outline[found.frame] = back_in_picture(found.seen, *back)
        if found.checked is not None:
            second[found.frame] = found.checked.points[COLUMNS]
        tick(found.frame)
    if elsewhere is not None:
        elsewhere += tracker.elsewhere
    if not np.isfinite(network).any():
        raise BadFilm("Nobody could be seen in this film. Check that the whole body is in the picture, or click its joints on one frame.")
    evidence = looks_as_evidence(times, names, network, second, sure, (centre, doubt) if reader is not None else None)
    return evidence if back is None else replace(evidence, back=outline)


def looks_as_evidence(
    times: Array, names: list[str], network: Array, second: Array, sure: Array, read: tuple[Array, Array] | None = None
) -> Evidence:
    """What the looks alone say; network, second (T, P, 2) px, sure (T, P) 0..1 (see Detection.sureness), NaN where nobody looked; read:
    centres and their sigma (see Evidence). The network's, how sure, and what was read are changed in place."""
    swapped = fix_side_swaps(network, names)
    for values in (sure, *(read or ())):
        exchange_legs(values, names, swapped)
    shank = shank_px(network, names)
    sigma = np.hypot(usual_network_sigma(names, shank), DISAGREEMENT_SHARE * disagreement(network, second)) * unsureness(sure)
    seen = Evidence(times, names, network, np.where(np.isfinite(network[..., 0]), sigma, np.inf))
    return seen if read is None else replace(seen, centre=read[0], centre_sigma=read[1])


def unsureness(sure: Array) -> Array:
    """Times the usual doubt of points that the network's own map holds to be there so surely; NaN counts as sure."""
    return np.asarray(np.exp(GROWS * np.maximum(SURE - np.nan_to_num(sure, nan=SURE), 0)))


def disagreement(network: Array, second: Array) -> Array:
    """Distance (T, P) px between two networks, bridged between the frames both saw; 0 where only one looked."""
    both = np.isfinite(second[:, 0, 0]) & np.isfinite(network[:, 0, 0])
    out = np.zeros(network.shape[:2])
    if both.sum() < 3:
        return out
    frames = np.arange(len(network))
    away = np.linalg.norm(network[both] - second[both], axis=2)
    usual = np.median(away, axis=0)  # two networks may place a joint differently throughout: that is no doubt of one frame
    for p in range(network.shape[1]):
        out[:, p] = np.interp(frames, frames[both], np.maximum(away[:, p] - usual[p], 0))
    return out
