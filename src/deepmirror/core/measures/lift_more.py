"""How much further a hip comes off its pad in one rep than in the flattest of its set, by all that shows it.

Where a hand or a handle hides the hip in every rep, what is off by it is off alike in all of them, and one rep that lifts still stands
out. On a press the knee, which shows, tells of the same lift.
"""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from deepmirror.core.measures.contact_measures import HIDDEN_CM, SKIN_SHARE, flattest, hip_hidden_cm, hip_leaves, shoulder_moves, sits
from deepmirror.core.measures.context import ADD_PAD, CannotTell, MeasurementContext, NotAsked
from deepmirror.core.measures.pelvis_by_knee import told_by_knee
from deepmirror.core.measures.spec import SIDE, Drawing, MeasureSpec, Moment, drawn
from deepmirror.core.motion.reps import Rep
from deepmirror.core.uncertain_value import Value, weighted_mean
from deepmirror.fitted import fitted_by_name

LIFT_MORE = fitted_by_name("lift_more_u")
SURELY = 1.25  # times its doubt: of a dozen reps one stands out by its doubt alone (144 flat reps of eighteen press films: 8 and 3.5 %)
LOST_CM = 6.0  # a hip less sure than that (k = 2) was lost, and what is lost does not err alike from rep to rep; press films: up to 5.7


def hip_lift_more(scene: MeasurementContext, rep: Rep) -> Value:
    """How much further the hip came off the pad than in the set's flattest reps, cm, where it surely did.

    A rep that does not stand out may lift all the same, unseen: of it nothing is told.
    Raises CannotTell without the pad, NotAsked for a single rep and for one that does not surely lift more.
    """
    if len(scene.reps) < 2:
        raise NotAsked("a single repetition has no flatter one to be compared with", ADD_PAD)
    hidden = hip_hidden_cm(scene, rep)
    if hidden > LOST_CM:
        raise NotAsked("the hip was lost", ADD_PAD)
    told = _by_hip(scene, rep, hidden)
    with suppress(CannotTell, NotAsked):  # no press, or its knee tells nothing: the hip alone
        told = weighted_mean(told, told_by_knee(scene, rep))
    if told.value <= SURELY * told.u:
        raise NotAsked("it does not surely lift more than the others", ADD_PAD)
    unseen = LIFT_MORE["unseen_share"] * told.value if hidden > HIDDEN_CM else 0.0
    return Value(told.value + unseen, told.u + unseen)  # at least what was told, at most as much more


def _by_hip(scene: MeasurementContext, rep: Rep, hidden: float) -> Value:
    """As the hip itself tells it. hidden: by how much (k = 2, cm) it is less sure in this rep than where it shows."""
    more = hip_leaves(scene, rep, "pad").value - flattest(scene, "pad")
    skin = SKIN_SHARE["seated" if sits(scene) else "lying"] * abs(more)
    carried = scene.cm(Value(0.0, shoulder_moves(scene, rep, "hip", "pad")[0])).u  # by a moving camera: in one rep more than in another
    return Value(more, float(np.linalg.norm([LIFT_MORE["shown_cm"], LIFT_MORE["hidden_share"] * hidden, skin, carried])))


MEASURES: tuple[MeasureSpec, ...] = (
    MeasureSpec(
        "hip_lift_more_cm",
        "Hip off the pad more than in the flattest reps",
        "cm",
        hip_lift_more,
        SIDE,
        "against a marked line of the machine, on a press by the knee as well; our own definition",
        focus=drawn("hip", Drawing.OFF_PAD),
        moment=Moment.FURTHEST,
        needs=("pad_line",),
        short="Beside the flattest reps",
    ),
)
