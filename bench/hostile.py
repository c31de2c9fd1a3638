"""Thousands of hostile inputs, every kill, full disks, two programs: `python -m bench.hostile [--share 1.0]`.

Each input is taken or refused with one sentence; anything else is a traceback (an error that is not the program's own class), an
abort (the process itself ended), or work lost or doubled. Seeds are fixed. Prints a table and ends with 1 unless all of it is zero.
Takes about a quarter of an hour on two cores; --share does a part of it.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import shutil
import signal
import tempfile
import time
import traceback
import zipfile
from collections.abc import Callable
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from bench import kills
from deepmirror.__main__ import main as command
from deepmirror.core.skeleton import JOINTS
from deepmirror.errors import DeepMirrorError
from deepmirror.exchange.brief import check_brief, check_client
from deepmirror.exchange.bundle import SetFile, check_set, read_bundle, write_bundle
from deepmirror.exchange.post import FolderOutbox, Letter
from deepmirror.media.film import Film
from deepmirror.media.writer import write_film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.analysis import conclude
from deepmirror.services.arrivals import Arrivals
from deepmirror.services.demo import fill_demo
from deepmirror.services.desk import Desk
from deepmirror.services.jobs import Progress
from deepmirror.services.posture_commands import Ask, build_record
from deepmirror.services.records import measures_record
from deepmirror.services.reply_composing import draft_reply
from deepmirror.services.reply_delivery import send_reply
from deepmirror.services.review import Review
from deepmirror.store.backups import back_up

DEMO, NOON = kills.DEMO, kills.NOON
NUMBERS = (0, -1, 1e-300, 1e30, 399, 0.0001, 40, 170, 1e308, float("nan"), float("inf"), 10**30, True, None, "x", [], {})
WORDS = ("", "x", "\ud800", "\x00", "../../x", "<b>x</b>", "x" * 300, "\u202eabc", "Bram Achterberg", "back_squat", "side-left")
LINES = ("pad_line", "seat_line", "back_pad", "rail", "floor_line", "plumb")


@dataclass
class Line:
    """One row of the table: how many were tried, how they ended, and what must be none."""

    taken: int = 0
    refused: int = 0
    tracebacks: list[str] = field(default_factory=list)
    aborts: int = 0
    wrong: list[str] = field(default_factory=list)

    @property
    def tried(self) -> int:
        """All of them."""
        return self.taken + self.refused + len(self.tracebacks) + self.aborts

    def clean(self) -> bool:
        """True when nothing happened that must not."""
        return not (self.tracebacks or self.aborts or self.wrong)

    def add(self, other: Line) -> None:
        """Count another line in."""
        self.taken, self.refused, self.aborts = self.taken + other.taken, self.refused + other.refused, self.aborts + other.aborts
        self.tracebacks += other.tracebacks
        self.wrong += other.wrong


def tried(line: Line, work: Callable[[], object]) -> None:
    """Do one thing and count how it ended."""
    try:
        with np.errstate(all="ignore"):
            work()
        line.taken += 1
    except DeepMirrorError as error:
        line.refused += 1
        if "\n" in error.sentence or not error.sentence or len(error.sentence) > 600:
            line.wrong.append(f"not one sentence: {error.sentence[:80]!r}")
    except Exception as error:  # noqa: BLE001 - that is what is counted
        own = [f for f in traceback.extract_tb(error.__traceback__) if "deepmirror" in f.filename]
        line.tracebacks.append(f"{type(error).__name__} at {Path(own[-1].filename).name}:{own[-1].lineno}" if own else type(error).__name__)


def apart(work: Callable[[], Line]) -> Line:
    """Do it in a forked process: one that ends itself is an abort, and costs no other input."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        line = work()
        with os.fdopen(write, "w") as out:
            json.dump([line.taken, line.refused, line.tracebacks, line.aborts, line.wrong], out)
        os._exit(0)
    os.close(write)
    with os.fdopen(read) as told:
        text = told.read()
    status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    return Line(*json.loads(text)) if status == 0 and text else Line(aborts=1, wrong=[f"ended with {status}"])


