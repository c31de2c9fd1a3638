"""The batch command: one film and one brief in, measures.json (and a reply) out."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Any

from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.brief import read_brief
from deepmirror.exchange.measures_json import angles, landmarks, measure_table, rep_record, target_pair, write_json
from deepmirror.judge.findings import Finding
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.analysis import Analysis, conclude, observe
from deepmirror.services.jobs import Progress


def measures_record(analysis: Analysis) -> dict[str, Any]:
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
        "landmarks": landmarks(scene.track),
        "angles_deg": angles(scene.angles),
        "reps": [rep_record(r, m) for r, m in zip(scene.reps, measured.reps, strict=True)],
        "measures": measure_table(measured.film),
        "findings": [finding_record(f) for f in judgement.findings],
        "unmeasurable": [
            {"measure": u.measure, "reason": u.reason, "film_next": u.film_next, "title": u.title} for u in judgement.unmeasurable
        ],
    }


def finding_record(f: Finding) -> dict[str, Any]:
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
        "chain": list(f.chain),
    }


def analyse(clip: Path, brief_path: Path, out: Path, reply: bool, progress: Progress) -> None:
    """Analyse a clip into the folder `out`; nothing is left half-written. Raises DeepMirrorError."""
    brief = read_brief(brief_path)
    catalogue = load_catalogue()
    movement = catalogue.movement(brief.file.movement)
    if out.exists() and not out.is_dir():
        raise DeepMirrorError(f"“{out}” is a file; the results need a folder.")
    with Film(clip) as film:
        evidence = observe(film, brief, movement, progress)
        analysis = conclude(film.facts, brief, catalogue, evidence)
        try:
            out.mkdir(parents=True, exist_ok=True)
            with tempfile.TemporaryDirectory(dir=out, prefix=".part-") as part:
                folder = Path(part)
                write_json(folder / "measures.json", measures_record(analysis))
                if reply:
                    from deepmirror.services.replying import draft_reply, export_reply

                    export_reply(film, analysis, draft_reply(analysis), folder, progress)
                for file in folder.iterdir():
                    shutil.move(str(file), str(out / file.name))
        except OSError as error:
            raise DeepMirrorError(f"The results cannot be written to “{out}”: {error.strerror or error}.") from error
    progress.tell(1.0, "done")
