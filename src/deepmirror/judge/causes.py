"""Ranking the probable causes of a fault by what else the film and the client's body say."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.uncertain_value import Value
from deepmirror.movements.schema import Cause, CauseKind

TIRED_SPEED_LOSS_PCT = 25.0  # common practice, no source
REFIT_CM = 2.5  # common practice, no source
AT_LIMIT_DEG = 3.0  # a joint this near its limit is at it; a clean rep that bent it this much further speaks against it; our own choice


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks for causes of any of `kinds`, or against them; `because` says it to the coach."""

    kinds: frozenset[CauseKind]
    because: str
    against: bool = False


@dataclass(frozen=True)
class Limit:
    """The joint of this build that runs out of bend first, and where, degrees."""

    joint: str
    deg: float


FATIGUE: frozenset[CauseKind] = frozenset(("fatigue",))
TIRED: frozenset[CauseKind] = frozenset(("fatigue", "load"))
MISFIT: frozenset[CauseKind] = frozenset(("machine_fit", "position"))
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
        out.append(Evidence(FATIGUE, f"it began in rep {min(reps)} of {total}"))
    if slowing and loss is not None:
        out.append(Evidence(TIRED, f"lifting slowed by {loss.value:.0f} %"))
    away = film.get("pivot_misalignment_cm")
    if away is not None and away.value - away.u > REFIT_CM:
        out.append(Evidence(MISFIT, f"the knee sits {away.value:.0f} cm from the pivot"))
    if limit is not None and limit.joint in LIMITS:
        out += _of_limit(limit, by_rep, reps)
    if reps and len(reps) == total and not slowing:
        out.append(Evidence(FROM_THE_START, "it is there from the first rep"))
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
        words = f"rep {further} bent further without it ({name} {clean[further]:.0f}° against {max(faulty):.0f}°)"
        return [Evidence(kinds, words, against=True)]
    if max(faulty) < limit.deg - AT_LIMIT_DEG:
        words = f"{name} came to {max(faulty):.0f}°, its limit is taken as {limit.deg:.0f}°"
        return [Evidence(kinds, words, against=True)]
    return [Evidence(kinds, f"{name} came to {max(faulty):.0f}°, where this build meets its limit of {limit.deg:.0f}° first")]


def ranked(causes: list[Cause], evidence: list[Evidence]) -> list[str]:
    """Causes in words, those with the most and strongest evidence first, those the film speaks against last."""

    def weight(cause: Cause) -> float:
        found = [(i, e) for i, e in enumerate(evidence) if e.kinds & set(cause.kinds)]
        return sum((-1 if e.against else 1) / (1 + i) for i, e in found)

    return [c.words for c in sorted(causes, key=lambda c: -weight(c))]