def noisy(data: bytes, rng: random.Random, most: int = 12) -> bytes:
    """Bytes with some of them wrong, and perhaps cut."""
    out = bytearray(data)
    for _ in range(rng.randint(1, most)):
        out[rng.randrange(len(out))] = rng.randrange(256)
    return bytes(out[: rng.randrange(1, len(out))] if rng.random() < 0.3 else out)


def odd(rng: random.Random, depth: int = 0) -> Any:
    """Any JSON value that a hand or a program could have left."""
    kind = rng.random()
    if depth < 2 and kind < 0.15:
        return [odd(rng, depth + 1) for _ in range(rng.randint(0, 3))]
    if depth < 2 and kind < 0.3:
        return {rng.choice(WORDS): odd(rng, depth + 1) for _ in range(rng.randint(0, 3))}
    return rng.choice(NUMBERS) if kind < 0.7 else rng.choice(WORDS)


def pixel(rng: random.Random) -> list[Any]:
    """A spot in, beside, or far outside of the picture, or none at all."""
    return [rng.choice((rng.uniform(-2000, 3000), rng.uniform(0, 700), 1e30, float("nan"), 640.0, "x")) if rng.random() < 0.2 else v
            for v in (rng.uniform(0, 1280), rng.uniform(0, 720))]  # fmt: skip


