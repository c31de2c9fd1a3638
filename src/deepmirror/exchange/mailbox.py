"""How films come in and replies go out: the two protocols, and plain folders as their real adapters.

Another service (a mailbox, a store in the net) is added by writing a class with the same methods and choosing it in bootstrap.
"""

from __future__ import annotations

import re
import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from deepmirror.errors import DeepMirrorError, ReplyError
from deepmirror.exchange.bundle import FILM_SUFFIXES
from deepmirror.files import PART, sync_folder, sync_tree, write_whole
from deepmirror.words import say

SUFFIXES = (*FILM_SUFFIXES, ".zip")


@dataclass(frozen=True)
class Letter:
    """Something that came, complete: an id that never means anything else, the name it came under, and where its bytes lie."""

    id: str
    name: str
    path: Path


class Mailbox(Protocol):
    """Where films come from. A letter may be told of again; the reader remembers which ids it took."""

    def letters(self) -> list[Letter]:
        """What has come and is complete, in any order. Raises DeepMirrorError when the mailbox cannot be reached."""
        ...


class Outbox(Protocol):
    """Where replies go."""

    def deliver(self, key: str, recipient: str, title: str, files: list[Path]) -> str:
        """Send files; returns words on where they went. Raises DeepMirrorError when they could not be sent: try again later.

        key: names this reply and no other. What was given under a key before is not sent a second time.
        """
        ...


class FolderMailbox:
    """A folder that is watched: whatever film or bundle lies in it, once it no longer grows. Files are never moved or changed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._sizes: dict[str, tuple[int, int]] = {}

    def letters(self) -> list[Letter]:
        """Files whose size and time stood still since the last look."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            found = {p.name: p for p in self.folder.iterdir() if p.suffix.lower() in SUFFIXES and p.is_file() and not p.is_symlink()}
            sizes = {}
            for name, path in found.items():
                facts = path.stat()
                sizes[name] = (facts.st_size, facts.st_mtime_ns)
        except OSError as error:
            raise DeepMirrorError(
                say("The watched folder “{folder}” cannot be read: {error}.", folder=self.folder, error=error.strerror or error)
            ) from error
        steady = [name for name in sorted(found) if self._sizes.get(name) == sizes[name]]
        self._sizes = sizes
        return [Letter(f"{name}|{sizes[name][0]}|{sizes[name][1]}", name, found[name]) for name in steady]


class FolderOutbox:
    """A folder per reply, for whatever carries it on: each appears whole, once, or not at all.

    What was handed over is remembered in the folder “.handed”, by key: the name it got. The order makes a program that is killed
    in between go on where it was: the copy, the note, the name.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def deliver(self, key: str, recipient: str, title: str, files: list[Path]) -> str:
        """Copy the files into a new folder named by recipient and title."""
        note, part = self.folder / ".handed" / key, self.folder / f".{key}{PART}"
        try:
            if not note.exists():
                shutil.rmtree(part, ignore_errors=True)
                note.parent.mkdir(parents=True, exist_ok=True)
                part.mkdir()
                for path in files:
                    shutil.copyfile(path, part / path.name)
                sync_tree(part)
                write_whole(note, self._free_name(recipient, title).encode())
            target = self.folder / note.read_text("utf-8")
            if part.exists():
                if target.exists():  # another reply took the name while the program was gone
                    target = self.folder / self._free_name(recipient, title)
                    write_whole(note, target.name.encode())
                part.replace(target)
                sync_folder(self.folder)
        except OSError as error:
            raise ReplyError(
                say(
                    "The reply could not be put into “{folder}”: {error}. It is kept; try again.",
                    folder=self.folder,
                    error=error.strerror or error,
                )
            ) from error
        return say("put into {target}", target=target)

    def _free_name(self, recipient: str, title: str) -> str:
        base = plain_name(f"{recipient} {title}")
        name, number = base, 1
        while (self.folder / name).exists():
            number += 1
            name = f"{base} ({number})"
        return name


def plain_name(words: str) -> str:
    """Words as a file name every system takes."""
    clean = re.sub(r"[^\w ()+-]", "", words).strip()
    return re.sub(r"\s+", " ", clean)[:80] or "reply"
