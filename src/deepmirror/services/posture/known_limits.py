"""How far a client's joints go, and how that is known: what is usual, what a test said, and what her own films showed.

A film's clean repetitions raise a limit: a joint that bent so far with heels and pelvis down can. Only a test, or a film in which the
heel or the pelvis gave way, lowers one.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from deepmirror.core.body.anthropometry import dorsiflexion_from_wall
from deepmirror.core.body.squat_setup import Limits, hip_limit_of_flat
from deepmirror.core.uncertain_value import Value
from deepmirror.exchange.brief import ClientPart
from deepmirror.judge.records import Measured
from deepmirror.movements.schema import Movement
from deepmirror.services.posture.bodies import body_of
from deepmirror.words import say

JOINTS = {
    "ankle_dorsiflexion": "dorsiflexion_max_deg",
    "hip_flexion": "hip_flexion_max_deg",
    "knee_flexion": "knee_flexion_max_deg",
}
TESTED = (*JOINTS, "straight_leg_raise")
LIMIT_NAMES = {
    "ankle_dorsiflexion": "ankle bend",
    "hip_flexion": "hip bend",
    "knee_flexion": "knee bend",
    "straight_leg_raise": "straight leg raise",
}
CLEAN_SHARE = 80.0  # percentile of the clean repetitions that counts as what a joint can; our own choice
# How much of each may be seen in a repetition that still counts as clean; common practice, no source.
CLEAN = {"heel_rise_cm": 1.5, "hip_lift_cm": 1.2, "pelvis_tuck_deg": 12.0, "spine_flexion_deg": 12.0}
GIVES_WAY = {"ankle_dorsiflexion": ("heel_rise_cm",), "hip_flexion": ("pelvis_tuck_deg",)}
LOADED = ("squat", "press", "lunge")  # patterns in which foot and pelvis carry the load: a calf raise's ankle says nothing of a squat's

How = Literal["usual", "tested", "film"]


@dataclass(frozen=True)
class FilmLimits:
    """What one film shows of the joints' limits, degrees: how far they bent in clean repetitions, and where they ended because heel or
    pelvis gave way. label: the film in words; flat: the pelvis lay on a pad."""

    label: str
    bent: dict[str, float]
    ended: dict[str, float]
    flat: bool = False


@dataclass(frozen=True)
class KnownLimit:
    """One joint's limit and how it is known; where: the film that showed it."""

    deg: float
    how: How
    where: str = ""

    @property
    def words(self) -> str:
        """ "42° (film: Back squat, 12 October)"."""
        return say("{deg:.0f}° ({part})", deg=self.deg, part=say("film: {where}", where=self.where) if self.how == "film" else self.how)


def film_limits(movement: Movement, measured: Measured, label: str) -> FilmLimits | None:
    """What a film says of its client's limits; None where its movement says nothing of them."""
    if movement.training is None or movement.training.pattern not in LOADED:
        return None
    clean = [values for values in measured.reps if not _gave_way(values, tuple(CLEAN))]
    bent, ended = {}, {}
    for joint, name in JOINTS.items():
        shown = [values[name] for values in clean if name in values]
        if shown:
            bent[joint] = float(np.percentile([v.value for v in shown], CLEAN_SHARE)) - float(np.median([v.u for v in shown]))
        gone = [values for values in measured.reps if _gave_way(values, GIVES_WAY.get(joint, ()))]
        if shown and any(name in v and v[name].value > max(s.value for s in shown) for v in gone):
            ended[joint] = max(v.value for v in shown)
    flat = "pad_line" in movement.marks
    return FilmLimits(label, bent, ended, flat)


def known_limits(client: ClientPart, films: Iterable[FilmLimits] = ()) -> dict[str, KnownLimit]:
    """Each joint's limit, the newest film last among equals: tested, else usual; raised by what clean repetitions showed, lowered where a
    film showed the heel or the pelvis give way and no clean repetition went further."""
    body, usual = body_of(client), Limits()
    known = {name: KnownLimit(float(getattr(usual, name)), "usual") for name in TESTED}
    if client.knee_to_wall_cm is not None:
        wall = dorsiflexion_from_wall(client.knee_to_wall_cm, body.length("shank").cm, body.length("foot").cm)
        known["ankle_dorsiflexion"] = KnownLimit(wall, "tested")
    known |= {name: KnownLimit(float(deg), "tested") for name, deg in client.limits_deg.items() if name in TESTED}
    shown = list(films)
    for film in shown:
        for joint, deg in film.ended.items():
            further = any(_of_line(f, joint) > deg for f in shown)
            if not film.flat and not further and known[joint].how != "tested" and deg < known[joint].deg:
                known[joint] = KnownLimit(deg, "film", film.label)
    for film in shown:
        for joint in film.bent:
            if (deg := _of_line(film, joint)) > known[joint].deg:
                known[joint] = KnownLimit(deg, "film", film.label)
    return known


def limits_from(known: dict[str, KnownLimit]) -> Limits:
    """The solver's limits."""
    return Limits(**{name: limit.deg for name, limit in known.items()})


def limits_of(client: ClientPart, films: Iterable[FilmLimits] = ()) -> Limits:
    """The solver's limits for a client, with what her films showed."""
    return limits_from(known_limits(client, films))


def _of_line(film: FilmLimits, joint: str) -> float:
    """What a film's clean repetitions say of a limit; a hip flat on its pad bent without what pelvis and low back give."""
    deg = film.bent.get(joint, 0.0)
    return hip_limit_of_flat(deg) if joint == "hip_flexion" and film.flat else deg


def _gave_way(values: dict[str, Value], names: tuple[str, ...]) -> bool:
    """Whether a repetition surely shows more than a little of one of these."""
    return any(name in values and values[name].value - values[name].u > CLEAN[name] for name in names)
