"""Looking at films, the slow part: in this process, or in one of its own so that the window stays quick.

The process apart is this program's own `look` command. It writes the evidence to a file; its progress comes back as lines.
"""

from __future__ import annotations

import json
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from deepmirror.errors import BadFilm
from deepmirror.exchange.brief import Brief, read_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import load_catalogue
from deepmirror.movements.schema import Movement
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress, run_apart
from deepmirror.services.films.observation import FINAL, QUICK, observe, refollow

PLANS = {"quick": QUICK, "final": FINAL}
FOLLOW = "follow"


class Observer(Protocol):
    """Makes evidence of a film; `what` is quick, final or follow (the last needs earlier evidence)."""

    def __call__(
        self, film: Film, brief: Brief, movement: Movement, progress: Progress, what: str, before: Evidence | None = None
    ) -> Evidence: ...


def look_here(film: Film, brief: Brief, movement: Movement, progress: Progress, what: str, before: Evidence | None = None) -> Evidence:
    """Look in this process. Raises BadFilm, Cancelled."""
    if what == FOLLOW and before is not None:
        return refollow(film, brief, movement, before, progress)
    return observe(film, brief, movement, progress, PLANS[what])


@dataclass(frozen=True)
class SubprocessObserver:
    """Looks in a process of its own, with a coach's own movements from `own_folder`; passing files lie in `work_folder`."""

    own_folder: Path | None = None
    work_folder: Path | None = None

    def __call__(
        self, film: Film, brief: Brief, movement: Movement, progress: Progress, what: str, before: Evidence | None = None
    ) -> Evidence:
        """Raises BadFilm, BadEvidence, WorkFailed, Cancelled."""
        with tempfile.TemporaryDirectory(prefix="look-", dir=self.work_folder) as folder:
            told, out = Path(folder) / "brief.json", Path(folder) / "evidence.npz"
            told.write_text(json.dumps(brief.file.model_dump(mode="json", exclude_none=True)), "utf-8")
            if before is not None:
                before.save(out)
            words = ["look", str(film.path), "--brief", str(told), "--out", str(out), "--what", what]
            failure = run_apart([*words, *(["--movements", str(self.own_folder)] if self.own_folder else [])], progress, self.work_folder)
            if failure:
                raise BadFilm(failure)
            return Evidence.load(out)


def look_command(clip: Path, brief: Path, out: Path, what: str, own_folder: Path | None, progress: Progress) -> None:
    """The process apart: look at one film and save the evidence; `out` may hold earlier evidence to follow anew. Raises BadFilm."""
    checked = read_brief(brief)
    movement = load_catalogue(own_folder).movement(checked.file.movement)
    before = Evidence.load(out) if what == FOLLOW else None
    with Film(clip) as film:
        look_here(film, checked, movement, progress, what, before).save(out)
