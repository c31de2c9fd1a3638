"""What of a finding is build, and what would change it: the solver's words for one analysed film."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from deepmirror.core.body.machine_model import MACHINES, GuidedBuild
from deepmirror.core.body.squat_model import OPENING_MOST_GAIN, Build
from deepmirror.core.body.squat_setup import Limits, Setup, SetupEffect, hip_limit_of_flat
from deepmirror.core.measures.contact_measures import distances
from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.motion.reps import rise_acceleration
from deepmirror.core.uncertain_value import Band
from deepmirror.exchange.brief import BriefFile
from deepmirror.judge.causes import Limit
from deepmirror.judge.records import BuildView, Measured
from deepmirror.movements.schema import Movement
from deepmirror.movements.schools import chosen
from deepmirror.services.posture.bodies import body_of
from deepmirror.services.posture.known_limits import JOINTS, LIMIT_NAMES, film_limits, known_limits, limits_from, limits_of
from deepmirror.services.posture.posture_commands import film_setup, level_of, limit_words
from deepmirror.services.posture.two_answers import (
    depth_answers,
    feet_on_floor_answers,
    heel_answers,
    lean_answers,
    seat_answers,
    step_answers,
)
from deepmirror.words import joined, say

ONSET_CM, LIFTED_CM = 0.8, 1.5  # where a pelvis begins to leave its pad, and a rep in which it clearly does
OPENED_DEG = (5.0, 10.0, 15.0, 20.0, 25.0, 30.0)  # how far knees are tried to be opened on a seat; our own choice
HEEL_UP_CM = 1.5  # a heel higher than this has risen; common practice, no source
DISAGREE_DEG = 1.0  # model and film this far apart are told to disagree; our own choice
SURE_SHARE = 0.2  # a turn-round's acceleration less sure than this share of it is left out; our own choice
LEAN_MARGIN_DEG = 4.0  # of the solver itself: trunk taken as rigid, usual bar place; our own estimate, no source


def build_view(file: BriefFile, scene: MeasurementContext, measured: Measured, movement: Movement) -> BuildView | None:
    """The solver's targets and levers for this film's client; None where the solver does not know the movement or the view."""
    if file.movement in MACHINES:
        return _machine_view(file, scene, measured)
    setup = film_setup(file, scene.plane)
    if setup is None and scene.near is not None:
        return _other_view(file, measured, movement)
    if setup is None or scene.near is None or not body_of(file.client).known():
        return None
    depths = [v["thigh_from_horizontal_min_deg"].value for v in measured.reps if "thigh_from_horizontal_min_deg" in v]
    if not depths:
        return None
    shown = film_limits(movement, measured, "this film")
    known = known_limits(file.client, [shown] if shown is not None else [])
    depth, limits = float(np.median(depths)), limits_from(known)
    build = Build(body_of(file.client), limits).reaching(depth, setup)
    deepest = build.deepest(setup)
    model_deg = deepest.posture.thigh_from_horizontal
    reached = max(depth, model_deg)
    words = [say("deepest this build reaches: {level_of}, then {limit}", level_of=level_of(model_deg), limit=limit_words(deepest.binding))]
    words.append(
        "limits taken: "
        + joined(", ", [say("{limit_names} {words}", limit_names=LIMIT_NAMES[name], words=known[name].words) for name in JOINTS])
    )
    if model_deg > depth + DISAGREE_DEG:
        words.append(
            say(
                "film and model disagree by {model_deg:.0f}°: the film reached {depth:.0f}°, and the film counts",
                model_deg=model_deg - depth,
                depth=depth,
            )
        )
    lean = None
    band = build.lean_band(reached, setup)
    if band is not None:
        lean = Band(None, band[1] + LEAN_MARGIN_DEG)
        words.append(
            say("at {reached:.0f}° this build needs {band:.0f} to {band2:.0f}° of trunk lean", reached=reached, band=band[0], band2=band[1])
        )
    words += _dynamics(scene, build, setup, reached)
    words += [_lever(lever, build, model_deg) for lever in build.levers(reached, setup)[:2]]
    answers = {
        "shallow_depth": depth_answers(build, setup, _agreed_deg(movement, file.client.schools)),
        "heel_rise": heel_answers(build, setup, *_heels_at(measured)),
        "trunk_lean": lean_answers(build, setup, reached),
    }
    return BuildView(lean, tuple(words), {k: v for k, v in answers.items() if v}, _binding(deepest.binding_limit, limits))


def _agreed_deg(movement: Movement, schools: Mapping[str, str]) -> float:
    """Thigh over level that was agreed as depth."""
    fault = next((f for f in movement.fault if f.measure == "thigh_from_horizontal_min_deg" and f.code == "shallow_depth"), None)
    high = fault.targets[chosen(schools, movement, fault)].high if fault is not None else None
    return high if high is not None else 0.0


def _heels_at(measured: Measured) -> tuple[float, float | None]:
    """How deep (thigh over level) the reps went in which the heel surely rose, and the deepest in which it stayed down."""
    rows = [
        (v["heel_rise_cm"], v["thigh_from_horizontal_min_deg"].value)
        for v in measured.reps
        if {"heel_rise_cm", "thigh_from_horizontal_min_deg"} <= set(v)
    ]
    rose = [deg for rise, deg in rows if rise.value - rise.u > HEEL_UP_CM]
    flat = [deg for rise, deg in rows if rise.value <= HEEL_UP_CM]
    return min(rose, default=0.0), min(flat, default=None)


def _other_view(file: BriefFile, measured: Measured, movement: Movement) -> BuildView | None:
    """Answers that need no more than the client's shank: feet of a thrust, the step of a lunge."""
    shank = body_of(file.client).length("shank").cm
    answers = {}
    at_top = [v["shank_at_turn_deg"].value for v in measured.reps if "shank_at_turn_deg" in v]
    if at_top and any(f.code == "shin_off_upright" for f in movement.fault):
        answers["shin_off_upright"] = feet_on_floor_answers(shank, float(np.median(at_top)))
    leans = [v["shank_from_vertical_max_deg"].value for v in measured.reps if "shank_from_vertical_max_deg" in v]
    fault = next((f for f in movement.fault if f.code == "shin_angle"), None)
    if leans and fault is not None:
        high = fault.targets[chosen(file.client.schools, movement, fault)].high
        answers["shin_angle"] = step_answers(shank, float(np.median(leans)), high) if high is not None else ()
    answers = {k: v for k, v in answers.items() if v}
    return BuildView(None, (), answers) if answers else None


