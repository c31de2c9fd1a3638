"""The build solver as use cases: from a client's record to postures, levers and the batch contract's record."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from deepmirror.core.body.machine_model import MACHINES, GuidedBuild
from deepmirror.core.body.squat_model import Build
from deepmirror.core.body.squat_setup import BARS, Answer, Setup, SetupEffect, Support
from deepmirror.core.camera.sagittal_fit import Plane
from deepmirror.documents import Document
from deepmirror.errors import BadBrief
from deepmirror.exchange.brief import BriefFile, ClientPart, read_client
from deepmirror.services.common.plausible import impossible_lengths
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.known_limits import FilmLimits, limits_of
from deepmirror.words import say

FREE_SQUATS = {"back_squat": "high", "goblet_squat": "goblet", "box_squat": "high", "belt_squat": "belt", "smith_squat": "high"}
SUPPORTS = {"belt_squat": Support.HANDS, "smith_squat": Support.RAIL}
HINGES = {"romanian_deadlift": 18.0, "stiff_leg_deadlift": 8.0}
"""Knee flexion (degrees) kept through the hinge; common practice, no source."""
PARALLEL_DEG, RIGHT_ANGLE_DEG, HINGE_DEG = 0.0, 90.0, 90.0  # thigh over level, knee flexion, hip flexion asked for when nothing else is
MOST_OPENED_DEG = 35.0  # no film is taken to show knees opened further; our own bound
LENGTHS = ("thigh", "shank", "foot", "trunk", "biacromial", "hip_breadth", "seat_to_floor")


@dataclass(frozen=True)
class PostureRequest:
    """What is asked of a body. depth: "parallel", "deepest" or degrees (thigh over level; knee flexion on machines; hip
    flexion in hinges)."""

    movement: str = "back_squat"
    depth: str | float = "parallel"
    bar: str | None = None
    heel_lift_cm: float = 0.0
    knees_open_deg: float = 0.0
    load_kg: float = 0.0
    foot_height_cm: float | None = None


def solve_build(client: ClientPart, ask: PostureRequest, films: Sequence[FilmLimits] = ()) -> tuple[Answer, list[SetupEffect]]:
    """Posture, limit and levers. Raises as `solve_posture` does."""
    answer, levers = solve_posture(client, ask, films)
    return answer, levers()


def solve_posture(
    client: ClientPart, ask: PostureRequest, films: Sequence[FilmLimits] = ()
) -> tuple[Answer, Callable[[], list[SetupEffect]]]:
    """Posture and limit, and what works out the levers when they are wanted. films: what her films say of the limits.

    Raises BadBrief for movements or set-ups the solver does not know, and for lengths no body has; CannotSolve for joint limits that
    leave no posture.
    """
    if wrong := next(impossible_lengths(client), ""):
        raise BadBrief(wrong)
    body, limits = body_of(client), limits_of(client, films)
    if ask.movement in MACHINES:
        machine = replace(MACHINES[ask.movement], load_kg=ask.load_kg, knees_open_deg=ask.knees_open_deg)
        if ask.foot_height_cm is not None:
            machine = replace(machine, foot_height_cm=ask.foot_height_cm)
        guided = GuidedBuild(body, limits)
        knee = RIGHT_ANGLE_DEG if isinstance(ask.depth, str) else float(ask.depth)
        answer = guided.deepest(machine) if ask.depth == "deepest" else guided.at_depth(knee, machine)
        return answer, lambda: guided.levers(answer.posture.knee_flexion, machine)
    if ask.movement in HINGES:
        hip = HINGE_DEG if isinstance(ask.depth, str) else float(ask.depth)
        hip = limits.hamstrings(HINGES[ask.movement]) if ask.depth == "deepest" else hip
        return Build(body, limits).hinge(hip, HINGES[ask.movement], ask.load_kg), list
    if ask.movement not in FREE_SQUATS:
        known = ", ".join(sorted([*FREE_SQUATS, *MACHINES, *HINGES]))
        raise BadBrief(say("The build solver does not know “{movement}”. It knows: {known}.", movement=ask.movement, known=known))
    bar = ask.bar or FREE_SQUATS[ask.movement]
    if bar not in BARS:
        raise BadBrief(say("“{bar}” is not a bar position. Known are: {bars}.", bar=bar, bars=", ".join(sorted(BARS))))
    support = Support.HANDS if bar == "belt" else SUPPORTS.get(ask.movement, Support.NONE)
    setup = Setup(bar, ask.load_kg, ask.heel_lift_cm, ask.knees_open_deg, support=support)
    build = Build(body, limits)
    thigh = PARALLEL_DEG if isinstance(ask.depth, str) else float(ask.depth)
    answer = build.deepest(setup) if ask.depth == "deepest" else build.at_depth(thigh, setup)
    depth = answer.posture.thigh_from_horizontal if ask.depth == "deepest" else thigh
    return answer, lambda: build.levers(depth, setup)


def film_setup(file: BriefFile, plane: Plane | None) -> Setup | None:
    """The set-up a film was lifted in: load, bar, shoe, and how far the film shows the knees opened; None for movements that are not
    free squats."""
    if file.movement not in FREE_SQUATS:
        return None
    opened = float(np.clip(plane.parameters.thigh_deg, 0, MOST_OPENED_DEG)) if plane is not None else 0.0
    support = SUPPORTS.get(file.movement, Support.NONE)
    return Setup(FREE_SQUATS[file.movement], file.load_kg or 0.0, file.client.shoe_heel_cm, opened, support=support)


LIMIT_WORDS = {
    "ankle_dorsiflexion": "the ankle runs out",
    "hip_flexion": "the hip runs out",
    "knee_flexion": "hamstring meets calf",
    "balance": "balance runs out",
    "hamstrings": "the back of the thigh runs out",
    "knee_block": "the knees meet their line",
}


def limit_words(binding: Sequence[str]) -> str:
    """What stands in the way, all that does: "the ankle runs out and the hip runs out"."""
    return " and ".join(LIMIT_WORDS.get(name, name.replace("_", " ")) for name in binding) or "nothing stops it"


def level_of(thigh_deg: float) -> str:
    """Where the thighs are, for the coach: "thighs level", "thighs 8° above level"."""
    whole = round(thigh_deg)
    return "thighs level" if whole == 0 else say("thighs {whole}° {which} level", whole=abs(whole), which="above" if whole > 0 else "below")


def r(value: float | None) -> float | None:
    """Two digits for JSON."""
    return None if value is None else round(value, 2)


def build_record(client: ClientPart, ask: PostureRequest) -> Document:
    """The contract's JSON object."""
    answer, levers = solve_build(client, ask)
    p, body = answer.posture, body_of(client)
    names = ("ankle_dorsiflexion", "knee_flexion", "hip_flexion", "trunk_lean", "thigh_from_horizontal")
    return {
        "feasible": answer.feasible,
        "binding_limit": answer.binding_limit,
        "binding_limits": list(answer.binding),
        "posture_deg": {n: r(getattr(p, n)) for n in names},
        "knee_past_toe_cm": r(p.knee_past_toe_cm),
        "com_over_foot_pct": r(p.com_over_foot_pct),
        "moments_nm": {k: r(answer.moments_nm.get(k)) for k in ("ankle", "knee", "hip", "low_back")},
        "lengths_cm": {n: {"value": r(body.length(n).cm), "source": body.length(n).source} for n in LENGTHS},
        "levers": [
            {
                "change": lever.change,
                "by": lever.by,
                "depth_gain_deg": r(lever.depth_gain_deg),
                "lean_change_deg": r(lever.lean_change_deg),
                "knee_travel_change_cm": r(lever.knee_travel_change_cm),
            }
            for lever in levers
        ],
        "note": "Static estimate for comparing set-ups; not a tissue load and not a diagnosis.",
    }


def build_command(path: Path, ask: PostureRequest) -> str:
    """The build command: JSON text for a CLIENT.json. Raises BadBrief with one sentence."""
    return json.dumps(build_record(read_client(path), ask), indent=1, ensure_ascii=False, allow_nan=False)
