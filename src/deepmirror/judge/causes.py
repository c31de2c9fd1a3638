"""Ranking the probable causes of a fault by what else the film and the client's body say."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.uncertain_value import Value
from deepmirror.movements.schema import Cause, CauseKind
from deepmirror.words import say

TIRED_SPEED_LOSS_PCT = 25.0  # common practice, no source
FRESH_SPEED_LOSS_PCT = 20.0  # a set that surely slowed by less was not a tired one; common practice, no source
NARROW_STANCE = 0.9  # of the distance between the shoulder joints; common practice, no source
REFIT_CM = 2.5  # common practice, no source
AT_LIMIT_DEG = 3.0  # a joint this near its limit is at it; a clean rep that bent it this much further speaks against it; our own choice


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks for causes of any of `kinds`, or against them; `because` says it to the coach. rules_out: it leaves none."""

    kinds: frozenset[CauseKind]
    because: str
    against: bool = False
    rules_out: bool = False


@dataclass(frozen=True)
class Limit:
    """The joint of this build that runs out of bend first, and where, degrees."""

    joint: str
    deg: float


FATIGUE: frozenset[CauseKind] = frozenset(("fatigue",))
TIRED: frozenset[CauseKind] = frozenset(("fatigue", "load"))
MISFIT: frozenset[CauseKind] = frozenset(("machine_fit", "position"))
HABIT: frozenset[CauseKind] = frozenset(("habit",))
STANCE: frozenset[CauseKind] = frozenset(("stance",))
FROM_THE_START: frozenset[CauseKind] = frozenset(("habit", "machine_fit", "stance"))
LIMITS: dict[str, frozenset[CauseKind]] = {
    "ankle_dorsiflexion": frozenset(("ankle",)),
    "hip_flexion": frozenset(("hip",)),
    "knee_flexion": frozenset(("build",)),
}
BENT = {"ankle_dorsiflexion": "dorsiflexion_max_deg", "hip_flexion": "hip_flexion_max_deg", "knee_flexion": "knee_flexion_max_deg"}


def collect_evidence(
    scene: MeasurementContext, film: dict[str, Value], by_rep: tuple[dict[str, Value], ...], reps: tuple[int, ...], limit: Limit | None
) -> list[Evidence]:
    """What speaks for a fault's causes and against them, the strongest first.

    film, by_rep: the film's own measures and each rep's; reps: those with the fault, from 1; limit: what the build solver meets first.
    """
    out: list[Evidence] = []
    total = len(scene.reps)
    late = bool(reps) and total >= 3 and min(reps) > total / 2
    loss = film.get("speed_loss_pct")
    slowing = loss is not None and loss.value - loss.u > TIRED_SPEED_LOSS_PCT
    if late:
        out.append(Evidence(FATIGUE, say("it began in rep {reps} of {total}", reps=min(reps), total=total)))
    if slowing and loss is not None:
        out.append(Evidence(TIRED, say("lifting slowed by {value:.0f} %", value=loss.value)))
    out += _of_fit(film)
    if limit is not None and limit.joint in LIMITS:
        out += _of_limit(limit, by_rep, reps)
    if reps and len(reps) == total and not slowing:
        out.append(Evidence(FROM_THE_START, "it is there from the first rep"))
    elif reps and total >= 3 and 1 not in reps:
        out.append(
            Evidence(
                HABIT, say("rep 1 is free of it, as {total} of {total2} reps are", total=total - len(reps), total2=total), against=True
            )
        )
    if reps and total >= 3 and 1 in reps and not late:
        out.append(Evidence(FATIGUE, "rep 1 shows it already", against=True))
    if loss is not None and not slowing and loss.value + loss.u < FRESH_SPEED_LOSS_PCT:
        out.append(Evidence(TIRED, say("lifting hardly slowed ({value:.0f} %)", value=max(loss.value, 0.0)), against=True))
    return out


