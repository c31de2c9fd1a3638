"""A shoe on a sled's plate that nobody clicked: its sole lies along the plate, whose edge shows which way.

A network that saw few feet on plates draws the toe at the middle of such a foot and the heel behind it: some twenty degrees of the ankle.
The plate moves without turning, so that the looks that show its edge speak for all the others.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import near_side
from deepmirror.fitted import fitted
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence, Keyframe
from deepmirror.pose.film_setting import FilmSetting
from deepmirror.pose.offsets import Offsets
from deepmirror.pose.shoe_shape import clicked_shoes, shoe_points
from deepmirror.pose.sole import SEEN, sole_direction
from deepmirror.pose.standing_shoe import flat_shoe, foot_px

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

EVERY = 3  # frames between looks at the edge, which does not turn
LEAST_FOUND = 8  # looks: fewer may be one thing that passes; our own choice
ALIKE_DEG, MOSTLY = 4.0, 0.6  # so far from their middle lie at least so many of the finds: a plate does not turn; our own choice
PLATE_SD_DEG = fitted("sole_on_plate")


def lies_on_plate(movement: Movement, view: str) -> bool:
    """Whether the near sole lies on a plate that moves without turning."""
    return near_side(view) is not None and movement.platform_moves and movement.foot_carried and not movement.foot_held


def watch_sole_on_plate(frames: Iterable[Picture], positions: Array, names: list[str], side: str, tick: Callable[[int], None]) -> Array:
    """Direction (T,) of the near sole, rad, NaN where it was not seen: everywhere, where the finds do not agree.

    frames: grey pictures in order; positions (T, P, 2) px of `names`, about.
    """
    ankle, heel, toe = (positions[:, names.index(name)] for name in shoe_points(side))
    soles = np.full(len(positions), np.nan)
    for number, grey in zip(range(len(positions)), frames, strict=False):
        tick(number)
        if number % EVERY == 0:
            soles[number] = sole_direction(grey, heel[number], toe[number], ankle[number], SEEN)
    return alike(soles)


def alike(soles: Array) -> Array:
    """Directions (T,) rad without those that are another edge's; all NaN where too few agree."""
    found = soles[np.isfinite(soles)]
    if len(found) < LEAST_FOUND:
        return np.full_like(soles, np.nan)
    agrees = np.abs(np.degrees(wrapped(soles - _middle(found), 2 * np.pi))) <= ALIKE_DEG
    if agrees.sum() < MOSTLY * len(found):
        return np.full_like(soles, np.nan)
    return np.where(agrees, soles, np.nan)


def _middle(directions: Array) -> float:
    """Median of directions, rad."""
    about = float(np.angle(np.exp(1j * directions).mean()))
    return about + float(np.median(wrapped(directions - about, 2 * np.pi)))


def with_shoe_on_plate(evidence: Evidence, own: Offsets, keys: Sequence[Keyframe], setting: FilmSetting) -> tuple[Evidence, Offsets]:
    """The network's near heel and toe put where a shoe below that look's ankle lies along the plate, and how surely it lies so.

    Only where nobody clicked the shoe. own: what is added to the network's places, and its uncertainty.
    """
    near, names = setting.near, shoe_points(setting.near or "left")
    seen = evidence.sole[np.isfinite(evidence.sole)]
    if near is None or not lies_on_plate(setting.movement, setting.view) or not len(seen) or len(clicked_shoes(keys, near)):
        return evidence, own
    if not set(names) <= set(evidence.names):
        return evidence, own
    ankle, heel, toe = (evidence.names.index(name) for name in names)
    guided, direction = evidence.network + own.move, _middle(seen)
    forward = np.array([np.cos(direction), np.sin(direction)])
    up = np.array([-forward[1], forward[0]])
    up = up * np.sign(np.nanmedian((guided[:, ankle] - guided[:, [heel, toe]].mean(axis=1)) @ up))
    length = foot_px(guided, evidence.names, setting)
    shoe = flat_shoe(length, forward, up)
    network, sigma, sure = evidence.network.copy(), evidence.network_sigma.copy(), own.sigma.copy()
    for column, below in ((heel, shoe.heel), (toe, shoe.toe)):
        network[:, column] = guided[:, ankle] + below - own.move[:, column]
        sigma[:, column] = np.hypot(sigma[:, ankle], shoe.sd)
        sure[:, column] = np.radians(PLATE_SD_DEG) * length / np.sqrt(2)
    return evidence.with_network(network, sigma), replace(own, sigma=sure)
