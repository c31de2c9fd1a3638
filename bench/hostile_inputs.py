"""The hostile inputs of bench/hostile.py, kind by kind: random, from fixed seeds, on the demo's library and films."""

from __future__ import annotations

import io
import json
import os
import random
import shutil
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
from deepmirror.exchange.mailbox import Letter
from deepmirror.media.film import Film
from deepmirror.media.writer import write_film
from deepmirror.movements.loader import load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.analysis import conclude
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.films.records import measures_record
from deepmirror.services.posture.posture_commands import PostureRequest, build_record
from deepmirror.services.program.arrivals import Arrivals
from deepmirror.services.program.demo import fill_demo

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
        library = FilmLibrary(self.base, NOON)
        fill_demo(library)
        library.close()
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
        library, whole = FilmLibrary(folder, NOON), self.short.read_bytes()
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
        tried(line, lambda: Arrivals(library, kills.Letters(*told)).collect(Progress()))
        rows = library.store.arrivals.newest(10_000)
        line.taken, line.refused = sum(r.state != "refused" for r in rows), sum(r.state == "refused" for r in rows)
        if len(rows) != len(told) or rows[0].state != "waiting":
            line.wrong.append(f"{len(rows)} lines for {len(told)} letters, the last one {rows[0].state}")
        line.wrong += [f"report: {p.read_text().splitlines()[6]}" for p in library.store.state_folder().glob("crash-*.txt")]
        library.close()
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
            ask = PostureRequest(
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
        library = FilmLibrary(folder, NOON)
        try:
            for film in library.films():
                _ = film.brief, film.turns, film.draft
            library.clients()
            library.store.arrivals.newest()
        finally:
            library.store.close()

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