def _of_fit(film: dict[str, Value]) -> list[Evidence]:
    """How machine and feet stood to this body."""
    out = []
    away, stance = film.get("pivot_misalignment_cm"), film.get("stance_to_shoulder_ratio")
    if away is not None and away.value - away.u > REFIT_CM:
        out.append(Evidence(MISFIT, say("the knee sits {value:.0f} cm from the pivot", value=away.value)))
    elif away is not None and away.value + away.u < REFIT_CM:
        out.append(Evidence(MISFIT, say("the knee sits within {value:.0f} cm of the pivot", value=away.value + away.u), against=True))
    if stance is not None and stance.value + stance.u < NARROW_STANCE:
        out.append(Evidence(STANCE, say("the feet stand {value:.0f} % of the shoulders apart", value=100 * stance.value)))
    elif stance is not None and stance.value - stance.u > NARROW_STANCE:
        out.append(
            Evidence(
                STANCE, say("the feet stand {value:.0f} % of the shoulders apart, wide enough", value=100 * stance.value), against=True
            )
        )
    return out


def _of_limit(limit: Limit, by_rep: tuple[dict[str, Value], ...], reps: tuple[int, ...]) -> list[Evidence]:
    """A joint's limit stops a rep only where the joint came near it, and where no rep without the fault bent it further."""
    kinds, name = LIMITS[limit.joint], limit.joint.replace("_", " ")
    bent = {i: values[BENT[limit.joint]].value for i, values in enumerate(by_rep, 1) if BENT[limit.joint] in values}
    faulty = [bent[i] for i in reps if i in bent]
    clean = {i: deg for i, deg in bent.items() if i not in reps}
    if not faulty:
        return []
    further = max(clean, key=lambda i: clean[i], default=None)
    if further is not None and clean[further] > max(faulty) + AT_LIMIT_DEG:
        words = say(
            "rep {further} bent further without it ({name} {clean:.0f}° against {faulty:.0f}°)",
            further=further,
            name=name,
            clean=clean[further],
            faulty=max(faulty),
        )
        return [Evidence(kinds, words, against=True, rules_out=True)]
    if max(faulty) < limit.deg - AT_LIMIT_DEG:
        words = say("{name} came to {faulty:.0f}°, its limit is taken as {deg:.0f}°", name=name, faulty=max(faulty), deg=limit.deg)
        return [Evidence(kinds, words, against=True)]
    return [
        Evidence(
            kinds,
            say(
                "{name} came to {faulty:.0f}°, where this build meets its limit of {deg:.0f}° first",
                name=name,
                faulty=max(faulty),
                deg=limit.deg,
            ),
        )
    ]


@dataclass(frozen=True)
class WeighedCause:
    """One probable cause, with what in this film and this body speaks for it and against it.

    ruled_out: a better, deeper repetition shows that it is none.
    """

    words: str
    kinds: frozenset[CauseKind]
    speaks_for: tuple[str, ...] = ()
    speaks_against: tuple[str, ...] = ()
    ruled_out: bool = False

    @property
    def rows(self) -> list[str]:
        """What speaks for it and against it, as lines; nothing where nothing does."""
        pro = [say("for “{words}”: {row}", words=self.words, row=row) for row in self.speaks_for]
        return pro + [say("against “{words}”: {row}", words=self.words, row=row) for row in self.speaks_against]


def weigh(causes: list[Cause], evidence: list[Evidence]) -> tuple[WeighedCause, ...]:
    """The causes with their evidence: those with the most and strongest first, what is ruled out last."""

    def weight(cause: Cause) -> float:
        found = [(i, e) for i, e in enumerate(evidence) if e.kinds & set(cause.kinds)]
        return sum((-1 if e.against else 1) / (1 + i) for i, e in found)

    def weighed(cause: Cause) -> WeighedCause:
        mine = [e for e in evidence if e.kinds & set(cause.kinds)]
        return WeighedCause(
            cause.words,
            frozenset(cause.kinds),
            tuple(e.because for e in mine if not e.against),
            tuple(e.because for e in mine if e.against),
            # another joint of the same cause may still be the one: only a cause all of whose kinds are contradicted is out
            bool(cause.kinds) and all(any(e.rules_out and kind in e.kinds for e in evidence) for kind in cause.kinds),
        )

    return tuple(sorted((weighed(c) for c in sorted(causes, key=lambda c: -weight(c))), key=lambda c: c.ruled_out))
