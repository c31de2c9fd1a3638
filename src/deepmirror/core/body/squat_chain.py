"""The planar chain of one body in a squat: where its parts are, what they weigh, and what the joints must hold.

Side plane, centimetres, x forward from the ankle, z up from the floor. The shank leans forward by s, the thigh stands d
above the level, the trunk leans by t. With both knees open by an angle the legs' forward parts shorten by its cosine.
Balance: the common centre of mass of body and load stays over the middle of the foot, but where hands or a rail hold the body: then
the support's level force makes up for what is missing. Angles in degrees outside, radians inside. Static; moments are estimates for
comparing set-ups, not tissue loads.
"""

from __future__ import annotations

import numpy as np

from deepmirror.core.body.anthropometry import (
    ANKLE_FROM_HEEL_SHARE,
    BALL_FROM_HEEL_SHARE,
    HAT_CENTRE,
    LOW_BACK_SHARE,
    MASSES,
    PELVIS_MASS,
    STATURE_SHARES,
    USUAL_MASS_KG,
)
from deepmirror.core.body.client_body import Body
from deepmirror.core.body.squat_setup import BARS, Posture, Setup, Support

GRAVITY = 9.81  # m/s²; the standard value 9.80665 (CGPM 1901) rounded
HANDLES_SHARE = 0.7  # of hip to shoulder: how high the handles of a belt squat are held; common practice, no source


