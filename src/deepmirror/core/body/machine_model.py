"""What this body must do on a machine: back on its pad, foot on a platform, the load moving along a rail.

Everything lies in the machine's own side plane: the rail is the axis from the hip's pad towards the platform, `height` is
across it towards the client's head. A hack squat moves the body along the rail, a leg press the platform: for the legs it
is the same. Angles in degrees outside; static; moments are estimates for comparing set-ups.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy.optimize import brentq

from deepmirror.core.body.anthropometry import ANKLE_FROM_HEEL_SHARE, MASSES, USUAL_MASS_KG
from deepmirror.core.body.client_body import Body
from deepmirror.core.body.squat_chain import GRAVITY
from deepmirror.core.body.squat_model import Array
from deepmirror.core.body.squat_setup import Answer, Limits, Posture, SetupEffect

STEP_DEG, TOGETHER_DEG = 0.25, 1.5  # how finely a machine's postures are tried; limits this near bind together; our own choice
STANDING_KNEE_DEG = 5.0  # knee bend at which a swing's path is told; our own choice


@dataclass(frozen=True)
class Machine:
    """back_to_rail_deg: angle between the trunk on its pad and the rail towards the platform (180: legs in line with the
    trunk); rail_deg: the rail's angle over the level; foot_height_cm: ankle before (towards the toes of) the rail's line through
    the hip; platform_deg: how far the platform leans away from square to the rail, sparing the ankle.

    body_rides: the body travels with the load, so that the legs lift it too. flat_pelvis: a pad holds the pelvis flat.
    swing_cm: where the carriage hangs on an arm behind the client, the arm's length; the rail is then its path at straight knees.
    """

    back_to_rail_deg: float
    rail_deg: float
    foot_height_cm: float = 0.0
    platform_deg: float = 0.0
    load_kg: float = 0.0
    knees_open_deg: float = 0.0
    body_rides: bool = False
    flat_pelvis: bool = True
    swing_cm: float | None = None


MACHINES = {
    "hack_squat": Machine(180.0, -60.0, 20.0, 10.0, body_rides=True),
    "reverse_hack_squat": Machine(180.0, -60.0, 8.0, 10.0, body_rides=True, flat_pelvis=False),
    "pendulum_squat": Machine(170.0, -65.0, 4.0, 15.0, body_rides=True, swing_cm=150.0),
    "leg_press": Machine(124.0, 40.0, 14.0, 12.0),
    "single_leg_press": Machine(124.0, 40.0, 14.0, 12.0),
}
"""Usual angles of such machines; common practice, no source: the coach sets her own machine's."""


@dataclass(frozen=True)
class _Carriage:
    """Where the ankle lies from the hip: along the path and across it (cm), and how far the path is turned from the level (rad)."""

    along: float
    across: float
    turn: float


