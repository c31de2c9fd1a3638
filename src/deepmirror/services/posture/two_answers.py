"""Where the trade knows two answers to a fault, both of them with the number each gives this body; words for the client."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from deepmirror.core.body.squat_model import Build
from deepmirror.core.body.squat_setup import Setup
from deepmirror.words import say

HEEL_LIFTS_CM = (1.0, 1.5, 2.0, 2.5, 3.0, 4.0)  # plates and shoes that there are; common practice, no source
OPENINGS_DEG = (5.0, 10.0, 15.0, 20.0)  # further than this nobody is told to open; our own choice
NEARLY_DEG = 1.0  # a depth missed by less is reached; our own choice
UPRIGHT_GAIN_DEG = 2.0  # less lean is not worth an answer; our own choice
LEVEL_DEG = 3.0  # thighs nearer to level are level to the eye; our own choice
STEP_CM = 2.0  # feet moved by less are where they were; our own choice


def level_words(thigh_deg: float) -> str:
    """ "with your thighs about level", "with your thighs about 8° above level"."""
    about = (
        "about level"
        if abs(thigh_deg) < LEVEL_DEG
        else say("about {thigh_deg:.0f}° {which} level", thigh_deg=abs(thigh_deg), which="above" if thigh_deg > 0 else "below")
    )
    return say("with your thighs {about}", about=about)


def depth_answers(build: Build, setup: Setup, wanted_deg: float) -> tuple[str, ...]:
    """To a depth this build has not as it stands: heels raised, knees opened, or the depth it has. Empty where it can reach it."""
    reach = build.deepest_deg(setup)
    if reach <= wanted_deg + NEARLY_DEG:
        return ()
    out = []
    lift = _first(HEEL_LIFTS_CM, lambda cm: build.deepest_deg(_heels(setup, cm)) <= wanted_deg + NEARLY_DEG)
    most = build.deepest_deg(_heels(setup, HEEL_LIFTS_CM[-1]))
    if lift is not None:
        out.append(say("Raise both heels about {lift:g} cm: your build then reaches the depth we agreed.", lift=lift))
    elif reach - most > NEARLY_DEG:
        out.append(
            say(
                "Raise both heels about {heel_lifts_cm:g} cm: your build then gets down to a stop {level}.",
                heel_lifts_cm=HEEL_LIFTS_CM[-1],
                level=level_words(most),
            )
        )
    opened = _first(OPENINGS_DEG, lambda deg: build.deepest_deg(_opened(setup, deg)) <= wanted_deg + NEARLY_DEG)
    if opened is not None:
        out.append(
            say("Open your knees about {opened:.0f}° more, toes the same way: your build then reaches the depth we agreed.", opened=opened)
        )
    return (*out, say("Stop {level}: that is as deep as your build goes the way you stand now.", level=level_words(reach)))


def heel_answers(build: Build, setup: Setup, filmed_deg: float, flat_deg: float | None) -> tuple[str, ...]:
    """To heels that rise: a plate under them, or a stop where they stay down. filmed_deg: thigh over level of the reps in which they
    rose; flat_deg: of the deepest rep in which they stayed down."""
    lift = _first(HEEL_LIFTS_CM, lambda cm: build.deepest_deg(_heels(setup, cm)) <= filmed_deg + NEARLY_DEG)
    stop = flat_deg if flat_deg is not None else max(build.deepest_deg(setup), filmed_deg)
    out = (
        [say("Put a plate of about {lift:g} cm under both heels: your depth stays and they stay heavy.", lift=lift)]
        if lift is not None
        else []
    )
    where = "where they stayed down on this film" if flat_deg is not None else "where your ankles still let them stay down"
    return (*out, say("Stop {level}, {where}.", level=level_words(stop), where=where)) if out or flat_deg is not None else ()


def lean_answers(build: Build, setup: Setup, depth_deg: float) -> tuple[str, ...]:
    """To more lean than agreed: heels raised, the load in front, or less depth; only what makes this body clearly more upright."""
    now = build.at_depth(depth_deg, setup)
    if not now.feasible:
        return ()
    ways = (
        ("Raise both heels about 2 cm", replace(setup, heel_lift_cm=setup.heel_lift_cm + 2.0), depth_deg),
        ("Hold the load in front of you", replace(setup, bar="goblet" if setup.bar == "goblet" else "front"), depth_deg),
        ("Stop a hand's breadth higher", setup, depth_deg + 12.0),
    )
    out = []
    for words, new, depth in ways:
        answer = build.at_depth(depth, new)
        gain = now.posture.trunk_lean - answer.posture.trunk_lean
        if answer.feasible and gain >= UPRIGHT_GAIN_DEG and (new != setup or depth != depth_deg):
            out.append(say("{words}: your build then stands about {gain:.0f}° more upright at the bottom.", words=words, gain=gain))
    return tuple(out) if len(out) > 1 else ()


def seat_answers(flat_deg: float, depth_deg: float, opened: list[tuple[float, float]], how: str) -> tuple[str, ...]:
    """To a pelvis that curls on its seat: open the knees and keep the depth, or stop earlier. opened: opening and the depth it gives."""
    enough = next(((o, k) for o, k in opened if k >= depth_deg - NEARLY_DEG), opened[-1])
    kept = "and keep your depth" if enough[1] >= depth_deg - NEARLY_DEG else "and go a little less deep"
    return (
        say("Stop a little earlier, at about {flat_deg:.0f}° of knee bend, where {how}.", flat_deg=flat_deg, how=how),
        say(
            "Open your knees about {enough:.0f}° more {kept}: your hips then have room to about {enough2:.0f}° of knee bend.",
            enough=enough[0],
            kept=kept,
            enough2=enough[1],
        ),
    )


def feet_on_floor_answers(shank_cm: float, shank_deg: float) -> tuple[str, ...]:
    """To shins far from upright at the top of a thrust or bridge: feet moved until they are, or left there for another aim."""
    way = shank_cm * float(np.sin(np.radians(shank_deg)))
    if abs(way) < STEP_CM:
        return ()
    if way > 0:
        return (
            say("Move your feet about {way:.0f} cm further away, so that your shins stand upright at the top.", way=way),
            "Or leave them close if the front of the thigh is to help: then expect less work for the buttocks.",
        )
    return (
        say("Move your feet about {way:.0f} cm closer, so that your shins stand upright at the top.", way=-way),
        "Or leave them further away if the back of the thigh is to do more: knees then end near 135°.",
    )


def step_answers(shank_cm: float, shank_deg: float, band_deg: float) -> tuple[str, ...]:
    """To a front shin that leans more than its aim allows: a longer step, or a stop higher up."""
    way = shank_cm * float(np.sin(np.radians(shank_deg)) - np.sin(np.radians(band_deg)))
    if way < STEP_CM:
        return ()
    return (
        say("Step about {way:.0f} cm further, so that your front shin stays where we agreed at the same depth.", way=way),
        "Or keep the step and stop a little higher, before the shin leans that far.",
    )


def _first(values: Sequence[float], enough: Callable[[float], bool]) -> float | None:
    """The first value that is enough; None where none is."""
    return next((v for v in values if enough(v)), None)


def _heels(setup: Setup, cm: float) -> Setup:
    return replace(setup, heel_lift_cm=setup.heel_lift_cm + cm)


def _opened(setup: Setup, deg: float) -> Setup:
    return replace(setup, knees_open_deg=setup.knees_open_deg + deg)