class Chain:
    """One body's lengths and masses, and the statics of its postures."""

    def __init__(self, body: Body) -> None:
        self.body = body
        cm = {name: body.length(name).cm for name in ("thigh", "shank", "foot", "trunk")}
        self.thigh, self.shank, self.foot, self.trunk = cm["thigh"], cm["shank"], cm["foot"], cm["trunk"]
        self.ankle_height = body.measured_cm.get("ankle_height", STATURE_SHARES["ankle_height"] * body.stature())
        self.masses = MASSES[body.sex if body.sex in MASSES else "unspecified"]
        self.mass = body.mass_kg or USUAL_MASS_KG
        self.heel_x, self.toe_x = -ANKLE_FROM_HEEL_SHARE * self.foot, (1 - ANKLE_FROM_HEEL_SHARE) * self.foot

    def heel_angle_deg(self, heel_lift_cm: float) -> float:
        """How far a raised heel tilts the foot: extra room for the ankle."""
        return float(np.degrees(np.arctan2(heel_lift_cm, BALL_FROM_HEEL_SHARE * self.foot)))

    def _posture(self, s: float, d: float, t: float, setup: Setup) -> Posture:
        points = self.points(s, d, t, setup)
        x = self._centre(points, setup)
        tilt = self.heel_angle_deg(setup.heel_lift_cm)
        open_ = np.radians(setup.knees_open_deg)
        cosine = float(np.sin(t) * np.cos(d) * np.cos(open_) - np.cos(t) * np.sin(d))
        return Posture(
            float(np.degrees(s)) - tilt,
            float(np.degrees(s) + 90 - np.degrees(d)),
            180 - float(np.degrees(np.arccos(np.clip(cosine, -1, 1)))),
            float(np.degrees(t)),
            float(np.degrees(d)),
            points["knee"][0] - self.toe_x,
            100 * (x - self.heel_x) / self.foot,
            points,
        )

    def points(self, s: float, d: float, t: float, setup: Setup) -> dict[str, tuple[float, float]]:
        """Joint centres, bar and foot ends (x, z) cm in the side plane for shank, thigh and trunk angles (rad)."""
        open_ = np.cos(np.radians(setup.knees_open_deg))
        lift = setup.heel_lift_cm
        base = self.ankle_height + lift * (BALL_FROM_HEEL_SHARE - ANKLE_FROM_HEEL_SHARE) / BALL_FROM_HEEL_SHARE
        knee = (self.shank * np.sin(s) * open_, base + self.shank * np.cos(s))
        hip = (knee[0] - self.thigh * np.cos(d) * open_, knee[1] + self.thigh * np.sin(d))
        along, before = BARS[setup.bar]
        unit, front = (np.sin(t), np.cos(t)), (np.cos(t), -np.sin(t))

        def at(share: float, out: float = 0.0) -> tuple[float, float]:
            reach = share * self.trunk
            return hip[0] + reach * unit[0] + out * front[0], hip[1] + reach * unit[1] + out * front[1]

        raw = {
            "ankle": (0.0, base),
            "knee": knee,
            "hip": hip,
            "shoulder": at(1.0),
            "low_back": at(LOW_BACK_SHARE),
            "load": at(along, before),
            "heel": (self.heel_x, lift),
            "toe": (self.toe_x, 0.0),
        }
        return {k: (float(x), float(z)) for k, (x, z) in raw.items()}

    def _parts(self, points: dict[str, tuple[float, float]], setup: Setup) -> dict[str, tuple[float, float]]:
        """Mass (kg, both sides) and x (cm) of every part."""
        m = self.masses
        x = {k: p[0] for k, p in points.items()}

        def mix(a: str, b: str, share: float) -> float:
            return x[a] + share * (x[b] - x[a])

        return {
            "hat": (self.mass * m.hat, mix("hip", "shoulder", HAT_CENTRE)),
            "thighs": (2 * self.mass * m.thigh, mix("hip", "knee", m.thigh_centre)),
            "shanks": (2 * self.mass * m.shank, mix("knee", "ankle", m.shank_centre)),
            "feet": (2 * self.mass * m.foot, x["heel"] + m.foot_centre * self.foot),
            "load": (setup.load_kg, x["load"]),
        }

    def _centre(self, points: dict[str, tuple[float, float]], setup: Setup) -> float:
        parts = self._parts(points, setup).values()
        return sum(kg * x for kg, x in parts) / sum(kg for kg, _ in parts)

    def moments(self, posture: Posture, setup: Setup, rise_m_s2: float = 0.0) -> dict[str, float]:
        """Sagittal moments (N·m), both legs together; a demand on the extensors is positive.

        Static, or with a measured upward acceleration (m/s²) that body and load share: everything then weighs as if gravity
        were that much larger, which takes the accelerations of the parts against one another for small.
        """
        weight = GRAVITY + rise_m_s2
        points = posture.points_cm
        parts = self._parts(points, setup)

        push, at_z = self._support(points, setup)

        def arm(names: tuple[str, ...], joint: str) -> float:
            hanging = sum(parts[n][0] * (parts[n][1] - points[joint][0]) for n in names)
            return (hanging + push * (at_z - points[joint][1])) * weight / 100

        pelvis = PELVIS_MASS * self.mass
        above_kg = self.mass * self.masses.hat - pelvis
        # what is left of head, arms and trunk without the pelvis has its centre further up
        share = (self.mass * self.masses.hat * HAT_CENTRE - pelvis * LOW_BACK_SHARE / 2) / above_kg
        hat_x = points["hip"][0] + share * (points["shoulder"][0] - points["hip"][0])
        above_back = above_kg * (hat_x - points["low_back"][0]) + push * (at_z - points["low_back"][1])
        if setup.bar != "belt":
            above_back += parts["load"][0] * (parts["load"][1] - points["low_back"][0])
        own_axis = np.cos(np.radians(setup.knees_open_deg))  # a knee that points outward bends in its own plane, not in the side plane
        return {
            "ankle": arm(("hat", "load", "thighs", "shanks"), "ankle"),
            "knee": -arm(("hat", "load", "thighs"), "knee") / float(own_axis),
            "hip": arm(("hat", "load"), "hip"),
            "low_back": above_back * weight / 100,
        }

    def _support(self, points: dict[str, tuple[float, float]], setup: Setup) -> tuple[float, float]:
        """The level push, forward positive, with which hands or rail keep the body over its feet (kg of weight), and its height, cm."""
        if setup.support is Support.NONE:
            return 0.0, 0.0
        hip_z, shoulder_z = points["hip"][1], points["shoulder"][1]
        height = points["load"][1] if setup.support is Support.RAIL else hip_z + HANDLES_SHARE * (shoulder_z - hip_z)
        away = self._centre(points, setup) - (self.heel_x + self.toe_x) / 2
        return -(self.mass + setup.load_kg) * away / height, height