class Inputs:
    """The inputs, kind by kind, on the demo's library and films."""

    def __init__(self, place: Path) -> None:
        self.place, self.rng = place, random.Random(20260302)
        self.base = place / "base"
        desk = Desk(self.base, NOON)
        fill_demo(desk)
        desk.close()
        self.short = place / "short.mp4"
        with Film(DEMO / "tove_back_squat_side.mp4") as film:
            write_film(self.short, (film.picture(i) for i in range(0, 40)), film.facts.fps)

    def fresh(self) -> Path:
        """A copy of the library."""
        folder = self.place / "library"
        shutil.rmtree(folder, ignore_errors=True)
        shutil.copytree(self.base, folder)
        return folder

    def set_files(self, count: int) -> Line:
        """set.json with odd values, odd keys, odd bytes."""
        line = Line()
        good = {"format": "deep-mirror-set", "version": 1, "client": "Ann", "film": "f.mp4"}
        for _ in range(count):
            told = good | {self.rng.choice((*SetFile.model_fields, "x")): odd(self.rng) for _ in range(self.rng.randint(0, 4))}
            raw = json.dumps(told).encode("utf-8", "surrogatepass")
            raw = noisy(raw, self.rng, 3) if self.rng.random() < 0.3 else raw
            tried(line, lambda raw=raw: check_set(raw).model_dump_json())  # type: ignore[misc]
        return line

    def bundles(self, count: int) -> Line:
        """Zips with wrong bytes, of every method of packing."""
        line, out, path = Line(), io.BytesIO(), self.place / "b.zip"
        for number in range(count):
            out.seek(0)
            out.truncate()
            with zipfile.ZipFile(out, "w", self.rng.choice((0, 8, 12, 14))) as archive:
                archive.writestr("set.json", json.dumps({"format": "deep-mirror-set", "version": 1, "client": "A", "film": "f.mp4"}))
                archive.writestr(self.rng.choice(("f.mp4", "../f.mp4", "f.mp4 ", "C:f.mp4")), self.rng.randbytes(500))
            path.write_bytes(noisy(out.getvalue(), self.rng))
            tried(line, lambda n=number: read_bundle(path, self.place / f"out{n}"))  # type: ignore[misc]
            shutil.rmtree(self.place / f"out{number}", ignore_errors=True)
        return line

    def letters(self, count: int) -> Line:
        """Letters through the real taking in: every one becomes a line on the Desk, also the good one at the end."""
        line, folder, post = Line(), self.fresh(), self.place / "post"
        shutil.rmtree(post, ignore_errors=True)
        post.mkdir()
        desk, whole = Desk(folder, NOON), self.short.read_bytes()
        said = {"format": "deep-mirror-set", "version": 1, "client": "x", "film": "a.mp4"}
        write_bundle(self.place / "g.zip", SetFile.model_validate(said), self.short)
        packed = (self.place / "g.zip").read_bytes()
        told = []
        for number in range(count):
            name = b"".join(self.rng.choice((b"a", b"\xff", b"\xe9", b" ")) for _ in range(4)) + str(number).encode()
            path = post / os.fsdecode(name + self.rng.choice((b".zip", b".mp4", b".ZIP", b".mkv")))
            path.write_bytes(noisy(self.rng.choice((whole, packed)), self.rng))
            told.append(Letter(path.name, path.name, path))
        last = post / "last.mp4"
        shutil.copyfile(self.short, last)
        told.append(Letter(last.name, last.name, last))
        tried(line, lambda: Arrivals(desk, kills.Letters(*told)).collect(Progress()))
        rows = desk.store.arrivals.newest(10_000)
        line.taken, line.refused = sum(r.state != "refused" for r in rows), sum(r.state == "refused" for r in rows)
        if len(rows) != len(told) or rows[0].state != "waiting":
            line.wrong.append(f"{len(rows)} lines for {len(told)} letters, the last one {rows[0].state}")
        line.wrong += [f"report: {p.read_text().splitlines()[6]}" for p in desk.store.state_folder().glob("crash-*.txt")]
        desk.close()
        return line

    def marks(self, count: int) -> Line:
        """Briefs with odd marks, points, lengths, views and movements, concluded from the demo's evidence."""
        line, names = Line(), sorted(p.stem for p in DEMO.glob("*.npz"))
        catalogue, known = load_catalogue(), {}
        for name in names:
            with Film(DEMO / f"{name}.mp4") as film:
                brief = json.loads((DEMO / f"{name}.brief.json").read_text("utf-8"))
                known[name] = film.facts, brief, Evidence.load(DEMO / f"{name}.npz")
        for _ in range(count):
            facts, brief, seen = known[self.rng.choice(names)]
            told = self._edited(json.loads(json.dumps(brief)), sorted(catalogue.movements))
            tried(
                line,
                lambda t=told, f=facts, s=seen: json.dumps(  # type: ignore[misc]
                    measures_record(conclude(f, check_brief(t), catalogue, s)), allow_nan=False
                ),
            )
        return line

    def _edited(self, brief: dict[str, Any], movements: list[str]) -> dict[str, Any]:
        rng, marks = self.rng, brief.setdefault("marks", {})
        joints = [f"{j}_{s}" for j in JOINTS for s in ("left", "right")]
        for _ in range(rng.randint(1, 3)):
            spot = pixel(rng)
            kind = rng.randrange(9)
            if kind == 0:
                marks[rng.choice(LINES)] = [spot, spot if rng.random() < 0.4 else pixel(rng)]
            elif kind == 1:
                marks |= {"platform": [pixel(rng) for _ in range(4)], "platform_cm": [rng.choice(NUMBERS), 60]}
            elif kind == 2:
                points = {rng.choice(joints): spot if rng.random() < 0.4 else pixel(rng) for _ in range(6)}
                brief.setdefault("seeds", []).append({"frame": rng.choice((0, 100, 10**6)), "points_px": points})
            elif kind == 3:
                brief[rng.choice(("hidden", "held"))] = rng.sample(joints, rng.randint(1, len(joints)))
            elif kind == 4:
                brief["view"] = rng.choice(("side-left", "side-right", "front", "rear"))
            elif kind == 5:
                brief["movement"] = rng.choice(movements)
            elif kind == 6:
                lengths = brief.setdefault("client", {}).setdefault("segments_cm", {})
                lengths[rng.choice(("thigh", "shank", "trunk", "foot"))] = rng.choice(NUMBERS)
            elif kind == 7:
                brief["scale"] = {"points_px": [spot, pixel(rng)], "length_cm": rng.choice(NUMBERS)}
            else:
                brief |= {"swaps": [[0, rng.choice((5, 10**9))]], "load_kg": rng.choice(NUMBERS), "tempo": rng.choice(WORDS)}
        return brief

    def clients(self, count: int) -> Line:
        """Clients and asks through the build solver."""
        line, rng = Line(), self.rng
        for _ in range(count):
            told = {
                k: rng.choice(NUMBERS) if rng.random() < 0.4 else v for k, v in (("stature_cm", 172), ("mass_kg", 70)) if rng.random() < 0.8
            }
            told |= {"segments_cm": {rng.choice(("thigh", "shank", "trunk", "foot")): rng.choice(NUMBERS)}} if rng.random() < 0.4 else {}
            told |= {"limits_deg": {rng.choice(("hip_flexion", "knee_flexion", "ankle_dorsiflexion")): rng.choice((0, 1e-9, 20, 90, 180))}}
            ask = Ask(
                rng.choice(("back_squat", "belt_squat", "leg_press", "romanian_deadlift")), rng.choice(("parallel", "deepest", -40, 170))
            )
            tried(line, lambda t=told, a=ask: json.dumps(build_record(check_client(t), a), allow_nan=False))  # type: ignore[misc]
        return line

    def movements(self, count: int) -> Line:
        """Movement files with odd values, keys and bytes: left out, and nothing else touched."""
        line, own = Line(), self.place / "own"
        own.mkdir(exist_ok=True)
        shipped = (Path(load_catalogue.__wrapped__.__code__.co_filename).parent / "data" / "leg_press.toml").read_text("utf-8")
        values = ("nan", "inf", "-1", "0", "9" * 5000, "[" * 3000, '"x"', "1e308", "true", "[[1]]", "")
        for _ in range(count):
            lines = shipped.splitlines()
            for _ in range(self.rng.randint(1, 4)):
                at = self.rng.randrange(len(lines))
                lines[at] = f"{lines[at].split('=')[0]}= {self.rng.choice(values)}"
            data = "\n".join(lines).encode()
            (own / "mine.toml").write_bytes(noisy(data, self.rng, 4) if self.rng.random() < 0.3 else data)
            load_catalogue.cache_clear()
            tried(line, lambda: load_catalogue(own))
        load_catalogue.cache_clear()
        return line

    def films(self, count: int) -> Line:
        """Films with wrong bytes: opened, read from end to end, any frame asked for; each batch in a process of its own."""
        line, whole = Line(), self.short.read_bytes()
        for _ in range(0, count, 10):
            batch = [noisy(whole, self.rng, self.rng.choice((3, 40, 400))) for _ in range(10)]
            line.add(apart(lambda b=batch: self._films(b)))  # type: ignore[misc]
        return line

    def _films(self, batch: list[bytes]) -> Line:
        line, path = Line(), self.place / "noisy.mp4"

        def look() -> None:
            with Film(path) as film:
                for _ in film.stream_grey():
                    pass
                film.picture(len(film.times) - 1)
                film.picture(0)

        for data in batch:
            path.write_bytes(data)
            tried(line, look)
        return line

    def evidence(self, count: int) -> Line:
        """Torn evidence."""
        line, whole = Line(), (DEMO / "ines_lying_curl_side.npz").read_bytes()
        path = self.place / "noisy.npz"
        for _ in range(count):
            path.write_bytes(noisy(whole, self.rng, 30))
            tried(line, lambda: Evidence.load(path))
        return line

    def databases(self, count: int) -> Line:
        """Damaged databases: opened, or told as damaged with a backup at hand."""
        line, folder = Line(), self.fresh()
        whole = (folder / "library.db").read_bytes()
        for _ in range(count):
            data = noisy(whole, self.rng, self.rng.choice((2, 50)))
            data = bytes(len(data)) if self.rng.random() < 0.05 else data[:0] if self.rng.random() < 0.05 else data
            (folder / "library.db").write_bytes(data)
            for ending in ("-wal", "-shm"):
                (folder / f"library.db{ending}").unlink(missing_ok=True)
            tried(line, lambda: self._opened(folder))
        return line

    @staticmethod
    def _opened(folder: Path) -> None:
        desk = Desk(folder, NOON)
        try:
            for film in desk.films():
                _ = film.brief, film.turns, film.draft
            desk.clients()
            desk.store.arrivals.newest()
        finally:
            desk.store.close()

    def commands(self, count: int) -> Line:
        """Command lines: JSON or one line on the error stream."""
        line, rng = Line(), self.rng
        (self.place / "c.json").write_text('{"stature_cm": 172, "mass_kg": 70}')
        first = ("build", "movements", "analyse", "look")
        files = (str(self.place / "c.json"), str(self.place), "", "\x00", "x" * 500)
        options = (
            "--depth",
            "nan",
            "deepest",
            "1e400",
            "-40",
            "--load-kg",
            "--copy",
            "../../x",
            "--library",
            "--brief",
            "--out",
            "/proc/x",
        )
        for _ in range(count):
            words = [rng.choice(first), *(rng.choice((*files, *options)) for _ in range(rng.randint(0, 5)))]
            out, complaint = io.StringIO(), io.StringIO()
            code: object = None
            with redirect_stdout(out), redirect_stderr(complaint):
                try:
                    code = command(words)
                except SystemExit as error:
                    code = error.code
            lines = complaint.getvalue().strip().splitlines()
            if code == 0:
                line.taken += 1
            elif code == 2 and len(lines) == 1 and not out.getvalue():
                line.refused += 1
            else:
                line.tracebacks.append(f"{words} ended with {code}, {lines}")
        return line


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
            desk = kills.at_rest(folder)
            Arrivals(desk, kills.Letters(Letter("1", post.name, post))).collect(Progress())
            rows = desk.store.arrivals.newest()
            line.wrong += (
                [] if [r.state for r in rows] == ["taken"] else [f"after a full disk the letter stands as {[r.state for r in rows]}"]
            )
            desk.close()
            line.wrong += kills.left_over(folder)
        finally:
            os.system(f"umount {disk}")
    return line


