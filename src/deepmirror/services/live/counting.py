"""Counting reps while they are lifted: the definitions of `core.motion.reps`, on what was seen until now."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.motion.picture_angles import picture_signal
from deepmirror.core.motion.reps import Rep, find_reps, smoothing_cutoff
from deepmirror.core.skeleton import SIDES, near_side, points_for, sided
from deepmirror.core.trajectories import Series
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import shank_px, steady
from deepmirror.pose.leg_swaps import fix_side_swaps
from deepmirror.services.films.repetitions import LEAST_TRAVEL_CM, took_a_step

Array = NDArray[np.float64]

WINDOW_S = 40.0  # how far back is looked at each time: longer than a slow rep and its neighbours; our own choice
CUTOFF_S = 1.0  # between two choices of the smoothing, which take as long as the rest; our own choice
SETTLED_S = 0.08  # a rep's end this far in the past no longer moves by what comes; our own choice
STALE_S = 1.5  # what was no rep for so long after it ended is none; our own choice
SAME_REP_S = 0.3  # a rep found again a little elsewhere is the one that was told; our own choice
BACK_SHARE, BACK_OF_HALVES = 0.6, 0.8  # of its way a rep must have gone back to have ended; with half reps inside; our own choice
# A joint that is bent further was not seen on a body: a knee bends by 135 to 150 degrees, with the heel at the buttock by 160 (American
# Academy of Orthopaedic Surgeons, joint motion, from memory).
MOST_DEG = 160.0
REP_SHARE, TIME_SHARE = 0.35, 0.25  # of the usual range and time of the reps told: less is a sway or a slip; our own choice


@dataclass
class LiveCount:
    """Reps of one set as they end. names: the network's points in the order they are given; view and pattern as in the brief."""

    movement: Movement
    view: str
    names: list[str]
    pattern: str | None = None
    told: list[Rep] = field(default_factory=list)
    _signal: tuple[Array, Array] = (np.zeros(1), np.zeros(1))
    _ankle: Array = field(default_factory=lambda: np.zeros((1, 2)))
    _hip: Array = field(default_factory=lambda: np.zeros((1, 2)))
    _shank: float = 1.0
    _cutoff: tuple[float, float | None] = (-np.inf, None)  # when the smoothing was worked out last, and its cut-off

    def closed(self, times: Array, network: Array, over: bool = False, travel: Series | None = None) -> list[Rep]:
        """Reps that have ended since the last call. times (T,) s of all frames until the last look; network (T, P, 2) px, NaN where
        nobody looked; over: nothing follows, so that what has ended by now has ended; travel: a sled's way, cm, which counts instead of
        the body."""
        if len(times) < 8:
            return []
        first = int(np.searchsorted(times, times[-1] - WINDOW_S))
        if travel is not None:
            found = self._reps_of_sled(times[first:], travel)
        else:
            found = [rep for rep in self.reps(times[first:], network[first:]) if self._of_a_body(rep)]
        until, since = (np.inf, -np.inf) if over else (float(times[-1]) - SETTLED_S, float(times[-1]) - STALE_S)
        new = []
        for rep in found:
            last_end = self.told[-1].end_s if self.told else -np.inf
            if since <= rep.end_s <= until and rep.start_s >= last_end - SAME_REP_S and rep.bottom_s > last_end and self._whole(rep):
                self.told.append(replace(rep, number=len(self.told) + 1))
                new.append(self.told[-1])
        return new

    def _of_a_body(self, rep: Rep) -> bool:
        """Whether the joint never bends further than one can: whoever walks in is looked for in benches and jackets before."""
        times, values = self._signal
        return bool(np.abs(values[(times >= rep.start_s) & (times <= rep.end_s)]).max(initial=0.0) <= MOST_DEG)

    def _whole(self, rep: Rep) -> bool:
        """Whether a rep has come back, and is one beside those before it."""
        rise = float(np.interp(rep.bottom_s, *self._signal) - np.interp(rep.start_s, *self._signal))
        back = float(np.interp(rep.bottom_s, *self._signal) - np.interp(rep.end_s, *self._signal))
        usual = float(np.median([r.range for r in self.told])) if self.told else 0.0
        lasts = float(np.median([r.end_s - r.start_s for r in self.told])) if self.told else 0.0
        beside = rep.range >= REP_SHARE * usual and rep.end_s - rep.start_s >= TIME_SHARE * lasts
        return back >= (BACK_OF_HALVES if self.pattern else BACK_SHARE) * rise and beside and self._in_place(rep)

    def _in_place(self, rep: Rep) -> bool:
        """Whether the feet of one who stands stayed where they were: else she walks, unracks or racks."""
        if not self.movement.feet_stand:
            return True
        ankle, hip = (self._at(path, rep.end_s) - self._at(path, rep.start_s) for path in (self._ankle, self._hip))
        return not took_a_step(ankle, hip, self._shank)

    def moved_since(self, when: float) -> float:
        """How far the signal went since a time, degrees."""
        times, values = self._signal
        part = values[times > when]
        return float(np.ptp(part)) if len(part) else 0.0

    def _at(self, path: Array, when: float) -> Array:
        return np.asarray(path[int(np.argmin(np.abs(self._signal[0] - when)))])

    def reps(self, times: Array, network: Array) -> list[Rep]:
        """All reps in a stretch of looks, as they show in the picture alone."""
        points, seen = points_for(self.view), network.copy()
        fix_side_swaps(seen, self.names)
        seen = seen[:, [self.names.index(n) for n in points]]
        if not np.isfinite(seen).any():
            return []
        looked = np.flatnonzero(np.isfinite(seen).all(axis=(1, 2)))
        if len(looked) > 2:  # one look that slipped is no movement; the newest stands until the next one
            middle = np.median([seen[looked[:-2]], seen[looked[1:-1]], seen[looked[2:]]], axis=0)
            seen[looked[1:-1]] = middle
        paths = dict(zip(points, np.moveaxis(steady(seen), 1, 0), strict=True))
        name = self.movement.signal if near_side(self.view) else self.movement.front_signal or "knee_flexion"
        signal = picture_signal(name, self.movement.signal_sign, self.view, times, paths.__getitem__)
        sides = [near] if (near := near_side(self.view)) else list(SIDES)
        self._ankle, self._hip = (np.mean([paths[sided(joint, s)] for s in sides], axis=0) for joint in ("ankle", "hip"))
        self._shank = shank_px(seen, list(points))
        return self._found(times, signal, self.movement.min_range_deg)

    def _reps_of_sled(self, times: Array, travel: Series) -> list[Rep]:
        return self._found(times, np.interp(times, travel.times, travel.values), LEAST_TRAVEL_CM)

    def _found(self, times: Array, signal: Array, least: float) -> list[Rep]:
        """Reps in a signal (T,), of least range in its unit."""
        self._signal = (times, signal)
        if times[-1] - self._cutoff[0] > CUTOFF_S and len(times) >= 8:
            self._cutoff = float(times[-1]), smoothing_cutoff(times, signal)
        halves = self.pattern == "one_and_a_half"
        return find_reps(times, signal, self.movement.first_phase, least, halves, self._cutoff[1])
