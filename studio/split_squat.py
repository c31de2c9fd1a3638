"""Split squats: one foot ahead, the other behind on its toes, the pelvis going down between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from studio.body import Body, frame
from studio.chain import about_side
from studio.lifts import FORWARD, LEFT, UP, knee_between

Array = NDArray[np.float64]
HEEL_UP_DEG = (35.0, 70.0)  # of the foot behind, at the top and at the bottom


@dataclass(frozen=True)
class Split:
    """Distance of the feet, lean of the trunk at the top and at the bottom, and which foot is ahead."""

    step_cm: float = 70.0
    lean_deg: tuple[float, float] = (5.0, 12.0)
    ahead: str = "left"
    low_knee_cm: float = 9.0


class SplitSquatter:
    """Poses the body at a share of the way down; `fault` is not used."""

    def __init__(self, body: Body, style: Split) -> None:
        self.body, self.style = body, style
        j = body.joints
        self.thigh, self.shank = body.length("hip_left", "knee_left"), body.length("knee_left", "ankle_left")
        self.mid_hip = (j["hip_left"] + j["hip_right"]) / 2
        half = style.step_cm / 200
        self.behind = "right" if style.ahead == "left" else "left"
        self.foot = j["toe_left"] - j["ankle_left"]
        self.ahead_m, self.toe_m = half, -half + 0.12
        self.half_hip = abs(float(j["hip_left"][0]))
        top = self.shank + self.thigh * 0.93
        self.height = (top, self._lowest(top))

    def _back_ankle(self, s: float) -> tuple[Array, Array]:
        tip = np.radians(HEEL_UP_DEG[0] + s * (HEEL_UP_DEG[1] - HEEL_UP_DEG[0]))
        turn = about_side(tip)
        toe = FORWARD * self.toe_m + UP * 0.02
        return toe - turn @ self.foot, turn

    def _lowest(self, top: float) -> float:
        """Height of the hips at which the knee behind is as low as it goes."""
        for height in np.arange(top, 0.2, -0.01):
            ankle, _ = self._back_ankle(1.0)
            knee = knee_between(UP * height, ankle, self.thigh, self.shank, FORWARD - 0.5 * UP)
            if knee[2] < self.style.low_knee_cm / 100:
                return float(height)
        return 0.4

    def pose(self, s: float, fault: float) -> tuple[dict[str, Array], dict[str, Array], Array]:
        """Landmarks, segment transforms, and the middle between the hands."""
        j = self.body.joints
        lm: dict[str, Array] = {}
        tf: dict[str, Array] = {}
        pelvis = UP * (self.height[0] + s * (self.height[1] - self.height[0])) + FORWARD * 0.02
        lean = np.radians(self.style.lean_deg[0] + s * (self.style.lean_deg[1] - self.style.lean_deg[0]))
        turn = about_side(float(lean))
        trunk = np.eye(4)
        trunk[:3, :3], trunk[:3, 3] = turn, pelvis - turn @ self.mid_hip
        tf["trunk"] = trunk
        place = lambda m, p: m[:3, :3] @ p + m[:3, 3]
        neck, nod = place(trunk, j["neck"]), about_side(0.5 * float(lean))
        tf["head"] = np.eye(4)
        tf["head"][:3, :3], tf["head"][:3, 3] = nod, neck - nod @ j["neck"]
        hands = []
        for side, sign in (("left", 1), ("right", -1)):
            self._leg(side, sign, s, pelvis, lm, tf)
            lm[f"ear_{side}"] = place(tf["head"], j[f"ear_{side}"])
            shoulder = place(trunk, j[f"shoulder_{side}"])
            upper, lower = self.body.length(f"shoulder_{side}", f"elbow_{side}"), self.body.length(f"elbow_{side}", f"wrist_{side}")
            wrist = shoulder - UP * 0.97 * (upper + lower) + LEFT * sign * 0.06
            elbow = knee_between(shoulder, wrist, upper, lower, -FORWARD)
            lm[f"shoulder_{side}"], lm[f"elbow_{side}"], lm[f"wrist_{side}"] = shoulder, elbow, wrist
            for segment, a, b in (("upper_arm", "shoulder", "elbow"), ("forearm", "elbow", "wrist")):
                rest = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], FORWARD)
                tf[f"{segment}_{side}"] = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], FORWARD) @ np.linalg.inv(rest)
            tf[f"hand_{side}"] = tf[f"forearm_{side}"]
            hands.append(wrist)
        return lm, tf, np.mean(hands, axis=0)

    def _leg(self, side: str, sign: int, s: float, pelvis: Array, lm: dict[str, Array], tf: dict[str, Array]) -> None:
        j = self.body.joints
        out = LEFT * sign * 0.10
        hip = pelvis + LEFT * sign * self.half_hip
        ankle, turn = FORWARD * (self.ahead_m - 0.10) + UP * j["ankle_left"][2], np.eye(3)
        if side == self.behind:
            ankle, turn = self._back_ankle(s)
        ankle = ankle - LEFT * (ankle @ LEFT) + out
        knee = knee_between(hip, ankle, self.thigh, self.shank, FORWARD)
        foot = np.eye(4)
        foot[:3, :3], foot[:3, 3] = turn, ankle - turn @ j[f"ankle_{side}"]
        tf[f"foot_{side}"] = foot
        for name in ("toe", "heel"):
            lm[f"{name}_{side}"] = (foot @ np.r_[j[f"{name}_{side}"], 1])[:3]
        lm[f"hip_{side}"], lm[f"knee_{side}"], lm[f"ankle_{side}"] = hip, knee, ankle
        for segment, a, b in (("thigh", "hip", "knee"), ("shank", "knee", "ankle")):
            axis = lm[f"{b}_{side}"] - lm[f"{a}_{side}"]
            front = FORWARD * (-(axis @ UP)) + UP * (axis @ FORWARD)
            rest = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], FORWARD)
            tf[f"{segment}_{side}"] = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], front) @ np.linalg.inv(rest)
