"""What the program proposes of a film that comes in, for the coach to confirm; and movements in the order in which they are offered."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from deepmirror.core.measures.spec import view_kind
from deepmirror.media.film import Film
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.words import capital

PICTURES, SPAN = 12, (0.08, 0.92)  # how many pictures are looked at, from which part of the film; our own choice
# Of each family, what is meant most often where none of it was filmed yet; common practice, no source.
USUAL = ("back_squat", "split_squat", "romanian_deadlift", "lying_leg_curl", "leg_press", "leg_extension", "standing_calf_raise",
         "hip_thrust", "hack_squat", "conventional_deadlift", "nordic_curl")  # fmt: skip
LAST_USED = 6  # movements offered before all others; our own choice

Proposal = tuple[str | None, str | None]  # view and movement


def propose(library: FilmLibrary, path: Path, progress: Progress) -> Proposal:
    """From which side a film shows the body, and which movement it may be: of the family it looks like, the one filmed last.
    None where the pictures do not tell. Raises BadFilm, Cancelled."""
    pictures = []
    with Film(path) as film:
        for i, share in enumerate(np.linspace(*SPAN, PICTURES)):
            progress.report(0.7 * i / PICTURES, "looking")
            pictures.append(film.picture(int(share * (len(film.times) - 1))))
    seen = library.concluder.look(pictures)
    if seen.view is None:
        return None, None
    last = [*dict.fromkeys(f.movement for f in library.films()), *USUAL]
    for family in seen.families:
        fitting = [m.id for m in library.catalogue.movements.values() if m.family == family and view_kind(seen.view) in m.views]
        if fitting:
            return seen.view, min(fitting, key=lambda m: last.index(m) if m in last else len(last))
    return seen.view, None


def movement_groups(library: FilmLibrary) -> list[tuple[str, list[tuple[str, str]]]]:
    """Movements to choose from (id, title), under headings: those filmed last, then by family."""
    known = library.catalogue.movements
    last = [m for m in dict.fromkeys(f.movement for f in library.films()) if m in known][:LAST_USED]
    groups = [("Used last", [(m, known[m].title) for m in last])] if last else []
    for family in sorted({m.family for m in known.values()}):
        members = sorted((m for m in known.values() if m.family == family), key=lambda m: m.title)
        groups.append((capital(family), [(m.id, m.title) for m in members]))
    return groups
