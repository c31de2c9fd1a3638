"""The whole library into one file and back: everything, checked by hash; what is damaged, foreign or in the way is refused."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import pytest

from deepmirror.errors import LibraryError
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.services.program.whole_copy import copy_command, copy_in, copy_out
from deepmirror.store.whole_copy import LIST, read_copy
from tests.conftest import NOON


def test_a_library_moves_in_one_file_with_all_it_holds(demo_library: FilmLibrary, tmp_path: Path) -> None:
    said = copy_out(demo_library, tmp_path / "moved.zip", Progress())
    assert "read back and found right" in said and (tmp_path / "moved.zip").stat().st_mode & 0o077 == 0
    copy_in(tmp_path / "moved.zip", tmp_path / "there", Progress())
    there = FilmLibrary(tmp_path / "there", NOON)
    try:
        assert [(f.id, f.client_name, f.line) for f in there.films()] == [(f.id, f.client_name, f.line) for f in demo_library.films()]
        for film in there.films():
            assert film.path.read_bytes() == demo_library.store.film(film.id).path.read_bytes()
            assert there.store.training.done_of_film(film.id) == demo_library.store.training.done_of_film(film.id)
        known = [f for f in there.films() if there.store.evidence_path(f.id).exists()]
        assert len(known) == len([f for f in demo_library.films() if demo_library.store.evidence_path(f.id).exists()])
        assert [r.folder for f in there.films() for r in there.sent(f.id)], "what was sent is there"
    finally:
        there.close()
    assert (tmp_path / "there").stat().st_mode & 0o077 == 0, "its owner's alone"
    with zipfile.ZipFile(tmp_path / "moved.zip") as whole:
        names = set(whole.namelist())
        assert LIST in names and "library.db" in names and not any(n.startswith(("work/", "backups/", "state/")) for n in names)
        assert {f["path"] for f in json.loads(whole.read(LIST))["files"]} == names - {LIST}


def test_nothing_that_is_there_is_written_over(demo_library: FilmLibrary, tmp_path: Path) -> None:
    copy_out(demo_library, tmp_path / "moved.zip", Progress())
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "mine.txt").write_text("mine")
    with pytest.raises(LibraryError, match="holds something already"):
        read_copy(tmp_path / "moved.zip", tmp_path / "full")
    assert (tmp_path / "full" / "mine.txt").read_text() == "mine"


def test_a_damaged_foreign_or_malicious_copy_is_refused_and_leaves_nothing(demo_library: FilmLibrary, tmp_path: Path) -> None:
    copy_out(demo_library, tmp_path / "moved.zip", Progress())
    raw = bytearray((tmp_path / "moved.zip").read_bytes())
    raw[len(raw) // 2] ^= 0xFF
    (tmp_path / "bent.zip").write_bytes(raw)
    (tmp_path / "cut.zip").write_bytes(raw[: len(raw) // 2])
    (tmp_path / "words.zip").write_text("no library")
    with zipfile.ZipFile(tmp_path / "out.zip", "w") as whole:
        whole.writestr("../escaped", "x")
        whole.writestr(LIST, json.dumps({"format": "deep-mirror-library", "version": 1, "files": [{"path": "../escaped"}]}))
    with zipfile.ZipFile(tmp_path / "newer.zip", "w") as whole:
        whole.writestr(LIST, json.dumps({"format": "deep-mirror-library", "version": 99, "files": []}))
    for name, words in (
        ("bent", "damaged|cannot be read"),
        ("cut", "cannot be read"),
        ("words", "cannot be read"),
        ("out", "outside"),
        ("newer", "newer"),
    ):
        with pytest.raises(LibraryError, match=words):
            read_copy(tmp_path / f"{name}.zip", tmp_path / "there")
        assert not (tmp_path / "there").exists() and not (tmp_path / "there.part").exists()
    assert not (tmp_path / "escaped").exists()


def test_the_command_copies_a_library_that_is_closed(filled: Path, tmp_path: Path) -> None:
    import shutil

    shutil.copytree(filled, tmp_path / "library")
    assert "found right" in copy_command(tmp_path / "library", tmp_path / "moved.zip")
    with pytest.raises(LibraryError, match="no library folder"):
        copy_command(tmp_path / "nothing", tmp_path / "other.zip")
