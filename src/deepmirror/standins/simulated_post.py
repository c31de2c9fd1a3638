"""A simulated post for the demo and the tests: letters arrive by a written plan, some late, twice, damaged or out of order.

The plan (JSON) is a list of letters: after_s (s after the start), name, film (a file beside the plan), told (the bundle's
set.json, or absent for a bare film), and damage: "cut" (half the bytes), "letter" (a wrong byte in the middle), or absent.
The same plan always gives the same bytes.
"""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from pathlib import Path

from deepmirror.documents import Document
from deepmirror.errors import ReplyError
from deepmirror.exchange.bundle import SET_NAME, check_set
from deepmirror.exchange.mailbox import FolderOutbox, Letter

FIXED_TIME = (2026, 3, 2, 12, 0, 0)


class SimulatedMailbox:
    """Letters of a plan, each from its time on. clock: seconds since the start, as the caller counts them."""

    def __init__(self, plan: Path, folder: Path, clock: Callable[[], float]) -> None:
        self._letters = json.loads(plan.read_text("utf-8"))["letters"]
        self._films, self._folder, self._clock = plan.parent, folder, clock

    def letters(self) -> list[Letter]:
        """What has arrived by now; later letters may come before earlier ones when the plan says so."""
        now = self._clock()
        out = []
        for number, letter in enumerate(self._letters):
            if letter["after_s"] <= now:
                path = self._folder / f"{number:02d}" / letter["name"]
                if not path.exists():
                    self._write(letter, path)
                out.append(Letter(f"simulated-{number}-{letter['name']}", letter["name"], path))
        return out

    def _write(self, letter: Document, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        film = self._films / letter["film"]
        if "told" in letter:
            told = check_set(json.dumps(letter["told"]).encode())
            with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
                for name, data in ((SET_NAME, told.model_dump_json(exclude_none=True).encode()), (told.film, film.read_bytes())):
                    archive.writestr(zipfile.ZipInfo(name, FIXED_TIME), data)
            data = path.read_bytes()
        else:
            data = film.read_bytes()
        damage = letter.get("damage")
        if damage == "cut":
            data = data[: len(data) // 2]
        elif damage == "letter":
            middle = len(data) // 2
            data = data[:middle] + bytes([data[middle] ^ 0xFF]) + data[middle + 1 :]
        path.write_bytes(data)


class SimulatedOutbox:
    """An outbox that fails the first `failures` times and then puts replies into a folder."""

    def __init__(self, folder: Path, failures: int = 0) -> None:
        self._real, self._failures = FolderOutbox(folder), failures

    def deliver(self, key: str, recipient: str, title: str, files: list[Path]) -> str:
        """As the real one, after so many failures."""
        if self._failures > 0:
            self._failures -= 1
            raise ReplyError("The simulated outbox does not answer just now. The reply is kept; try again.")
        return self._real.deliver(key, recipient, title, files)
