"""Which way a shoe points, from the edge of its sole.

Two clicks 2 px off turn a shoe of 90 px by 2°, and what is seen of its turning adds some more. The edge between the sole and what
lies behind it is as long as the shoe and straight under its middle: on our rendered films it tells the direction to 1° in every
frame in which it is clear. Where it is not, nothing is told.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.core.geometry import wrapped
from deepmirror.core.skeleton import sided
from deepmirror.fitted import fitted_by_name
from deepmirror.pose.evidence import Evidence, Keyframe, rotate

Array = NDArray[np.float64]
Picture = NDArray[np.uint8]

ALONG, ACROSS = 48, 64  # samples of the field along the shoe and from it towards the sole
AHEAD = np.linspace(0.08, 0.72, ALONG)  # which part of the sole is straight, from heel 0 to toe 1: toes rise, heels are round
BELOW = np.linspace(-0.12, 0.32, ACROSS)  # how far the field reaches across, shares of the shoe's length, the sole's side positive
STEP = float(BELOW[1] - BELOW[0])  # shares of the shoe's length from row to row
COLUMNS = np.arange(ALONG)
FINE = np.arange(-1.0, 1.01, 0.25)  # turns tried around the best of every whole degree; our own choice
PATCHY = 0.18  # an edge that is clear in places only counts that much less: share of its spread along the sole
MIN_EDGE_CONTRAST = 5.0  # grey levels per px a sole's edge shows at least
MIN_VISIBLE_SHARE = 0.35  # share of the looks that find a sole which shows; fewer are taken for something else
DIPS, DIPS_SD = fitted_by_name("sole_dip").values()
SOLE_SD = float(np.radians(DIPS_SD))  # rad
MAX_MISS_SD = 3.0  # standard deviations from the clicks: an edge that lies further off is another one


class Search(NamedTuple):
    """How far the shoe may be off: degrees it is turned by, and between which shares of its length below its ends the edge may lie."""

    turn_deg: float
    above: float
    below: float

    @property
    def places(self) -> Array:
        """Where the edge may lie."""
        return BELOW[(self.above <= BELOW) & (self.below >= BELOW)]


CLICKED = Search(8.0, 0.08, 0.215)
SEEN = Search(26.0, 0.0, 0.29)  # by the network alone: on a sled's plate it draws the toe at the middle of the foot


def sole_direction(grey: Picture, heel: Array, toe: Array, ankle: Array, search: Search = CLICKED) -> float:
    """Direction from heel to toe in the picture as the sole's edge tells it, rad; NaN where none is clear.

    heel, toe, ankle (2,): where they are thought to be, px.
    """
    d = toe - heel
    length = float(np.hypot(*d))
    normal = np.array([-d[1], d[0]])
    side = -np.sign((ankle - heel) @ normal)
    if length < 1 or side == 0:
        return np.nan
    places = (heel + AHEAD[None, :, None] * d + BELOW[:, None, None] * side * normal).astype(np.float32)
    field = cv2.remap(grey, places[..., 0], places[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    edge = np.gradient(cv2.GaussianBlur(field.astype(np.float32), (0, 0), 1.0), axis=0) / (STEP * length)
    turned, place, strength = _clearest(edge, search)
    inside = search.places[0] < place < search.places[-1] and abs(turned) < search.turn_deg
    if strength < MIN_EDGE_CONTRAST or not inside:
        return np.nan
    direction = np.arctan2(d[1], d[0]) + np.radians(side * (turned - DIPS))
    return float(wrapped(direction, 2 * np.pi))


def clear(soles: Array) -> bool:
    """True when enough of the looks (K,) found an edge: one that comes and goes is often another one."""
    return float(np.isfinite(soles).mean()) >= MIN_VISIBLE_SHARE


def _clearest(edge: Array, search: Search) -> tuple[float, float, float]:
    """The straight line over which the edge is clearest: its turn (degrees), where it lies, and how clear it is, grey levels per px.

    edge (ACROSS, ALONG) at BELOW and AHEAD.
    """
    coarse, _, _ = _best(edge, search, *_coarse(search))
    fine = coarse + FINE
    return _best(edge, search, fine, _rows(fine, search))


def _best(edge: Array, search: Search, turns: Array, rows: Array) -> tuple[float, float, float]:
    above = rows.astype(np.intp)
    met = edge[above, COLUMNS] + (rows - above) * (edge[above + 1, COLUMNS] - edge[above, COLUMNS])
    clearness = np.abs(met.mean(axis=2)) - PATCHY * met.std(axis=2)
    turn, place = np.unravel_index(int(clearness.argmax()), clearness.shape)
    return float(turns[turn]), float(search.places[place]), float(clearness[turn, place])


@cache
def _coarse(search: Search) -> tuple[Array, Array]:
    turns = np.arange(-search.turn_deg, search.turn_deg + 0.1, 1.0)
    return turns, _rows(turns, search)


def _rows(turns: Array, search: Search) -> Array:
    """Where lines of these turns (degrees) through each of the places cross the field's columns: (turns, places, ALONG), rows."""
    lines = search.places[None, :, None] + np.tan(np.radians(turns))[:, None, None] * (AHEAD - AHEAD.mean())
    return np.asarray(np.clip((lines - BELOW[0]) / STEP, 0, ACROSS - 1.001))


def align_shoe_clicks(keys: list[Keyframe], evidence: Evidence, side: str) -> list[Keyframe]:
    """The clicks with heel and toe turned to where the sole's edge says they lie, as far as it is the surer of the two."""
    told = {k.frame: float(evidence.sole[k.frame]) for k in keys if k.frame < len(evidence.sole)}
    return [_aligned(k, told[k.frame], side) if np.isfinite(told.get(k.frame, np.nan)) else k for k in keys]


def _aligned(key: Keyframe, direction: float, side: str) -> Keyframe:
    heel, toe = sided("heel", side), sided("toe", side)
    if not {heel, toe} <= set(key.points):
        return key
    a, b = np.array(key.points[heel]), np.array(key.points[toe])
    d, length = b - a, float(np.hypot(*(b - a)))
    clicked_sd = np.sqrt(2) * key.sigma_px / max(length, 1.0)
    miss = float(wrapped(direction - np.arctan2(d[1], d[0]), 2 * np.pi))
    if abs(miss) > MAX_MISS_SD * np.hypot(clicked_sd, SOLE_SD):
        return key
    share = clicked_sd**2 / (clicked_sd**2 + SOLE_SD**2)
    half, middle = rotate(d, share * miss) / 2, (a + b) / 2
    left = float(np.sqrt(1 - share)) * key.sigma_px
    points = key.points | {heel: tuple(middle - half), toe: tuple(middle + half)}
    return replace(key, points=points, narrow=key.narrow | {heel: left, toe: left})
