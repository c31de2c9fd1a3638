"""How a set was paced: phases against the prescription, reversals, launches, slams, drops, holds, and loss through the set.

How suddenly a movement starts, stops or turns is told as the seconds it takes from rest to the rep's own peak speed, from that speed
to rest, or from full lowering to full lifting: peak speed over peak acceleration, twice that for a turn. Smoothing lets no start look
quicker than about a ninth of a second.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from deepmirror.core.measures.context import (
    ADD_STACK,
    FILM_SIDE,
    LOST,
    NO_FIT,
    PLACE_AGAIN,
    Advice,
    CannotTell,
    MeasurementContext,
    NotAsked,
    Remedy,
    RepMeasure,
    at,
)
from deepmirror.core.measures.spec import ANY, KNEE, SIDE, Drawing, Focus, MeasureSpec, Moment
from deepmirror.core.motion.reps import ORDER, Rep
from deepmirror.core.motion.tempo import WORDS, time_under_tension_s
from deepmirror.core.uncertain_value import Value
from deepmirror.fitted import fitted
from deepmirror.words import say

RANGE_SHARE_U_PCT = 4.0  # k = 2; our own estimate, no source
BOUNCE_DWELL_S = 0.3  # common practice, no source
SHARPNESS_U_PER_S = fitted("sharpness_u")
CALM = Value(2.0, 0.1)  # s: a turn, start or stop that takes so long is not hurried, and how long it takes is not told; our own choice
NEARLY_STRAIGHT_DEG = 12.0  # a knee more bent than this at its stop was not slammed straight; common practice, no source
LAUNCH_ARC_DEG = 15.0  # the first stretch of a curl's arc; common practice, no source
# Of the rep's range: a signal less sure by more than this has lost the phase's boundaries, and no more than that is reckoned with.
LEAST_LOST, MOST_LOST = 0.15, 0.9
UNTIMED = 0.95  # of the rep's range: a rep whose signal is less sure than this is counted, not timed; our own choice
CLEARLY = 0.1  # of what it does in the rep: a joint known as well as that shows when it turns round; our own choice
MIDDLE_TAKES, MIDDLE_U = 0.41, 0.35  # of a phase's time, and k = 2 of what that makes of it, as a share: see seconds_by_middle
MIDDLE_BACK = 0.4  # of the rep's range: a way seen to end further than this from where the rep began was not seen whole; our own choice
MIDDLE_LOST = 0.3  # of the rep's range: a signal less sure than this tells no time by its middle either; our own choice
STACK_AT_REST_SHARE, STACK_HIDDEN_SHARE = 0.04, 0.3  # of its travel, of the frames; our own estimates
TELL_TEMPO = Advice(Remedy.MARK, "Give the prescribed tempo, for example 3-1-1-0.")
WHOLE_SET = Advice(Remedy.WHOLE_FILM, "Film the whole set.")


def frame_s(scene: MeasurementContext) -> float:
    """Time from frame to frame, s."""
    return float(np.median(np.diff(scene.track.times)))


def range_share(scene: MeasurementContext, rep: Rep) -> Value:
    """The rep's range as percent of the set's median range."""
    middle = float(np.median([r.range for r in scene.reps]))
    share = 100 * rep.range / middle
    return Value(share, RANGE_SHARE_U_PCT).widened(share * rep.range_unsure)


def phase_share(phase: str) -> RepMeasure:
    """A phase's seconds over the prescribed seconds, percent.

    It raises CannotTell without a prescription, NotAsked where that sets no time for the phase.
    """

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        if scene.tempo is None:
            raise CannotTell("no tempo was prescribed", TELL_TEMPO)
        wanted, seconds = scene.tempo.wanted(phase), rep.phases_s[phase]
        if not wanted or seconds is None:
            raise NotAsked(say("the prescription sets no time for the {words}", words=WORDS[phase]), TELL_TEMPO)
        ways = [Value(seconds, float(np.hypot(2 * frame_s(scene), _lost_s(rep, phase, seconds))))]
        if max(rep.unsure.values(), default=0.0) > UNTIMED:
            ways.clear()
        ways += [by_middle] if (by_middle := seconds_by_middle(rep, phase)) is not None else []
        if not ways:
            raise CannotTell(LOST, PLACE_AGAIN)
        return min(ways, key=lambda way: way.u).scaled(100 / wanted)

    return measure


def seconds_by_middle(rep: Rep, phase: str) -> Value | None:
    """Seconds of a phase as its middle part tells them, where a plate or a hand hides how it begins or ends; None where that is lost too,
    or the far reversal is, without which nobody knows how far the way was, or where it was not seen to begin or end near where the
    rep's other end is: that way was not seen whole.

    A phase goes from MIDDLE of its way to the other in a third of its time when it is as smooth as can be (least jerk), in 0.41 of it
    when it swings like a pendulum, and in 0.6 when it goes evenly: which of these it was is the doubt.
    """
    span, lost = rep.middles.get(phase), rep.middles_unsure.get(phase, 0.0)
    if span is None or max(lost, rep.unsure.get(ORDER[rep.first][1], 0.0)) > MIDDLE_LOST:
        return None
    lacking = rep.ends[0] - rep.ends[1]  # of the first way, if it was seen only from part of it on
    if (lacking if phase == ORDER[rep.first][0] else abs(lacking)) > MIDDLE_BACK * rep.range:
        return None
    seconds = (span[1] - span[0]) / MIDDLE_TAKES
    return Value(seconds, seconds * float(np.hypot(MIDDLE_U, lost)))


def stack_rest(scene: MeasurementContext, rep: Rep) -> Value:
    """How long the weight stack lay at rest between this rep and the next, s.

    Raises NotAsked after the last rep, CannotTell where the stack is not marked or hidden.
    """
    if scene.stack is None or not len(scene.stack):
        raise CannotTell("the weight stack is not marked", ADD_STACK)
    nxt = next((r for r in scene.reps if r.number == rep.number + 1 and r.block == rep.block), None)
    if nxt is None:
        raise NotAsked("after the last rep the stack may rest", WHOLE_SET)
    between = (scene.track.times >= rep.turn_end_s) & (scene.track.times <= nxt.turn_start_s)
    heights = scene.stack[between]
    if np.isnan(heights).mean() > STACK_HIDDEN_SHARE:
        raise CannotTell("the weight stack is hidden", ADD_STACK)
    low, high = np.nanpercentile(scene.stack, 2), np.nanpercentile(scene.stack, 98)
    resting = heights <= low + STACK_AT_REST_SHARE * (high - low)  # a hidden frame is not a resting one
    return Value(float(resting.sum()) * frame_s(scene), 3 * frame_s(scene))


def hold(phase: str) -> RepMeasure:
    """Seconds held still in a phase. It raises CannotTell where the hold has no end."""

    def measure(scene: MeasurementContext, rep: Rep) -> Value:
        seconds = rep.phases_s[phase]
        if seconds is None:
            raise CannotTell("the hold after the last rep has no end", WHOLE_SET)
        return Value(seconds, float(np.hypot(2 * frame_s(scene), _lost_s(rep, phase, seconds))))

    return measure


def _lost_s(rep: Rep, phase: str, seconds: float) -> float:
    """What a signal that crept, or was lost for part of a phase, adds to the uncertainty (k = 2, s) of its length: one that was lost
    for half of the rep's way may have hidden as much again."""
    creep = rep.creep_s.get(phase, sum(rep.creep_s.values()))  # a hold is what the phases beside it leave
    share = min(max(rep.unsure.values(), default=0.0), MOST_LOST)
    if share < LEAST_LOST:
        return creep
    return creep + max(seconds, rep.turn_start_s - rep.start_s) * share / (1 - share)


