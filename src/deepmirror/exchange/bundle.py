"""A client's bundle: one zip with a film, a note and what was lifted. Read with suspicion, written plainly.

set.json     what the film shows (SetFile below; schema in schemas/set.schema.json)
the film     one film file, named by set.json

Nothing else belongs in it, and nothing of it is unpacked before everything was checked.
"""

from __future__ import annotations

import json
import lzma
import stat
import struct
import zipfile
import zlib
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Annotated, Literal

from pydantic import Field, ValidationError

from deepmirror.documents import Document
from deepmirror.errors import BadBundle
from deepmirror.exchange.brief import OpenPart, TempoText
from deepmirror.exchange.plan_file import DonePart, PainPart
from deepmirror.words import say

FILM_SUFFIXES = (".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi", ".3gp")
SET_NAME = "set.json"
FORMAT = "deep-mirror-set"
LARGEST_FILM_BYTES = 2_000_000_000
LARGEST_SET_BYTES = 200_000
MOST_ENTRIES = 24  # our own bundles have two; a zip made by hand may carry a few folder entries
LARGEST_RATIO = 100  # films hardly shrink: what grows a hundredfold is not one
BLOCK = 1 << 20
LEFT_ASIDE = ("__MACOSX/",)  # what some systems add to every zip made by hand


class SetPart(OpenPart):
    """What was lifted."""

    number: Annotated[int, Field(ge=1, le=60)] | None = None
    reps: Annotated[int, Field(ge=0, le=500)] | None = None
    load_kg: Annotated[float, Field(ge=0, le=1000)] | None = None
    effort: Annotated[float, Field(ge=0, le=10)] | None = None
    tempo: TempoText | None = None


class SetFile(OpenPart):
    """set.json: who, which movement, from where it was filmed, the set, and a note to the coach."""

    format: Literal["deep-mirror-set"]
    version: Annotated[int, Field(ge=1, le=1)]
    client: Annotated[str, Field(min_length=1, max_length=200)]
    film: Annotated[str, Field(min_length=1, max_length=200)]
    movement: Annotated[str, Field(max_length=80)] | None = None
    view: Literal["side-left", "side-right", "front", "rear"] | None = None
    machine: Annotated[str, Field(max_length=80)] | None = None
    filmed_at: datetime | None = None
    note: Annotated[str, Field(max_length=4000)] = ""
    answers: Annotated[str, Field(max_length=80)] | None = None
    set: SetPart = SetPart()
    done: Annotated[list[DonePart], Field(max_length=200)] = Field(
        default=[]
    )  # what else was done that day: the session sent back, filled in
    pain: Annotated[list[PainPart], Field(max_length=20)] = Field(default=[])


@dataclass(frozen=True)
class Bundle:
    """A checked bundle: what it says and where its film was unpacked to."""

    told: SetFile
    film: Path


def is_bundle(path: Path) -> bool:
    """True for what should be read as a bundle, by name or by its first bytes."""
    if path.suffix.lower() == ".zip":
        return True
    try:
        with path.open("rb") as file:
            return file.read(4) == b"PK\x03\x04"
    except OSError:
        return False


def read_bundle(path: Path, folder: Path, name: str | None = None) -> Bundle:
    """Check a bundle and unpack its film into `folder`. name: what it came under. Raises BadBundle; it is never changed."""
    name = name or path.name
    try:
        with zipfile.ZipFile(path) as archive:
            members = _checked_members(name, archive)
            told = _read_set(archive, members)
            member = members.get(told.film)
            if member is None:
                raise BadBundle(say("The bundle “{name}” names a film “{film}” that is not in it.", name=name, film=told.film))
            if PurePosixPath(told.film).suffix.lower() not in FILM_SUFFIXES:
                raise BadBundle(say("“{film}” in the bundle “{name}” is not a film by its name.", film=told.film, name=name))
            strangers = sorted(set(members) - {SET_NAME, told.film})
            if strangers:
                raise BadBundle(
                    say("The bundle “{name}” holds something besides a film and its set: “{strangers}”.", name=name, strangers=strangers[0])
                )
            return Bundle(told, _unpack(name, archive, member, folder))
    except (zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, lzma.LZMAError, struct.error, EOFError, ValueError) as error:
        raise BadBundle(say("The bundle “{name}” is damaged: {error}. Ask for it again.", name=name, error=error)) from error
    except (RuntimeError, NotImplementedError) as error:  # zipfile's words for passwords and rare compressions
        raise BadBundle(say("The bundle “{name}” cannot be opened: {error}.", name=name, error=error)) from error
    except OSError as error:
        raise BadBundle(say("The bundle “{name}” cannot be read: {error}.", name=name, error=error.strerror or error)) from error


