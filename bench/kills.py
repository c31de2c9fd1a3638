"""Work that is killed at every step it takes, and what is there after the next start: `python -m bench.kills [--every N]`.

One process prepares a library; for each kill it copies it and forks. The child does one piece of real work with the real services
and ends itself (no clean-up runs, as with SIGKILL) at its n-th step: before a file is opened for writing, renamed, removed or made,
and before and after each commit. The parent then opens the library as the next start of the program would, lets it finish what was
under way, and counts what was lost, doubled, or left lying about.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path
from typing import Any

from sqlalchemy import event, func, select
from sqlalchemy.engine import Engine

from deepmirror.exchange.bundle import SetFile, write_bundle
from deepmirror.exchange.mailbox import FolderOutbox, Letter
from deepmirror.pose.evidence import Evidence
from deepmirror.reply.model import Reply
from deepmirror.services.clients.client_deletion import delete_client
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import Analysis
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.review import Review
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.demo import fill_demo
from deepmirror.services.replies.composing import draft_reply
from deepmirror.services.replies.delivery import Package, hand_over_rest, send_reply
from deepmirror.store.library import LibraryStore
from deepmirror.store.tables import Base

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
PAST = Path(__file__).parent.parent / "tests" / "data" / "library-0002.db"
NOON = datetime(2026, 3, 2, 12, 0, tzinfo=UTC)
STEPS = ("os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.chmod", "os.truncate", "shutil.rmtree")
WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT


class Letters:
    """A mailbox that always tells of the same letters."""

    def __init__(self, *letters: Letter) -> None:
        self._letters = list(letters)

    def letters(self) -> list[Letter]:
        """All of them."""
        return self._letters


@dataclass(frozen=True)
class Work:
    """One piece of work: what the killed child does, what the parent finds wrong after the next start, and the library before."""

    do: Callable[[Path], None]
    wrong: Callable[[Path], list[str]]
    base: Path


def die_at(step: int) -> None:
    """End this process without any clean-up when it takes its n-th step from now on."""
    taken = 0

    def count(*_: object) -> None:
        nonlocal taken
        taken += 1
        if taken == step:
            os._exit(137)

    def audited(name: str, args: tuple[Any, ...]) -> None:
        if name in STEPS or (name == "open" and isinstance(args[2], int) and args[2] & WRITING):
            count()

    event.listen(Engine, "commit", count)
    sys.addaudithook(audited)


def left_over(folder: Path) -> list[str]:
    """Files that only something half-done leaves."""
    parts = [p for p in folder.rglob("*.part")] + list((folder / "work").glob("*")) + list((folder / "arrivals").glob("tmp*"))
    return [f"left over: {p.relative_to(folder)}" for p in parts]


def at_rest(folder: Path) -> FilmLibrary:
    """The library as the next start opens it, with what was under way finished."""
    library = FilmLibrary(folder, NOON)
    Arrivals(library, None).collect(Progress())
    hand_over_rest(library, FolderOutbox(folder / "outbox"), Progress(), left_over=True)
    return library


def sending(base: Path) -> Work:
    """A reply written before is sent: kept, watched, handed over."""
    library = FilmLibrary(base, NOON)
    film = next(f for f in library.films() if f.client_name.startswith("Ines") and f.state == "ready")
    review = Review(library, film.id)
    analysis, reply = review.analysis, None
    assert analysis is not None
    reply = draft_reply(analysis, film.client_name, date="2026-03-02")
    Package(library, film.id).write(film.path, analysis, reply, Progress())
    review.close()
    library.close()
    codes = [c.code for c in reply.chosen()]

    def do(folder: Path) -> None:
        send(folder, film.id, analysis, reply)

    def wrong(folder: Path) -> list[str]:
        library = at_rest(folder)
        if not library.store.replies.of_film(film.id):  # not kept: everything is as before, and it can be sent again
            package = Package(library, film.id)
            found = [] if library.store.film(film.id).state == "ready" else ["answered, but nothing was kept"]
            found += [] if package.is_up_to_date(reply, analysis) else ["the written reply is lost"]
            library.close()
            send(folder, film.id, analysis, reply)
            library = at_rest(folder)
        else:
            found = []
        watched = [w.item["code"] for w in library.store.watches.of_client(film.client_id) if w.film_id == film.id and w.state == "open"]
        given = [p for p in (folder / "outbox").iterdir() if not p.name.startswith(".")]
        found += [] if sorted(watched) == sorted(codes) else [f"watched {watched} instead of {codes}"]
        found += [] if len(given) == 1 else [f"handed over {len(given)} times"]
        found += [] if library.store.film(film.id).state == "sent" else ["to be answered again"]
        kept = library.store.replies.of_film(film.id)
        found += [] if len(kept) == 1 and {p.name for p in kept[0].folder.iterdir()} == set(kept[0].files) else ["not kept exactly"]
        library.close()
        return found + left_over(folder)

    return Work(do, wrong, base)


def send(folder: Path, film_id: int, analysis: Analysis, reply: Reply) -> None:
    """Send a reply as the window does."""
    library = FilmLibrary(folder, NOON)
    send_reply(library, FolderOutbox(folder / "outbox"), film_id, analysis, reply, Progress())
    library.close()


def taking_in(base: Path) -> Work:
    """A client's bundle comes in and is taken into the library."""
    post = base.with_name("post")
    post.mkdir(exist_ok=True)
    bundle, film = post / "new set.zip", DEMO / "arrivals" / "bram_back_squat_week2.mp4"
    film = film if film.exists() else next((DEMO / "arrivals").glob("*.mp4"))
    told = {"format": "deep-mirror-set", "version": 1, "client": "Bram Achterberg", "film": "film.mp4", "movement": "back_squat"}
    write_bundle(bundle, SetFile.model_validate(told | {"view": "side-left", "note": "hello"}), film)
    letter = Letter("letter 1", bundle.name, bundle)

    def do(folder: Path) -> None:
        library = FilmLibrary(folder, NOON)
        Arrivals(library, Letters(letter)).collect(Progress())
        library.close()

    def wrong(folder: Path) -> list[str]:
        library = at_rest(folder)
        Arrivals(library, Letters(letter)).collect(Progress())
        rows, films = library.store.arrivals.newest(), [f for f in library.films() if f.note == "hello"]
        found = [] if [r.state for r in rows] == ["taken"] else [f"the letter stands as {[r.state for r in rows]}"]
        found += [] if len(films) == 1 else [f"the film is there {len(films)} times"]
        if films and rows:
            found += [] if films[0].path.exists() and rows[0].film_id == films[0].id else ["film and letter do not belong together"]
            found += [] if rows[0].path is not None and rows[0].path.exists() else ["the letter was not kept"]
        library.close()
        return found + left_over(folder)

    return Work(do, wrong, base)