def _taken(rep: Rep, moment: str, speeds: float = 1.0) -> Value:
    """Seconds in which a rep gains or loses so many times its peak speed, as sharply as it does in a moment; CALM where it takes longer."""
    lost = max(rep.unsure.values(), default=0.0)
    sharp = rep.accelerations[moment] / max(rep.peak_speeds.values())  # per s
    u = SHARPNESS_U_PER_S if lost < LEAST_LOST else float(np.hypot(SHARPNESS_U_PER_S, sharp))
    seconds = speeds / max(sharp, 1e-6)
    return CALM if seconds >= CALM.value else Value(seconds, min(seconds * u / sharp, CALM.value))


def turn_time(scene: MeasurementContext, rep: Rep) -> Value:
    """Seconds from full lowering to full lifting under the load's lowest point; CALM where the bottom is held.

    Where the set starts with the lift the lowest point lies between this rep and the one before it.
    """
    if rep.first == "eccentric":
        held = rep.turn_end_s - rep.turn_start_s >= BOUNCE_DWELL_S
        return CALM if held else _taken(rep, "turn", 2.0)
    before = next((r for r in scene.reps if r.number == rep.number - 1 and r.block == rep.block), None)
    if before is None or rep.start_s - before.end_s >= BOUNCE_DWELL_S:
        return CALM
    # each against the speed of its own rep: a lowering that was fast stops hard before a lift that is slow
    return min(_taken(before, "end", 2.0), _taken(rep, "start", 2.0), key=lambda taken: taken.value)


def start_time(scene: MeasurementContext, rep: Rep) -> Value:
    """Seconds from rest to the lift's full speed. Raises NotAsked where the set starts with the lowering."""
    if rep.first == "eccentric":
        raise NotAsked("this movement starts with the lowering", WHOLE_SET)
    return _taken(rep, "start")


