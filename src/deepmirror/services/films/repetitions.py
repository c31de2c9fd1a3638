"""The repetitions of a film: which signal counts them, and which of its ups and downs belong to the set."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import compensate_camera_motion
from deepmirror.core.motion.reps import Rep, find_reps, mark_partials, with_uncertainty
from deepmirror.core.skeleton import SIDES, near_side, sided, split
from deepmirror.core.trajectories import UNKNOWN_U, Series, Track
from deepmirror.core.uncertain_value import COVERAGE_FACTOR
from deepmirror.core.views import facing
from deepmirror.exchange.brief import MarksPart
from deepmirror.movements.schema import Movement
from deepmirror.services.films.bar_bend import SCALE_U_SHARE, SHOWN, BarBend

Array = NDArray[np.float64]

LEAP_DEG, LEAP_GAP_S = 45.0, 0.1  # a knee at 45° in a thirtieth of a second turns at 1350 °/s, about twice the fastest kicks; from memory
LOST_U_DEG, LOST_SHARE = 40.0, 0.3  # k = 2: a signal that is this unsure is none; and most of a film it may be so; our own choice
LOST_EDGE_S = 0.3  # on its way there and back it is wrong before it is unsure; our own choice
LEAST_TRAVEL_CM = 6.0  # a sled's way, foreshortened by the camera, that is a rep; our own choice
BAR_BEGINS = 0.1  # of a phase: so late, mostly, a bar shows its start: worked with on 22 squats and hinges (docs/accuracy-log.md)
BAR_LEADS = 0.15  # of a rep's range: legs less sure than this count no better than the bar; our own choice
RISE_LOST = 0.15  # of a rep's range: a knee less sure than this counts only where the ankle is no surer; our own choice
KNEE_LOST = 2.0  # times as unsure as it mostly is: there something hides a knee; our own choice
HIP_SWAYS_CM = 1.0  # k = 2: how far a hip comes nearer its knee while the heels lift both; our own estimate
LEAST_RISE_CM = 3.0  # of a knee that a heel lifts, that is a rep: a tenth of a foot and less is a sway; our own choice
TRAVEL_U_CM = 1.0  # k = 2; our own estimate, no source
USUAL_CM, USUAL_STANCE_CM = 90.0, 35.0  # a press's platform across, and the feet on it; common practice, no source
LEAST_KNOWN = 0.1  # of a rep: real ones behind plates are above it, what noise made of hidden legs had none (docs/accuracy.md)
LEAPS = "the camera stands too far off, or a joint is hidden (its angle leaps from one frame to the next)"
STAYS = "the platform hardly moves in the picture: something hides it, or it is too small"
UNSEEN = "the joints that count them are hidden, or too small in the picture to be told"
STEP_SHARE = 0.35  # of the shank: a foot that lands this far from where it stood took a step, if the hip went as well; our own choice


@dataclass(frozen=True)
class Repetitions:
    """signal: what counts them, in its unit; refused: why none can be told, empty where they could be."""

    signal: Series
    reps: list[Rep]
    refused: str = ""
    unit: str = "°"


def repetitions(
    angles: dict[str, Series],
    track: Track,
    movement: Movement,
    view: str,
    pattern: str | None,
    travel: Series | None = None,
    bar: BarBend | None = None,
    rise: Series | None = None,
) -> Repetitions:
    """track: the points with a moving camera's movement taken out; pattern: as the brief names it; travel: a sled's way, cm, which
    counts the reps of a film that does not show the legs bend; bar: what a bar's fall tells, which counts them where plates hide the
    legs; rise: how far the heels lift the knee, cm, which counts them unless it is lost: a foot is small, and hidden or cut off soonest."""
    if travel is not None:
        found = find_reps(travel.times, travel.values, movement.first_phase, LEAST_TRAVEL_CM, pattern == "one_and_a_half")
        return Repetitions(travel, with_uncertainty(found, travel.times, travel.u), "" if found else STAYS, "cm")
    legs = _by_the_legs(angles, track, movement, view, pattern)
    if rise is not None:
        return _by_the_rise(rise, legs, movement, pattern) or legs
    return legs if bar is None else _by_the_bar(bar, legs, movement, pattern) or legs


def knee_rise(track: Track, near: str, up: Array, px_per_cm: float, with_hip: bool = False) -> Series:
    """How far the near knee is above where it is lowest, cm; with_hip: where it is lost it goes as the hip does, which the heels lift
    alike. Raises NotFollowed."""

    def height(joint: str) -> tuple[Array, Array]:
        name = sided(joint, near)
        return track.point(name) @ up / px_per_cm, COVERAGE_FACTOR * track.sigma(name) / px_per_cm

    knee, u = height("knee")
    if with_hip and track.has(sided("hip", near)):
        hip, hip_u = height("hip")
        sure = u <= KNEE_LOST * np.median(u)
        carried = hip + np.interp(track.times, track.times[sure], (knee - hip)[sure])
        carried_u = np.hypot(hip_u, HIP_SWAYS_CM)
        better = ~sure & (carried_u < u)
        knee, u = np.where(better, carried, knee), np.where(better, carried_u, u)
    return Series(track.times, knee - knee.min(), u)


def _by_the_rise(rise: Series, legs: Repetitions, movement: Movement, pattern: str | None) -> Repetitions | None:
    """As the knee's rise counts; None where it is lost and the ankle is less so."""
    found = find_reps(rise.times, rise.values, movement.first_phase, LEAST_RISE_CM, pattern == "one_and_a_half")
    found = with_uncertainty(found, rise.times, rise.u)
    leads = bool(found) and _least_sure(found) <= max(RISE_LOST, _least_sure(legs.reps))
    shown = Series(rise.times, rise.values, np.hypot(rise.u, SCALE_U_SHARE * rise.values))  # the scale moves no moment
    return Repetitions(shown, found, unit="cm") if leads else None


