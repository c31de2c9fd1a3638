"""Which way things point in the picture of a view: side-left, side-right, front or rear."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

UP = np.array([0.0, -1.0])
"""What is up in the picture of a level camera; pixels count downwards."""


class TrunkTurn(NamedTuple):
    """How far from upright (rad, clockwise) a movement turns the trunk in the picture; throughout: at every moment, whatever moves."""

    turn: float
    throughout: bool


def facing(view: str) -> int:
    """+1 when the client faces right on the screen, -1 when left (side views), 0 otherwise."""
    return {"side-right": 1, "side-left": -1}.get(view, 0)


def outward(view: str, side: str) -> int:
    """+1 when the client's `side` lies to the right on the screen in a front or rear view."""
    left_is_right = 1 if view == "front" else -1
    return left_is_right if side == "left" else -left_is_right
