"""How quick the Desk and the replies are: `python -m bench.desk`. Name the machine beside the numbers.

A library of 5,000 films (rows of the demo's, one film file) is opened, listed, searched and sorted; then every demo film's
reply is written, as a ratio of the annotated film's length.
"""

from __future__ import annotations

import os
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtWidgets import QApplication
from sqlalchemy import text

from deepmirror.media.film import Film
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.services.program.demo import fill_demo
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.rendering import export_reply
from deepmirror.ui.rooms.desk import DeskRoom

FILMS = 5000


def timed(words: str, work: Callable[[], object]) -> None:
    """Best of three, ms."""
    best = 1e9
    for _ in range(3):
        started = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - started)
    print(f"{words:44s} {best * 1000:7.1f} ms")


def fill(library: FilmLibrary, count: int = FILMS) -> None:
    """Copy the demo's rows until there are so many of them."""
    columns = "client_id, file, original_name, arrived_at, due_at, note, brief_json, state, line, turns_json, draft_json, set_json"
    with library.store.transaction() as s:
        ids = [r[0] for r in s.execute(text("SELECT id FROM film"))]
        for i in range(count - len(ids)):
            copy = f"INSERT INTO film (sha256, {columns}) SELECT :hash, {columns} FROM film WHERE id = :id"
            s.execute(text(copy), {"hash": f"{i:064d}", "id": ids[i % len(ids)]})
    library.store.films_changed()


def main() -> None:
    """Print the tables."""
    app = QApplication([])
    with tempfile.TemporaryDirectory() as folder:
        library = FilmLibrary(Path(folder))
        fill_demo(library)
        reviews = [Review(library, f.id) for f in library.films()]
        fill(library)
        timed(f"read {FILMS} films", library.films)
        room = DeskRoom(library)
        room.resize(1184, 740)
        timed("Desk: open and show", lambda: (room.refresh(), room.grab()))
        room.show_all()
        timed("search", lambda: (room.search.setText(""), room.search.setText("ines pad")))
        room.search.clear()
        timed("sort by client", lambda: (room.sort.setCurrentIndex(0), room.sort.setCurrentIndex(2)))
        for review in reviews:
            assert review.analysis is not None
            for blur in (False, True):
                reply = draft_reply(review.analysis, "x")
                reply.blur = blur
                out = Path(folder) / f"out-{review.film_id}-{blur}"
                started = time.perf_counter()
                export_reply(review.film, review.analysis, reply, out, Progress())
                took = time.perf_counter() - started
                with Film(out / "reply.mp4") as film:
                    length = film.facts.duration_s
                words = f"{review.analysis.movement.id}, {len(reply.chosen())} corrections{', faces blurred' if blur else ''}"
                print(f"{words:44s} {took:5.1f} s for {length:5.1f} s: {took / length:4.2f} x film")
            review.close()
        library.close()
    app.quit()


if __name__ == "__main__":
    main()