def deleting(base: Path) -> Work:
    """A client is deleted with everything of hers, in the backups too."""
    library = FilmLibrary(base, NOON)
    client = next(c for c in library.clients() if c.name.startswith("Bram"))
    films = [f.id for f in library.store.films(client.id)]
    library.close()

    def do(folder: Path) -> None:
        library = FilmLibrary(folder, NOON)
        delete_client(library, client.id)
        library.close()

    def wrong(folder: Path) -> list[str]:
        library = at_rest(folder)
        if client.id in [c.id for c in library.clients()]:
            found = [] if [f.id for f in library.store.films(client.id)] == films else ["half of her is gone"]
            found += [f"a film of hers is gone: {f.id}" for f in library.store.films(client.id) if not f.path.exists()]
            library.close()
            do(folder)
            library = at_rest(folder)
        else:
            found = []
        found += _traces(library.store, client.id, films, client.name)
        library.close()
        return found + left_over(folder)

    return Work(do, wrong, base)


def _traces(store: LibraryStore, client_id: int, films: list[int], name: str) -> list[str]:
    """What of a client is still in a library's rows, files or copies."""
    out = []
    with store.transaction() as s:
        for table in Base.metadata.tables.values():
            for column, ids in (("client_id", [client_id]), ("film_id", films)):
                if column in table.c and s.scalar(select(func.count()).select_from(table).where(table.c[column].in_(ids))):
                    out.append(f"rows in {table.name}")
    for path in store.folder.rglob("*"):
        if path.is_file() and path.suffix in (".db", ".db-wal", ".html", ".json", ".txt") and name.encode() in path.read_bytes():
            out.append(f"her name in {path.relative_to(store.folder)}")
    out += [f"her file {p.relative_to(store.folder)}" for i in films for p in store.folder.rglob(f"film-{i}*")]
    return out


