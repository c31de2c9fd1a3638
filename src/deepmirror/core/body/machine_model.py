"""What this body must do on a machine: back on its pad, foot on a platform, the load moving along a rail.

Everything lies in the machine's own side plane: the rail is the axis from the hip's pad towards the platform, `height` is
across it towards the client's head. A hack squat moves the body along the rail, a leg press the platform: for the legs it
is the same. Angles in degrees outside; static; moments are estimates for comparing set-ups.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from deepmirror.core.body.anthropometry import ANKLE_FROM_HEEL_SHARE
from deepmirror.core.body.client_body import Body
from deepmirror.core.body.squat_model import GRAVITY, Answer, Array, Limits, Posture, SetupEffect

STEP_DEG = 0.25  # how finely a machine's postures are tried; our own choice


@dataclass(frozen=True)
class Machine:
    """back_to_rail_deg: angle between the trunk on its pad and the rail towards the platform (180: legs in line with the
    trunk); rail_deg: the rail's angle over the level; foot_height_cm: ankle before (towards the toes of) the rail's line through
    the hip; platform_deg: how far the platform leans away from square to the rail, sparing the ankle."""

    back_to_rail_deg: float
    rail_deg: float
    foot_height_cm: float = 0.0
    platform_deg: float = 0.0
    load_kg: float = 0.0
    knees_open_deg: float = 0.0


MACHINES = {
    "hack_squat": Machine(180.0, -60.0, 20.0, 10.0),
    "reverse_hack_squat": Machine(180.0, -60.0, 8.0, 10.0),
    "pendulum_squat": Machine(170.0, -65.0, 16.0, 12.0),
    "leg_press": Machine(95.0, 45.0, 10.0, 12.0),
    "single_leg_press": Machine(95.0, 45.0, 10.0, 12.0),
}
"""Usual angles of such machines; common practice, no source: the coach sets her own machine's."""


class GuidedBuild:
    """The solver for one body on one machine. Depth is asked for as knee flexion."""

    def __init__(self, body: Body, limits: Limits | None = None) -> None:
        self.limits = limits or Limits()
        self.thigh, self.shank = body.length("thigh").cm, body.length("shank").cm
        self.foot, self.trunk = body.length("foot").cm, body.length("trunk").cm

    def posture(self, knee_flexion_deg: float, machine: Machine) -> Posture:
        """Where the joints are at a knee flexion; limits are not looked at. knee_past_toe is along the rail, to the platform's plane."""
        k = np.radians(180 - knee_flexion_deg)
        reach = float(np.sqrt(self.thigh**2 + self.shank**2 - 2 * self.thigh * self.shank * np.cos(k)))
        height = float(np.clip(machine.foot_height_cm, -0.9 * reach, 0.9 * reach))
        line = np.arcsin(height / reach)
        at_hip = np.arccos(np.clip((self.thigh**2 + reach**2 - self.shank**2) / (2 * self.thigh * reach), -1, 1))
        thigh = line + at_hip  # over the rail, towards the head
        ankle = np.array([reach * np.cos(line), height])
        knee = self.thigh * np.array([np.cos(thigh), np.sin(thigh)])
        shank = knee - ankle
        trunk = np.radians(machine.back_to_rail_deg)
        shoulder = self.trunk * np.array([np.cos(trunk), np.sin(trunk)])
        hip_flexion = 180 - abs(machine.back_to_rail_deg - np.degrees(thigh)) - 0.3 * machine.knees_open_deg * (knee_flexion_deg / 100)
        dorsiflexion = float(np.degrees(np.arctan2(shank[1], -shank[0]))) - machine.platform_deg
        turn = np.radians(machine.rail_deg)

        def rotate(p: Array) -> tuple[float, float]:
            return float(p[0] * np.cos(turn) - p[1] * np.sin(turn)), float(p[0] * np.sin(turn) + p[1] * np.cos(turn))

        toe = ankle + np.array([0.0, (1 - ANKLE_FROM_HEEL_SHARE) * self.foot])
        heel = ankle - np.array([0.0, ANKLE_FROM_HEEL_SHARE * self.foot])
        points = {"hip": np.zeros(2), "knee": knee, "ankle": ankle, "shoulder": shoulder, "toe": toe, "heel": heel}
        return Posture(
            dorsiflexion,
            knee_flexion_deg,
            float(hip_flexion),
            90 - machine.rail_deg - machine.back_to_rail_deg,
            -float(np.degrees(np.arcsin(np.sin(thigh + turn)))),
            float(knee[1] - toe[1]),
            50.0,
            {n: rotate(p) for n, p in points.items()},
        )

    def broken(self, posture: Posture) -> str | None:
        """The limit a posture breaks furthest, or None."""
        over = {
            "ankle_dorsiflexion": posture.ankle_dorsiflexion - self.limits.ankle_dorsiflexion,
            "hip_flexion": posture.hip_flexion - self.limits.hip_flexion,
            "knee_flexion": posture.knee_flexion - self.limits.knee_flexion,
        }
        worst = max(over, key=lambda n: over[n])
        return worst if over[worst] > 1e-9 else None

    def at_depth(self, knee_flexion_deg: float, machine: Machine) -> Answer:
        """The posture at a knee flexion; the deepest one when a limit stands before it."""
        deepest = self.deepest(machine)
        if knee_flexion_deg > deepest.posture.knee_flexion + 1e-9:
            return replace(deepest, feasible=False)
        posture = self.posture(knee_flexion_deg, machine)
        return Answer(True, None, posture, self.moments(posture, machine))

    def deepest(self, machine: Machine) -> Answer:
        """Most knee flexion before a limit, and which limit that is."""
        knee = 5.0
        for step in (10.0, 2.0, STEP_DEG):
            while self.broken(self.posture(knee + step, machine)) is None and knee < 170:
                knee += step
        posture = self.posture(knee, machine)
        return Answer(True, self.broken(self.posture(knee + STEP_DEG, machine)), posture, self.moments(posture, machine))

    def moments(self, posture: Posture, machine: Machine) -> dict[str, float]:
        """Load along the rail through the middle of the foot times its arms (N·m), both legs together; extension positive."""
        turn = np.radians(machine.rail_deg)

        def across(name: str) -> float:
            x, z = posture.points_cm[name]
            return float(-x * np.sin(turn) + z * np.cos(turn))

        force = machine.load_kg * GRAVITY * abs(np.sin(turn))
        line = (across("heel") + across("toe")) / 2
        arm = {n: (across(n) - line) / 100 for n in ("ankle", "knee", "hip")}
        return {"ankle": -force * arm["ankle"], "knee": force * arm["knee"], "hip": -force * arm["hip"], "low_back": 0.0}

    def levers(self, knee_flexion_deg: float, machine: Machine) -> list[SetupEffect]:
        """Feet higher or lower on the platform, and knees opened. depth_gain is of knee flexion."""
        before = self.deepest(machine)
        at = self.posture(min(knee_flexion_deg, before.posture.knee_flexion), machine)
        out = []
        for change, by, new in (
            ("foot_height_cm", 8.0, replace(machine, foot_height_cm=machine.foot_height_cm + 8.0)),
            ("foot_height_cm", -8.0, replace(machine, foot_height_cm=machine.foot_height_cm - 8.0)),
            ("knees_open_deg", 10.0, replace(machine, knees_open_deg=machine.knees_open_deg + 10.0)),
        ):
            after = self.posture(at.knee_flexion, new)
            gain = self.deepest(new).posture.knee_flexion - before.posture.knee_flexion
            out.append(SetupEffect(change, by, gain, 0.0, after.knee_past_toe_cm - at.knee_past_toe_cm))
        return out
