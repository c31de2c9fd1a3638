"""What was seen of each point in each frame, before anything is concluded from it."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.skeleton import CARRIERS, SEGMENTS, SIDES, sided, split
from deepmirror.errors import BadEvidence
from deepmirror.files import write_whole
from deepmirror.pose.leg_swaps import exchange
from deepmirror.words import say

Array = NDArray[np.float64]


MOVED_PX = 0.01  # a point that lies further from where it was has been put elsewhere
# Spread of the heavy network on clear films after its offset is removed, as a share of the shank (our own bench).
NETWORK_SIGMA_SHARE = {
    "ear": 0.02,
    "shoulder": 0.04,
    "elbow": 0.06,
    "wrist": 0.06,
    "hip": 0.035,
    "knee": 0.025,
    "ankle": 0.03,
    "heel": 0.035,
    "toe": 0.04,
}
DISAGREEMENT_SHARE = 0.7  # of two networks' distance, taken as a sigma
WHOLE_FILM = ("learned", "turn", "turn_sigma", "turn_since", "roll")  # arrays of Evidence whose rows are not frames
TURNING = ("trunk", "thigh", "shank", "foot")  # segments whose turn is seen on them as a whole


@dataclass(frozen=True)
class Keyframe:
    """Points placed by hand on one frame: name -> (x, y) px, with the hand's own noise; narrow: name -> what is left of that noise
    across the segment that carries the point, px, where something else told the segment's direction."""

    frame: int
    points: dict[str, tuple[float, float]]
    sigma_px: float = 2.0
    narrow: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Evidence:
    """All observations of one film; nothing is concluded from them yet.

    times (T,) presentation times, s; names: P point names, both sides always.
    network (T, P, 2) px, NaN where nothing was looked at or found; network_sigma (T, P) px.
    step (T, P, 2): movement from frame t-1 to t, px; step_sigma (T, P) px, inf where not measured.
    match (T, P, 2): place of the best keyframe patch's centre, px; match_sigma (T, P) px, inf where not found;
    match_key (T, P): index into `learned` of the patch that fitted.
    learned (K, 2 + 3): keyframe number, point number, and centre x, y (px) and carrier turn (rad) of each learned patch.
    room (T, 2, 3): where the still room of frame 0 lies in each frame (affine, px); empty for a camera that stands still.
    stack (T,): how far the weight stack has risen, px, NaN where hidden; empty where none was clicked.
    platform (T, 2, 3): where a sled's platform of frame 0 lies in each frame (affine, px), and how surely, platform_sigma (T,) px; empty
    where none was followed.
    plate (T, 2): centre of the near plate of a bar, px, NaN where not seen; empty where nobody looked; plate_radius (T,): half its height,
    px; may be empty.
    turn (K, T, S): how far each of TURNING has turned clockwise since the keyframes turn_since (K,), rad, NaN where not seen, and
    its turn_sigma (K, T, S) rad, inf there; empty where nothing was clicked.
    sole (T,): direction from heel to toe as the near sole's edge tells it, rad, NaN where not clear or not looked for; may be empty.
    back (T, K, 2): where the body ends behind the line from hip to shoulder (see back_outline), px, NaN where nobody looked or nothing
    ends; may be empty.
    resting (T, P, 2): where the network saw a foot that stands, or would have seen it (see resting_feet), px, NaN
    everywhere else; may be empty.
    centre (T, P, 2): where each joint's centre lies from the network's point as the picture around it tells (see joint_centres), px, and
    centre_sigma (T, P, 2): how surely along and across, px; NaN and inf where nobody read; may be empty.
    roll (2,): how far frame 0 is rolled clockwise against the room, and its standard deviation, rad; empty where no edges tell.
    """

    times: Array
    names: list[str]
    network: Array
    network_sigma: Array
    step: Array = field(default_factory=lambda: np.empty(0))
    step_sigma: Array = field(default_factory=lambda: np.empty(0))
    match: Array = field(default_factory=lambda: np.empty(0))
    match_sigma: Array = field(default_factory=lambda: np.empty(0))
    match_key: Array = field(default_factory=lambda: np.empty(0))
    learned: Array = field(default_factory=lambda: np.empty((0, 5)))
    room: Array = field(default_factory=lambda: np.empty((0, 2, 3)))
    stack: Array = field(default_factory=lambda: np.empty(0))
    platform: Array = field(default_factory=lambda: np.empty((0, 2, 3)))
    platform_sigma: Array = field(default_factory=lambda: np.empty(0))
    plate: Array = field(default_factory=lambda: np.empty((0, 2)))
    plate_radius: Array = field(default_factory=lambda: np.empty(0))
    turn: Array = field(default_factory=lambda: np.empty((0, 0, len(TURNING))))
    turn_sigma: Array = field(default_factory=lambda: np.empty((0, 0, len(TURNING))))
    turn_since: Array = field(default_factory=lambda: np.empty(0))
    sole: Array = field(default_factory=lambda: np.empty(0))
    back: Array = field(default_factory=lambda: np.empty((0, 0, 2)))
    resting: Array = field(default_factory=lambda: np.empty((0, 0, 2)))
    centre: Array = field(default_factory=lambda: np.empty((0, 0, 2)))
    centre_sigma: Array = field(default_factory=lambda: np.empty((0, 0, 2)))
    roll: Array = field(default_factory=lambda: np.empty(0))

    def __post_init__(self) -> None:
        shape = self.network.shape
        for points, sigma in (("step", "step_sigma"), ("match", "match_sigma")):
            if getattr(self, points).size == 0:
                object.__setattr__(self, points, np.full(shape, np.nan))
                object.__setattr__(self, sigma, np.full(shape[:2], np.inf))
        if self.match_key.size == 0:
            object.__setattr__(self, "match_key", np.full(shape[:2], -1.0))

    def save(self, path: Path) -> None:
        """Write everything as one compressed NumPy file (an open format), whole or not at all. Raises OSError."""
        data = {k: v.astype(np.float32) for k, v in vars(self).items() if k not in ("names", "times", "learned")}
        known = {"times": self.times, "names": np.array(self.names), "learned": self.learned}
        write_whole(path, lambda file: np.savez_compressed(file, allow_pickle=False, **known, **data))

    @classmethod
    def load(cls, path: Path) -> Evidence:
        """Read it back. Raises BadEvidence when the file is torn, or is not what `save` writes."""
        try:
            with path.open("rb") as file, np.load(file, allow_pickle=False) as data:
                rest = {k: data[k].astype(float) for k in data.files if k not in ("names", "times", "allow_pickle")}
                found = cls(times=data["times"].astype(float), names=[str(n) for n in data["names"]], **rest)
        except (OSError, ValueError, KeyError, TypeError, EOFError, zipfile.BadZipFile, zlib.error) as error:
            raise BadEvidence(
                say("What was seen in the film cannot be read back ({name__}); it is looked at again.", name__=type(error).__name__)
            ) from error
        found.check()
        return found

    def check(self) -> None:
        """Raises BadEvidence when the arrays do not belong together."""
        frames, count = len(self.times), len(self.names)
        of_points = (self.network_sigma, self.step_sigma, self.match_sigma, self.match_key)
        whole = all(a.shape == (frames, count) for a in of_points)
        whole &= all(a.shape == (frames, count, 2) for a in (self.network, self.step, self.match))
        of_film = (self.room, self.stack, self.plate, self.plate_radius, self.sole, self.platform, self.platform_sigma, self.back)
        whole &= all(len(a) in (0, frames) for a in of_film)
        whole &= self.turn.shape == self.turn_sigma.shape and len(self.turn) == len(self.turn_since) and self.turn.shape[1] in (0, frames)
        whole &= self.roll.shape in ((0,), (2,)) and self.centre.shape == self.centre_sigma.shape
        whole &= all(not len(a) or a.shape == (frames, count, 2) for a in (self.resting, self.centre))
        if not whole or frames < 2 or not np.all(np.diff(self.times) > 0):
            raise BadEvidence("What was seen in the film does not belong together; it is looked at again.")

    def only(self, names: list[str]) -> Evidence:
        """The evidence on some of the points; names that were not seen come back empty."""
        at = [self.names.index(n) if n in self.names else -1 for n in names]

        def pick(values: Array, empty: float) -> Array:
            out = np.array(values[:, at])
            out[:, [i for i, k in enumerate(at) if k < 0]] = empty
            return out

        number = {p: i for i, p in enumerate(at) if p >= 0}
        learned = self.learned.copy()
        for row in learned:
            row[1] = number.get(int(row[1]), -1)
        return replace(
            self,
            names=list(names),
            network=pick(self.network, np.nan),
            network_sigma=pick(self.network_sigma, np.inf),
            step=pick(self.step, np.nan),
            step_sigma=pick(self.step_sigma, np.inf),
            match=pick(self.match, np.nan),
            match_sigma=pick(self.match_sigma, np.inf),
            match_key=pick(self.match_key, -1.0),
            resting=pick(self.resting, np.nan) if len(self.resting) else self.resting,
            centre=pick(self.centre, np.nan) if len(self.centre) else self.centre,
            centre_sigma=pick(self.centre_sigma, np.inf) if len(self.centre) else self.centre_sigma,
            learned=learned,
        )

    def with_network(self, network: Array, sigma: Array) -> Evidence:
        """The network's points put elsewhere (T, P, 2) px, or taken away (NaN): what was read of a centre beside the old place says nothing
        of the new one."""
        if not len(self.centre):
            return replace(self, network=network, network_sigma=sigma)
        with np.errstate(invalid="ignore"):
            stays = np.abs(network - self.network).max(axis=2, keepdims=True) <= MOVED_PX
        centre, doubt = np.where(stays, self.centre, np.nan), np.where(stays, self.centre_sigma, np.inf)
        return replace(self, network=network, network_sigma=sigma, centre=centre, centre_sigma=doubt)

    def between(self, first: int, last: int) -> Evidence:
        """The part of the film from frame `first` to before `last`; patches learned and turns begun outside it come to nothing."""
        whole, part = len(self.times), slice(first, last)
        rows = [k for k, v in vars(self).items() if isinstance(v, np.ndarray) and k not in WHOLE_FILM and len(v) == whole]
        cut: dict[str, Any] = {k: getattr(self, k)[part] for k in rows}
        learned = self.learned.copy()
        learned[:, 0] -= first
        learned[(learned[:, 0] < 0) | (learned[:, 0] >= last - first), 1] = -1
        kept = (self.turn_since >= first) & (self.turn_since < last)
        cut |= {"turn": self.turn[kept][:, part], "turn_sigma": self.turn_sigma[kept][:, part], "turn_since": self.turn_since[kept] - first}
        return replace(self, **cut, learned=learned)

    def swapped(self, ranges: list[tuple[int, int]]) -> Evidence:
        """Left and right of the network exchanged over frame ranges (inclusive), where it took one leg for the other."""
        rows = np.zeros(len(self.times), bool)
        for first, last in ranges:
            rows[first : last + 1] ^= True
        pairs = [(i, self.names.index(sided(split(n)[0], "right"))) for i, n in enumerate(self.names) if split(n)[1] == "left"]
        return self.exchanged(rows, pairs)

    def exchanged(self, rows: NDArray[np.bool_], pairs: Sequence[tuple[int, ...]]) -> Evidence:
        """Pairs of the network's points exchanged, with all that was read beside them, in the frames of rows (T,)."""
        out = {k: getattr(self, k).copy() for k in ("network", "network_sigma", "centre", "centre_sigma")}
        for values in out.values():
            if len(values):
                exchange(values, rows, pairs)
        return replace(self, **out)


