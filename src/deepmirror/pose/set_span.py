"""Which part of a film is the set: the client in her place and whole in the picture.

Somebody who walks in, is cut off by the picture's edge or walks out does nothing that may shape what is concluded of the set: not
her scale, not her shank, not the camera, and no step of hers is a rep.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.skeleton import SIDES, sided
from deepmirror.pose.evidence import Evidence, Keyframe, shank_px, steady
from deepmirror.pose.film_setting import FilmSetting

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]

BODY = ("shoulder", "hip", "knee", "ankle")
CUT_MARGIN = 0.01  # of the longer picture side: nearer the edge than that a joint is cut off
FRAMED_SO = 0.5  # of the frames cut off: the film is framed like that, which is another matter
# Of the shank: how far from her place she may be. Standing feet stay; the hips of one who lies or sits travel in some machines.
AWAY_STANDING, AWAY_OTHER = 0.6, 1.6
SAME_SIZE, OTHER_SIZE = (
    0.06,
    0.13,
)  # of the shoulders' breadth; in sets from front and rear it stays within 0.06 (9 films of the lot and of others)
BRIDGED_S = 1.0  # gaps shorter than this are a slip of the network
HIDDEN_S, LONG_S = 2.5, 1.5  # so are longer ones between stretches as long as this: something hid her; our own choice
LEAST_S, LEAST_SHARE = 2.5, 0.15  # less than this is no set: the whole film is taken


def set_span(evidence: Evidence, keys: list[Keyframe], setting: FilmSetting) -> tuple[int, int]:
    """First frame of the set and the one after its last. evidence: of the whole film."""
    whole = (0, len(evidence.times))
    calm = steady(evidence.network)
    larger = _larger(calm, evidence.names, setting)
    here = ~_cut_off(calm, evidence.names, setting) & _in_place(calm, evidence, setting) & (np.abs(larger) < OTHER_SIZE)
    for key in keys:
        here[min(key.frame, len(here) - 1)] = True
    if here.all():
        return whole
    runs = _runs(here, evidence.times)
    first, last = max(runs, key=lambda run: evidence.times[run[1] - 1] - evidence.times[run[0]])
    first, last = _when_she_stands(first, last, larger)
    first, last = min([first, *(k.frame for k in keys)]), max([last, *(k.frame + 1 for k in keys)])
    first, last = max(first, 0), min(last, whole[1])
    lasts = float(evidence.times[last - 1] - evidence.times[first])
    return whole if lasts < max(LEAST_S, LEAST_SHARE * float(evidence.times[-1] - evidence.times[0])) else (first, last)


def _cut_off(calm: Array, names: list[str], setting: FilmSetting) -> Mask:
    """(T,) frames in which a joint of hers lies outside the picture; none where the film is framed so."""
    sides = SIDES if setting.near is None else (setting.near,)
    at = calm[:, [names.index(sided(j, s)) for j in BODY for s in sides]]
    margin, (width, height) = CUT_MARGIN * max(setting.size), setting.size
    inside = (at > margin - 1) & (at < np.array([width, height]) - margin)
    out: Mask = np.asarray(~inside.all(axis=(1, 2)))
    return out if out.mean() < FRAMED_SO else np.zeros(len(out), bool)


def _in_place(calm: Array, evidence: Evidence, setting: FilmSetting) -> Mask:
    """(T,) frames in which she is where she is most of the time."""
    if setting.movement.steps:
        return np.ones(len(calm), bool)
    still = compensate_camera_motion(calm, evidence.room) if len(evidence.room) else calm
    joint = "ankle" if setting.movement.standing else "hip"
    sides = SIDES if setting.near is None else (setting.near,)  # the far leg may be seen anywhere behind the near one
    place = np.mean([still[:, evidence.names.index(sided(joint, s))] for s in sides], axis=0)
    shank = shank_px(calm, evidence.names)
    reach = shank * (AWAY_STANDING if setting.movement.standing else AWAY_OTHER)
    return np.asarray(np.linalg.norm(place - _dwelling(place, reach), axis=1) < reach)


def _larger(calm: Array, names: list[str], setting: FilmSetting) -> Array:
    """By what share one who stands before the camera is larger (T,) than most of the time: in the set her shoulders keep their breadth,
    but not while she walks up or away. 0 from the side, where they do not show, and for one who sits or lies."""
    if setting.near is not None or not setting.movement.standing:
        return np.zeros(len(calm))
    left, right = (calm[:, names.index(sided("shoulder", s))] for s in SIDES)
    breadth = np.linalg.norm(left - right, axis=1)
    usual = float(np.median(breadth))
    return np.zeros(len(calm)) if usual <= 0 else np.asarray(breadth / usual - 1)


def _when_she_stands(first: int, last: int, larger: Array) -> tuple[int, int]:
    """A stretch without the last steps of one who walks up and the first of one who walks away: she is as large as in the set at both of
    its ends, unless the film begins or ends there."""
    stands = np.flatnonzero(np.abs(larger[first:last]) < SAME_SIZE)
    if not len(stands):
        return first, last
    return first + int(stands[0]) if first > 0 else first, first + int(stands[-1]) + 1 if last < len(larger) else last


def _dwelling(places: Array, reach: float) -> Array:
    """The place (2,) that most of places (T, 2) lie near."""
    tried = places[:: max(1, len(places) // 60)]
    count = (np.linalg.norm(places[None] - tried[:, None], axis=2) < reach).sum(axis=1)
    best = tried[int(count.argmax())]
    return np.asarray(np.median(places[np.linalg.norm(places - best, axis=1) < reach], axis=0))


def _runs(here: Mask, times: Array) -> list[tuple[int, int]]:
    """Stretches (first, after last) of marked frames, with short gaps bridged."""
    edges = np.flatnonzero(np.diff(np.r_[False, here, False].astype(int)))
    out: list[tuple[int, int]] = []
    for first, last in zip(edges[::2], edges[1::2], strict=True):
        gap = times[first] - times[out[-1][1] - 1] if out else np.inf
        both = min(times[last - 1] - times[first], times[out[-1][1] - 1] - times[out[-1][0]]) if out else 0.0
        if gap < (HIDDEN_S if both >= LONG_S else BRIDGED_S):
            out[-1] = (out[-1][0], int(last))
        else:
            out.append((int(first), int(last)))
    return out or [(0, len(here))]