def _by_the_bar(bar: BarBend, legs: Repetitions, movement: Movement, pattern: str | None) -> Repetitions | None:
    """As the bar counts; None where the legs count as well."""
    signal = bar.signal
    found = find_reps(signal.times, signal.values, movement.first_phase, bar.least, pattern == "one_and_a_half")
    found = with_uncertainty(found, signal.times, signal.u)
    found = mark_partials([_begun_unseen(bar.range_cm(rep)) for rep in found])
    hidden = any(known_share(legs.signal, rep) < SHOWN for rep in found)
    lost = 1.0 if hidden else _least_sure(legs.reps)
    told = len(found) >= len(legs.reps) or all(known_share(signal, rep) >= SHOWN for rep in legs.reps)  # else it may have missed some
    leads = found and told and lost > max(BAR_LEADS, _least_sure(found))
    return Repetitions(bar.fall, found, unit="cm") if leads else None


def _begun_unseen(rep: Rep) -> Rep:
    """The rep, its phases as unsure as it takes a joint that is nearly straight to let the bar fall by what can be seen."""
    creep = {phase: seconds + BAR_BEGINS * (rep.phases_s[phase] or 0.0) for phase, seconds in rep.creep_s.items()}
    return replace(rep, creep_s=creep)


def _least_sure(reps: list[Rep]) -> float:
    """How unsure the signal is where it is the least sure, share of the rep's range; all of it where there are none."""
    return max((max(rep.unsure.values()) for rep in reps), default=1.0)


def _by_the_legs(angles: dict[str, Series], track: Track, movement: Movement, view: str, pattern: str | None) -> Repetitions:
    signal = bridged(rep_signal(angles, movement, view, track.times))
    if leaping(signal):
        return Repetitions(signal, [], LEAPS)
    halves = pattern == "one_and_a_half"
    found = find_reps(signal.times, signal.values, movement.first_phase, movement.min_range_deg, halves)
    known = [rep for rep in found if known_share(signal, rep) >= LEAST_KNOWN]
    if found and not known:
        return Repetitions(signal, [], UNSEEN)
    if len(known) < len(found):
        known = mark_partials([replace(rep, number=i + 1) for i, rep in enumerate(known)])
    counted = reps_of_the_set(known, movement, track, view)
    return Repetitions(signal, with_uncertainty(counted, signal.times, signal.u, near_side(view) is None))


def known_share(signal: Series, rep: Rep) -> float:
    """Of a rep's frames, the share in which anything is known of the signal: an angle that is unsure throughout still rises and falls."""
    return float(np.mean(signal.window(rep.start_s, rep.end_s).u < UNKNOWN_U))