def _binding(joint: str | None, limits: Limits) -> Limit | None:
    """The joint that runs out first, with its limit; None where balance does, or nothing."""
    return Limit(joint, float(getattr(limits, joint))) if joint is not None and hasattr(limits, joint) else None


def _machine_view(file: BriefFile, scene: MeasurementContext, measured: Measured) -> BuildView | None:
    """On a seat: the two answers to a pelvis that curls, each with the depth it gives this body."""
    if not body_of(file.client).known() or not any("hip_lift_cm" in v for v in measured.reps):
        return None
    depths = [v["knee_flexion_max_deg"].value for v in measured.reps if "knee_flexion_max_deg" in v]
    flat = flat_depth(scene, measured)
    if flat is None:
        return None
    flat_deg, how = flat
    depth = float(np.max(depths))
    machine, limits = MACHINES[file.movement], limits_of(file.client)
    # the film says where these hips ran out of room; the solver's own limit is set by it
    bent = GuidedBuild(body_of(file.client), limits).posture(flat_deg, machine).hip_flexion
    build = GuidedBuild(body_of(file.client), replace(limits, hip_flexion=hip_limit_of_flat(bent)))
    opened = [(o, build.deepest(replace(machine, knees_open_deg=o)).posture.knee_flexion) for o in OPENED_DEG]
    answers = seat_answers(flat_deg, depth, opened, how)
    return BuildView(
        None,
        (say("{how} at {flat_deg:.0f}° of knee bend", how=how, flat_deg=flat_deg),),
        {"pelvis_tuck": answers},
        Limit("hip_flexion", _flat_bend(measured)),
    )