# Segment that carries a clicked point which has no side; None: it moves with a joint and does not turn.
FREE_CARRIERS: dict[str, str | None] = {"mid_back": "trunk", "low_back": "trunk", "waistband": "trunk", "roller": "shank", "bar": None}


def filled(points: Array) -> Array:
    """(T, P, 2) with gaps bridged in time; a point never seen lies in the middle of what was."""
    out = points.copy()
    frames = np.arange(len(out))
    seen = np.isfinite(out)
    middle = np.array([out[..., k][seen[..., k]].mean() if seen[..., k].any() else 0.0 for k in range(2)])
    for p in range(out.shape[1]):
        for k in range(2):
            good = seen[:, p, k]
            if not good.all():
                out[:, p, k] = np.interp(frames, frames[good], out[good, p, k]) if good.any() else middle[k]
    return out


def steady(points: Array, half: int = 2) -> Array:
    """Running median over 2 half + 1 frames of positions (T, P, 2), gaps bridged: more than one noisy look."""
    whole = filled(points)
    padded = np.pad(whole, ((half, half), (0, 0), (0, 0)), mode="edge")
    return np.asarray(np.median(np.stack([padded[k : k + len(whole)] for k in range(2 * half + 1)]), axis=0))


def rotate(v: Array, angle: Array | float) -> Array:
    """Vectors (..., 2) turned clockwise on the screen by an angle (rad)."""
    c, s = np.cos(angle), np.sin(angle)
    return np.stack([c * v[..., 0] - s * v[..., 1], s * v[..., 0] + c * v[..., 1]], axis=-1)


