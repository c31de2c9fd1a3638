"""The done set a film shows: kept with the film, filled from what was measured; what the coach corrected stays hers."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from deepmirror.core.skeleton import near_side
from deepmirror.core.training.effort import rir_from_rpe
from deepmirror.core.uncertain_value import Verdict
from deepmirror.documents import Document
from deepmirror.judge.findings import unsided
from deepmirror.judge.records import SAFETY
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.limb_asymmetry import PHASES, middles
from deepmirror.store.library import LibraryStore
from deepmirror.store.training import DoneRecord

OF_PACE = ("drop_pct", "stop_s")  # a set that was lowered evenly says nothing of the body's place
RANGE_LOSS, SPEED_LOSS = "range_loss_pct", "speed_loss_pct"
DIRTY = (SAFETY, "range", "tension")  # a repetition with a finding of one of these is not clean; polish is


def shown_set(analysis: Analysis) -> dict[str, Any]:
    """What a film says of its set: repetitions, clean ones, the leg that works, and the form the gate asks for (as JSON)."""
    found, scene = analysis.judgement.findings, analysis.scene
    dirty = {rep for f in found if f.severity in DIRTY for rep in f.reps}
    near = near_side(scene.view)
    side = near if analysis.movement.one_leg and not analysis.movement.takes_turns and near else "both"
    reps = len(scene.reps)
    return {"reps": reps, "clean_reps": reps - len(dirty), "side": side, "form": _form(analysis)}


def _form(analysis: Analysis) -> Document:
    film, found = analysis.measured.film, analysis.judgement.findings
    losses = {name: round(film[name].value, 1) for name in (RANGE_LOSS, SPEED_LOSS) if name in film}
    numbers = {name: [round(v.value, 2), round(v.u, 2)] for name, v in middles(analysis).items()}
    return {
        "findings": [{"code": f.code, "severity": f.severity, "open": True, "title": f.title, "cause": f.causes[0]} for f in found],
        "told": could_tell(analysis),
        "cleared": cleared_codes(analysis),
        "view": analysis.brief.file.view,
        "tempo_s": {phase: numbers.pop(phase)[0] for phase in PHASES if phase in numbers},
        "numbers": numbers,
        "verdict": _worst(analysis),
        **losses,
    }


def could_tell(analysis: Analysis) -> bool:
    """Whether the film tells what the form gate asks: repetitions, the range they lost, and at least one matter of safety besides pace
    where its movement and view have any."""
    if not analysis.scene.reps or RANGE_LOSS not in analysis.measured.film:
        return False
    measures = {f.code: f.measure for f in analysis.movement.fault}
    safety = [c for c in analysis.judgement.checks if c.severity == SAFETY and measures[c.code] not in OF_PACE]
    return not safety or any(c.verdict is not Verdict.CANNOT_TELL for c in safety)


def cleared_codes(analysis: Analysis) -> list[str]:
    """The codes this film looked for and did not find, as findings carry them. What is seen in several ways is cleared by one of them,
    what has two sides by both."""
    verdicts = {c.code: c.verdict for c in analysis.judgement.checks}
    found = {f.code for f in analysis.judgement.findings}
    clean = {f.code for f in analysis.movement.fault if verdicts.get(f.code) in (Verdict.WITHIN, Verdict.BORDERLINE)}
    out = {f.reported or f.code for f in analysis.movement.fault if f.code in clean}
    for group in {f.group for f in analysis.movement.fault if f.group}:
        ways: dict[str, list[bool]] = {}
        for f in analysis.movement.fault:
            if f.group == group:
                ways.setdefault(unsided(f.measure), []).append(f.code in clean)
        if any(all(sides) for sides in ways.values()):
            out.add(group)
    return sorted(out - found)


def _worst(analysis: Analysis) -> str:
    """One verdict for the whole set, as its mark shows it."""
    if not analysis.scene.reps:
        return Verdict.CANNOT_TELL.value
    if any(f.severity in DIRTY for f in analysis.judgement.findings):
        return Verdict.OFF.value
    return Verdict.BORDERLINE.value if analysis.judgement.findings else Verdict.WITHIN.value


def note_set(store: LibraryStore, film_id: int, shown: dict[str, Any]) -> None:
    """Put what a film shows into its done set; a number the coach corrected stays as she left it."""
    done = store.training.done_of_film(film_id)
    if done is None:
        return
    corrected = _corrected(store, done)
    changes = {k: v for k, v in shown.items() if k not in corrected}
    store.training.renew_done(done.id, **changes)


def note_told(store: LibraryStore, film_id: int, reps: int | None, effort: float | None, filmed_at: datetime | None) -> None:
    """Put what its sender says of a set into it: repetitions until the film tells them, effort (0 to 10), and the day."""
    done = store.training.done_of_film(film_id)
    if done is None:
        return
    told: dict[str, Any] = {"reps": reps if done.reps is None else done.reps}
    told |= {"rir": rir_from_rpe(max(effort, 1.0))} if effort is not None else {}
    told |= {"day": filmed_at.date().isoformat()} if filmed_at is not None else {}
    store.training.renew_done(done.id, **told)


def _corrected(store: LibraryStore, done: DoneRecord) -> set[str]:
    """Names of what the coach changed in a set."""
    out: set[str] = set()
    later = done
    for _, _, before in store.training.changes_of(done.id):
        out |= {name for name in ("reps", "clean_reps", "side") if getattr(before, name) != getattr(later, name)}
        later = before
    return out
