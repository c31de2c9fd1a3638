"""Bundles: what a client's phone writes is read back; whatever else pretends to be one is refused with a sentence."""

from __future__ import annotations

import json
import struct
import zipfile
from collections.abc import Callable
from importlib import resources
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deepmirror.errors import BadBundle
from deepmirror.exchange.bundle import MOST_ENTRIES, SET_NAME, SetFile, check_set, is_bundle, read_bundle, set_schema, write_bundle

TOLD: dict[str, Any] = {"format": "deep-mirror-set", "version": 1, "client": "Ulla Brandt", "film": "film.mp4", "movement": "back_squat"}
FILM = bytes(range(256)) * 40


def zipped(path: Path, *entries: tuple[str | zipfile.ZipInfo, bytes], kind: int = zipfile.ZIP_STORED) -> Path:
    with zipfile.ZipFile(path, "w", kind) as archive:
        for name, data in entries:
            archive.writestr(name, data)
    return path


def told(**changes: Any) -> bytes:
    return json.dumps(TOLD | changes).encode()


def test_a_bundle_is_read_back_as_it_was_written(tmp_path: Path) -> None:
    film = tmp_path / "some film.mp4"
    film.write_bytes(FILM)
    said = SetFile.model_validate(
        TOLD | {"note": "felt øk", "set": {"reps": 8, "load_kg": 60, "effort": 8, "tempo": "3-0-1-0"}, "future": 1}
    )
    write_bundle(tmp_path / "out.zip", said, film)
    assert is_bundle(tmp_path / "out.zip") and not is_bundle(film)
    bundle = read_bundle(tmp_path / "out.zip", tmp_path / "in")
    assert bundle.told == said and bundle.film.read_bytes() == FILM
    with zipfile.ZipFile(tmp_path / "out.zip") as archive:
        jsonschema.validate(json.loads(archive.read(SET_NAME)), set_schema())


def test_the_published_schema_is_the_one_that_checks() -> None:
    shipped = json.loads((resources.files("deepmirror.exchange") / "schemas" / "set.schema.json").read_text("utf-8"))
    assert shipped == set_schema()
    jsonschema.Draft202012Validator.check_schema(shipped)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(TOLD | {"set": {"reps": -1}}, shipped)


def link(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name)
    info.external_attr = 0o120777 << 16
    return info


def locked(path: Path) -> Path:
    """A zip whose entries say that they are locked with a password."""
    data = bytearray(zipped(path, (SET_NAME, told()), ("film.mp4", FILM)).read_bytes())
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        start = 0
        while (start := data.find(mark, start)) >= 0:
            data[start + at] |= 1
            start += 4
    path.write_bytes(data)
    return path


def lying(path: Path) -> Path:
    """A zip whose directory says that the film is a terabyte long."""
    data = bytearray(zipped(path, (SET_NAME, told()), ("film.mp4", FILM)).read_bytes())
    entry = data.rfind(b"PK\x01\x02")
    data[entry + 24 : entry + 28] = struct.pack("<I", 0xFFFFFFF0)
    path.write_bytes(data)
    return path


