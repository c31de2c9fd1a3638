"""What a coach can do when her library cannot be opened as usual: go back to a backup."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from deepmirror.store.backups import restore, sound_backups
from deepmirror.words import say


@dataclass(frozen=True)
class Backup:
    """A backup that passed SQLite's check, and when it was made, in words."""

    path: Path
    words: str


def backups_at_hand(folder: Path) -> list[Backup]:
    """Backups of a library that can take its database's place, newest first."""
    return [Backup(p, f"{datetime.fromtimestamp(p.stat().st_mtime):%d %B %Y, %H:%M}") for p in sound_backups(folder)]


def go_back_to(folder: Path, backup: Backup) -> str:
    """Put a backup in the place of a damaged database; returns a sentence on what became of that. Raises LibraryError."""
    aside = restore(folder, backup.path)
    return say("The library is as it was on {words}. The damaged database is kept as “{name}”.", words=backup.words, name=aside.name)
