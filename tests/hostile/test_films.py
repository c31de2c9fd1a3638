"""Films nobody foresaw: read rightly, or refused with one sentence; none of them stops the program."""

from __future__ import annotations

import os
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from deepmirror.errors import BadFilm
from deepmirror.media.film import Film
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from tests.conftest import DEMO


def written(path: Path, size: tuple[int, int] = (128, 96), frames: int = 20, fps: float = 30, kind: str = "mp4", start: int = 0) -> Path:
    """A small film of grey frames that grow lighter."""
    with av.open(str(path), "w", format=kind) as out:
        out.metadata["title"] = "ZZZZZZZZ"
        stream = out.add_stream("libx264", rate=Fraction(fps).limit_denominator(1000))
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        for i in range(frames):
            frame = av.VideoFrame.from_ndarray(np.full((size[1], size[0], 3), 40 + 4 * i, np.uint8), format="rgb24")
            frame.pts, frame.time_base = start + i, 1 / Fraction(fps).limit_denominator(1000)
            out.mux(stream.encode(frame))
        out.mux(stream.encode())
    return path


def swapped_bytes(path: Path, old: bytes, new: bytes) -> Path:
    path.write_bytes(path.read_bytes().replace(old, new))
    return path


def latin_words(folder: Path) -> Path:
    return swapped_bytes(written(folder / "été.mp4"), b"ZZZZZZZZ", b"caf\xe9 cr\xe8")


def stream_under_another_name(folder: Path) -> Path:
    return written(folder / "phone.mp4", kind="mpegts")


@pytest.mark.parametrize("make", [latin_words, stream_under_another_name])
def test_odd_but_whole_films_are_read(tmp_path: Path, make: Callable[[Path], Path]) -> None:
    with Film(make(tmp_path)) as film:
        assert film.facts.frames == 20 and film.facts.fps == pytest.approx(30)
        light = [int(p.mean()) for p in film.stream()]
        assert light == sorted(light) and abs(int(film.picture(15).mean()) - light[15]) <= 1


def unknown_codec(folder: Path) -> Path:
    return swapped_bytes(written(folder / "film.mp4"), b"avc1", b"zqzq")


def playlist(folder: Path) -> Path:
    path = folder / "film.mp4"
    path.write_text(f"#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\n{DEMO / 'tove_back_squat_side.mp4'}\n#EXT-X-ENDLIST\n")
    return path


def list_of_films(folder: Path) -> Path:
    path = folder / "film.mp4"
    path.write_text(f"ffconcat version 1.0\nfile {DEMO / 'tove_back_squat_side.mp4'}\n")
    return path


def pipe(folder: Path) -> Path:
    os.mkfifo(folder / "film.mp4")
    return folder / "film.mp4"


def slow(folder: Path) -> Path:
    return written(folder / "film.mp4", fps=0.1)


def flat(folder: Path) -> Path:
    return written(folder / "film.mp4", size=(8192, 16), frames=3)


def cut(folder: Path) -> Path:
    path = written(folder / "film.mp4")
    path.write_bytes(path.read_bytes()[:-900])
    return path


def long_name(folder: Path) -> Path:
    return folder / ("x" * 400 + ".mp4")


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (unknown_codec, "cannot"),
        (playlist, "cannot be read as a film"),
        (list_of_films, "cannot be read as a film"),
        (pipe, "not a file"),
        (slow, "0.1 pictures a second"),
        (flat, "too small to show a body"),
        (cut, "film.mp4"),
        (long_name, "cannot be read"),
    ],
    ids=lambda v: v.__name__ if callable(v) else "",
)
def test_what_is_no_film_is_refused_in_one_sentence(tmp_path: Path, make: Callable[[Path], Path], words: str) -> None:
    with pytest.raises(BadFilm, match=words) as refused:
        Film(make(tmp_path))
    assert "\n" not in refused.value.sentence


def test_a_film_that_changes_its_size_is_refused_where_it_does(tmp_path: Path) -> None:
    first, second = written(tmp_path / "a.ts", kind="mpegts"), written(tmp_path / "b.ts", (160, 120), kind="mpegts", start=20)
    both = tmp_path / "film.mp4"
    both.write_bytes(first.read_bytes() + second.read_bytes())
    with Film(both) as film, pytest.raises(BadFilm, match="changes its size in the middle, from 128 × 96 to 160 × 120"):
        list(film.stream())


def test_a_film_whose_measuring_breaks_fails_alone_and_can_be_tried_again(demo_library: FilmLibrary) -> None:
    first, second = (f.id for f in demo_library.films()[:2])
    good = demo_library.evidence(first, len(Film(demo_library.store.film(first).path).times))
    assert good is not None

    def breaks(*_: object) -> None:
        raise RuntimeError(f"a mistake in the film of {demo_library.store.film(first).client_name}")

    demo_library.look = breaks  # type: ignore[assignment]
    failed = demo_library.measure(first, Progress())
    assert failed.state == "failed" and "went wrong" in failed.line and first not in demo_library.unmeasured()
    report = next(demo_library.store.state_folder().glob("crash-*.txt")).read_text()
    assert "RuntimeError" in report and "services/films/film_library.py" in report
    assert failed.client_name not in report and str(Path.home()) not in report.replace("/root", "")
    demo_library.look = lambda *_: good
    assert demo_library.measure(first, Progress()).state == "ready"
    demo_library.store.update_film(second, state="sent")
    demo_library.look = breaks  # type: ignore[assignment]
    assert demo_library.measure(second, Progress()).state == "sent"  # what was answered stays so


@pytest.mark.parametrize("damage", ["cut", "empty", "zeros", "another film's"])
def test_torn_evidence_is_made_again(demo_library: FilmLibrary, damage: str) -> None:
    film, other = demo_library.films()[0], demo_library.films()[1]
    path = demo_library.store.evidence_path(film.id)
    whole = path.read_bytes()
    torn = {"cut": whole[: len(whole) // 2], "empty": b"", "zeros": bytes(len(whole))}
    path.write_bytes(torn.get(damage, demo_library.store.evidence_path(other.id).read_bytes()))
    reader, _, evidence = demo_library.open_analysis(film.id)
    assert evidence is None and demo_library.lacks_evidence(film)
    reader.close()
