"""Machine and hinge sets: a body posed by joint angles that run between a start and a far posture.

Directions in the sagittal plane are measured from straight down, forward positive (degrees): thigh = hip flexion - lean,
shank = thigh - knee flexion, sole = shank + 90 + dorsiflexion.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from studio.body import Body, frame
from studio.lifts import FORWARD, LEFT, UP, knee_between

Array = NDArray[np.float64]
CURL_DEG_PER_CM = 4.0  # how far the pelvis tips for every centimetre it leaves the seat


@dataclass(frozen=True)
class Posture:
    """Start and far angles of a set (degrees), which joint stays where, and where the hands are.

    anchor: hip, knee, ankle or toe, kept at `at_m` (forward, up). sole_deg: the sole's own angle from level when it lies on
    something; else ankle_deg gives the dorsiflexion. hand_m: hands from the shoulders (forward, up) in room directions.
    fault: what a rep's fault number does: "lift" raises the hips off the bench about the knees (cm), "curl" rolls the pelvis
    off the seat with the feet where they were (cm), "round" bends the spine between shoulders and hips (degrees).
    seat_deg: how far the seat's surface is pitched; the pelvis leaves it at a right angle.
    """

    anchor: str
    at_m: tuple[float, float]
    hip_deg: tuple[float, float]
    knee_deg: tuple[float, float]
    lean_deg: tuple[float, float] | None = None
    ankle_deg: tuple[float, float] = (0.0, 0.0)
    sole_deg: float | None = None
    open_deg: float = 0.0
    feet_cm: float = 22.0
    hand_m: tuple[float, float] = (0.25, -0.35)
    nod: float = 0.3
    first: str = "eccentric"
    fault: str = "lift"
    seat_deg: float = 0.0
    hands_at_hips: bool = False  # on handles beside the hips, before them for a camera at the side
    props: tuple[dict[str, Any], ...] = field(default_factory=tuple)


def sagittal(angle: float) -> Array:
    """Unit vector at an angle from straight down, forward positive."""
    return FORWARD * np.sin(angle) - UP * np.cos(angle)


def about_side(angle: float) -> Array:
    """Rotation (3, 3) that leans an upright body forward by `angle` (rad)."""
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[1, 0, 0], [0, c, -s], [0, s, c]])


def about(centre: Array, angle: float) -> Array:
    """4 x 4 turn of a body part by `angle` (rad, forward positive) about a point of the rest body."""
    out = np.eye(4)
    out[:3, :3] = about_side(angle)
    out[:3, 3] = centre - out[:3, :3] @ centre
    return out


class Lifter:
    """Poses the body at a share of the way to the far posture; `fault` is centimetres of hip lift where the set has it."""

    def __init__(self, body: Body, posture: Posture) -> None:
        self.body, self.posture = body, posture
        j = body.joints
        self.thigh, self.shank = body.length("hip_left", "knee_left"), body.length("knee_left", "ankle_left")
        self.trunk = float(np.linalg.norm((j["shoulder_left"] + j["shoulder_right"] - j["hip_left"] - j["hip_right"]) / 2))
        self.half_hip = abs(j["hip_left"][0])

    def directions(self, s: float, fault: float) -> tuple[float, float, float, float]:
        """Lean, thigh, shank and sole angles (rad)."""
        p = self.posture
        mix = lambda ab: np.radians(ab[0] + s * (ab[1] - ab[0]))
        hip, knee = mix(p.hip_deg), mix(p.knee_deg)
        if p.lean_deg is None:  # standing: the lean follows from the legs
            shank = np.radians(p.sole_deg or 0.0) - mix(p.ankle_deg)
            thigh = shank + knee
            lean = hip - thigh
        else:
            lean = mix(p.lean_deg)
            thigh = hip - lean
        if fault and p.fault == "lift" and p.anchor == "knee":
            thigh += np.arcsin(fault / 100 / self.thigh)
            lean += np.arcsin(fault / 100 / self.trunk)
        shank = thigh - knee
        sole = np.radians(90 + p.sole_deg) if p.sole_deg is not None else shank + np.pi / 2 + mix(p.ankle_deg)
        return float(lean), float(thigh), float(shank), float(sole)

    def pose(self, s: float, fault: float) -> tuple[dict[str, Array], dict[str, Array], Array]:
        """Landmarks, segment transforms, and the middle between the hands."""
        p, j = self.posture, self.body.joints
        lean, thigh, shank, sole = self.directions(s, fault)
        turn = about_side(lean)
        lm: dict[str, Array] = {}
        tf: dict[str, Array] = {}
        spread = np.radians(p.open_deg)
        offsets: dict[str, dict[str, Array]] = {}
        foot_turn = about_side(-(sole - np.pi / 2))
        for side, sign in (("left", 1), ("right", -1)):
            swing = lambda v, k=sign: v - LEFT * (v @ LEFT) + (FORWARD * (np.cos(spread) - 1) + LEFT * k * np.sin(spread)) * (v @ FORWARD)
            hip = LEFT * sign * self.half_hip
            knee = hip + swing(sagittal(thigh)) * self.thigh
            ankle = knee + swing(sagittal(shank)) * self.shank
            ankle = ankle + LEFT * (sign * p.feet_cm / 200 - ankle[0]) * (1 if p.open_deg == 0 and p.sole_deg is not None else 0)
            at = {"hip": hip, "knee": knee, "ankle": ankle}
            for name in ("toe", "heel"):
                at[name] = ankle + foot_turn @ (j[f"{name}_{side}"] - j[f"ankle_{side}"])
            offsets[side] = at
        mid = (offsets["left"][p.anchor] + offsets["right"][p.anchor]) / 2
        pelvis = FORWARD * (p.at_m[0] - mid @ FORWARD) + UP * (p.at_m[1] - mid @ UP)
        rolled = np.zeros(3)
        if fault and p.fault == "curl":
            rolled = self._seat_normal() * fault / 100
            self._roll_off(offsets, rolled)
        trunk = np.eye(4)
        mid_hip = (j["hip_left"] + j["hip_right"]) / 2
        trunk[:3, :3], trunk[:3, 3] = turn, pelvis - turn @ mid_hip
        tf["trunk"] = trunk
        tf["pelvis"], tf["chest"] = self._bent_spine(trunk, fault, rolled)
        spine = lambda share: mid_hip + share * ((j["shoulder_left"] + j["shoulder_right"]) / 2 - mid_hip) + np.array([0, 0.07, 0])
        place = lambda m, q: m[:3, :3] @ q + m[:3, 3]
        lm["mid_back"] = place(tf["chest"], spine(0.62))
        lm["low_back"] = (place(tf["pelvis"], spine(0.26)) + place(tf["chest"], spine(0.26))) / 2
        trunk = tf["chest"]
        self.handles = {s: pelvis + LEFT * k * (self.half_hip + 0.16) + UP * 0.05 - FORWARD * 0.03 for s, k in (("left", 1), ("right", -1))}
        nod = about_side(lean * (1 - p.nod))
        neck = place(trunk, j["neck"])
        tf["head"] = np.eye(4)
        tf["head"][:3, :3], tf["head"][:3, 3] = nod, neck - nod @ j["neck"]
        hands = []
        for side, sign in (("left", 1), ("right", -1)):
            for name, q in offsets[side].items():
                lm[f"{name}_{side}"] = q + pelvis
            self._leg(side, foot_turn, turn, lm, tf)
            lm[f"ear_{side}"] = place(tf["head"], j[f"ear_{side}"])
            hands.append(self._arm(side, sign, trunk, lm, tf))
        return lm, tf, np.mean(hands, axis=0)

    def _seat_normal(self) -> Array:
        a = np.radians(self.posture.seat_deg)
        return UP * np.cos(a) + FORWARD * np.sin(a)

    def _roll_off(self, offsets: dict[str, dict[str, Array]], rolled: Array) -> None:
        """Lift the hips off the seat while the feet stay: the knees follow."""
        for at in offsets.values():
            pole = at["knee"] - (at["hip"] + at["ankle"]) / 2
            at["hip"] = at["hip"] + rolled
            at["knee"] = knee_between(at["hip"], at["ankle"], self.thigh, self.shank, pole)

    def _bent_spine(self, trunk: Array, fault: float, rolled: Array) -> tuple[Array, Array]:
        """Transforms of pelvis and chest: bent about the low back by the fault, the line hip to shoulder kept."""
        if not fault or self.posture.fault == "lift":
            return trunk, trunk
        j = self.body.joints
        hips = (j["hip_left"] + j["hip_right"]) / 2
        if self.posture.fault == "curl":  # the chest stays on the back rest, the pelvis tips and rises
            lifted = trunk.copy()
            lifted[:3, 3] += rolled
            return lifted @ about(hips, -np.radians(CURL_DEG_PER_CM * fault)), trunk
        bend = np.radians(fault)
        joint = hips + 0.4 * ((j["shoulder_left"] + j["shoulder_right"]) / 2 - hips)
        return trunk @ about(hips, -0.6 * bend), trunk @ about(hips, -0.6 * bend) @ about(joint, bend)

    def _leg(self, side: str, foot_turn: Array, turn: Array, lm: dict[str, Array], tf: dict[str, Array]) -> None:
        j = self.body.joints
        foot = np.eye(4)
        foot[:3, :3] = foot_turn
        foot[:3, 3] = lm[f"ankle_{side}"] - foot_turn @ j[f"ankle_{side}"]
        tf[f"foot_{side}"] = foot
        for segment, a, b in (("thigh", "hip", "knee"), ("shank", "knee", "ankle")):
            axis = lm[f"{b}_{side}"] - lm[f"{a}_{side}"]
            # the front of a limb segment: a quarter turn forward from its own direction
            front = FORWARD * (-(axis @ UP)) + UP * (axis @ FORWARD)
            rest = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], FORWARD)
            tf[f"{segment}_{side}"] = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], front) @ np.linalg.inv(rest)

    def _arm(self, side: str, sign: int, trunk: Array, lm: dict[str, Array], tf: dict[str, Array]) -> Array:
        j, p = self.body.joints, self.posture
        shoulder = trunk[:3, :3] @ j[f"shoulder_{side}"] + trunk[:3, 3]
        wrist = shoulder + FORWARD * p.hand_m[0] + UP * p.hand_m[1] + LEFT * sign * 0.04
        if p.hands_at_hips:
            wrist = self.handles[side]
        upper = self.body.length(f"shoulder_{side}", f"elbow_{side}")
        lower = self.body.length(f"elbow_{side}", f"wrist_{side}")
        reach = (wrist - shoulder) / np.linalg.norm(wrist - shoulder) * min(np.linalg.norm(wrist - shoulder), 0.985 * (upper + lower))
        wrist = shoulder + reach
        pole = trunk[:3, :3] @ np.array([0.6 * sign, 0.8, -0.3])
        elbow = knee_between(shoulder, wrist, upper, lower, pole)
        lm[f"shoulder_{side}"], lm[f"elbow_{side}"], lm[f"wrist_{side}"] = shoulder, elbow, wrist
        for segment, a, b in (("upper_arm", "shoulder", "elbow"), ("forearm", "elbow", "wrist")):
            rest = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], FORWARD)
            hint = trunk[:3, :3] @ np.array([0, -0.6, 0.8])
            tf[f"{segment}_{side}"] = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], hint) @ np.linalg.inv(rest)
        tf[f"hand_{side}"] = tf[f"forearm_{side}"]
        return wrist