def _work_on(folder: Path, post: Path, line: Line) -> None:
    desk = Desk(folder, NOON)
    film = next(f for f in desk.films() if f.client_name.startswith("Ines"))
    review = Review(desk, film.id)
    try:
        assert review.analysis is not None
        reply = draft_reply(review.analysis, film.client_name)
        for number in range(50):
            review.place(9, "hip_left", (600.0 + number, 300.0))
        tried(line, lambda: send_reply(desk, FolderOutbox(folder / "outbox"), film.id, review.analysis, reply, Progress()))  # type: ignore[arg-type]
        tried(line, lambda: Arrivals(desk, kills.Letters(Letter("1", post.name, post))).collect(Progress()))
        tried(line, lambda: back_up(folder))
    finally:
        review.close()
        desk.store.close()


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
        desk = Desk(base, NOON)
    except DeepMirrorError:
        return 3
    try:
        desk.store.phrases.set("who", number)
        time.sleep(0.2)
        return 0 if desk.store.phrases.setting("who", None) == number else 1
    finally:
        desk.store.close()


def random_kills(place: Path, base: Path, count: int) -> tuple[int, list[str]]:
    """SIGKILL at random moments of writing and sending a whole reply; (kills, what was wrong afterwards)."""
    rng, wrong, done = random.Random(7), [], 0
    desk = Desk(base, NOON)
    film = next(f for f in desk.films() if f.client_name.startswith("Ines"))
    review = Review(desk, film.id)
    analysis = review.analysis
    assert analysis is not None
    reply = draft_reply(analysis, film.client_name, date="2026-03-02")
    codes = sorted(c.code for c in reply.chosen())
    review.close()
    desk.close()
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
        desk = kills.at_rest(folder)
        if not desk.store.replies.of_film(film.id):
            desk.close()
            kills.send(folder, film.id, analysis, reply)
            desk = kills.at_rest(folder)
        watched = sorted(w.item["code"] for w in desk.store.watches.of_client(film.client_id) if w.state == "open" and w.film_id == film.id)
        given = [p for p in (folder / "outbox").iterdir() if not p.name.startswith(".")]
        wrong += [] if watched == codes else [f"watched {watched}"]
        wrong += [] if len(given) == 1 else [f"handed over {len(given)} times"]
        wrong += [] if desk.store.film(film.id).state == "sent" else ["not answered"]
        desk.close()
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
