"""What is known of a measure besides its number: the one place that says how it is called, counted, shown and drawn.

Each file of measures ends in its `MEASURES`; `table` puts them together. Batch, rooms, reply, comparison, movement
definitions and docs/measures.md read the table and nothing else.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from deepmirror.core.measures.context import LOST, PLACE_AGAIN, CannotTell
from deepmirror.core.skeleton import near_side
from deepmirror.core.uncertain_value import Value
from deepmirror.words import small

ViewKind = Literal["side", "front"]
SIDE: tuple[ViewKind, ...] = ("side",)
FRONT: tuple[ViewKind, ...] = ("front",)
ANY: tuple[ViewKind, ...] = ("side", "front")

# Uncertainty (k = 2) by unit from which on a number tells a coach nothing: about half of what the measure can come to; our own choice.
USELESS_U = {"°": 40.0, "cm": 15.0, "s": 2.0, "%": 60.0, "% shank": 25.0}


def view_kind(view: str) -> ViewKind:
    """ "side" for the two side views; front and rear views show the same: "front"."""
    return "side" if near_side(view) else "front"


class Drawing(StrEnum):
    """How a measure is drawn on a frame (core/sketches)."""

    PLAIN = "nothing but the body's lines"
    ANGLE = "the one limb carried on beyond the joint, and the angle to the other"
    ANKLE = "the upright over the sole, and the angle to the shin"
    CHANGE = "a limb where it lay at the rep's other end, and the angle to where it lies"
    SWING = "the trunk where it lay at the rep's other end, and the angle to where it lies"
    DEPTH = "a level line through the knee, and the angle from it to the hip"
    CREASE = "a level line at the top of the knee, and the way to the crease of the hip"
    PAST_TOE = "an upright line through the toe, and the way from it to the knee"
    LEAN = "an upright line through one joint, and the angle from it to another"
    BACK = "the line of the back, and the set's first one laid over it"
    OUTLINE = "where the back ends, and where it ended in the straightest reps"
    STEP = "from the front ankle to the rear one"
    OFF_PAD = "the pad's line, and the gap to the joint"
    ALONG_PAD = "the pad's line, and the way the joint slid along it"
    RISEN = "the line of the floor or platform, and the gap to heel or toe"
    HEEL_WAY = "the heel's lowest and highest place"
    MOVED = "where a joint began, and where it is"
    BAR_PATH = "the bar's way, its line, and the gap"
    BAR_FOOT = "an upright over the middle of the foot, and the way to the bar"
    BAR_LEG = "from the leg to the bar"
    PELVIS = "the line from hip to waistband when the rep began, and now"
    EDGE = "the bench's edge, and the way to the knee"
    PIVOT = "the machine's axis, the knee's centre, and the way between"
    ROLLER = "the shin, and the stretch the roller slid along"
    LEVER = "the lever and the shin, and the angle between"
    INWARD = "the line from hip to ankle, and the way from it to the knee"
    KNEE_GAP = "between the knees, and between the ankles"
    PROJECTION = "the thigh carried on, and the angle to the shin"
    OVER_FOOT = "the line the foot points along, and the way from it to the knee"
    SHIFT = "an upright over the middle of the feet, and the way to the hips"
    SPREAD = "the angle between the legs"
    STANCE = "between the ankles, and the breadth it is set against"
    FOOT_TURN = "the line of each foot, and its angle"
    PLATFORM = "the platform and the feet on it"
    ASKED_TIME = "each phase's time as a bar against the asked one"
    BY_REP = "a bar for every rep"
    SPEEDS = "the lifting speed of every rep as a bar"
    RANGES = "the body at the far ends of this rep and of the furthest"


@dataclass(frozen=True)
class Focus:
    """What of the body a measure concerns: its joints, the first the middle of it; how it is drawn; and whether it is so small that
    a picture of it is taken from near. For an angle: the joint it is at, the end that moves, the end it is read from."""

    joints: tuple[str, ...] = ()
    drawing: Drawing = Drawing.PLAIN
    close_up: bool = False


WHOLE = Focus()
HIP, KNEE = Focus(("hip", "knee", "shoulder"), Drawing.ANGLE), Focus(("knee", "ankle", "hip"), Drawing.ANGLE)
ANKLE, ELBOW = Focus(("ankle", "heel", "toe", "knee"), Drawing.ANKLE), Focus(("elbow", "wrist", "shoulder"), Drawing.ANGLE)
SWING = Focus(("hip", "shoulder"), Drawing.SWING)


def drawn(joint: str, drawing: Drawing) -> Focus:
    """A small thing at one joint, looked at from near."""
    return Focus((joint,), drawing, close_up=True)


class Moment(StrEnum):
    """The instant of a rep that shows what a measure tells."""

    REVERSAL = "the far turn-round"
    PEAK = "where its series is largest"
    FURTHEST = "where what it draws is largest"
    LOWERING = "the middle of the lowering"
    START = "the start"
    LIFT_END = "where the lift ends"


class Belongs(StrEnum):
    """To which movements a measure says something; every movement also lists what it is judged by and what its definition names."""

    ANYWHERE = "any movement"
    STANDING = "movements in which the feet stand on the floor"
    NAMED = "no others"


@dataclass(frozen=True)
class MeasureSpec:
    """One measure."""

    name: str  # as in measures.json, ending in its unit
    title: str  # on the screen
    unit: str  # as it is written; empty for ratios
    compute: Callable[..., Value]  # of the MeasurementContext, and of the Rep when per_rep; raises CannotTell
    views: tuple[ViewKind, ...]  # which films show it
    source: str  # of its definition
    per_rep: bool = True
    focus: Focus = WHOLE
    series: str | None = None  # the angle series it is read from
    moment: Moment = Moment.REVERSAL
    needs: tuple[str, ...] = ()  # marks and points without which it cannot be told; pad and seat stand in for each other
    decimals: int | None = None  # as shown; by the unit when None
    listed: bool = True  # stands among the numbers beside the film
    belongs: Belongs = Belongs.ANYWHERE  # of which movements it stands there
    compared: bool = False  # stands among the numbers of two reps, two films, or left and right
    clock: bool = False  # an angle people also tell by the hours of a clock
    short: str = ""  # a title for narrow columns; the title itself where that is short enough

    def value(self, *of: object) -> Value:
        """What it comes to, of a MeasurementContext, and of a Rep when per_rep. Raises CannotTell, also where the doubt tells nothing."""
        found = self.compute(*of)
        if found.u > USELESS_U.get(self.unit, math.inf):
            raise CannotTell(LOST, PLACE_AGAIN)
        return found

    @property
    def brief(self) -> str:
        """The title where there is little room."""
        return self.short or self.title

    @property
    def words(self) -> str:
        """The title inside a sentence."""
        return small(self.title)

    @property
    def places(self) -> int:
        """Decimals it is shown with: none for degrees and percent."""
        if self.decimals is not None:
            return self.decimals
        return 0 if self.unit in ("°", "%") else 1
