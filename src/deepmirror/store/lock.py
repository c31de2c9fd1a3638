"""One library, one writer: a lock that the system takes back by itself when the program ends, however it ends."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

from deepmirror.errors import LibraryBusy, LibraryError
from deepmirror.files import PRIVATE_FILE
from deepmirror.words import say

LOCK_NAME = "library.lock"


class WriterLock:
    """Held from the making to `release`. Raises LibraryBusy when another program, or this one a second time, holds it."""

    def __init__(self, folder: Path) -> None:
        path = folder / LOCK_NAME
        try:
            self._handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, PRIVATE_FILE)
        except OSError as error:
            raise LibraryError(
                say("The library folder “{folder}” cannot be used: {error}.", folder=folder, error=error.strerror or error)
            ) from error
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            holder = os.read(self._handle, 20).decode("ascii", "replace").strip()
            os.close(self._handle)
            who = say(" (process {holder})", holder=holder) if holder.isdigit() else ""
            raise LibraryBusy(
                say("This library is open in another Deep Mirror{who}. Close it there, or open it here for reading only.", who=who)
            ) from None
        except OSError:  # a file system without locks: nothing can be promised there, and nobody is locked out
            return
        os.ftruncate(self._handle, 0)
        os.write(self._handle, str(os.getpid()).encode())

    def release(self) -> None:
        """Let another program have the library."""
        os.close(self._handle)