def _flat_bend(measured: Measured) -> float:
    """Hip flexion (degrees) up to which the pelvis lay flat on this film: the most of clean reps, else less than any that curled."""
    bent = [
        (v["hip_lift_cm"].value, v["hip_flexion_max_deg"].value) for v in measured.reps if {"hip_lift_cm", "hip_flexion_max_deg"} <= set(v)
    ]
    clean = [deg for lift, deg in bent if lift <= ONSET_CM]
    return max(clean) if clean else min((deg for _, deg in bent), default=0.0)


def flat_depth(scene: MeasurementContext, measured: Measured) -> tuple[float, str] | None:
    """Deepest knee flexion (degrees) this film shows with the pelvis flat, and how it is known; None when it never left the pad.

    Reps that kept the pelvis down tell it best; without one it is where the pelvis began to leave.
    """
    lifts = [
        (rep, v["hip_lift_cm"].value, v["knee_flexion_max_deg"].value)
        for rep, v in zip(scene.reps, measured.reps, strict=True)
        if {"hip_lift_cm", "knee_flexion_max_deg"} <= set(v)
    ]
    rep = next((r for r, lift, _ in lifts if lift > LIFTED_CM), None)
    if rep is None:
        return None
    clean = [knee for _, lift, knee in lifts if lift <= ONSET_CM]
    if clean:
        return max(clean), "the pelvis still lay flat on this film"
    assert scene.px_per_cm is not None
    away = distances(scene, "hip", "pad")[0] / scene.px_per_cm.value
    knee = scene.angle("knee_flexion")
    inside = np.flatnonzero((scene.track.times >= rep.start_s) & (scene.track.times <= rep.bottom_s))
    onset = inside[int(np.argmax(away[inside] > ONSET_CM))]
    return float(knee.values[onset]), "the pelvis began to leave the pad on this film"


def _dynamics(scene: MeasurementContext, build: Build, setup: Setup, depth: float) -> list[str]:
    """What the reversals' own acceleration adds to the hip's moment, an estimate to compare reps and set-ups by."""
    answer = build.at_depth(depth, setup)
    if scene.px_per_cm is None or not scene.reps or not answer.feasible:
        return []
    hip = scene.side_point("hip")
    rise = rise_acceleration(scene.track.times, scene.track.point(hip) @ scene.up / scene.px_per_cm.value / 100, scene.reps)
    still = build.moments(answer.posture, setup)["hip"]
    held = say("hip moment at this depth, both legs: {still:.0f} N·m held still", still=still)
    if rise.u > SURE_SHARE * rise.value:
        return [say("{held} (estimate)", held=held)]
    moving = build.moments(answer.posture, setup, rise.value)["hip"]
    return [
        say(
            "{held}, {moving:.0f} with the turn-round's {value:.1f} ± {u:.1f} m/s² (estimate)",
            held=held,
            moving=moving,
            value=rise.value,
            u=rise.u,
        )
    ]


def _lever(lever: SetupEffect, build: Build, deepest_deg: float) -> str:
    opened = lever.change == "knees_open_deg"
    what = say("knees turned out {by:g}° more", by=lever.by) if opened else say("{by} cm heel lift", by=lever.by)
    lower = np.sin(np.radians(deepest_deg)) - np.sin(np.radians(deepest_deg - lever.depth_gain_deg))
    bound = "up to " if opened and lever.depth_gain_deg >= OPENING_MOST_GAIN * float(lever.by) else ""
    gain = say(
        "{bound}{depth_gain_deg:+.0f}° depth ({thigh:+.0f} cm)", bound=bound, depth_gain_deg=lever.depth_gain_deg, thigh=build.thigh * lower
    )
    return say("{what}: {gain}", what=what, gain=gain) + (
        say(", {lean_change_deg:+.0f}° lean", lean_change_deg=lever.lean_change_deg) if lever.lean_change_deg is not None else ""
    )