def directions(points: Array, names: list[str]) -> Array:
    """Direction (rad) of the two carrying segments of each point: (T, P, 2), NaN where there is none.

    points: (T, P, 2) px.
    """
    index = {n: i for i, n in enumerate(names)}
    out = np.full((points.shape[0], len(names), 2), np.nan)
    near = next((split(n)[1] for n in names if split(n)[1] is not None), None)
    for i, name in enumerate(names):
        joint, side = split(name)
        carriers = CARRIERS.get(joint, ())
        if name in FREE_CARRIERS:  # a clicked point turns with the near side's segment, and a bar does not turn
            segment_of_it, side = FREE_CARRIERS[name], near
            carriers = (segment_of_it,) if segment_of_it else ()
            out[:, i, 0] = 0.0
        for k, segment in enumerate(carriers):
            a, b = (index.get(sided(j, side or "")) for j in SEGMENTS[segment])
            if a is not None and b is not None:
                d = points[:, b] - points[:, a]
                out[:, i, k] = np.arctan2(d[:, 1], d[:, 0])
    return out


def carrier_turns(points: Array, names: list[str]) -> Array:
    """Direction (T, P) rad that offsets of a point turn with: its first carrier's; 0 where nothing carries it.

    Of the two carriers and their mean the first keeps offsets steadiest (our bench). An arm that points at the camera has
    no steady direction, so elbows and wrists do not turn.
    """
    turns = directions(points, names)[..., 0]
    out = np.where(np.isfinite(turns), turns, 0.0)
    out[:, [i for i, n in enumerate(names) if split(n)[0] in ("elbow", "wrist")]] = 0.0
    return np.asarray(out)


def usual_network_sigma(names: list[str], shank: float) -> Array:
    """Spread (P,) px of the network's looks at points that show well; of marks, which it does not know, a whole shank."""
    return np.array([NETWORK_SIGMA_SHARE.get(split(n)[0], 1.0) * shank for n in names])


def shank_px(points: Array, names: list[str]) -> float:
    """Length of the shank in the picture (px): the 90th percentile over frames and sides, robust to foreshortening."""
    lengths = []
    for side in SIDES:
        if f"knee_{side}" in names and f"ankle_{side}" in names:
            d = points[:, names.index(f"knee_{side}")] - points[:, names.index(f"ankle_{side}")]
            lengths.append(np.linalg.norm(d, axis=1))
    if not lengths:
        return 100.0
    return float(np.nanpercentile(np.concatenate(lengths), 90))
