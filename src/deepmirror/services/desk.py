"""The coach's desk: clients, films and what has become of them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import BadBrief, BadFilm, Cancelled, LibraryError
from deepmirror.exchange.brief import Brief, check_brief
from deepmirror.media.film import Film
from deepmirror.movements.loader import Catalogue, load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.pose.viewing import guess_view
from deepmirror.services.analysis import Analysis, conclude
from deepmirror.services.following import note_looks
from deepmirror.services.jobs import Progress
from deepmirror.services.looking import Looker, look_here
from deepmirror.store.library import ClientRecord as ClientRecord
from deepmirror.store.library import FilmRecord as FilmRecord
from deepmirror.store.library import LibraryStore

DAYS_TO_ANSWER = 3
STRIP_COUNT, STRIP_HEIGHT = 4, 78  # pictures of a film on the Desk, and their height in px
FIRST_LOOK = "a first look is there"
REPLY_WORDS = {"new": "waiting to be measured", "measuring": "being measured", "failed": "could not be measured", "sent": "answered"}
SETTLED = ("sent", "asked", "replaced")  # what became of a film stays when it is measured anew


@dataclass(frozen=True)
class Choice:
    """Something to choose from a list: its id and how it reads."""

    id: str
    title: str


class Desk:
    """Use cases of the Desk on one library. Times come from `now` so that tests can stand still."""

    def __init__(self, folder: Path, now: datetime | None = None, look: Looker = look_here) -> None:
        self.store = LibraryStore(folder)
        self._now, self.look = now, look
        self.catalogue: Catalogue = load_catalogue(folder / "movements")

    def close(self) -> None:
        """Close the library."""
        self.store.close()

    def now(self) -> datetime:
        """The present time (UTC)."""
        return self._now or datetime.now(UTC)

    def movements(self) -> list[Choice]:
        """Movements to choose from, by title."""
        return sorted((Choice(m.id, m.title) for m in self.catalogue.movements.values()), key=lambda c: c.title)

    def clients(self) -> list[ClientRecord]:
        """All clients by name."""
        return self.store.clients()

    def add_client(self, name: str, stature_cm: float | None = None) -> ClientRecord:
        """A new client with what is known of the body."""
        return self.store.add_client(name, {"stature_cm": stature_cm} if stature_cm else {})

    def films(self) -> list[FilmRecord]:
        """All films, newest first."""
        return self.store.films()

    def first_picture(self, path: Path) -> NDArray[np.uint8]:
        """The first frame of a file, to choose by before importing. Raises BadFilm."""
        with Film(path) as film:
            return film.picture(0)

    def guess_view(self, picture: NDArray[np.uint8]) -> str | None:
        """From which side a picture shows the body, a guess for the coach to confirm; None when no body is found."""
        return guess_view(picture)

    def import_film(
        self,
        path: Path,
        client_id: int,
        movement: str,
        view: str,
        load_kg: float | None = None,
        tempo: str | None = None,
        note: str = "",
        told: dict[str, Any] | None = None,
    ) -> FilmRecord:
        """Check a film and take it into the library. Raises BadFilm, BadBrief, LibraryError; the file itself is never touched."""
        with Film(path):
            pass
        client = next((c for c in self.clients() if c.id == client_id), None)
        if client is None:
            raise LibraryError("Choose a client for this film.")
        usual = client.body.get("defaults", {}).get(movement, {})
        tempo = tempo or usual.get("tempo")
        data: dict[str, Any] = {"movement": movement, "view": view, "client": client.body}
        data |= {k: v for k, v in (("load_kg", load_kg), ("tempo", tempo)) if v}
        check_brief(data)
        self.catalogue.movement(movement)
        due = (self.now() + timedelta(days=DAYS_TO_ANSWER)).isoformat(timespec="minutes")
        return self.store.add_film(path, client_id, data, self.now().isoformat(timespec="seconds"), note, due, told)

    def measure(self, film_id: int, progress: Progress) -> FilmRecord:
        """Observe and conclude one film in the background: a quick look first, then the measuring one. Raises Cancelled.

        Its row tells how it went. A film whose quick look was done and whose measuring was stopped stays waiting.
        """
        record = self.store.film(film_id)
        self.store.update_film(film_id, state="measuring")
        try:
            brief = check_brief(record.brief)
            movement = self.catalogue.movement(brief.file.movement)
            with Film(record.path) as film:
                for what, start, end in (("quick", 0.0, 0.2), ("final", 0.2, 1.0)):
                    evidence = self.look(film, brief, movement, progress.within(start, end), what)
                    evidence.save(self.store.evidence_path(film_id))
                    analysis = conclude(film.facts, brief, self.catalogue, evidence)
                    self.note_result(film_id, analysis, film)
                    if what == "quick":
                        line = f"{len(analysis.scene.reps)} reps at a first look, the numbers follow"
                        self.store.update_film(film_id, state="measuring", line=line)
                        progress.tell(end, FIRST_LOOK)
        except Cancelled:
            self.store.update_film(film_id, state="new", line="")
            raise
        except (BadFilm, BadBrief) as error:
            self.store.update_film(film_id, state="failed", line=error.sentence)
        progress.tell(1.0, "done")
        return self.store.film(film_id)

    def note_result(self, film_id: int, analysis: Analysis, film: Film) -> None:
        """Write the one line of state and the turn-round frames of a measured film."""
        result = result_of(analysis, film)
        if (state := self.store.film(film_id).state) in SETTLED:
            result["state"] = state
        if state == "asked":
            result.pop("line")
        self.store.update_film(film_id, **result)
        note_looks(self.store, film_id, analysis)

    def unmeasured(self) -> list[int]:
        """Films that still wait: new ones, and those a closed program left half-done; oldest first."""
        return [f.id for f in reversed(self.films()) if f.state in ("new", "measuring")]

    def strip(self, record: FilmRecord, count: int = STRIP_COUNT, height: int = STRIP_HEIGHT) -> list[NDArray[np.uint8]]:
        """Small pictures of the film's turn-rounds (or of even instants before it is measured), kept in the library once made."""
        import cv2

        chosen = [record.turns[int(i)] for i in np.linspace(0, len(record.turns) - 1, min(count, len(record.turns)))]
        name = hashlib.sha1(repr((height, chosen)).encode(), usedforsecurity=False).hexdigest()[:10]
        kept = self.store.folder / "strips" / f"{record.id}-{name}.jpg"
        if chosen and kept.exists():
            whole = cv2.imread(str(kept))
            if whole is not None:
                return [np.ascontiguousarray(p[..., ::-1]) for p in np.split(whole, len(chosen), axis=1)]
        out = []
        with Film(record.path) as film:
            for number in chosen or [int(v) for v in np.linspace(0, len(film.times) - 1, count + 2)[1:-1]]:
                picture = film.picture(min(number, len(film.times) - 1))
                width = round(picture.shape[1] * height / picture.shape[0])
                out.append(np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA), np.uint8))
        if chosen:
            kept.parent.mkdir(exist_ok=True)
            cv2.imwrite(str(kept), np.concatenate(out, axis=1)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])
        return out

    def open_analysis(self, film_id: int) -> tuple[Film, Brief, Evidence | None]:
        """The film, its brief, and its evidence when it was measured."""
        record = self.store.film(film_id)
        path = self.store.evidence_path(film_id)
        return Film(record.path), check_brief(record.brief), Evidence.load(path) if path.exists() else None


def result_of(analysis: Analysis, film: Film) -> dict[str, Any]:
    """State, one line of words, and turn-round frames of a measured film."""
    reps, findings = analysis.scene.reps, analysis.judgement.findings
    words = f"{len(reps)} reps" if len(reps) != 1 else "1 rep"
    words += f" · {findings[0].title}" if findings else " · nothing off that this film shows"
    if len(findings) > 1:
        words += f" and {len(findings) - 1} more"
    line = words if reps else "No rep seen: ask for a new film"
    return {"state": "ready" if reps else "refilm", "line": line, "turns": [film.frame_at(r.bottom_s) for r in reps]}
