"""Segment masses and centres of mass, and lengths predicted from stature, as tables with their source.

Winter: D. A. Winter, Biomechanics and Motor Control of Human Movement, 4th ed., table 4.1 and figure 4.1 (the latter after
Drillis & Contini 1966), from memory. de Leva: P. de Leva, Adjustments to Zatsiorsky-Seluyanov's segment inertia
parameters, J Biomech 29 (1996) 1223, table 4, from memory. The checks beside the tests add the shares up.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

WINTER = "Winter, table 4.1"
DE_LEVA = "de Leva 1996, table 4"
# Share of stature; Winter, figure 4.1. Ankle height is the malleolus over the floor.
STATURE_SHARES = {
    "thigh": 0.245,
    "shank": 0.246,
    "foot": 0.152,
    "trunk": 0.288,
    "biacromial": 0.259,
    "hip_breadth": 0.191,
    "ankle_height": 0.039,
    "seat_to_floor": 0.25,  # back of the knee over the floor when seated; from memory of seating tables
}
ANKLE_FROM_HEEL_SHARE = 0.25  # of the foot's length; from memory of anthropometric sketches, no source
BALL_FROM_HEEL_SHARE = 0.70  # of the foot's length; common practice, no source
PELVIS_MASS = 0.142  # share of body mass; Winter, table 4.1
HAT_CENTRE = 0.626  # of hip to shoulder; Winter, table 4.1
LOW_BACK_SHARE = 0.18  # of hip to shoulder: where L5/S1 lies; common practice, no source


@dataclass(frozen=True)
class Masses:
    """Shares of body mass of one thigh, shank and foot, and of head, arms and trunk together; centres as shares of the
    segment's length from its proximal end (hip, knee; heel for the foot)."""

    thigh: float
    shank: float
    foot: float
    thigh_centre: float
    shank_centre: float
    foot_centre: float
    source: str

    @property
    def hat(self) -> float:
        """Head, arms and trunk."""
        return 1 - 2 * (self.thigh + self.shank + self.foot)


MASSES = {
    "unspecified": Masses(0.100, 0.0465, 0.0145, 0.433, 0.433, 0.50, WINTER),
    "male": Masses(0.1416, 0.0433, 0.0137, 0.4095, 0.4459, 0.4415, DE_LEVA),
    "female": Masses(0.1478, 0.0481, 0.0129, 0.3612, 0.4416, 0.4014, DE_LEVA),
}
# Head, trunk, and the six limb parts of one side, shares of body mass; de Leva 1996, table 4.
DE_LEVA_WHOLE = {
    "male": {"head": 0.0694, "trunk": 0.4346, "upper_arm": 0.0271, "forearm": 0.0162, "hand": 0.0061},
    "female": {"head": 0.0668, "trunk": 0.4257, "upper_arm": 0.0255, "forearm": 0.0138, "hand": 0.0056},
}
USUAL_MASS_KG = 70.0  # where nobody weighed the client; our own choice
HIP_JOINT_DEG = 120.0  # hip flexion of the joint itself, pelvis flat; AAOS (from memory)
PELVIS_GIVES_DEG = 28.0  # what pelvis and low back give on the line from hip to shoulder before the pelvis visibly curls; no source
USUAL_LIMITS_DEG = {
    "ankle_dorsiflexion": 38.0,  # loaded lunge, middle of the usual 35 to 45°; from memory (unloaded, AAOS has 20°)
    "hip_flexion": HIP_JOINT_DEG + PELVIS_GIVES_DEG,
    "knee_flexion": 140.0,  # 135 to 150°; AAOS (from memory)
    "straight_leg_raise": 90.0,  # hip flexion with a straight knee, 80 to 100°; from memory
}
HIP_PER_KNEE = 0.5  # degrees of hip the back of the thigh gains per degree of knee bend: its lever at the knee is about half of that
# at the hip; from memory
KNEECAP_CM = 6.0  # the knee's centre behind the front of the kneecap; from memory
MOST_DORSIFLEXION_DEG = 50.0  # no wall test says more; our own bound


def dorsiflexion_from_wall(distance_cm: float, shank_cm: float, foot_cm: float) -> float:
    """Loaded ankle dorsiflexion (degrees) from a knee-to-wall test: the toe's distance from the wall (cm), with the kneecap touching it.

    Geometry: the knee's centre stands before the ankle by that distance and the foot's part before the ankle, less the kneecap's depth.
    """
    before = distance_cm + (1 - ANKLE_FROM_HEEL_SHARE) * foot_cm - KNEECAP_CM
    return min(math.degrees(math.asin(min(max(before / shank_cm, 0.0), 1.0))), MOST_DORSIFLEXION_DEG)
