"""Looks at the demo films anew and keeps what was seen beside them, so that the demo opens measured."""

from __future__ import annotations

from importlib import resources
from pathlib import Path

from deepmirror.exchange.brief import read_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.analysis import observe
from deepmirror.services.jobs import Progress

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"


def main() -> None:
    for path in sorted(DEMO.glob("*.mp4")):
        brief = read_brief(path.with_suffix(".brief.json"))
        with Film(path) as film:
            observe(film, brief, load_catalogue().movement(brief.file.movement), Progress()).save(path.with_suffix(".npz"))
        print(path.stem, flush=True)


if __name__ == "__main__":
    main()
