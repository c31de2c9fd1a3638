"""Which region the next look takes: the followed one, or the body found anew."""

from __future__ import annotations

import numpy as np
import pytest

from deepmirror.pose.network import Region
from deepmirror.pose.watch import QUICK, Watcher

EMPTY = np.zeros((72, 128, 3), np.uint8)


class Finds:
    """A detector that sees what it is told."""

    def __init__(self, *regions: Region) -> None:
        self._regions = regions

    def find(self, _: np.ndarray) -> list[tuple[float, Region]]:
        return [(0.9, r) for r in self._regions]


def region(x: float = 600, y: float = 350, side: float = 650, turn_deg: float = 0.0) -> Region:
    return Region(x, y, side, float(np.radians(turn_deg)))


@pytest.fixture(scope="module")
def watcher() -> Watcher:
    return Watcher(QUICK, None)


@pytest.mark.parametrize(
    ("found", "taken"),
    [
        ((region(turn_deg=6),), "anew"),  # the trunk has risen, the followed region still lies askew
        ((region(turn_deg=40),), "followed"),  # they agree: the followed one is the steadier
        ((region(x=900, turn_deg=6),), "followed"),  # somebody else
        ((region(side=300, turn_deg=6),), "followed"),  # a child in the background
        ((region(x=760, turn_deg=90), region(x=610, turn_deg=6)), "nearest"),
        ((), "followed"),
    ],
)
def test_a_region_that_lies_askew_is_given_up(watcher: Watcher, found: tuple[Region, ...], taken: str) -> None:
    followed = region(turn_deg=48)
    watcher._detectors[0] = Finds(*found)  # type: ignore[call-overload]
    expected = {"followed": followed, "anew": found[0] if found else None, "nearest": found[-1] if found else None}
    assert watcher._afresh(0, EMPTY, followed) == expected[taken]


def test_turns_are_compared_around_the_circle(watcher: Watcher) -> None:
    watcher._detectors[0] = Finds(region(turn_deg=-175))  # type: ignore[call-overload]
    followed = region(turn_deg=178)
    assert watcher._afresh(0, EMPTY, followed) == followed
