"""How a squat is set up, what a body may do, and what the solver answers: plain values. Angles in degrees, lengths in cm."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from deepmirror.core.body.anthropometry import HIP_JOINT_DEG, HIP_PER_KNEE, PELVIS_GIVES_DEG, USUAL_LIMITS_DEG

BALANCE_BAND = 0.08  # of the foot's length either way of the middle; common practice, no source
FEET_FORWARD_CM = 10.0  # middle of the foot before the bar's rail; common practice, no source
# Where a load sits: along the trunk from the hip (share), and before (+) or behind it (cm); common practice, no source.
BARS = {
    "high": (1.03, -5.0),
    "low": (0.95, -8.0),
    "front": (1.0, 6.0),
    "goblet": (0.85, 18.0),
    "none": (1.0, 0.0),
    "belt": (0.0, 0.0),
    "hang": (1.0, 0.0),
}


class Support(StrEnum):
    """What keeps the body from falling besides its balance."""

    NONE = "free"
    HANDS = "hands on handles"
    RAIL = "a bar on an upright rail"


@dataclass(frozen=True)
class Setup:
    """How a squat is set up. knee_block_cm: furthest the knee may pass the toe, None for no limit; feet_forward_cm: before a rail."""

    bar: str = "high"
    load_kg: float = 0.0
    heel_lift_cm: float = 0.0
    knees_open_deg: float = 0.0
    knee_block_cm: float | None = None
    support: Support = Support.NONE
    feet_forward_cm: float = FEET_FORWARD_CM


@dataclass(frozen=True)
class Limits:
    """Joint limits, degrees. hip_flexion is of the line from hip to shoulder, with what pelvis and low back give; straight_leg_raise is the
    hip's with a straight knee, where the back of the thigh ends it."""

    ankle_dorsiflexion: float = USUAL_LIMITS_DEG["ankle_dorsiflexion"]
    hip_flexion: float = USUAL_LIMITS_DEG["hip_flexion"]
    knee_flexion: float = USUAL_LIMITS_DEG["knee_flexion"]
    straight_leg_raise: float = USUAL_LIMITS_DEG["straight_leg_raise"]
    balance_band: float = BALANCE_BAND

    @property
    def flat_hip(self) -> float:
        """Hip flexion with the pelvis held flat on a pad, where pelvis and low back may give nothing."""
        return max(min(self.hip_flexion, HIP_JOINT_DEG), self.hip_flexion - PELVIS_GIVES_DEG)

    def hamstrings(self, knee_flexion_deg: float) -> float:
        """Hip flexion at which the back of the thigh ends a hinge with this knee bend: a bent knee slackens it."""
        return min(self.hip_flexion, self.straight_leg_raise + HIP_PER_KNEE * knee_flexion_deg)


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
    """What the solver says to an ask; an ask that cannot be met comes back with the deepest posture there is.

    binding: all limits that stand in the way together, the one that costs most depth first.
    """

    feasible: bool
    binding: tuple[str, ...]
    posture: Posture
    moments_nm: dict[str, float]

    @property
    def binding_limit(self) -> str | None:
        """The limit that costs most depth; None where nothing stands in the way."""
        return self.binding[0] if self.binding else None


@dataclass(frozen=True)
class SetupEffect:
    """What changing one thing of the set-up does. depth_gain is of the deepest posture (degrees of thigh, deeper positive);
    lean and knee travel change at the asked depth (None where that depth cannot be reached either way)."""

    change: str
    by: float | str
    depth_gain_deg: float
    lean_change_deg: float | None
    knee_travel_change_cm: float | None


def hip_limit_of_flat(flat_deg: float) -> float:
    """The hip's limit on the line from hip to shoulder of a body whose hip bends so far (degrees) with the pelvis flat: `flat_hip` turned
    round."""
    return flat_deg if flat_deg <= HIP_JOINT_DEG else flat_deg + PELVIS_GIVES_DEG