def launch_share(scene: MeasurementContext, rep: Rep) -> Value:
    """Speed reached within the first 15° of knee flexion, percent of the lift's peak speed.

    Raises NotAsked where the set starts with the lowering, or the knee does not lift.
    """
    if rep.first == "eccentric":
        raise NotAsked("this movement starts with the lowering", WHOLE_SET)
    knee = scene.angle("knee_flexion").window(rep.start_s - frame_s(scene), rep.turn_start_s)
    if np.ptp(knee.values) < 2 * LAUNCH_ARC_DEG:
        raise NotAsked("the knee does not lift this load", WHOLE_SET)
    speeds = np.abs(np.gradient(knee.values, knee.times))
    early = np.abs(knee.values - knee.values[0]) <= LAUNCH_ARC_DEG
    return Value(float(100 * speeds[early].max() / speeds.max()), 15.0)


def stop_time(scene: MeasurementContext, rep: Rep) -> Value:
    """Seconds from full speed to a stop at a straight knee at the end of the lift; CALM where the knee stays bent."""
    stop, when = ("end", rep.end_s) if rep.first == "eccentric" else ("arrival", rep.turn_start_s)
    if at(scene.angle("knee_flexion"), when) > NEARLY_STRAIGHT_DEG:
        return CALM
    return _taken(rep, stop)


def lockout(scene: MeasurementContext, rep: Rep) -> Value:
    """Knee flexion where the lift ends, degrees."""
    knee = scene.angle("knee_flexion")
    when = rep.end_s if rep.first == "eccentric" else rep.bottom_s
    return Value(at(knee, when), float(np.interp(when, knee.times, knee.u)))


def drop(scene: MeasurementContext, rep: Rep) -> Value:
    """Mean lowering speed in the last third as percent of that in the first two: over 100 it speeds up on the way down."""
    lowering = rep.phases_s["eccentric"] or 1.0
    share = max(rep.creep_s.get("eccentric", 0.0) / lowering, max(rep.unsure.values(), default=0.0))
    return Value(100 * rep.late_lowering, 15.0).widened(100 * rep.late_lowering * min(2 * share, 1.0))


def speed_loss(scene: MeasurementContext) -> Value:
    """Loss of lifting speed from the fastest to the last rep of the last block, percent of the fastest, over the range all whole reps
    share: a shorter rep is not a slower one.

    Raises CannotTell with fewer than two whole reps.
    """
    reps = [r for r in scene.reps if r.complete and r.block == scene.reps[-1].block]
    if len(reps) < 2:
        raise CannotTell("the set has fewer than two whole reps", WHOLE_SET)
    return _loss(reps, lambda r: r.lifting_speed or r.mean_speeds["concentric"], 6.0)


def under_tension(scene: MeasurementContext) -> Value:
    """Seconds under load over the set's bouts. Raises CannotTell without a rep."""
    if not scene.reps:
        raise CannotTell("no repetition was seen", WHOLE_SET)
    return Value(time_under_tension_s(scene.reps), 3 * frame_s(scene) * scene.reps[-1].block)


def range_loss(scene: MeasurementContext) -> Value:
    """Loss of range from the largest to the last rep of the last block, percent of the largest.

    Raises CannotTell with fewer than two reps.
    """
    reps = [r for r in scene.reps if r.block == scene.reps[-1].block]
    if len(reps) < 2:
        raise CannotTell("the set has fewer than two reps", WHOLE_SET)
    return _loss(reps, lambda r: r.range, 4.0, lambda r: r.range_unsure)


def _lost_somewhere(rep: Rep) -> float:
    """How unsure the signal is where it is the least sure, share of the rep's range."""
    return max(rep.unsure.values(), default=0.0)


def _loss(reps: list[Rep], of: Callable[[Rep], float], u_pct: float, unsure: Callable[[Rep], float] = _lost_somewhere) -> Value:
    """What the last rep lost against the largest, percent; a rep in which the signal was lost is not taken for the largest."""
    lost = [unsure(r) for r in reps]
    sound = [i for i, share in enumerate(lost) if share <= LEAST_LOST + min(lost)]
    best = max(sound, key=lambda i: of(reps[i]))
    kept = of(reps[-1]) / max(of(reps[best]), 1e-9)
    return Value(100 * (1 - kept), u_pct).widened(100 * abs(kept) * float(np.hypot(lost[-1], lost[best])))


KNUTTGEN = "phases after Knuttgen & Komi 2003 (from memory); boundaries as the batch contract says"
PRACTICE = "common practice, no source"
SHARP = "peak speed over peak acceleration; our own definition"
RANGES, TIMED, EACH = (Focus(("hip", "knee"), d) for d in (Drawing.RANGES, Drawing.ASKED_TIME, Drawing.BY_REP))
LOSS = "Sánchez-Medina & González-Badillo 2011 (from memory)"


