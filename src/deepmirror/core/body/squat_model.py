"""What this body must do: the postures of a squat or a hinge that keep a body's limits and its balance, and the one it would take.

The chain, its angles and its statics are told in squat_chain.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.anthropometry import HAT_CENTRE
from deepmirror.core.body.client_body import Body
from deepmirror.core.body.squat_chain import Chain
from deepmirror.core.body.squat_setup import BARS, Answer, Limits, Posture, Setup, SetupEffect, Support
from deepmirror.errors import CannotSolve

Array = NDArray[np.float64]

LEAN_LIMIT_DEG = 80.0  # a trunk is not laid further over in a squat; common practice, no source
HELD_LEAN_DEG, HELD_LEANS = 50.0, 11  # a trunk held by the hands leans no further; our own choice
OPENING_MOST_GAIN = 1.0  # degrees of thigh depth per degree the knees open, at most; our own bound, no source
WIDEST_BAND, BAND_STEP = 0.3, 0.02  # of the foot: how far off its middle a filmed depth may put a body; our own choice
STANDING_THIGH_DEG = 85.0  # thigh over level when standing; our own choice: near upright, where the solver begins
DEEPEST_THIGH_DEG = -40.0  # no posture is looked for below; our own choice
COMFORT_LEAN_DEG, HELD_COMFORT_DEG = 45.0, 30.0  # weighs lean against ankle bend, standing free and held; common practice, no source
OFF_MIDDLE_COST = {False: 4.0, True: 0.06}  # of leaving the middle of the foot by the balance band: standing free, or held; our own choice
SHANK_STEP_DEG, BALANCE_STEPS = 0.2, 5  # how finely postures are tried; our own choice
BINDING_STEP_DEG = 0.3  # how near a limit counts as reached; our own choice
# Where in the range that its limits leave a body carries its shins: 0 as upright, 1 as far forward as it can. A low bar goes with the hips
# back, one in front with an upright trunk. Set so that the published directions hold for twelve unlike bodies: low bar more hip and less
# knee (Wretenberg 1996), front bar upright (Gullett 2009), both from memory.
STYLE = {"high": 0.6, "low": 0.1, "front": 1.0, "goblet": 1.0, "none": 0.55}
STYLE_STEP_DEG = 8.0  # how much a body minds standing off its style, against bend and lean; our own choice
TOGETHER = 0.5  # a limit binds with another where loosening it buys this share of what the other does; our own choice


@dataclass(frozen=True)
class _Options:
    """Postures of one depth: shank (S, 1) and lean (S, B) rad, place of the centre of mass (1, B), which keep all limits."""

    shank: Array
    share: Array
    lean: Array
    fine: NDArray[np.bool_]


class Build(Chain):
    """The solver for one body."""

    def __init__(self, body: Body, limits: Limits | None = None) -> None:
        super().__init__(body)
        self.limits = limits or Limits()

    def at_depth(self, thigh_deg: float, setup: Setup) -> Answer:
        """The posture with the thigh this far above the level; the deepest one when that cannot be reached."""
        found = self._best(thigh_deg, setup, self.limits)
        if found is not None:
            return Answer(True, (), found, self.moments(found, setup))
        return replace(self.deepest(setup), feasible=False)

    def deepest(self, setup: Setup) -> Answer:
        """The deepest posture, and which limit stands in the way of going deeper."""
        depth = self._deepest_deg(setup, self.limits)
        posture = self._best(depth, setup, self.limits) or self._standing(setup)
        return Answer(True, self._binding(depth, setup), posture, self.moments(posture, setup))

    def hinge(self, hip_flexion_deg: float, knee_flexion_deg: float, load_kg: float) -> Answer:
        """A hinge: knees kept softly bent, hips travelling back, the load hanging from the shoulders over the middle of the foot.

        Answered with the deepest hinge when the hip's limit, the back of the thigh, or balance stands before the asked hip flexion.
        """
        setup = Setup("hang", load_kg)
        wanted = min(hip_flexion_deg, self.limits.hamstrings(knee_flexion_deg))
        best = self._hinge(wanted, knee_flexion_deg, setup)
        binding = None
        if wanted < hip_flexion_deg - 1e-9:
            binding = "hip_flexion" if wanted == self.limits.hip_flexion else "hamstrings"
        while best is None and wanted > 5:
            wanted, binding = wanted - 1.0, "balance"
            best = self._hinge(wanted, knee_flexion_deg, setup)
        posture = best or self._standing(Setup("none"))
        met = binding is None and best is not None
        return Answer(met, (binding,) if binding else (), posture, self.moments(posture, setup))

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

    def reaching(self, thigh_deg: float, setup: Setup) -> Build:
        """The same body allowed off the middle of its foot until it reaches a depth that was filmed; as it is where no balance helps."""
        for band in np.arange(self.limits.balance_band, WIDEST_BAND, BAND_STEP):
            wider = Build(self.body, replace(self.limits, balance_band=float(band)))
            if wider._options(thigh_deg, setup, wider.limits).fine.any():
                return wider
        return self

    def deepest_deg(self, setup: Setup) -> float:
        """Thigh angle (degrees over level) of the deepest posture."""
        return self._deepest_deg(setup, self.limits)

    def levers(self, thigh_deg: float, setup: Setup) -> list[SetupEffect]:
        """What each change of set-up would give this body."""
        changes: list[tuple[str, float | str, Setup]] = [
            ("heel_lift_cm", 2.0, replace(setup, heel_lift_cm=setup.heel_lift_cm + 2.0)),
            ("knees_open_deg", 10.0, replace(setup, knees_open_deg=setup.knees_open_deg + 10.0)),
        ]
        if setup.support is Support.RAIL:
            changes.append(("feet_forward_cm", 10.0, replace(setup, feet_forward_cm=setup.feet_forward_cm + 10.0)))
        elif setup.load_kg > 0 and setup.support is Support.NONE:
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

    def _binding(self, depth: float, setup: Setup) -> tuple[str, ...]:
        """The limits whose loosening buys depth, the one that buys most first, and those that buy nearly as much with it."""
        if depth <= DEEPEST_THIGH_DEG:
            return ()
        looser = {
            name: replace(self.limits, **{name: getattr(self.limits, name) + 3.0})
            for name in ("ankle_dorsiflexion", "hip_flexion", "knee_flexion")
        }
        if setup.support is Support.NONE:
            looser["balance"] = replace(self.limits, balance_band=self.limits.balance_band + 0.005)
        setups = dict.fromkeys(looser, setup)
        if setup.knee_block_cm is not None:
            looser["knee_block"] = self.limits
            setups["knee_block"] = replace(setup, knee_block_cm=setup.knee_block_cm + 1.5)
        # most often one limit alone buys anything: only where several do is it worth finding out how much
        helps = [n for n in looser if self._options(depth - BINDING_STEP_DEG, setups[n], looser[n]).fine.any()]
        if len(helps) <= 1:
            return tuple(helps) or ("balance",)
        gains = {n: depth - self._deepest_deg(setups[n], looser[n]) for n in helps}
        most = max(gains.values())
        return tuple(n for n in sorted(gains, key=lambda n: -gains[n]) if gains[n] >= TOGETHER * most)

    def _options(self, thigh_deg: float, setup: Setup, limits: Limits) -> _Options:
        """Every posture at a depth, by shank lean (rows) and by place of the centre of mass in its band, or lean where held (columns)."""
        tilt = self.heel_angle_deg(setup.heel_lift_cm)
        top = limits.ankle_dorsiflexion + tilt
        s = np.radians(np.append(np.arange(-5.0, top, SHANK_STEP_DEG), top))[:, None]
        share = np.linspace(-limits.balance_band, limits.balance_band, BALANCE_STEPS)[None, :]
        d, open_ = np.radians(thigh_deg), np.radians(setup.knees_open_deg)
        knee_x = self.shank * np.sin(s) * np.cos(open_)
        hip_x = knee_x - self.thigh * np.cos(d) * np.cos(open_)
        middle = (self.heel_x + self.toe_x) / 2
        if setup.support is Support.NONE:
            t = self._lean_for_balance(hip_x, knee_x, middle + share * self.foot, setup)
        else:
            t = self._lean_when_held(hip_x, middle, setup)
            share = (self._centre_at(hip_x, knee_x, t, setup) - middle) / self.foot
        knee = np.degrees(s) + 90 - thigh_deg + 0 * t
        cosine = np.sin(t) * np.cos(d) * np.cos(open_) - np.cos(t) * np.sin(d)
        hip = 180 - np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        fine = np.isfinite(t) & (np.degrees(t) <= LEAN_LIMIT_DEG) & (np.degrees(t) >= -10)
        fine &= (knee <= limits.knee_flexion) & (knee >= -5)
        # between opened knees the hip's own limit would let the trunk fold on below the thighs
        fine &= np.pi / 2 - t >= np.arctan2(-np.sin(d), np.cos(d) * np.cos(open_))
        fine &= hip <= limits.hip_flexion
        if setup.knee_block_cm is not None:
            fine &= knee_x - self.toe_x <= setup.knee_block_cm + 0 * t
        return _Options(s, share, t, fine)

    def _best(self, thigh_deg: float, setup: Setup, limits: Limits) -> Posture | None:
        """The posture at a depth that spares ankle and trunk together most; None when no posture keeps all limits."""
        options = self._options(thigh_deg, setup, limits)
        if not options.fine.any():
            return None
        bend = (np.degrees(options.shank) - self.heel_angle_deg(setup.heel_lift_cm)) / max(limits.ankle_dorsiflexion, 1.0)
        off_middle = options.share / max(limits.balance_band, 1e-6)
        held = setup.support is not Support.NONE
        cost = np.maximum(bend, 0) ** 2 + (np.degrees(options.lean) / (HELD_COMFORT_DEG if held else COMFORT_LEAN_DEG)) ** 2
        cost = cost + OFF_MIDDLE_COST[held] * off_middle**2
        if not held and setup.bar in STYLE:
            able = options.shank[options.fine.any(axis=1), 0]
            wanted = able.min() + STYLE[setup.bar] * (able.max() - able.min())
            cost = cost + np.cos(np.radians(thigh_deg)) * (np.degrees(options.shank - wanted) / STYLE_STEP_DEG) ** 2
        i, k = np.unravel_index(int(np.argmin(np.where(options.fine, cost, np.inf))), options.fine.shape)
        return self._posture(float(options.shank[i, 0]), float(np.radians(thigh_deg)), float(options.lean[i, k]), setup)

    def _tilting(self, hip_x: Array, knee_x: Array, setup: Setup) -> tuple[Array, float, float]:
        """Of the first moment of all parts about the ankle (kg·cm): what does not change with the trunk's lean, what goes with its sine,
        and what with its cosine."""
        m, load = self.masses, setup.load_kg
        thigh_x = hip_x + m.thigh_centre * (knee_x - hip_x)
        shank_x = knee_x * (1 - m.shank_centre)
        foot_x = self.heel_x + m.foot_centre * self.foot
        legs = 2 * self.mass * (m.thigh * thigh_x + m.shank * shank_x + m.foot * foot_x)
        along, before = BARS[setup.bar]
        still = legs + (self.mass * m.hat + load) * hip_x
        return still, self.mass * m.hat * HAT_CENTRE * self.trunk + load * along * self.trunk, load * before

    def _centre_at(self, hip_x: Array, knee_x: Array, lean: Array, setup: Setup) -> Array:
        """Where the common centre of mass lies at a lean (rad), cm before the ankle."""
        still, sine, cosine = self._tilting(hip_x, knee_x, setup)
        return (still + sine * np.sin(lean) + cosine * np.cos(lean)) / (self.mass + setup.load_kg)

    def _lean_for_balance(self, hip_x: Array, knee_x: Array, target: Array, setup: Setup) -> Array:
        """Trunk lean (rad) that brings the common centre of mass over x = target; NaN where none does."""
        still, sine, cosine = self._tilting(hip_x, knee_x, setup)
        return _solved_lean((self.mass + setup.load_kg) * target - still, sine, cosine)

    def _lean_when_held(self, hip_x: Array, middle: float, setup: Setup) -> Array:
        """Trunk leans (rad) a held body may take: any that the hands hold, or the one that keeps the bar on its rail."""
        if setup.support is Support.HANDS:
            return np.radians(np.linspace(0.0, HELD_LEAN_DEG, HELD_LEANS))[None, :] + 0 * hip_x
        along, before = BARS[setup.bar]
        return _solved_lean(middle - setup.feet_forward_cm - hip_x, along * self.trunk, before)


def _solved_lean(need: Array, sine: float, cosine: float) -> Array:
    """Lean (rad) at which sine · sin + cosine · cos comes to `need`; NaN where none does."""
    size, phase = np.hypot(sine, cosine), np.arctan2(cosine, sine)
    ratio = need / size
    with np.errstate(invalid="ignore"):
        return np.asarray(np.where(np.abs(ratio) <= 1, np.arcsin(np.clip(ratio, -1, 1)) - phase, np.nan))