class GuidedBuild:
    """The solver for one body on one machine. Depth is asked for as knee flexion."""

    def __init__(self, body: Body, limits: Limits | None = None) -> None:
        self.limits = limits or Limits()
        self.thigh, self.shank = body.length("thigh").cm, body.length("shank").cm
        self.foot, self.trunk = body.length("foot").cm, body.length("trunk").cm
        self.mass, self.masses = body.mass_kg or USUAL_MASS_KG, MASSES[body.sex if body.sex in MASSES else "unspecified"]

    def posture(self, knee_flexion_deg: float, machine: Machine) -> Posture:
        """Where the joints are at a knee flexion; limits are not looked at. knee_past_toe is along the platform's plane."""
        carriage = self._carriage(self._reach(knee_flexion_deg), machine)
        reach = float(np.hypot(carriage.along, carriage.across))
        line = np.arctan2(carriage.across, carriage.along)
        at_hip = np.arccos(np.clip((self.thigh**2 + reach**2 - self.shank**2) / (2 * self.thigh * reach), -1, 1))
        opened, trunk = np.radians(machine.knees_open_deg), np.radians(machine.back_to_rail_deg)
        # opened knees turn the leg's plane about the line from hip to ankle
        thigh = np.array([np.cos(line), np.sin(line)]) * np.cos(at_hip)
        thigh = thigh + np.array([-np.sin(line), np.cos(line)]) * np.sin(at_hip) * np.cos(opened)
        along_trunk = np.array([np.cos(trunk), np.sin(trunk)])
        turn = np.array([[np.cos(carriage.turn), -np.sin(carriage.turn)], [np.sin(carriage.turn), np.cos(carriage.turn)]])
        first = np.radians(machine.rail_deg)
        sole, down = np.array([-np.sin(first), np.cos(first)]), np.array([np.cos(first), np.sin(first)])  # the platform stands still
        knee, ankle = turn @ (self.thigh * thigh), turn @ np.array([carriage.along, carriage.across])
        toe, heel = ankle + (1 - ANKLE_FROM_HEEL_SHARE) * self.foot * sole, ankle - ANKLE_FROM_HEEL_SHARE * self.foot * sole
        shank, up = knee - ankle, turn @ along_trunk
        places = {"hip": np.zeros(2), "knee": knee, "ankle": ankle, "shoulder": self.trunk * up, "toe": toe, "heel": heel}
        return Posture(
            float(np.degrees(np.arctan2(shank @ sole / np.cos(opened), -(shank @ down)))) - machine.platform_deg,
            knee_flexion_deg,
            180 - float(np.degrees(np.arccos(np.clip(along_trunk @ thigh, -1, 1)))),
            float(np.degrees(np.arctan2(up[0], up[1]))),
            -float(np.degrees(np.arcsin(np.clip(knee[1] / self.thigh, -1, 1)))),
            float((knee - toe) @ sole),
            50.0,
            {n: (float(p[0]), float(p[1])) for n, p in places.items()},
        )

    def _reach(self, knee_flexion_deg: float) -> float:
        """From hip to ankle, cm."""
        k = np.radians(180 - knee_flexion_deg)
        return float(np.sqrt(self.thigh**2 + self.shank**2 - 2 * self.thigh * self.shank * np.cos(k)))

    def _carriage(self, reach: float, machine: Machine) -> _Carriage:
        """Where the carriage stands with the hip this far from the ankle (cm)."""
        turn = float(np.radians(machine.rail_deg))
        height = float(np.clip(machine.foot_height_cm, -0.9 * reach, 0.9 * reach))
        if machine.swing_cm is None:
            return _Carriage(float(np.sqrt(reach**2 - height**2)), height, turn)
        standing = self._reach(STANDING_KNEE_DEG)
        start = float(np.sqrt(standing**2 - machine.foot_height_cm**2))

        def at(swung: float) -> _Carriage:
            """The ankle from the hip when the arm has swung by an angle (rad); the pivot lies behind the hip."""
            radius = float(machine.swing_cm or 0.0)
            away = np.array([start - radius * np.sin(swung), machine.foot_height_cm + radius * (1 - np.cos(swung))])
            along = away @ np.array([np.cos(swung), -np.sin(swung)])
            return _Carriage(float(along), float(away @ np.array([np.sin(swung), np.cos(swung)])), turn - swung)

        def short(swung: float) -> float:
            found = at(swung)
            return float(np.hypot(found.along, found.across)) - reach

        low, high = 0.0, float(np.arctan2(start, float(machine.swing_cm) + machine.foot_height_cm))  # there the hip is nearest the ankle
        return at(low if short(low) <= 0 else high if short(high) >= 0 else float(brentq(short, low, high)))

    def broken(self, posture: Posture, machine: Machine) -> tuple[str, ...]:
        """The limits a posture breaks, the one it breaks furthest first."""
        over = {
            "ankle_dorsiflexion": posture.ankle_dorsiflexion - self.limits.ankle_dorsiflexion,
            "hip_flexion": posture.hip_flexion - (self.limits.flat_hip if machine.flat_pelvis else self.limits.hip_flexion),
            "knee_flexion": posture.knee_flexion - self.limits.knee_flexion,
        }
        return tuple(n for n in sorted(over, key=lambda n: -over[n]) if over[n] > 1e-9)

    def at_depth(self, knee_flexion_deg: float, machine: Machine) -> Answer:
        """The posture at a knee flexion; the deepest one when a limit stands before it."""
        deepest = self.deepest(machine)
        if knee_flexion_deg > deepest.posture.knee_flexion + 1e-9:
            return replace(deepest, feasible=False)
        posture = self.posture(knee_flexion_deg, machine)
        return Answer(True, (), posture, self.moments(posture, machine))

    def deepest(self, machine: Machine) -> Answer:
        """Most knee flexion before a limit, and which limit that is."""
        knee = 5.0
        for step in (10.0, 2.0, STEP_DEG):
            while not self.broken(self.posture(knee + step, machine), machine) and knee < 170:
                knee += step
        posture = self.posture(knee, machine)
        # two limits reached within a degree or so stop the way down together
        return Answer(True, self.broken(self.posture(knee + TOGETHER_DEG, machine), machine), posture, self.moments(posture, machine))

    def moments(self, posture: Posture, machine: Machine) -> dict[str, float]:
        """Moments (N·m) of the load along the path through the middle of the foot and of the legs' own weight, both legs together;
        extension positive. The low back is not told: nobody knows how much of it the pad carries."""
        place = {n: np.array(p) for n, p in posture.points_cm.items()}
        carriage = self._carriage(self._reach(posture.knee_flexion), machine)
        down = np.array([np.cos(carriage.turn), np.sin(carriage.turn)])
        riding = machine.load_kg + (self.mass if machine.body_rides else 0.0)
        forces = [((place["heel"] + place["toe"]) / 2, -riding * GRAVITY * abs(np.sin(carriage.turn)) * down)]
        m, weight = self.masses, np.array([0.0, -2 * self.mass * GRAVITY])
        foot = (place["heel"] + m.foot_centre * (place["toe"] - place["heel"]), m.foot * weight)
        shank = (place["knee"] + m.shank_centre * (place["ankle"] - place["knee"]), m.shank * weight)
        thigh = (place["hip"] + m.thigh_centre * (place["knee"] - place["hip"]), m.thigh * weight)

        def about(joint: str, *parts: tuple[Array, Array]) -> float:
            arms = [(at - place[joint], force) for at, force in (*forces, *parts)]
            return sum(float(arm[0] * force[1] - arm[1] * force[0]) for arm, force in arms) / 100

        own_axis = float(np.cos(np.radians(machine.knees_open_deg)))
        return {"ankle": about("ankle", foot), "knee": -about("knee", foot, shank) / own_axis, "hip": about("hip", foot, shank, thigh)}

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
