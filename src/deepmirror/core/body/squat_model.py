"""What this body must do: squats of a planar chain with the client's own lengths, masses and limits.

Side plane, centimetres, x forward from the ankle, z up from the floor. The shank leans forward by s, the thigh stands d
above the level, the trunk leans by t. With both knees open by an angle the legs' forward parts shorten by its cosine.
Balance: the common centre of mass of body and load stays over the middle of the foot. Angles in degrees outside, radians
inside. Static; moments are estimates for comparing set-ups, not tissue loads.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.anthropometry import (
    ANKLE_FROM_HEEL_SHARE,
    BALL_FROM_HEEL_SHARE,
    HAT_CENTRE,
    LOW_BACK_SHARE,
    MASSES,
    PELVIS_MASS,
    STATURE_SHARES,
    USUAL_LIMITS_DEG,
)
from deepmirror.core.body.client_body import Body
from deepmirror.errors import CannotSolve

Array = NDArray[np.float64]

GRAVITY = 9.81  # m/s²; the standard value 9.80665 (CGPM 1901) rounded
BALANCE_BAND = 0.08  # of the foot's length either way of the middle; common practice, no source
LEAN_LIMIT_DEG = 80.0  # a trunk is not laid further over in a squat; common practice, no source
OPENING_MOST_GAIN = 1.0  # degrees of thigh depth per degree the knees open, at most; our own bound, no source
OPENING_FREES_HIP = 0.3  # degrees of hip bend gained per degree the knees open; common practice, no source
STANDING_THIGH_DEG = 85.0  # thigh over level when standing; our own choice: near upright, where the solver begins
DEEPEST_THIGH_DEG = -40.0  # no posture is looked for below; our own choice
COMFORT_LEAN_DEG = 45.0  # weighs lean against ankle bend where a body has the choice; common practice, no source
SHANK_STEP_DEG, BALANCE_STEPS = 0.2, 5  # how finely postures are tried; our own choice
BINDING_STEP_DEG = 0.3  # how near a limit counts as reached; our own choice
# Where a load sits: along the trunk from the hip (share), and before (+) or behind it (cm); common practice, no source.
BARS = {
    "high": (1.0, -6.0),
    "low": (0.92, -9.0),
    "front": (1.0, 8.0),
    "goblet": (0.85, 18.0),
    "none": (1.0, 0.0),
    "belt": (0.0, 0.0),
    "hang": (1.0, 0.0),
}


@dataclass(frozen=True)
class Setup:
    """How a squat is set up. knee_block_cm: furthest the knee may pass the toe, None for no limit."""

    bar: str = "high"
    load_kg: float = 0.0
    heel_lift_cm: float = 0.0
    knees_open_deg: float = 0.0
    knee_block_cm: float | None = None


@dataclass(frozen=True)
class Limits:
    """Joint limits, degrees."""

    ankle_dorsiflexion: float = USUAL_LIMITS_DEG["ankle_dorsiflexion"]
    hip_flexion: float = USUAL_LIMITS_DEG["hip_flexion"]
    knee_flexion: float = USUAL_LIMITS_DEG["knee_flexion"]
    balance_band: float = BALANCE_BAND


@dataclass(frozen=True)
class Posture:
    """One solved posture. Angles in degrees; com_over_foot_pct from heel (0) to toe (100)."""

    ankle_dorsiflexion: float
    knee_flexion: float
    hip_flexion: float
    trunk_lean: float
    thigh_from_horizontal: float
    knee_past_toe_cm: float
    com_over_foot_pct: float
    points_cm: dict[str, tuple[float, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Answer:
    """What the solver says to an ask; an ask that cannot be met comes back with the deepest posture there is."""

    feasible: bool
    binding_limit: str | None
    posture: Posture
    moments_nm: dict[str, float]


@dataclass(frozen=True)
class SetupEffect:
    """What changing one thing of the set-up does. depth_gain is of the deepest posture (degrees of thigh, deeper positive);
    lean and knee travel change at the asked depth (None where that depth cannot be reached either way)."""

    change: str
    by: float | str
    depth_gain_deg: float
    lean_change_deg: float | None
    knee_travel_change_cm: float | None


@dataclass(frozen=True)
class _Options:
    """Postures of one depth: shank (S, 1) and lean (S, B) rad, place of the centre of mass (1, B), which keep all limits."""

    shank: Array
    share: Array
    lean: Array
    fine: NDArray[np.bool_]


class Build:
    """The solver for one body."""

    def __init__(self, body: Body, limits: Limits | None = None) -> None:
        self.body, self.limits = body, limits or Limits()
        cm = {name: body.length(name).cm for name in ("thigh", "shank", "foot", "trunk")}
        self.thigh, self.shank, self.foot, self.trunk = cm["thigh"], cm["shank"], cm["foot"], cm["trunk"]
        self.ankle_height = body.measured_cm.get("ankle_height", STATURE_SHARES["ankle_height"] * body.stature())
        self.masses = MASSES[body.sex if body.sex in MASSES else "unspecified"]
        self.mass = body.mass_kg or 70.0
        self.heel_x, self.toe_x = -ANKLE_FROM_HEEL_SHARE * self.foot, (1 - ANKLE_FROM_HEEL_SHARE) * self.foot

    def at_depth(self, thigh_deg: float, setup: Setup) -> Answer:
        """The posture with the thigh this far above the level; the deepest one when that cannot be reached."""
        found = self._best(thigh_deg, setup, self.limits)
        if found is not None:
            return Answer(True, None, found, self.moments(found, setup))
        return replace(self.deepest(setup), feasible=False)

    def deepest(self, setup: Setup) -> Answer:
        """The deepest posture, and which limit stands in the way of going deeper."""
        depth = self._deepest_deg(setup, self.limits)
        posture = self._best(depth, setup, self.limits) or self._standing(setup)
        return Answer(True, self._binding(depth, setup), posture, self.moments(posture, setup))

    def hinge(self, hip_flexion_deg: float, knee_flexion_deg: float, load_kg: float) -> Answer:
        """A hinge: knees kept softly bent, hips travelling back, the load hanging from the shoulders over the middle of the foot.

        Answered with the deepest hinge when the hip's limit, or balance, stands before the asked hip flexion.
        """
        setup = Setup("hang", load_kg)
        wanted = min(hip_flexion_deg, self.limits.hip_flexion)
        best = self._hinge(wanted, knee_flexion_deg, setup)
        binding = "hip_flexion" if wanted < hip_flexion_deg - 1e-9 else None
        while best is None and wanted > 5:
            wanted, binding = wanted - 1.0, "balance"
            best = self._hinge(wanted, knee_flexion_deg, setup)
        posture = best or self._standing(Setup("none"))
        return Answer(binding is None and best is not None, binding, posture, self.moments(posture, setup))

    def _hinge(self, hip_deg: float, knee_deg: float, setup: Setup) -> Posture | None:
        """The balanced hinge posture: the shank leans as far as balance asks; None when no shank lean balances."""

        def at(shank_deg: float) -> tuple[Posture, float]:
            d = shank_deg + 90 - knee_deg
            lean = hip_deg - (90 - d)
            posture = self._posture(np.radians(shank_deg), np.radians(d), np.radians(lean), setup)
            return posture, posture.com_over_foot_pct - 50

        low, high = -25.0, self.limits.ankle_dorsiflexion
        if at(low)[1] > 0 or at(high)[1] < 0:
            return None
        for _ in range(40):
            middle = (low + high) / 2
            low, high = (middle, high) if at(middle)[1] < 0 else (low, middle)
        return at((low + high) / 2)[0]

    def lean_band(self, thigh_deg: float, setup: Setup) -> tuple[float, float] | None:
        """Least and most trunk lean (degrees) this body can have at a depth without breaking a limit: the part that is build.

        None when the depth cannot be reached.
        """
        options = self._options(thigh_deg, setup, self.limits)
        lean = np.degrees(options.lean[options.fine])
        return (float(lean.min()), float(lean.max())) if len(lean) else None

    def deepest_deg(self, setup: Setup) -> float:
        """Thigh angle (degrees over level) of the deepest posture."""
        return self._deepest_deg(setup, self.limits)

    def levers(self, thigh_deg: float, setup: Setup) -> list[SetupEffect]:
        """What each change of set-up would give this body."""
        changes: list[tuple[str, float | str, Setup]] = [
            ("heel_lift_cm", 2.0, replace(setup, heel_lift_cm=setup.heel_lift_cm + 2.0)),
            ("knees_open_deg", 10.0, replace(setup, knees_open_deg=setup.knees_open_deg + 10.0)),
        ]
        if setup.load_kg > 0:
            changes += [("bar", bar, replace(setup, bar=bar)) for bar in ("high", "low", "front", "goblet") if bar != setup.bar]
        before, deepest = self._best(thigh_deg, setup, self.limits), self._deepest_deg(setup, self.limits)
        out = []
        for change, by, new in changes:
            after = self._best(thigh_deg, new, self.limits)
            both = before is not None and after is not None
            out.append(
                SetupEffect(
                    change,
                    by,
                    self._believed(change, by, deepest - self._deepest_deg(new, self.limits)),
                    after.trunk_lean - before.trunk_lean if both and after and before else None,
                    after.knee_past_toe_cm - before.knee_past_toe_cm if both and after and before else None,
                )
            )
        return out

    @staticmethod
    def _believed(change: str, by: float | str, gain: float) -> float:
        """Where the hip binds, a planar body gains more depth from opened knees than any body does: the gain is bounded."""
        return min(gain, OPENING_MOST_GAIN * float(by)) if change == "knees_open_deg" else gain

    def _standing(self, setup: Setup) -> Posture:
        free = replace(self.limits, balance_band=1.0)
        found = self._best(STANDING_THIGH_DEG, setup, free)
        if found is None:
            raise CannotSolve("With these lengths and joint limits this body has no posture at all, not even standing.")
        return found

    def _deepest_deg(self, setup: Setup, limits: Limits) -> float:
        """Smallest thigh angle that some posture reaches, to a twentieth of a degree."""
        low, high = DEEPEST_THIGH_DEG, STANDING_THIGH_DEG
        if self._options(low, setup, limits).fine.any():
            return low
        while high - low > 0.05:
            middle = (low + high) / 2
            if self._options(middle, setup, limits).fine.any():
                high = middle
            else:
                low = middle
        return high

    def _binding(self, depth: float, setup: Setup) -> str | None:
        """The limit whose loosening buys most depth."""
        if depth <= DEEPEST_THIGH_DEG:
            return None
        looser = {
            name: replace(self.limits, **{name: getattr(self.limits, name) + 3.0})
            for name in ("ankle_dorsiflexion", "hip_flexion", "knee_flexion")
        }
        looser["balance"] = replace(self.limits, balance_band=self.limits.balance_band + 0.005)
        setups = dict.fromkeys(looser, setup)
        if setup.knee_block_cm is not None:
            looser["knee_block"] = self.limits
            setups["knee_block"] = replace(setup, knee_block_cm=setup.knee_block_cm + 1.5)
        # most often one limit alone buys anything: only where several do is it worth finding out how much
        helps = [n for n in looser if self._options(depth - BINDING_STEP_DEG, setups[n], looser[n]).fine.any()]
        if len(helps) <= 1:
            return helps[0] if helps else "balance"
        return max(helps, key=lambda n: depth - self._deepest_deg(setups[n], looser[n]))

    def heel_angle_deg(self, heel_lift_cm: float) -> float:
        """How far a raised heel tilts the foot: extra room for the ankle."""
        return float(np.degrees(np.arctan2(heel_lift_cm, BALL_FROM_HEEL_SHARE * self.foot)))

    def _options(self, thigh_deg: float, setup: Setup, limits: Limits) -> _Options:
        """Every posture at a depth, by shank lean (rows) and place of the centre of mass in its band (columns)."""
        tilt = self.heel_angle_deg(setup.heel_lift_cm)
        top = limits.ankle_dorsiflexion + tilt
        s = np.radians(np.append(np.arange(-5.0, top, SHANK_STEP_DEG), top))[:, None]
        share = np.linspace(-limits.balance_band, limits.balance_band, BALANCE_STEPS)[None, :]
        d, open_ = np.radians(thigh_deg), np.radians(setup.knees_open_deg)
        knee_x = self.shank * np.sin(s) * np.cos(open_)
        hip_x = knee_x - self.thigh * np.cos(d) * np.cos(open_)
        t = self._lean_for_balance(hip_x, knee_x, (self.heel_x + self.toe_x) / 2 + share * self.foot, setup)
        knee = np.degrees(s) + 90 - thigh_deg + 0 * share
        cosine = np.sin(t) * np.cos(d) * np.cos(open_) - np.cos(t) * np.sin(d)
        hip = 180 - np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        fine = np.isfinite(t) & (np.degrees(t) <= LEAN_LIMIT_DEG) & (np.degrees(t) >= -10)
        fine &= (knee <= limits.knee_flexion) & (knee >= -5)
        # between opened knees the hip's own limit would let the trunk fold on below the thighs
        fine &= np.pi / 2 - t >= np.arctan2(-np.sin(d), np.cos(d) * np.cos(open_))
        fine &= hip <= limits.hip_flexion + OPENING_FREES_HIP * setup.knees_open_deg
        if setup.knee_block_cm is not None:
            fine &= knee_x - self.toe_x <= setup.knee_block_cm + 0 * share
        return _Options(s, share, t, fine)

    def _best(self, thigh_deg: float, setup: Setup, limits: Limits) -> Posture | None:
        """The posture at a depth that spares ankle and trunk together most; None when no posture keeps all limits."""
        options = self._options(thigh_deg, setup, limits)
        if not options.fine.any():
            return None
        bend = (np.degrees(options.shank) - self.heel_angle_deg(setup.heel_lift_cm)) / max(limits.ankle_dorsiflexion, 1.0)
        off_middle = options.share / max(limits.balance_band, 1e-6)
        cost = np.maximum(bend, 0) ** 2 + (np.degrees(options.lean) / COMFORT_LEAN_DEG) ** 2 + 4 * off_middle**2
        i, k = np.unravel_index(int(np.argmin(np.where(options.fine, cost, np.inf))), options.fine.shape)
        return self._posture(float(options.shank[i, 0]), float(np.radians(thigh_deg)), float(options.lean[i, k]), setup)

    def _lean_for_balance(self, hip_x: Array, knee_x: Array, target: Array, setup: Setup) -> Array:
        """Trunk lean (rad) that brings the common centre of mass over x = target; NaN where none does."""
        m, load = self.masses, setup.load_kg
        thigh_x = hip_x + m.thigh_centre * (knee_x - hip_x)
        shank_x = knee_x * (1 - m.shank_centre)
        foot_x = self.heel_x + m.foot_centre * self.foot
        legs = 2 * self.mass * (m.thigh * thigh_x + m.shank * shank_x + m.foot * foot_x)
        along, before = BARS[setup.bar]
        up = self.mass * m.hat * HAT_CENTRE * self.trunk + load * along * self.trunk
        ahead = load * before
        total = self.mass + load
        # legs + (hat + load) * hip_x + up * sin t + ahead * cos t = total * target
        need = total * target - legs - (self.mass * m.hat + load) * hip_x
        size, phase = np.hypot(up, ahead), np.arctan2(ahead, up)
        ratio = need / size
        with np.errstate(invalid="ignore"):
            return np.where(np.abs(ratio) <= 1, np.arcsin(np.clip(ratio, -1, 1)) - phase, np.nan)

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

        def arm(names: tuple[str, ...], joint: str) -> float:
            return sum(parts[n][0] * (parts[n][1] - points[joint][0]) for n in names) * weight / 100

        pelvis = PELVIS_MASS * self.mass
        above_kg = self.mass * self.masses.hat - pelvis
        # what is left of head, arms and trunk without the pelvis has its centre further up
        share = (self.mass * self.masses.hat * HAT_CENTRE - pelvis * LOW_BACK_SHARE / 2) / above_kg
        hat_x = points["hip"][0] + share * (points["shoulder"][0] - points["hip"][0])
        back = above_kg * (hat_x - points["low_back"][0]) + parts["load"][0] * (parts["load"][1] - points["low_back"][0])
        return {
            "ankle": arm(("hat", "load", "thighs", "shanks"), "ankle"),
            "knee": -arm(("hat", "load", "thighs"), "knee"),
            "hip": arm(("hat", "load"), "hip"),
            "low_back": back * weight / 100 if setup.bar != "belt" else above_kg * (hat_x - points["low_back"][0]) * weight / 100,
        }
