"""Looks at the demo films anew and keeps what was seen and concluded beside them, so that the demo opens measured.

`--conclude` keeps what was seen and only concludes anew.
"""

from __future__ import annotations

import json
import sys
from importlib import resources
from pathlib import Path

from deepmirror.exchange.brief import read_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import conclude
from deepmirror.services.films.film_library import result_of
from deepmirror.services.films.observation import observe
from deepmirror.services.films.set_log import shown_set
from deepmirror.words import to_kept

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"


def main() -> None:
    results, catalogue, again = {}, load_catalogue(), "--conclude" not in sys.argv[1:]
    for path in sorted(DEMO.glob("*.mp4")):
        brief, kept = read_brief(path.with_suffix(".brief.json")), path.with_suffix(".npz")
        with Film(path) as film:
            if again or not kept.exists():
                observe(film, brief, catalogue.movement(brief.file.movement), Progress()).save(kept)
            analysis = conclude(film.facts, brief, catalogue, Evidence.load(kept))
            told = result_of(analysis, film)
            results[path.stem] = {"film": vars(told) | {"line": to_kept(told.line)}, "set": shown_set(analysis)}
        print(path.stem, told.line, flush=True)
    (DEMO / "results.json").write_text(json.dumps(results, indent=1) + "\n")


if __name__ == "__main__":
    main()
