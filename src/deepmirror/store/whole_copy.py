"""The whole library as one file, and back: a ZIP with a list of everything in it and each file's SHA-256.

Left out is what a new start makes by itself or what belongs to this computer: passing files, rolling backups, the log, the lock.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import IO

from deepmirror.errors import LibraryError
from deepmirror.files import PRIVATE_FILE, make_private, part_of, private_folder, put_in_place, sync_tree
from deepmirror.store.backups import DATABASE, copy_whole, damage, database_of
from deepmirror.words import say

LIST = "contents.json"
FORMAT, VERSION = "deep-mirror-library", 1
LEFT_OUT = ("work", "backups", "state")
BLOCK = 1 << 20
Report = Callable[[float], object]  # the share that is done


def write_copy(folder: Path, target: Path, report: Report = lambda _: None) -> int:
    """Write a library into one file and read it back; returns how many files it holds. It appears whole or not at all.

    Raises LibraryError.
    """
    part, snapshot = part_of(target), folder / "work" / f"whole-{target.stem}.db"
    try:
        copy_whole(database_of(folder), snapshot)
        files = [(snapshot, DATABASE), *((p, p.relative_to(folder).as_posix()) for p in _kept(folder))]
        total = sum(p.stat().st_size for p, _ in files)
        done, listed = 0, []
        part.touch(mode=PRIVATE_FILE)
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as whole:
            for path, name in files:
                with path.open("rb") as read, whole.open(name, "w", force_zip64=True) as into:
                    size, digest = _through(read, into)
                listed.append({"path": name, "size": size, "sha256": digest})
                done += size
                report(0.6 * done / max(total, 1))
            about = {"format": FORMAT, "version": VERSION, "made": datetime.now(UTC).isoformat(timespec="seconds"), "files": listed}
            whole.writestr(LIST, json.dumps(about, indent=1))
        _read_back(part, total, lambda share: report(0.6 + 0.4 * share))
        put_in_place(part, target)
    except (OSError, zipfile.BadZipFile) as error:
        raise LibraryError(
            say(
                "The library could not be written into “{name}”: {error}.",
                name=target.name,
                error=getattr(error, "strerror", None) or error,
            )
        ) from error
    finally:
        part.unlink(missing_ok=True)
        snapshot.unlink(missing_ok=True)
    return len(listed)


def read_copy(source: Path, folder: Path, report: Report = lambda _: None) -> int:
    """Make a library of such a file, in a folder that is not there yet or is empty; returns how many files. Raises LibraryError, and
    leaves nothing."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise LibraryError(say("“{folder}” holds something already: choose an empty folder, so that nothing is lost.", folder=folder))
    beside = part_of(folder)
    try:
        with zipfile.ZipFile(source) as whole:
            listed = _contents(whole)
            total, done = sum(int(f["size"]) for f in listed), 0
            shutil.rmtree(beside, ignore_errors=True)
            private_folder(beside)
            for file in listed:
                path = beside / file["path"]
                path.parent.mkdir(parents=True, exist_ok=True)
                with whole.open(file["path"]) as read, path.open("wb") as into:
                    size, digest = _through(read, into)
                _must_match(file, size, digest)
                done += size
                report(done / max(total, 1))
        if problem := damage(beside / DATABASE):
            raise LibraryError(say("The library in “{name}” is damaged: {problem}.", name=source.name, problem=problem))
        make_private(beside)
        sync_tree(beside)
        if folder.exists():
            folder.rmdir()
        beside.replace(folder)
    except (OSError, zipfile.BadZipFile, KeyError, ValueError, TypeError) as error:
        raise LibraryError(
            say("“{name}” cannot be read as a library: {error}.", name=source.name, error=getattr(error, "strerror", None) or error)
        ) from error
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    return len(listed)


def _kept(folder: Path) -> Iterator[Path]:
    """Everything else that belongs to the library, in a steady order."""
    for path in sorted(folder.rglob("*")):
        parts = path.relative_to(folder).parts
        if path.is_file() and not path.is_symlink() and len(parts) > 1 and parts[0] not in LEFT_OUT and not path.name.endswith(".part"):
            yield path


def _through(read: IO[bytes], into: IO[bytes] | None) -> tuple[int, str]:
    """Copy to the end; how many bytes, and their hash."""
    digest, size = hashlib.sha256(), 0
    while block := read.read(BLOCK):
        digest.update(block)
        size += len(block)
        if into is not None:
            into.write(block)
    return size, digest.hexdigest()


def _contents(whole: zipfile.ZipFile) -> list[dict[str, str]]:
    """The list of files. Raises LibraryError when it is none, or names places outside the library."""
    about = json.loads(whole.read(LIST))
    if about.get("format") != FORMAT:
        raise LibraryError("That file is no copy of a library.")
    if int(about["version"]) > VERSION:
        raise LibraryError("That copy was made by a newer version of Deep Mirror.")
    for file in about["files"]:
        path = PurePosixPath(file["path"])
        if path.is_absolute() or ".." in path.parts:
            raise LibraryError(say("That copy names a file outside the library (“{path}”): it is not read.", path=path))
    return list(about["files"])


def _read_back(part: Path, total: int, report: Report) -> None:
    done = 0
    with zipfile.ZipFile(part) as whole:
        for file in _contents(whole):
            with whole.open(file["path"]) as read:
                size, digest = _through(read, None)
            _must_match(file, size, digest)
            done += size
            report(done / max(total, 1))


def _must_match(file: dict[str, str], size: int, digest: str) -> None:
    if size != int(file["size"]) or digest != file["sha256"]:
        raise LibraryError(say("“{path}” in the copy is not what was written: the copy is damaged.", path=file["path"]))
