"""Moving a library: all of it into one file, and a library made of such a file."""

from __future__ import annotations

from pathlib import Path

from deepmirror.errors import LibraryError
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.store.library import LibraryStore
from deepmirror.store.whole_copy import read_copy, write_copy
from deepmirror.words import say


def copy_out(library: FilmLibrary, target: Path, progress: Progress) -> str:
    """Write the open library into one file and read it back; a sentence on what is in it. Raises LibraryError, Cancelled."""
    if not library.saver.retry():
        raise LibraryError(say("Your last edits are not saved yet: {sentence}", sentence=library.saver.sentence))
    count = write_copy(library.store.folder, target, lambda share: progress.report(share, "writing and reading back"))
    return say("{count} files are in “{name}”, each read back and found right.", count=count, name=target.name)


def copy_in(source: Path, folder: Path, progress: Progress) -> str:
    """Make a library of such a file; a sentence on where it is. Raises LibraryError, Cancelled."""
    count = read_copy(source, folder, lambda share: progress.report(share, "reading and comparing"))
    return say("{count} files, each as it was written. Start with: deepmirror window --library “{folder}”", count=count, folder=folder)


def copy_command(folder: Path, target: Path) -> str:
    """The same for a library that is not open."""
    if not folder.is_dir():
        raise LibraryError(say("There is no library folder “{folder}”.", folder=folder))
    store = LibraryStore(folder)
    try:
        count = write_copy(folder, target)
    finally:
        store.close()
    return say("{count} files are in “{target}”, each read back and found right.", count=count, target=target)
