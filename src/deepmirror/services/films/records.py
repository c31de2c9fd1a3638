"""Analyses as the batch contract writes them."""

from __future__ import annotations

from deepmirror.documents import Document
from deepmirror.exchange.measures_json import angles, landmarks, measure_table, rep_record, target_pair
from deepmirror.judge.records import Finding
from deepmirror.services.films.analysis import Analysis


def measures_record(analysis: Analysis) -> Document:
    """The contract's measures.json as a dictionary."""
    facts, scene, measured, judgement = analysis.facts, analysis.scene, analysis.measured, analysis.judgement
    return {
        "clip": {
            "frames": facts.frames,
            "fps": round(facts.fps, 4),
            "duration_s": round(facts.duration_s, 4),
            "width": facts.width,
            "height": facts.height,
        },
        "landmarks": landmarks(scene.film_track),
        "angles_deg": angles(scene.angles),
        "signal": analysis.movement.signal,
        "reps": [rep_record(r, m) for r, m in zip(scene.reps, measured.reps, strict=True)],
        "measures": measure_table(measured.film),
        "breakdown": {"rep": judgement.breakdown[0], "code": judgement.breakdown[1].code} if judgement.breakdown else None,
        "findings": [finding_record(f) for f in judgement.findings],
        "unmeasurable": [
            {"measure": u.measure, "reason": u.reason, "film_next": u.advice.words, "title": u.title} for u in judgement.unmeasurable
        ],
    }


def finding_record(f: Finding) -> Document:
    """One finding as the contract writes it, with the chain of numbers that led to it."""
    return {
        "code": f.code,
        "reps": list(f.reps),
        "severity": f.severity,
        "value": round(f.value, 3),
        "u": round(f.u, 3),
        "target": target_pair(f.target),
        "cue": f.cue,
        "title": f.title,
        "measure": f.measure,
        "unit": f.unit,
        "time_s": round(f.time_s, 3),
        "why": f.why,
        "change": f.change,
        "film_next": f.film_next,
        "causes": list(f.causes),
        "weighed": [
            {"cause": c.words, "for": list(c.speaks_for), "against": list(c.speaks_against), "ruled_out": c.ruled_out} for c in f.weighed
        ],
        "answers": list(f.answers),
        "chain": list(f.chain),
    }
