"""A shoe that stands: one drawn much shorter or steeper than it is was not seen, and stands below its ankle.

Plates and dumbbells that pass before the feet draw the network's toe to the heel, or turn the shoe on end, for as long as they are
there. A foot on the floor does neither.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Self

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import signed_turn
from deepmirror.core.views import facing
from deepmirror.pose.evidence import Evidence, Keyframe, rotate
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.shoe_shape import SHOE_SHAPE, clicked_shoes, shoe_points
from deepmirror.pose.trajectory_solver import segment_ends

Array = NDArray[np.float64]

# Slope, degrees toes down, of a standing shoe in the picture of a phone that looks down on it a little; between which turns from there,
# toes up and toes down, it may be drawn before it was not seen: heels may stand on a wedge, of up to 25 degrees; and its length, shares of
# what it is. Our own estimates, no source.
SLOPE_DEG, MOST_UP_DEG, MOST_DOWN_DEG = 4.0, 16.0, 26.0
SHORTEST, LONGEST = 0.7, 1.35
BELOW_ANKLE_SD, CLICKED_BELOW_ANKLE_SD = 0.1, 0.05  # of the foot: how far off a shoe that is only known to stand there may be


@dataclass(frozen=True)
class Shoe:
    """From the ankle to heel and toe (2,) px of the shoe as it stands, and how far off either may be, px."""

    heel: Array
    toe: Array
    sd: float

    @property
    def whole(self) -> Array:
        """From heel to toe (2,) px."""
        return np.asarray(self.toe - self.heel)

    def turned(self, degrees: float) -> Self:
        """The same, turned clockwise on the screen."""
        turn = np.radians(degrees)
        return replace(self, heel=rotate(self.heel, turn), toe=rotate(self.toe, turn))


def with_standing_shoe(evidence: Evidence, own: Offsets, keys: Sequence[Keyframe], setting: FilmSetting) -> Evidence:
    """The network's looks at the near heel and toe that draw no standing shoe, put where the shoe below that look's ankle is.

    Only of movements whose near foot stands. own: what is added to the network's places.
    """
    near, movement, names = setting.near, setting.movement, shoe_points(setting.near or "left")
    if near is None or not movement.near_foot_stands or not set(names) <= set(evidence.names):
        return evidence
    at = [evidence.names.index(name) for name in names]
    guided = evidence.network + own.move
    clicked = clicked_shoes(keys, near)
    shoe = _as_clicked(clicked) if len(clicked) else _of_body(foot_px(guided, evidence.names, setting), setting)
    drawn = guided[:, at[2]] - guided[:, at[1]]
    turn = facing(setting.view) * signed_turn(np.broadcast_to(shoe.whole, drawn.shape), drawn)  # toes down
    share = np.linalg.norm(drawn, axis=1) / np.linalg.norm(shoe.whole)
    with np.errstate(invalid="ignore"):
        sees = (turn > -MOST_UP_DEG) & (turn < MOST_DOWN_DEG) & (share > SHORTEST) & (share < LONGEST)
    lost = np.isfinite(guided[:, at]).all(axis=(1, 2)) & ~sees
    if not len(clicked) and sees.any():
        shoe = shoe.turned(facing(setting.view) * float(np.median(turn[sees])))
    network, sigma = evidence.network.copy(), evidence.network_sigma.copy()
    for column, below in zip(at[1:], (shoe.heel, shoe.toe), strict=True):
        network[lost, column] = guided[lost, at[0]] + below - own.move[lost, column]
        sigma[lost, column] = np.hypot(sigma[lost, at[0]], shoe.sd)
    return evidence.with_network(network, sigma)


def _as_clicked(shoes: Array) -> Shoe:
    """The shoe as it was clicked (K, 3, 2) px."""
    ankle, heel, toe = shoes.mean(axis=0)
    return Shoe(heel - ankle, toe - ankle, CLICKED_BELOW_ANKLE_SD * float(np.linalg.norm(toe - heel)))


def _of_body(length: float, setting: FilmSetting) -> Shoe:
    """A shoe on the floor of a client whose foot is so long in the picture, px."""
    way = facing(setting.view)
    forward = way * np.array([-setting.up[1], setting.up[0]])
    return flat_shoe(length, forward, setting.up).turned(way * SLOPE_DEG)


def flat_shoe(length: float, forward: Array, up: Array) -> Shoe:
    """A shoe so long, px, of the usual shape, whose sole lies along `forward` (2,) with the ankle on the side `up` (2,)."""
    heel, toe = (SHOE_SHAPE[pair] for pair in (("ankle", "heel"), ("ankle", "toe")))
    behind = (1 + heel**2 - toe**2) / 2  # of the foot: how far the heel lies behind the ankle
    below = float(np.sqrt(heel**2 - behind**2)) * up
    return Shoe(length * (-behind * forward - below), length * ((1 - behind) * forward - below), BELOW_ANKLE_SD * length)


def foot_px(guided: Array, names: list[str], setting: FilmSetting) -> float:
    """Length of the client's foot in the picture, from the film's own scale or the shank's length as guided (T, P, 2) px tells it."""
    foot_cm = setting.body.length("foot").cm
    if setting.scale is not None:
        return foot_cm * setting.scale.value
    knee, ankle = (names.index(name) for name in segment_ends("shank", setting.near or "left"))
    shank_px = float(np.nanmedian(np.linalg.norm(guided[:, ankle] - guided[:, knee], axis=1)))
    return foot_cm * shank_px / setting.body.length("shank").cm