def editing(base: Path) -> Work:
    """Points are placed, undone and done again; each acknowledged edit is written down before the next."""
    library = FilmLibrary(base, NOON)
    film = next(f for f in library.films() if f.client_name.startswith("Tove"))
    library.close()

    def do(folder: Path) -> None:
        library = FilmLibrary(folder, NOON)
        review = Review(library, film.id, conclude=False)
        acknowledged = folder.with_name(folder.name + ".said")
        for number in range(4):
            review.place(40, "hip_left", (600.0 + number, 330.0))
            acknowledged.write_text(json.dumps(review.brief.file.model_dump(mode="json")["seeds"]))
        review.undo()
        acknowledged.write_text(json.dumps(review.brief.file.model_dump(mode="json")["seeds"]))
        review.close()
        library.close()

    def wrong(folder: Path) -> list[str]:
        library = at_rest(folder)
        review = Review(library, film.id, conclude=False)
        kept, acknowledged = review.brief.file.model_dump(mode="json")["seeds"], folder.with_name(folder.name + ".said")
        said = json.loads(acknowledged.read_text() or "null") if acknowledged.exists() else None
        x = {p["points_px"].get("hip_left", [None])[0] for p in kept if p["frame"] == 40}
        before = {p["points_px"].get("hip_left", [None])[0] for p in said or [] if p["frame"] == 40}
        # what was acknowledged is there; the edit that was being written may be there too
        lost = said is not None and not (x == before or abs(next(iter(x), 0.0) - next(iter(before), 0.0)) == 1.0)
        found = ["an acknowledged edit is lost"] if lost else []
        found += [] if said is None or review.can_undo() else ["the undo stack is lost"]
        review.close()
        library.close()
        acknowledged.unlink(missing_ok=True)
        return found + left_over(folder)

    return Work(do, wrong, base)


def measuring(base: Path) -> Work:
    """A film is measured: evidence, result, looks at earlier corrections."""
    library = FilmLibrary(base, NOON)
    film = next(f for f in library.films() if f.client_name.startswith("Nuru"))
    seen = Evidence.load(library.store.evidence_path(film.id))
    library.store.update_film(film.id, state="new")
    library.close()

    def do(folder: Path) -> None:
        library = FilmLibrary(folder, NOON, lambda *_: seen)
        library.measure(film.id, Progress())
        library.close()

    def wrong(folder: Path) -> list[str]:
        library = FilmLibrary(folder, NOON, lambda *_: seen)
        state = library.store.film(film.id).state
        found = [] if state in ("new", "failed", "ready") else [f"the film stands as {state}"]
        found += [] if library.measure(film.id, Progress()).state == "ready" else ["it cannot be measured again"]
        Review(library, film.id, conclude=False).close()
        library.close()
        return found + left_over(folder)

    return Work(do, wrong, base)


def migrating(base: Path) -> Work:
    """A library of an earlier version is brought up to date."""
    past = base.with_name("past")
    past.mkdir(exist_ok=True)
    shutil.copyfile(PAST, past / "library.db")

    def do(folder: Path) -> None:
        LibraryStore(folder).close()

    def wrong(folder: Path) -> list[str]:
        store = LibraryStore(folder)
        found = [] if len(store.films()) == 9 else [f"{len(store.films())} films of nine"]
        store.close()
        return found + left_over(folder)

    return Work(do, wrong, past)


KINDS = {
    "sending a reply": sending,
    "taking a bundle in": taking_in,
    "deleting a client": deleting,
    "editing points": editing,
    "measuring a film": measuring,
    "updating a library": migrating,
}


def killed(work: Work, folder: Path, step: int) -> tuple[bool, list[str]]:
    """Kill the work at a step, on a copy of the library; (whether it came that far, what is wrong afterwards)."""
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(work.base, folder)
    child = os.fork()
    if child == 0:
        code = 1
        try:
            die_at(step)
            work.do(folder)
            code = 0
        finally:
            os._exit(code)
    status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    if status not in (0, 137):
        return False, [f"the work itself ended with {status}"]
    return status == 137, work.wrong(folder)


def run(every: int, kinds: list[str]) -> tuple[int, dict[str, tuple[int, dict[str, int]]]]:
    """Kill each kind of work at every n-th step; (kills, kind -> (kills, complaint -> how often))."""
    table: dict[str, tuple[int, dict[str, int]]] = {}
    with tempfile.TemporaryDirectory() as place:
        base = Path(place) / "base"
        library = FilmLibrary(base, NOON)
        fill_demo(library)
        library.close()
        for kind in kinds:
            work, kills, complaints, step, going = KINDS[kind](base), 0, dict[str, int](), 1, True
            while going:
                going, found = killed(work, Path(place) / "library", step)
                kills += going
                for words in found:
                    complaints[words] = complaints.get(words, 0) + 1
                step += every
            table[kind] = kills, complaints
    return sum(k for k, _ in table.values()), table


def main() -> None:
    """Print a line per kind of work; ends with 1 when anything was lost, doubled or left over."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    parser.add_argument("--every", type=int, default=1, help="kill at every n-th step only")
    parser.add_argument("--kind", action="append", choices=list(KINDS), help="only these")
    args = parser.parse_args()
    total, table = run(args.every, args.kind or list(KINDS))
    for kind, (kills, complaints) in table.items():
        print(f"{kind:22s} {kills:4d} kills, {sum(complaints.values()):3d} complaints")
        for words, times in complaints.items():
            print(f"    {times:3d} × {words}")
    print(f"{'together':22s} {total:4d} kills")
    raise SystemExit(any(complaints for _, complaints in table.values()))


if __name__ == "__main__":
    main()
