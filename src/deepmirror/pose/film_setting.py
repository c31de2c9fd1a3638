"""What is known of a film beside what is seen in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deepmirror.core.body.client_body import Body
from deepmirror.core.skeleton import near_side, sided
from deepmirror.core.uncertain_value import Value
from deepmirror.movements.schema import Movement

Array = NDArray[np.float64]


@dataclass(frozen=True)
class FilmSetting:
    """View, body, movement, known scale (px per cm), what is up in the picture (2,) and how surely (deg, k = 2), width and height, px.

    hidden points are left out; held ones are moved by clicks and flow alone, not by the network or patches.
    """

    view: str
    body: Body
    movement: Movement
    scale: Value | None
    up: Array
    up_u_deg: float
    size: tuple[int, int]
    hidden: frozenset[str] = frozenset()
    held: frozenset[str] = frozenset()

    @property
    def near(self) -> str | None:
        """The side that a side film shows; None for front and rear films."""
        return near_side(self.view)

    @property
    def shoe_held(self) -> bool:
        """True when the coach holds the near shoe where she clicked it."""
        return bool({sided(joint, self.near or "left") for joint in ("heel", "toe")} & self.held)
