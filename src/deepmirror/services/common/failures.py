"""What becomes of an error nobody foresaw: a report without a client's data in the library's state folder, a line in its log.

A report names the kind of error and where in the program it came up. What the error says may hold a name or a path and is left out.
"""

from __future__ import annotations

import faulthandler
import logging
import platform
import traceback
from datetime import UTC, datetime
from importlib.metadata import version
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import TextIO

from deepmirror.files import write_whole
from deepmirror.words import say

LOG = logging.getLogger("deepmirror")
LOG_BYTES, LOGS_KEPT, REPORTS_KEPT = 500_000, 3, 20  # of the program's log and reports; our own choice
PACKAGES = ("site-packages", "deepmirror", "lib")


class FailureLog:
    """Keeps reports and a log in a folder. Nothing in here raises: a failure to report a failure is swallowed."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._seen: dict[str, Path | None] = {}
        self._handler: RotatingFileHandler | None = None
        self._faults: TextIO | None = None

    def start(self) -> None:
        """Begin the log, and have the interpreter write down where it was when the process itself breaks."""
        try:
            self._handler = RotatingFileHandler(self.folder / "log.txt", maxBytes=LOG_BYTES, backupCount=LOGS_KEPT, encoding="utf-8")
            self._faults = (self.folder / "hard-faults.txt").open("a", encoding="utf-8")
        except OSError:
            return
        self._handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
        LOG.addHandler(self._handler)
        LOG.setLevel(logging.INFO)
        LOG.propagate = False
        faulthandler.enable(self._faults)
        LOG.info("started, version %s", version("deepmirror"))

    def stop(self) -> None:
        """End the log."""
        if self._handler is not None:
            LOG.info("ended")
            LOG.removeHandler(self._handler)
            self._handler.close()
            self._handler = None
        if self._faults is not None:
            faulthandler.disable()
            self._faults.close()
            self._faults = None

    def note(self, error: BaseException, doing: str) -> Path | None:
        """Report an error; returns the report, None when it could not be written. The same one again only counts in the log."""
        return self.note_words(describe(error), doing)

    def note_words(self, words: str, doing: str) -> Path | None:
        """Report an error that was described elsewhere, by a process apart."""
        LOG.error("%s: %s", doing, words.splitlines()[0] if words else "no words")
        if words not in self._seen:
            self._seen[words] = self._write(words, doing)
        return self._seen[words]

    def sentence(self, report: Path | None) -> str:
        """What the coach is told."""
        where = say(" A report without any client's data lies in “{report}”.", report=report) if report is not None else ""
        return say("Something in Deep Mirror went wrong and was left undone; what you entered is kept.{where}", where=where)

    def _write(self, words: str, doing: str) -> Path | None:
        now = datetime.now(UTC)
        facts = (f"Deep Mirror {version('deepmirror')}", f"Python {platform.python_version()}", platform.platform(terse=True))
        lines = [f"{now:%Y-%m-%d %H:%M:%S} UTC", *facts, f"while: {doing}", "", words, ""]
        path = self.folder / f"crash-{now:%Y%m%d-%H%M%S%f}.txt"
        try:
            write_whole(path, "\n".join(lines).encode())
            for old in sorted(self.folder.glob("crash-*.txt"))[:-REPORTS_KEPT]:
                old.unlink()
        except OSError:
            return None
        return path


def describe(error: BaseException) -> str:
    """Kinds of error and places in the program, the cause first; nothing of what the errors say."""
    chain: list[BaseException] = []
    present: BaseException | None = error
    while present is not None and present not in chain:
        chain.append(present)
        present = present.__cause__ or (None if present.__suppress_context__ else present.__context__)
    parts = [f"{type(e).__module__}.{type(e).__qualname__}\n{_places(e.__traceback__)}" for e in reversed(chain)]
    return f"{type(error).__qualname__}\n" + "\nthen\n".join(parts)


def _places(trace: TracebackType | None) -> str:
    frames = traceback.extract_tb(trace) if trace is not None else []
    return "\n".join(f"  {_short(f.filename)}:{f.lineno} in {f.name}" for f in frames)


def _short(filename: str) -> str:
    """A path from the package on, without the folders of the machine it lies on."""
    parts = Path(filename).parts
    start = next((i for name in PACKAGES if (i := _last(parts, name)) is not None), None)
    return "/".join(parts[start:]) if start is not None else parts[-1] if parts else "?"


def _last(parts: tuple[str, ...], name: str) -> int | None:
    return max((i for i, part in enumerate(parts) if part == name), default=None)
