"""Thousands of hostile inputs, every kill, full disks, two programs: `python -m bench.hostile [--share 1.0]`.

Each input is taken or refused with one sentence; anything else is a traceback (an error that is not the program's own class), an
abort (the process itself ended), or work lost or doubled. Seeds are fixed. Prints a table and ends with 1 unless all of it is zero.
Takes about a quarter of an hour on two cores; --share does a part of it.
"""

from __future__ import annotations

import argparse
import os
import random
import shutil
import signal
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from bench import kills
from bench.hostile_inputs import DEMO, NOON, Inputs, Line, tried
from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.bundle import SetFile, write_bundle
from deepmirror.exchange.mailbox import FolderOutbox, Letter
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.delivery import send_reply
from deepmirror.store.backups import back_up


def full_disk(place: Path, base: Path) -> Line:
    """Work on disks of rising size: refused with a sentence until there is room, then done, with nothing left over."""
    line, disk = Line(), place / "disk"
    disk.mkdir(exist_ok=True)
    film = next(iter((DEMO / "arrivals").glob("*.mp4")))
    post = place / "full.zip"
    said = {
        "format": "deep-mirror-set",
        "version": 1,
        "client": "Bram Achterberg",
        "film": "f.mp4",
        "movement": "back_squat",
        "view": "side-left",
    }
    write_bundle(post, SetFile.model_validate(said), film)
    size = sum(p.stat().st_size for p in base.rglob("*") if p.is_file()) / 1e6
    for room in (0.05, 0.2, 0.5, 0.8, 1.2, 2.0, 3.0, 60.0):
        os.system(f"mount -t tmpfs -o size={int((size * 1.02 + room) * 1000)}k tmpfs {disk}")
        try:
            folder = disk / "library"
            shutil.copytree(base, folder)
            tried(line, lambda f=folder: _work_on(f, post, line))  # type: ignore[misc]
            spare = disk / "spare"
            os.system(f"mount -o remount,size=200m {disk}")
            spare.unlink(missing_ok=True)
            library = kills.at_rest(folder)
            Arrivals(library, kills.Letters(Letter("1", post.name, post))).collect(Progress())
            rows = library.store.arrivals.newest()
            line.wrong += (
                [] if [r.state for r in rows] == ["taken"] else [f"after a full disk the letter stands as {[r.state for r in rows]}"]
            )
            library.close()
            line.wrong += kills.left_over(folder)
        finally:
            os.system(f"umount {disk}")
    return line


def _work_on(folder: Path, post: Path, line: Line) -> None:
    library = FilmLibrary(folder, NOON)
    film = next(f for f in library.films() if f.client_name.startswith("Ines"))
    review = Review(library, film.id)
    try:
        assert review.analysis is not None
        reply = draft_reply(review.analysis, film.client_name)
        for number in range(50):
            review.place(9, "hip_left", (600.0 + number, 300.0))
        tried(line, lambda: send_reply(library, FolderOutbox(folder / "outbox"), film.id, review.analysis, reply, Progress()))  # type: ignore[arg-type]
        tried(line, lambda: Arrivals(library, kills.Letters(Letter("1", post.name, post))).collect(Progress()))
        tried(line, lambda: back_up(folder))
    finally:
        review.close()
        library.store.close()


def two_programs(base: Path, rounds: int) -> Line:
    """Several programs open one library at the same moment: one may write, and no edit of it is written over."""
    line = Line()
    for _ in range(rounds):
        children = []
        start = time.time() + 0.3
        for number in range(3):
            child = os.fork()
            if child == 0:
                os._exit(_open_and_edit(base, number, start))
            children.append(child)
        ended = [os.waitstatus_to_exitcode(os.waitpid(c, 0)[1]) for c in children]
        line.taken += ended.count(0)
        line.refused += ended.count(3)
        line.aborts += sum(code not in (0, 3) for code in ended)
        line.wrong += [] if ended.count(0) == 1 else [f"{ended.count(0)} programs wrote at once"]
    return line