HOSTILE: dict[str, tuple[Callable[[Path], Path], str]] = {
    "climbs out": (lambda p: zipped(p, (SET_NAME, told()), ("../film.mp4", FILM)), "outside itself"),
    "absolute": (lambda p: zipped(p, (SET_NAME, told()), ("/etc/film.mp4", FILM)), "outside itself"),
    "other system's path": (lambda p: zipped(p, (SET_NAME, told()), ("C:film.mp4", FILM)), "outside itself"),
    "folder": (lambda p: zipped(p, (SET_NAME, told()), ("in/film.mp4", FILM)), "outside itself"),
    "control letters": (lambda p: zipped(p, (SET_NAME, told()), ("film\n.mp4", FILM)), "outside itself"),
    "link": (lambda p: zipped(p, (SET_NAME, told()), (link("film.mp4"), b"/etc/passwd")), "link"),
    "bomb": (lambda p: zipped(p, (SET_NAME, told()), ("film.mp4", bytes(30_000_000)), kind=zipfile.ZIP_DEFLATED), "-fold"),
    "terabyte": (lying, "too large"),
    "many": (lambda p: zipped(p, *((f"{i}.mp4", b"x") for i in range(MOST_ENTRIES + 1))), "entries"),
    "stranger": (lambda p: zipped(p, (SET_NAME, told()), ("film.mp4", FILM), ("run.sh", b"rm")), "besides"),
    "not a film": (lambda p: zipped(p, (SET_NAME, told(film="film.exe")), ("film.exe", FILM)), "not a film"),
    "no film": (lambda p: zipped(p, (SET_NAME, told())), "not in it"),
    "no set": (lambda p: zipped(p, ("film.mp4", FILM)), "no set.json"),
    "no JSON": (lambda p: zipped(p, (SET_NAME, b"{"), ("film.mp4", FILM)), "not valid JSON"),
    "not UTF-8": (lambda p: zipped(p, (SET_NAME, b"\xff\xfe{}"), ("film.mp4", FILM)), "not valid JSON"),
    "deep JSON": (lambda p: zipped(p, (SET_NAME, b"[" * 90_000), ("film.mp4", FILM)), "not valid JSON"),
    "huge set": (lambda p: zipped(p, (SET_NAME, b" " * 300_000 + told()), ("film.mp4", FILM)), "too large"),
    "other format": (lambda p: zipped(p, (SET_NAME, told(format="other")), ("film.mp4", FILM)), "format"),
    "newer format": (lambda p: zipped(p, (SET_NAME, told(version=2)), ("film.mp4", FILM)), "version"),
    "wrong tempo": (lambda p: zipped(p, (SET_NAME, told(set={"tempo": "slow"})), ("film.mp4", FILM)), "set.tempo"),
    "no number": (lambda p: zipped(p, (SET_NAME, told(set={"load_kg": 1e9})), ("film.mp4", FILM)), "set.load_kg"),
    "locked": (locked, "password"),
    "cut": (lambda p: cut(zipped(p, (SET_NAME, told()), ("film.mp4", FILM))), "damaged"),
    "text": (lambda p: wrote(p, b"hello"), "damaged"),
    "empty": (lambda p: wrote(p, b""), "damaged"),
}


def cut(path: Path) -> Path:
    path.write_bytes(path.read_bytes()[:-400])
    return path


def wrote(path: Path, data: bytes) -> Path:
    path.write_bytes(data)
    return path


@pytest.mark.parametrize("case", HOSTILE)
def test_hostile_and_broken_archives_are_refused_and_leave_nothing(tmp_path: Path, case: str) -> None:
    make, words = HOSTILE[case]
    path = make(tmp_path / "bundle.zip")
    before = path.read_bytes()
    with pytest.raises(BadBundle) as refused:
        read_bundle(path, tmp_path / "in")
    assert words in refused.value.sentence and "\n" not in refused.value.sentence.replace("film\n.mp4", "")
    assert path.read_bytes() == before
    assert not (tmp_path / "in").exists() or list((tmp_path / "in").iterdir()) == []
    assert {p.name for p in tmp_path.iterdir()} <= {"bundle.zip", "in"}


def test_a_wrong_byte_in_the_film_is_found(tmp_path: Path) -> None:
    path = zipped(tmp_path / "bundle.zip", (SET_NAME, told()), ("film.mp4", FILM))
    data = bytearray(path.read_bytes())
    data[data.find(FILM) + 5000] ^= 0xFF
    path.write_bytes(data)
    with pytest.raises(BadBundle, match="damaged"):
        read_bundle(path, tmp_path / "in")
    assert list((tmp_path / "in").iterdir()) == []


def test_what_systems_add_to_a_zip_made_by_hand_is_left_aside(tmp_path: Path) -> None:
    path = zipped(tmp_path / "hand.zip", (SET_NAME, told()), ("film.mp4", FILM), ("__MACOSX/._film.mp4", b"x"))
    assert read_bundle(path, tmp_path / "in").film.name == "film.mp4"


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=400))
def test_no_bytes_make_the_reader_fall_over(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    folder = tmp_path_factory.mktemp("any")
    with pytest.raises(BadBundle):
        read_bundle(wrote(folder / "b.zip", b"PK\x03\x04" + data), folder / "in")
    try:
        check_set(data)
    except BadBundle as error:
        assert error.sentence.endswith(".")