def _of_what_was_followed(compute: Callable[..., Value]) -> Callable[..., Value]:
    """The same measure, refused where what was followed does not fit the client and is not followed clearly: reps may be counted by it,
    not timed."""

    def measure(scene: MeasurementContext, *rep: Rep) -> Value:
        if scene.plane is not None and scene.plane.strained and not all(followed_clearly(scene, r) for r in rep or scene.reps):
            raise CannotTell(NO_FIT, FILM_SIDE)
        return compute(scene, *rep)

    return measure


def followed_clearly(scene: MeasurementContext, rep: Rep) -> bool:
    """Whether a rep's moments are plain whatever its angles are: a leg seen from far above is bent otherwise than it looks, and turns round
    when it does. The joint that moves most is known to a small part of its way throughout, and no worse in any phase."""
    inside = (scene.track.times >= rep.start_s) & (scene.track.times <= rep.end_s)
    joints = [scene.angles[name] for name in (f"knee_flexion_{scene.near}", f"hip_flexion_{scene.near}") if name in scene.angles]
    if not joints or not inside.any() or max(rep.unsure.values(), default=math.inf) > CLEARLY:
        return False
    moved = max(joints, key=lambda joint: float(np.ptp(joint.values[inside])))
    return bool(np.median(moved.u[inside]) <= CLEARLY * np.ptp(moved.values[inside]))


_TOLD: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "lockout_deg",
        "Knee where the lift ends",
        "°",
        lockout,
        SIDE,
        PRACTICE,
        short="Knee at the top",
        focus=KNEE,
        series="knee_flexion",
        moment=Moment.LIFT_END,
        compared=True,
    ),
    MeasureSpec("bottom_hold_s", "Held at the bottom", "s", hold("bottom"), ANY, KNUTTGEN, focus=TIMED, compared=True),
    MeasureSpec("top_hold_s", "Held at the top", "s", hold("top"), ANY, KNUTTGEN, focus=TIMED, compared=True),
    MeasureSpec("stack_rest_s", "Weight stack at rest", "s", stack_rest, ANY, PRACTICE, focus=EACH, needs=("stack",), listed=False),
    MeasureSpec(
        "range_share_pct",
        "Range of the set's median",
        "%",
        range_share,
        ANY,
        PRACTICE,
        short="Range, of the median",
        focus=RANGES,
        listed=False,
    ),
    MeasureSpec(
        "eccentric_share_pct",
        "Lowering of the asked time",
        "%",
        phase_share("eccentric"),
        ANY,
        KNUTTGEN,
        focus=TIMED,
        moment=Moment.LOWERING,
        listed=False,
    ),
    MeasureSpec(
        "concentric_share_pct", "Lifting of the asked time", "%", phase_share("concentric"), ANY, KNUTTGEN, focus=TIMED, listed=False
    ),
    MeasureSpec("bottom_share_pct", "Bottom hold of the asked time", "%", phase_share("bottom"), ANY, KNUTTGEN, focus=TIMED, listed=False),
    MeasureSpec("top_share_pct", "Top hold of the asked time", "%", phase_share("top"), ANY, KNUTTGEN, focus=TIMED, listed=False),
    MeasureSpec("turn_s", "Time to turn round", "s", turn_time, ANY, SHARP, focus=EACH, listed=False),
    MeasureSpec("start_s", "Time to full speed", "s", start_time, ANY, SHARP, focus=EACH, listed=False),
    MeasureSpec("launch_pct", "Speed in the first 15°", "%", launch_share, SIDE, PRACTICE, focus=EACH, listed=False),
    MeasureSpec("stop_s", "Time to stop", "s", stop_time, SIDE, SHARP, focus=EACH, listed=False),
    MeasureSpec("drop_pct", "Speeding up on the way down", "%", drop, ANY, PRACTICE, focus=EACH, listed=False, short="Speeding up, down"),
    MeasureSpec("time_under_tension_s", "Under load", "s", under_tension, ANY, PRACTICE, per_rep=False, listed=False),
    MeasureSpec(
        "speed_loss_pct", "Speed lost through the set", "%", speed_loss, ANY, LOSS, per_rep=False, focus=Focus(("hip",), Drawing.SPEEDS)
    ),
    MeasureSpec("range_loss_pct", "Range lost through the set", "%", range_loss, ANY, PRACTICE, per_rep=False, focus=RANGES, listed=False),
)

MEASURES: tuple[MeasureSpec, ...] = tuple(replace(spec, compute=_of_what_was_followed(spec.compute)) for spec in _TOLD)
