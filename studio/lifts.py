"""What the body does: the programme of a set in time, and the posture at every instant.

Squats: the feet stay planted, the pelvis follows a path solved for the wanted knee and ankle flexion,
and the trunk leans as far as keeps the bar over the middle of the foot.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from studio.body import Body, frame

Array = NDArray[np.float64]
FORWARD, UP, LEFT = np.array([0.0, -1.0, 0.0]), np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0])


@dataclass(frozen=True)
class Rep:
    """One programmed rep; seconds, depth as a share of full depth, cave = medial knee travel in cm per side."""

    eccentric: float
    bottom: float
    concentric: float
    top: float
    depth: float = 1.0
    cave_cm: float = 0.0


@dataclass(frozen=True)
class Squat:
    """Posture parameters of a squatting set."""

    knee_top_deg: float = 6.0
    knee_bottom_deg: float = 120.0
    dorsi_top_deg: float = 1.0
    dorsi_bottom_deg: float = 30.0
    stance_cm: float = 38.0
    toe_out_deg: tuple[float, float] = (18.0, 18.0)
    bar_back_cm: float = 7.0
    grip_cm: float = 37.0
    wedge_deg: float = 0.0  # how far what lies under the heels tips the shoes
    reps: tuple[Rep, ...] = field(default_factory=tuple)


def ramp(u: Array, share: float) -> Array:
    """0..1 with constant speed between smooth starts and ends that take `share` of the time each."""
    peak = 1 / (1 - share)
    u = np.clip(u, 0, 1)
    start = peak * (u / 2 - share / (2 * np.pi) * np.sin(np.pi * u / share))
    middle = peak * (u - share / 2)
    v = 1 - u
    end = 1 - peak * (v / 2 - share / (2 * np.pi) * np.sin(np.pi * v / share))
    return np.where(u < share, start, np.where(u > 1 - share, end, middle))


def programme(
    reps: tuple[Rep, ...], fps: float, lead_s: float, tail_s: float, first: str = "eccentric"
) -> tuple[Array, Array, list[dict[str, float]]]:
    """Frame times, depth share and cave share per frame, and the programmed boundaries of every rep."""
    marks, t = [], lead_s
    for r in reps:
        out, hold, back, rest = r.eccentric, r.bottom, r.concentric, r.top
        if first == "concentric":
            out, hold, back, rest = r.concentric, r.top, r.eccentric, r.bottom
        marks.append({"start_s": t, "turn_start_s": t + out, "turn_end_s": t + out + hold, "end_s": t + out + hold + back})
        t += out + hold + back + rest
    times = np.arange(round((t + tail_s) * fps)) / fps
    depth = np.zeros_like(times)
    for r, m in zip(reps, marks, strict=True):
        out, back = m["turn_start_s"] - m["start_s"], m["end_s"] - m["turn_end_s"]
        there = ramp((times - m["start_s"]) / out, min(0.4, 0.45 / out))
        home = ramp((times - m["turn_end_s"]) / back, min(0.4, 0.45 / back))
        depth += r.depth * (there - home)
    return times, depth, marks


def knee_between(hip: Array, ankle: Array, thigh: float, shank: float, pole: Array) -> Array:
    """Two-bone inverse kinematics: the knee on the side of `pole`."""
    line = ankle - hip
    d = min(float(np.linalg.norm(line)), (thigh + shank) * 0.99995)
    axis = line / np.linalg.norm(line)
    a = (thigh**2 - shank**2 + d**2) / (2 * d)
    side = pole - axis * (pole @ axis)
    side /= np.linalg.norm(side)
    return hip + axis * a + side * np.sqrt(max(thigh**2 - a**2, 0.0))


class Squatter:
    """Solves the pelvis path once and then gives the posed landmarks and segment transforms at any instant."""

    def __init__(self, body: Body, style: Squat, cave_sides: tuple[float, float] = (1.0, 1.0)) -> None:
        self.body, self.style = body, style
        self.caves = dict(zip(("left", "right"), cave_sides, strict=True))
        self.steps: dict[str, tuple[float, float]] = {}  # while walking: each foot's place against home (forward, up), m
        self.drop_m = 0.0
        j = body.joints
        self.thigh, self.shank = body.length("hip_left", "knee_left"), body.length("knee_left", "ankle_left")
        self.half_hip = abs(j["hip_left"][0])
        self.mid_hip = (j["hip_left"] + j["hip_right"]) / 2
        self.ankles, self.toes, self.feet = {}, {}, {}
        for side, sign, out in (("left", 1, style.toe_out_deg[0]), ("right", -1, style.toe_out_deg[1])):
            a = np.radians(out)
            self.toes[side] = np.array([sign * np.sin(a), -np.cos(a), 0])
            self.ankles[side] = np.array([sign * style.stance_cm / 200, 0.0, j[f"ankle_{side}"][2]])
            flat, tipped = self._foot(side, 0.0), self._foot(side, style.wedge_deg)
            to_toe = j[f"toe_{side}"] - j[f"ankle_{side}"]
            self.ankles[side] += (flat - tipped) @ to_toe  # the toes stay where they stood
            self.feet[side] = tipped
        foot = abs(j["toe_left"][1] - j["heel_left"][1])
        heel_behind = j["heel_left"][1] - j["ankle_left"][1]
        self.mid_foot_y = heel_behind - foot / 2
        grid = np.linspace(0, 1.1, 23)
        path = []
        guess = np.array([0.02, self.ankles["left"][2] + (self.thigh + self.shank) * 0.98])
        for s in grid:
            guess = self._solve_pelvis(float(s), guess)
            path.append([*guess, self._lean(guess)])
        self.grid, self.path = grid, np.array(path)

    def _foot(self, side: str, tipped_deg: float) -> Array:
        """Rotation (3, 3) that puts the rest foot on the floor with the programmed toe angle, its heel tipped up.

        The rest foot may point outward a little; that is taken out so that the programmed toe angle is the true one.
        """
        rest, toe = self.body.joints[f"toe_{side}"] - self.body.joints[f"heel_{side}"], self.toes[side]
        spare, yaw, tip = np.arctan2(rest[0], -rest[1]), np.arctan2(toe[0], -toe[1]), np.radians(tipped_deg)
        about_up = lambda a: np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
        pitch = np.array([[1, 0, 0], [0, np.cos(tip), -np.sin(tip)], [0, np.sin(tip), np.cos(tip)]])
        return np.asarray(about_up(yaw) @ pitch @ about_up(-spare))

    def _wanted(self, s: float) -> tuple[float, float]:
        st = self.style
        return (
            np.radians(st.knee_top_deg + s * (st.knee_bottom_deg - st.knee_top_deg)),
            np.radians(st.dorsi_top_deg + s * (st.dorsi_bottom_deg - st.dorsi_top_deg)),
        )

    def _solve_pelvis(self, s: float, guess: Array) -> Array:
        knee_flexion, dorsi = self._wanted(s)
        reach = np.sqrt(self.thigh**2 + self.shank**2 + 2 * self.thigh * self.shank * np.cos(knee_flexion))

        def residual(p: Array) -> Array:
            hip, ankle = np.array([self.half_hip, p[0], p[1]]), self.ankles["left"]
            knee = knee_between(hip, ankle, self.thigh, self.shank, self.toes["left"])
            along = (knee - ankle) @ self.toes["left"]
            return np.array([np.linalg.norm(hip - ankle) - reach, along - self.shank * np.sin(dorsi)])

        return np.asarray(least_squares(residual, guess).x)

    def _lean(self, pelvis: Array) -> float:
        """Trunk lean (rad) that holds the bar over the middle of the foot."""
        shoulder = (self.body.joints["shoulder_left"] + self.body.joints["shoulder_right"]) / 2 - self.mid_hip
        bar = np.array([shoulder[1] + self.style.bar_back_cm / 100, shoulder[2] + 0.02])
        radius, phase = float(np.hypot(*bar)), float(np.arctan2(bar[0], bar[1]))
        want = (self.mid_foot_y - pelvis[0]) / radius
        return float(phase - np.arcsin(np.clip(want, -0.95, 0.95)))

    def pose(self, s: float, cave_cm: float) -> tuple[dict[str, Array], dict[str, Array], Array]:
        """Landmarks, segment transforms and bar centre for depth share `s` and knees caved by `cave_cm`."""
        py, pz, lean = (np.interp(s, self.grid, self.path[:, k]) for k in range(3))
        j, lm, tf = self.body.joints, {}, {}
        c, sn = np.cos(lean), np.sin(lean)
        turn = np.array([[1, 0, 0], [0, c, -sn], [0, sn, c]])
        trunk = np.eye(4)
        trunk[:3, :3] = turn
        pelvis = np.array([0, py, pz - self.drop_m])
        trunk[:3, 3] = pelvis - turn @ self.mid_hip
        tf["trunk"] = trunk
        place = lambda m, p: m[:3, :3] @ p + m[:3, 3]
        a = lean * 0.45
        nod = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
        neck = place(trunk, j["neck"])
        tf["head"] = np.eye(4)
        tf["head"][:3, :3], tf["head"][:3, 3] = nod, neck - nod @ j["neck"]
        shoulder = (j["shoulder_left"] + j["shoulder_right"]) / 2
        bar = place(trunk, shoulder + np.array([0, self.style.bar_back_cm / 100, 0.02]))
        for side, sign in (("left", 1), ("right", -1)):
            self._leg(side, pelvis, sign, cave_cm * self.caves[side], lm, tf)
            lm[f"ear_{side}"] = place(tf["head"], j[f"ear_{side}"])
            self._arm(side, sign, trunk, bar, lm, tf)
        return lm, tf, bar

    def _leg(self, side: str, pelvis: Array, sign: int, cave_cm: float, lm: dict[str, Array], tf: dict[str, Array]) -> None:
        j = self.body.joints
        hip, toe = pelvis + LEFT * sign * self.half_hip, self.toes[side]
        ahead, up = self.steps.get(side, (0.0, 0.0))
        ankle = self.ankles[side] + FORWARD * ahead + UP * up
        knee = knee_between(hip, ankle, self.thigh, self.shank, toe)
        pole = toe
        if cave_cm:
            mid = hip + (ankle - hip) * 0.5
            radius = knee - mid
            pole = radius - LEFT * sign * cave_cm / 100
            knee = knee_between(hip, ankle, self.thigh, self.shank, pole)
        foot = np.eye(4)
        foot[:3, :3] = self.feet[side]
        foot[:3, 3] = ankle - foot[:3, :3] @ j[f"ankle_{side}"]
        tf[f"foot_{side}"] = foot
        for name in ("toe", "heel"):
            lm[f"{name}_{side}"] = (tf[f"foot_{side}"] @ np.r_[j[f"{name}_{side}"], 1])[:3]
        lm[f"hip_{side}"], lm[f"knee_{side}"], lm[f"ankle_{side}"] = hip, knee, ankle
        for segment, a, b in (("thigh", "hip", "knee"), ("shank", "knee", "ankle")):
            rest_frame = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], FORWARD)
            posed = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], pole + UP * (0.8 if segment == "thigh" else 0))
            tf[f"{segment}_{side}"] = posed @ np.linalg.inv(rest_frame)

    def _arm(self, side: str, sign: int, trunk: Array, bar: Array, lm: dict[str, Array], tf: dict[str, Array]) -> None:
        j = self.body.joints
        shoulder = trunk[:3, :3] @ j[f"shoulder_{side}"] + trunk[:3, 3]
        wrist = bar + LEFT * sign * self.style.grip_cm / 100 + trunk[:3, :3] @ np.array([0, 0.02, -0.05])
        upper = self.body.length(f"shoulder_{side}", f"elbow_{side}")
        lower = self.body.length(f"elbow_{side}", f"wrist_{side}")
        down = trunk[:3, :3] @ np.array([0.15 * sign, 0.55, -1.0])
        elbow = knee_between(shoulder, wrist, upper, lower, down)
        lm[f"shoulder_{side}"], lm[f"elbow_{side}"], lm[f"wrist_{side}"] = shoulder, elbow, wrist
        rest_hint, hint = FORWARD, trunk[:3, :3] @ np.array([0, -0.6, 0.8])
        for segment, a, b in (("upper_arm", "shoulder", "elbow"), ("forearm", "elbow", "wrist")):
            rest_frame = frame(j[f"{a}_{side}"], j[f"{b}_{side}"], rest_hint)
            tf[f"{segment}_{side}"] = frame(lm[f"{a}_{side}"], lm[f"{b}_{side}"], hint) @ np.linalg.inv(rest_frame)
        tf[f"hand_{side}"] = tf[f"forearm_{side}"]