def _open_and_edit(base: Path, number: int, start: float) -> int:
    time.sleep(max(0.0, start - time.time()))
    try:
        library = FilmLibrary(base, NOON)
    except DeepMirrorError:
        return 3
    try:
        library.store.phrases.set("who", number)
        time.sleep(0.2)
        return 0 if library.store.phrases.setting("who", None) == number else 1
    finally:
        library.store.close()


def random_kills(place: Path, base: Path, count: int) -> tuple[int, list[str]]:
    """SIGKILL at random moments of writing and sending a whole reply; (kills, what was wrong afterwards)."""
    rng, wrong, done = random.Random(7), [], 0
    library = FilmLibrary(base, NOON)
    film = next(f for f in library.films() if f.client_name.startswith("Ines"))
    review = Review(library, film.id)
    analysis = review.analysis
    assert analysis is not None
    reply = draft_reply(analysis, film.client_name, date="2026-03-02")
    codes = sorted(c.code for c in reply.chosen())
    review.close()
    library.close()
    for _ in range(count):
        folder = place / "random"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(base, folder)
        child = os.fork()
        if child == 0:
            kills.send(folder, film.id, analysis, reply)
            os._exit(0)
        time.sleep(rng.uniform(0.0, 4.0))
        os.kill(child, signal.SIGKILL)
        done += os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == -signal.SIGKILL
        library = kills.at_rest(folder)
        if not library.store.replies.of_film(film.id):
            library.close()
            kills.send(folder, film.id, analysis, reply)
            library = kills.at_rest(folder)
        watched = sorted(
            w.item["code"] for w in library.store.watches.of_client(film.client_id) if w.state == "open" and w.film_id == film.id
        )
        given = [p for p in (folder / "outbox").iterdir() if not p.name.startswith(".")]
        wrong += [] if watched == codes else [f"watched {watched}"]
        wrong += [] if len(given) == 1 else [f"handed over {len(given)} times"]
        wrong += [] if library.store.film(film.id).state == "sent" else ["not answered"]
        library.close()
        wrong += kills.left_over(folder)
    return done, wrong


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--share", type=float, default=1.0, help="how much of it, 1 being all")
    share = parser.parse_args().share
    table: dict[str, Line] = {}
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        inputs = Inputs(place)
        kinds: tuple[tuple[str, Callable[[int], Line], int], ...] = (
            ("set files", inputs.set_files, 500),
            ("bundles", inputs.bundles, 400),
            ("letters taken in", inputs.letters, 150),
            ("marks and points", inputs.marks, 600),
            ("clients, build solver", inputs.clients, 500),
            ("movement files", inputs.movements, 200),
            ("films", inputs.films, 300),
            ("evidence files", inputs.evidence, 150),
            ("databases", inputs.databases, 150),
            ("command lines", inputs.commands, 200),
        )
        for name, run, count in kinds:
            table[name] = run(max(10, round(count * share)))
            show(name, table[name])
        table["full disk"] = full_disk(place, inputs.base) if os.geteuid() == 0 else Line(wrong=["not tried: it takes root to make one"])
        show("full disk", table["full disk"])
        table["several programs"] = two_programs(inputs.base, max(5, round(40 * share)))
        show("several programs", table["several programs"])
        total, found = kills.run(max(1, round(1 / share)), list(kills.KINDS))
        wrong = [f"{kind}: {words}" for kind, (_, complaints) in found.items() for words in complaints]
        more, others = random_kills(place, inputs.base, max(5, round(60 * share)))
        print(
            f"{'kills':24s} {total} at every step, {more} at random: {len(wrong) + len(others)} lost, doubled or left over {wrong + others}"
        )
    tried_all = sum(line.tried for line in table.values())
    print(f"{'together':24s} {tried_all} inputs, {total + more} kills")
    raise SystemExit(bool(wrong or others) or not all(line.clean() for line in table.values()))


def show(name: str, line: Line) -> None:
    """One row, and the first complaints below it."""
    print(f"{name:24s} {line.tried:5d} tried {line.taken:5d} taken {line.refused:5d} refused  "
          f"{len(line.tracebacks)} tracebacks {line.aborts} aborts {len(line.wrong)} wrong", flush=True)  # fmt: skip
    for words in sorted({*line.tracebacks, *line.wrong})[:8]:
        print(f"    {words}")


if __name__ == "__main__":
    main()
