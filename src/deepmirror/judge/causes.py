"""Ranking the probable causes of a fault by what else the film and the client's body say."""

from __future__ import annotations

from dataclasses import dataclass

from deepmirror.core.measures.context import MeasurementContext
from deepmirror.core.uncertain_value import Value
from deepmirror.movements.schema import Cause, CauseKind

TIRED_SPEED_LOSS_PCT = 25.0  # common practice, no source
REFIT_CM = 2.5  # common practice, no source


@dataclass(frozen=True)
class Evidence:
    """One thing that speaks for causes of any of `kinds`; `because` says it to the coach."""

    kinds: frozenset[CauseKind]
    because: str


FATIGUE: frozenset[CauseKind] = frozenset(("fatigue",))
TIRED: frozenset[CauseKind] = frozenset(("fatigue", "load"))
MISFIT: frozenset[CauseKind] = frozenset(("machine_fit", "position"))
FROM_THE_START: frozenset[CauseKind] = frozenset(("habit", "machine_fit", "stance"))
LIMITS: dict[str, frozenset[CauseKind]] = {
    "ankle_dorsiflexion": frozenset(("ankle",)),
    "hip_flexion": frozenset(("hip",)),
    "knee_flexion": frozenset(("build",)),
}


def collect_evidence(scene: MeasurementContext, film: dict[str, Value], reps: tuple[int, ...], binding_limit: str | None) -> list[Evidence]:
    """What speaks for a fault's causes, the strongest first. reps: those with the fault; film: the film's own measures."""
    out, total = [], len(scene.reps)
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
    if binding_limit in LIMITS:
        out.append(Evidence(LIMITS[binding_limit], f"the build solver meets the {binding_limit.replace('_', ' ')} limit first"))
    if reps and len(reps) == total and not slowing:
        out.append(Evidence(FROM_THE_START, "it is there from the first rep"))
    return out


def ranked(causes: list[Cause], evidence: list[Evidence]) -> list[str]:
    """Causes in words, those with the most and strongest evidence first; the definition's order otherwise."""

    def weight(cause: Cause) -> float:
        return sum(1 / (1 + i) for i, e in enumerate(evidence) if e.kinds & set(cause.kinds))

    return [c.words for c in sorted(causes, key=lambda c: -weight(c))]
