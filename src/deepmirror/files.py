"""Files that appear whole or not at all, that are on the disk before they count, and that nobody else on the machine may read.

What is under way carries the ending PART; a program that starts finds such files and finishes or clears them.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

PART = ".part"
PRIVATE_FOLDER, PRIVATE_FILE = 0o700, 0o600


def part_of(path: Path) -> Path:
    """Where a file lies while it is written."""
    return path.with_name(path.name + PART)


def write_whole(path: Path, write: bytes | Callable[[BinaryIO], object]) -> None:
    """Write a file that only its owner may read; it is on the disk when it appears under its name. Raises OSError."""
    part = part_of(path)
    try:
        with open(part, "wb", opener=_private) as file:
            if callable(write):
                write(file)
            else:
                file.write(write)
            file.flush()
            os.fsync(file.fileno())
        put_in_place(part, path)
    except BaseException:
        part.unlink(missing_ok=True)
        raise


def copy_part(source: Path, target: Path) -> Path:
    """Copy a file beside its last place, on the disk; `put_in_place` makes it count. Raises OSError and leaves nothing."""
    part = part_of(target)
    try:
        with source.open("rb") as read, open(part, "wb", opener=_private) as file:
            shutil.copyfileobj(read, file, 1 << 20)
            file.flush()
            os.fsync(file.fileno())
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return part


def put_in_place(part: Path, path: Path) -> None:
    """Give what was written its last name, in one step that a loss of power does not halve. Raises OSError."""
    part.replace(path)
    sync_folder(path.parent)


def sync_folder(folder: Path) -> None:
    """Have a folder's entries on the disk; a file system that cannot do it is left alone."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    except OSError:  # some network and union file systems refuse it on folders
        pass
    finally:
        os.close(handle)


def sync_tree(folder: Path) -> None:
    """Have every file below a folder, and the folder itself, on the disk. Raises OSError."""
    for path in folder.rglob("*"):
        if path.is_file():
            with path.open("rb") as file:
                os.fsync(file.fileno())
    sync_folder(folder)


def private_folder(path: Path) -> Path:
    """A folder only its owner may enter, made when it is not there. Raises OSError."""
    path.mkdir(parents=True, exist_ok=True, mode=PRIVATE_FOLDER)
    if path.stat().st_mode & 0o077:
        path.chmod(PRIVATE_FOLDER)
    return path


def make_private(path: Path) -> None:
    """Take the rights of others off whatever lies below a folder; links are left alone."""
    for folder, names, files in os.walk(path):
        for name in (*names, *files):
            entry = os.path.join(folder, name)
            mode = os.lstat(entry).st_mode
            if mode & 0o077 and not os.path.islink(entry):
                os.chmod(entry, mode & 0o700)


def private_by_default() -> None:
    """From now on whatever this process makes is its owner's alone; a stricter setting of the user's stays."""
    os.umask(os.umask(0o077) | 0o077)


def _private(name: str, flags: int) -> int:
    return os.open(name, flags, PRIVATE_FILE)
