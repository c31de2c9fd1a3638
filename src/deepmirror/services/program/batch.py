"""The batch command: one film and one brief in, measures.json (and a reply) out."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.brief import read_brief
from deepmirror.exchange.measures_json import write_json
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import conclude
from deepmirror.services.films.observation import observe
from deepmirror.services.films.records import measures_record
from deepmirror.words import say


def analyse(clip: Path, brief_path: Path, out: Path, reply: bool, progress: Progress) -> None:
    """Analyse a clip into the folder `out`; nothing is left half-written. Raises DeepMirrorError."""
    brief = read_brief(brief_path)
    catalogue = load_catalogue()
    movement = catalogue.movement(brief.file.movement)
    if out.exists() and not out.is_dir():
        raise DeepMirrorError(say("“{out}” is a file; the results need a folder.", out=out))
    with Film(clip) as film:
        evidence = observe(film, brief, movement, progress)
        analysis = conclude(film.facts, brief, catalogue, evidence)
        try:
            out.mkdir(parents=True, exist_ok=True)
            with tempfile.TemporaryDirectory(dir=out, prefix=".part-") as part:
                folder = Path(part)
                if reply:
                    from deepmirror.services.replies.composing import draft_reply  # a third of the program's loading, mostly not asked for
                    from deepmirror.services.replies.rendering import export_reply

                    export_reply(film, analysis, draft_reply(analysis), folder, progress)
                else:
                    write_json(folder / "measures.json", measures_record(analysis))
                for file in folder.iterdir():
                    shutil.move(str(file), str(out / file.name))
        except OSError as error:
            raise DeepMirrorError(
                say("The results cannot be written to “{out}”: {error}.", out=out, error=error.strerror or error)
            ) from error
    progress.report(1.0, "done")
