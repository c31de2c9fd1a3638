"""Puts the program together: the only place that chooses real adapters or stand-ins."""

from __future__ import annotations

import sys
from pathlib import Path

from deepmirror.errors import DeepMirrorError
from deepmirror.services.jobs import Progress


def run_batch(clip: Path, brief: Path, out: Path, reply: bool) -> int:
    """Batch analysis with one clear line on stderr when the input is bad."""
    from deepmirror.services.batch import analyse

    show = sys.stderr.isatty()

    def report(share: float, words: str) -> None:
        if show:
            print(f"\r{share * 100:4.0f} %  {words:<40}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)

    try:
        analyse(clip, brief, out, reply, Progress(report))
    except DeepMirrorError as error:
        print(("\n" if show else "") + " ".join(error.sentence.split()), file=sys.stderr)
        return 2
    return 0


def run_window(library: Path | None, demo: bool) -> int:
    """Open the program on a library folder; the demo has one of its own."""
    from platformdirs import user_data_path

    from deepmirror.ui.app import run

    return run(library or user_data_path("deepmirror") / ("demo" if demo else "library"), demo)