def _checked_members(name: str, archive: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    """All files of the archive by name, each one harmless. Raises BadBundle."""
    if len(archive.infolist()) > MOST_ENTRIES:
        raise BadBundle(
            say("The bundle “{name}” holds {entries} entries; a film and its set are two.", name=name, entries=len(archive.infolist()))
        )
    members: dict[str, zipfile.ZipInfo] = {}
    for info in archive.infolist():
        inside = info.filename
        if inside.startswith(LEFT_ASIDE):
            continue
        kind = stat.S_IFMT(info.external_attr >> 16)
        if kind not in (0, stat.S_IFREG):
            raise BadBundle(
                say("The bundle “{name}” holds a link or a folder (“{inside}”) where only files belong.", name=name, inside=inside)
            )
        if "/" in inside or "\\" in inside or ":" in inside or inside in ("", ".", "..") or not inside.isprintable():
            raise BadBundle(say("The bundle “{name}” names a file outside itself: “{inside}”.", name=name, inside=inside))
        if inside in members:
            raise BadBundle(say("The bundle “{name}” holds “{inside}” twice.", name=name, inside=inside))
        if info.flag_bits & 0x1:
            raise BadBundle(say("The bundle “{name}” is locked with a password.", name=name))
        if info.file_size > LARGEST_FILM_BYTES:
            raise BadBundle(
                say(
                    "“{inside}” in the bundle “{name}” would be {file_size:.1f} GB, which is too large.",
                    inside=inside,
                    name=name,
                    file_size=info.file_size / 1e9,
                )
            )
        if info.file_size > BLOCK and info.file_size > LARGEST_RATIO * max(info.compress_size, 1):
            raise BadBundle(
                say(
                    "“{inside}” in the bundle “{name}” grows {file_size}-fold: not a film.",
                    inside=inside,
                    name=name,
                    file_size=info.file_size // max(info.compress_size, 1),
                )
            )
        members[inside] = info
    if SET_NAME not in members:
        raise BadBundle(say("The bundle “{name}” has no {set_name}, which says whose film it is.", name=name, set_name=SET_NAME))
    return members


def _read_set(archive: zipfile.ZipFile, members: dict[str, zipfile.ZipInfo]) -> SetFile:
    with archive.open(members[SET_NAME]) as file:
        raw = file.read(LARGEST_SET_BYTES + 1)
    if len(raw) > LARGEST_SET_BYTES:
        raise BadBundle(say("The bundle's {set_name} is too large to be one.", set_name=SET_NAME))
    return check_set(raw)


def check_set(raw: bytes) -> SetFile:
    """Check the bytes of a set.json. Raises BadBundle."""
    try:
        return SetFile.model_validate(json.loads(raw))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"]) or "the whole"
        raise BadBundle(
            say("The bundle's {set_name} is not right at {place}: {msg}.", set_name=SET_NAME, place=place, msg=first["msg"])
        ) from error
    except (ValueError, RecursionError) as error:  # also a number of thousands of digits
        raise BadBundle(say("The bundle's {set_name} is not valid JSON: {error}.", set_name=SET_NAME, error=error)) from error


def _unpack(name: str, archive: zipfile.ZipFile, member: zipfile.ZipInfo, folder: Path) -> Path:
    """Unpack one film, counting what really comes out of the archive."""
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / member.filename
    written = 0
    try:
        with archive.open(member) as source, target.open("wb") as out:
            while block := source.read(BLOCK):
                written += len(block)
                if written > member.file_size:
                    raise BadBundle(say("“{filename}” in the bundle “{name}” is larger than it says.", filename=member.filename, name=name))
                out.write(block)
    except BaseException:
        target.unlink(missing_ok=True)
        raise
    return target


def write_bundle(path: Path, told: SetFile, film: Path) -> None:
    """Write a bundle as a client's phone would; films are stored as they are."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(SET_NAME, told.model_dump_json(exclude_none=True, indent=1))
        archive.write(film, told.film)


def set_schema() -> Document:
    """The JSON Schema of set.json (draft 2020-12), made from the checks themselves."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **SetFile.model_json_schema()}
