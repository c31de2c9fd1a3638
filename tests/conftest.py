"""Shared by all tests: the demo films with their truth, and a library in a temporary folder."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import pickle
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib import resources
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from deepmirror.exchange.brief import Brief, read_brief
from deepmirror.media.film import Film, FilmFacts
from deepmirror.movements.loader import Catalogue, load_catalogue
from deepmirror.pose.evidence import Evidence
from deepmirror.services.films.analysis import Analysis, conclude
from deepmirror.services.films.concluding import ConcludeHere
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.demo import fill_demo

DEMO = Path(str(resources.files("deepmirror"))) / "assets" / "demo"
FILMS = ("tove_back_squat_side", "bram_back_squat_side", "yuna_back_squat_front")
MACHINES = (
    "ines_lying_curl_side",
    "oren_leg_press_side",
    "nuru_leg_extension_side",
    "tove_romanian_side",
    "yuna_calf_raise_side",
    "oren_belt_squat_front",
)
NOON = datetime(2026, 3, 2, 12, 0, tzinfo=UTC)


def truth_of(name: str) -> dict[str, Any]:
    return json.loads((DEMO / f"{name}.truth.json").read_text())


@pytest.fixture(scope="session")
def common(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder that all workers of one run of the tests have in common: what is slow to make is made by the first who needs it."""
    own = tmp_path_factory.getbasetemp()
    return own.parent if "PYTEST_XDIST_WORKER" in os.environ else own


@contextmanager
def one_at_a_time(common: Path, name: str) -> Iterator[Path]:
    """A place in the common folder that is this worker's alone for now: whoever finds it empty fills it."""
    with (common / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield common / name


@pytest.fixture(scope="session")
def analyses(common: Path) -> dict[str, Analysis]:
    """Every demo film concluded from its shipped evidence."""
    with one_at_a_time(common, "analyses") as place:
        if not place.exists():
            place.write_bytes(pickle.dumps(demo_analyses()))
        concluded: dict[str, Analysis] = pickle.loads(place.read_bytes())
        return concluded


def demo_analyses() -> dict[str, Analysis]:
    """As above, outside a test too."""
    out = {}
    for name in (*FILMS, *MACHINES):
        with Film(DEMO / f"{name}.mp4") as film:
            out[name] = conclude(film.facts, read_brief(DEMO / f"{name}.brief.json"), load_catalogue(), Evidence.load(DEMO / f"{name}.npz"))
    return out


CONCLUDED: dict[str, Analysis] = {}  # what was worked out once for these tests, by everything it hangs on


@pytest.fixture
def concluded_once(monkeypatch: pytest.MonkeyPatch, common: Path) -> None:
    """The same film with the same brief and evidence has the same numbers: tests that ask for this work them out once."""

    def remembered(self: ConcludeHere, facts: FilmFacts, brief: Brief, catalogue: Catalogue, evidence: Evidence) -> Analysis:
        told = pickle.dumps((facts, brief.file.model_dump_json(), sorted(catalogue.movements), evidence))
        name = hashlib.sha256(told).hexdigest()
        if name not in CONCLUDED:
            with one_at_a_time(common, name) as place:
                if not place.exists():
                    place.write_bytes(pickle.dumps(conclude(facts, brief, catalogue, evidence)))
                CONCLUDED[name] = pickle.loads(place.read_bytes())
        return CONCLUDED[name]

    monkeypatch.setattr(ConcludeHere, "__call__", remembered)


@pytest.fixture
def library(tmp_path: Path) -> Iterator[FilmLibrary]:
    """An empty library on a stopped clock."""
    library = FilmLibrary(tmp_path / "library", NOON)
    yield library
    library.close()


@pytest.fixture(scope="session")
def filled(common: Path) -> Path:
    """A library folder with the demo in it, to copy from."""
    with one_at_a_time(common, "filled") as folder:
        if not folder.exists():
            library = FilmLibrary(folder, NOON)
            fill_demo(library)
            for film in library.films():
                library.strip(film)
            library.close()
    return folder


@pytest.fixture
def demo_library(filled: Path, tmp_path: Path) -> Iterator[FilmLibrary]:
    """A library filled with the demo."""
    shutil.copytree(filled, tmp_path / "demo")
    library = FilmLibrary(tmp_path / "demo", NOON)
    yield library
    library.close()


@pytest.fixture(scope="session")
def short_film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The first rep of a demo film as a file of its own, as a client's phone would send it."""
    from deepmirror.media.writer import write_film

    path = tmp_path_factory.mktemp("films") / "first rep.mp4"
    with Film(DEMO / "tove_back_squat_side.mp4") as film:
        write_film(path, (film.picture(i) for i in range(128)), film.facts.fps)
    return path


def programme(reps: list[tuple[float, float, float, float, float]], fps: float = 30.0, lead: float = 1.0) -> tuple[Any, Any]:
    """A rep signal (°) with known moments: (first, hold, second, rest, range) per rep, smooth half-cosine movements."""
    total = lead + sum(sum(r[:4]) for r in reps) + 1.0
    times = np.arange(0, total, 1 / fps)
    signal, t = np.full_like(times, 5.0), lead
    for first, hold, second, rest, span in reps:
        up = np.clip((times - t) / first, 0, 1)
        down = np.clip((times - t - first - hold) / second, 0, 1)
        signal += span * ((1 - np.cos(np.pi * up)) / 2 - (1 - np.cos(np.pi * down)) / 2)
        t += first + hold + second + rest
    return times, signal