def sled_travel(times: Array, platform: Array, sigma: Array, room: Array, at: Array, px_per_cm: float) -> Series:
    """How far what a sled carries has gone from where it was at first, cm as the picture shows it, along its own way.

    times (T,) s; platform, sigma, room as in Evidence, sigma empty where nobody says; at (2,) px: the place on it, on frame 0.
    """
    path = compensate_camera_motion((platform[:, :, :2] @ at + platform[:, :, 2])[:, None], room)[:, 0]
    away = path - np.median(path[: max(3, len(path) // 50)], axis=0)
    way = np.linalg.svd(away - away.mean(axis=0), full_matrices=False)[2][0]
    along = away @ way
    along = _beyond_what_is_hidden(along if along.max() >= -along.min() else -along, sigma)
    u = np.hypot(TRAVEL_U_CM, COVERAGE_FACTOR * sigma / px_per_cm) if len(sigma) else np.full(len(times), TRAVEL_U_CM)
    return Series(times, along / px_per_cm, u)


def _beyond_what_is_hidden(along: Array, sigma: Array) -> Array:
    """A way (T,) on which what is not found again is no nearer its first place than where it was lost or is found: there it would show."""
    if not len(sigma):
        return along
    sure = np.flatnonzero(sigma <= sigma.min())
    out = along.copy()
    for before, after in pairwise(sure):
        out[before + 1 : after] = np.maximum(along[before + 1 : after], min(along[before], along[after]))
    return out


def place_on_sled(marks: MarksPart, feet: dict[str, Array]) -> tuple[Array, float] | None:
    """A place (2,) px that a sled carries, on the first picture, and the scale there, px per cm: of the marked platform, else of the
    feet (px) as they stand on it. None where neither is known."""
    if marks.platform is not None:
        corners = np.array(marks.platform)
        breadth = float(np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1).max())
        return corners.mean(axis=0), breadth / max(marks.platform_cm or (USUAL_CM,))
    ankles = np.array([p for n, p in feet.items() if split(n)[0] == "ankle"])
    if not len(ankles):
        return None
    return ankles.mean(axis=0), float(np.linalg.norm(ankles[0] - ankles[1])) / USUAL_STANCE_CM


def bridged(signal: Series) -> Series:
    """The signal with short stretches in which it is lost (somebody walks past) drawn straight from where it was last known, and level
    before it was first known and after it was last: before anybody was seen, after the last look.

    It is unknown there, so that nothing is measured by it; a signal that is lost for long in between is left alone.
    """
    lost = signal.times[signal.u >= LOST_U_DEG]
    after = np.searchsorted(lost, signal.times - LOST_EDGE_S)
    known = np.searchsorted(lost, signal.times + LOST_EDGE_S, side="right") == after  # no lost frame near
    if known.all() or not known.any():
        return signal
    first, last = np.flatnonzero(known)[[0, -1]]
    if known[first : last + 1].mean() < 1 - LOST_SHARE:
        return signal
    across = np.interp(signal.times, signal.times[known], signal.values[known])
    return Series(signal.times, across, np.where(known, signal.u, UNKNOWN_U))


def leaping(signal: Series) -> bool:
    """True when the rep signal changes in one frame by more than a body can: what is followed is not the joint it is taken for."""
    steps, gaps = np.abs(np.diff(signal.values)), np.diff(signal.times)
    return bool(np.any(steps[gaps < LEAP_GAP_S] > LEAP_DEG))


def rep_signal(angles: dict[str, Series], movement: Movement, view: str, times: Array) -> Series:
    """The series that counts reps: the near side's, or the mean of both sides in front and rear views.

    Level throughout, so that no rep is counted, where a point it needs was left out. times (T,) s.
    """
    near = near_side(view)
    name = movement.signal if near else movement.front_signal or "knee_flexion"
    sign = movement.signal_sign if near else 1
    if name in angles:
        s = angles[name]
        return Series(s.times, sign * s.values, s.u)
    parts = [angles[sided(name, s)] for s in ((near,) if near else SIDES) if sided(name, s) in angles]
    if not parts:
        return Series(times, np.zeros(len(times)), np.full(len(times), 180.0))
    values = np.mean([p.values for p in parts], axis=0)
    return Series(parts[0].times, sign * values, np.max([p.u for p in parts], axis=0))


def took_a_step(ankle: Array, hip: Array, shank: float) -> bool:
    """True when ankle and hip both went further (2,) px in a rep than one who stays where she stands: an ankle alone may be lost."""
    return min(float(np.linalg.norm(ankle)), float(np.linalg.norm(hip))) > STEP_SHARE * shank


def reps_of_the_set(reps: list[Rep], movement: Movement, track: Track, view: str) -> list[Rep]:
    """Leave out walking out and racking, and say which leg led where legs take turns."""
    near = near_side(view)
    if near is None or not track.has(sided("ankle", near), sided("hip", near), sided("knee", near)):
        return reps
    ankle, hip, knee = (track.point(sided(j, near)) for j in ("ankle", "hip", "knee"))
    shank = float(np.percentile(np.linalg.norm(knee - ankle, axis=1), 90))

    def at(path: Array, time: float) -> Array:
        return np.asarray(path[int(np.argmin(np.abs(track.times - time)))])

    if movement.feet_stand:
        ways = [(at(ankle, r.end_s) - at(ankle, r.start_s), at(hip, r.end_s) - at(hip, r.start_s)) for r in reps]
        still = [r for r, (of_ankle, of_hip) in zip(reps, ways, strict=True) if not took_a_step(of_ankle, of_hip, shank)]
        reps = mark_partials([replace(r, number=i + 1) for i, r in enumerate(still)])
    if movement.takes_turns:
        way, other = facing(view), "right" if near == "left" else "left"
        leads = [way * (at(ankle, r.bottom_s) - at(hip, r.bottom_s))[0] > 0 for r in reps]
        reps = [replace(r, leg=near if lead else other) for r, lead in zip(reps, leads, strict=True)]
    return reps
