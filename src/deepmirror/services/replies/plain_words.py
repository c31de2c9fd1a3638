"""A finding's number as a body can picture it, for the client; the exact one follows it in brackets."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from deepmirror.core.measures.table import MEASURES
from deepmirror.core.uncertain_value import bare_unit, counted, describe_band, with_unit
from deepmirror.judge.findings import unsided
from deepmirror.judge.records import Finding
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.follow_up import number_words
from deepmirror.services.posture.bodies import body_of
from deepmirror.words import say, small

FRACTIONS = (
    (0.9, "nearly all"),
    (0.75, "three quarters"),
    (0.67, "two thirds"),
    (0.5, "half"),
    (0.33, "a third"),
    (0.25, "a quarter"),
    (0.2, "a fifth"),
    (0.1, "a tenth"),
)
HAND_CM = 10.0  # the breadth of a hand with its thumb; common practice, no source
HARDLY_S = 0.15  # a wait nobody would call one; our own choice
LEVEL_DEG = 3.0  # thighs nearer to level are level to the eye; our own choice

Picture = Callable[[Finding, Analysis], str]


def told_number(finding: Finding, analysis: Analysis) -> str:
    """ "about a hand's breadth (17 cm) above level (25.7 ± 3.7°; target: at most 5°)."."""
    unit = bare_unit(finding.unit)
    exact = say(
        "{number}; target: {describe_band}",
        number=number_words(finding.value, finding.u, unit),
        describe_band=with_unit(describe_band(finding.target), unit),
    )
    picture = PICTURES.get(unsided(finding.measure), _about)(finding, analysis)
    return say("{picture} ({exact}).", picture=picture, exact=exact)


def fraction(share: float) -> str:
    """A share in words: "a third"."""
    return min(FRACTIONS, key=lambda row: abs(row[0] - share))[1]


def _about(f: Finding, analysis: Analysis) -> str:
    """The number without its decimals and what it counts."""
    what = counted(f.unit)
    places = 0 if abs(f.value) >= 1 else 1
    spec = MEASURES[f.measure]
    words = what or small(spec.title)
    return say("About {part} {words}", part=with_unit(f"{abs(f.value):.{places}f}", bare_unit(f.unit)), words=words).rstrip()


def _above_level(f: Finding, analysis: Analysis) -> str:
    cm = body_of(analysis.brief.file.client).length("thigh").cm * float(np.sin(np.radians(abs(f.value))))
    where = "above" if f.value > 0 else "below"
    if abs(f.value) < LEVEL_DEG:
        return "Your thighs came about level"
    hands = " (a hand's breadth)" if 0.75 * HAND_CM <= cm <= 1.4 * HAND_CM else ""
    return say("Your hips stayed about {cm:.0f} cm{hands} {where} level", cm=cm, hands=hands, where=where)


def _shorter(f: Finding, analysis: Analysis) -> str:
    return say("About {fraction} shorter than your other reps", fraction=fraction(1 - f.value / 100))


def _shrinking(f: Finding, analysis: Analysis) -> str:
    return say("Your last rep was about {fraction} shorter than your longest", fraction=fraction(f.value / 100))


def _slowing(f: Finding, analysis: Analysis) -> str:
    return say("Your last rep went up about {fraction} slower than your quickest", fraction=fraction(f.value / 100))


def _pace(phase: str, doing: str) -> Picture:
    def words(f: Finding, analysis: Analysis) -> str:
        wanted = analysis.scene.tempo.wanted(phase) if analysis.scene.tempo is not None else None
        if not wanted:
            return _about(f, analysis)
        return say("{doing} about {value:.1f} s instead of {wanted:g}", doing=doing, value=f.value / 100 * wanted, wanted=wanted)

    return words


def _in_seconds(doing: str) -> Picture:
    return lambda f, analysis: say("{doing} in about {value:.1f} s", doing=doing, value=f.value)


def _falling(f: Finding, analysis: Analysis) -> str:
    return say("The last third of the way down went about {value:.1f} times as fast as the rest", value=f.value / 100)


def _end(before: str, after: str) -> Picture:
    return lambda f, analysis: say("{before} about {value:.0f}° {after}", before=before, value=abs(f.value), after=after)


def _feet(f: Finding, analysis: Analysis) -> str:
    return say("One foot is turned out about {value:.0f}° further than the other", value=f.value)


def _waited(f: Finding, analysis: Analysis) -> str:
    wanted = analysis.scene.tempo.wanted("bottom") if analysis.scene.tempo is not None else None
    if not wanted or f.value / 100 * wanted >= HARDLY_S:
        return _pace("bottom", "You waited")(f, analysis)
    return say("You hardly waited; {wanted:g} s was asked", wanted=wanted)


def _centimetres(before: str, after: str) -> Picture:
    return lambda f, analysis: say("{before} about {value:.0f} cm {after}", before=before, value=abs(f.value), after=after)


PICTURES: dict[str, Picture] = {
    "thigh_from_horizontal_min_deg": _above_level,
    "range_share_pct": _shorter,
    "range_loss_pct": _shrinking,
    "speed_loss_pct": _slowing,
    "eccentric_share_pct": _pace("eccentric", "You lowered in"),
    "concentric_share_pct": _pace("concentric", "You lifted in"),
    "bottom_share_pct": _waited,
    "turn_s": _in_seconds("You turned round"),
    "start_s": _in_seconds("You were at full speed"),
    "stop_s": _in_seconds("Your knees went from full speed to straight"),
    "drop_pct": _falling,
    "knee_flexion_max_deg": _end("Your knees bent", "at most"),
    "knee_flexion_min_deg": _end("Your knees stayed", "from straight"),
    "hip_at_top_deg": _end("Your hips stayed", "from straight"),
    "trunk_lean_max_deg": _end("Your upper body leaned", "from upright"),
    "toe_out_asymmetry_deg": _feet,
    "hip_lift_cm": _centimetres("You came", "off the pad"),
    "hip_lift_more_cm": _centimetres("You came", "further off the pad than in your flattest reps"),
    "pelvis_by_knee_cm": _centimetres("You came", "further off the seat than in your flattest reps"),
    "seat_lift_cm": _centimetres("You came", "off the seat"),
    "back_lift_cm": _centimetres("You came", "off the back pad"),
    "pivot_misalignment_cm": _centimetres("Your knee sat", "away from the pivot"),
    "heel_rise_cm": _centimetres("Your heel rose", "off the ground"),
    "knee_inward_cm": _centimetres("Your knee came", "further in than where it started"),
    "knee_inside_cm": _centimetres("Your knee came", "inside the line of your foot"),
    "knee_caves_cm": _centimetres("Your knee came", "further in than in your other reps"),
    "knee_past_toe_cm": _centimetres("Your knee went", "past your toes"),
    "spine_flexion_deg": _end("Your back was", "rounder than at the start"),
    "spine_change_deg": _end("Your back was", "rounder than in your first rep"),
    "back_outline_deg": _end("Your back was", "rounder than in your straightest reps"),
    "trunk_swing_deg": _end("Your upper body swung", "to and fro"),
}
