"""Looking at a film in a process of its own gives what looking here gives, tells its progress, and can be stopped."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from deepmirror.errors import BadFilm, Cancelled
from deepmirror.exchange.brief import read_brief
from deepmirror.media.film import Film
from deepmirror.media.writer import write_film
from deepmirror.movements.loader import load_catalogue
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.observation_runner import FOLLOW, SubprocessObserver, look_here
from tests.conftest import DEMO

NAME = "tove_back_squat_side"


@pytest.fixture(scope="module")
def short(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The first half second of a demo film."""
    path = tmp_path_factory.mktemp("short") / "short.mp4"
    with Film(DEMO / f"{NAME}.mp4") as film:
        write_film(path, (film.picture(i) for i in range(15)), 30)
    return path


def test_both_ways_see_the_same_and_follow_the_same(short: Path) -> None:
    brief = read_brief(DEMO / f"{NAME}.brief.json")
    movement = load_catalogue().movement(brief.file.movement)
    told: list[tuple[float, str]] = []
    with Film(short) as film:
        here = look_here(film, brief, movement, Progress(), "final")
        apart = SubprocessObserver()(film, brief, movement, Progress(lambda s, w: told.append((s, w))), "final")
        again = SubprocessObserver()(film, brief, movement, Progress(), FOLLOW, apart)
        without = look_here(film, brief, movement, Progress(), FOLLOW, replace(apart, plate=np.empty((0, 2))))
    assert np.nanmax(np.abs(here.network - apart.network)) < 0.01
    assert np.nanmax(np.abs(apart.match - again.match)) < 1.0
    assert np.isfinite(here.plate).all() and len(here.plate) == len(film.times)
    assert all(np.abs(here.plate - other.plate).max() < 1.0 for other in (apart, again, without)), "a bar's plate is kept, or looked for"
    assert len(told) > 5 and [s for s, _ in told] == sorted(s for s, _ in told)
    assert {"looking for the body", "following the points"} <= {w for _, w in told}


def test_a_plate_that_is_not_there_is_looked_for_once(short: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    brief, looked = read_brief(DEMO / f"{NAME}.brief.json"), []
    monkeypatch.setattr("deepmirror.pose.plate.find_plate", lambda *_: looked.append(1))
    movement = load_catalogue().movement(brief.file.movement)
    with Film(short) as film:
        once = look_here(film, brief, movement, Progress(), "final")
        again = look_here(film, brief, movement, Progress(), FOLLOW, once)
    assert looked == [1]
    assert np.isnan(once.plate).all() and len(once.plate) == len(again.plate) == len(film.times)


def test_it_stops_when_asked(short: Path) -> None:
    brief = read_brief(DEMO / f"{NAME}.brief.json")
    progress = Progress(lambda share, words: progress.cancel())
    with Film(short) as film, pytest.raises(Cancelled):
        SubprocessObserver()(film, brief, load_catalogue().movement("back_squat"), progress, "quick")


def test_a_film_it_cannot_use_is_told_in_its_sentence(tmp_path: Path) -> None:
    path = tmp_path / "grey.mp4"
    write_film(path, [np.full((240, 320, 3), 128, np.uint8)] * 12, 30)
    brief = read_brief(DEMO / f"{NAME}.brief.json")
    with Film(path) as film, pytest.raises(BadFilm, match="Nobody could be seen"):
        SubprocessObserver()(film, brief, load_catalogue().movement("back_squat"), Progress(), "quick")
