"""A film that is still being written, by a phone that syncs into a folder or by another recorder, fed like a camera."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import av.error

from deepmirror.errors import NoCamera
from deepmirror.media.camera import Shot
from deepmirror.media.film import CONTAINERS
from deepmirror.words import say

FILMS = (".mp4", ".mov", ".mkv", ".webm", ".ts", ".avi", ".3gp", ".m4v")
OVER_S = 3.0  # a file that has not grown for so long is whole; our own choice
LOOK_S = 0.1  # between looks at a file or a folder; our own choice


class FollowedFilm:
    """A growing film file, or the next film that appears in a folder. Pictures come as the file brings them.

    A file whose index stands at its end (as phones write them) can be read only once it is whole: it is waited for, and then fed as
    quickly as it is taken.
    """

    def __init__(self, path: Path, over_s: float = OVER_S, clock: Callable[[], float] = time.monotonic) -> None:
        """Raises NoCamera."""
        if not path.exists():
            raise NoCamera(say("There is neither a folder nor a film “{path}”.", path=path))
        self._clock, self._over_s, self._closed = clock, over_s, False
        self._known = {p for p in path.iterdir() if p.suffix.lower() in FILMS} if path.is_dir() else set()
        self._path, self.path = path, None if path.is_dir() else path
        self.size, self.fps, self.lost = (0, 0), 0.0, True
        self._last_s, self._ended = 0.0, clock()
        self._container: Any = None
        self._file: _Growing | None = None

    def open(self) -> FollowedFilm:
        """Wait for the film and read what it is. Raises NoCamera when what came is no film, or when it was closed meanwhile."""
        while self.path is None and not self._closed:
            fresh = [p for p in sorted(self._path.iterdir()) if p.suffix.lower() in FILMS and p not in self._known]
            self.path = fresh[0] if fresh else None
            if self.path is None:
                time.sleep(LOOK_S)
        while not self._closed and self.path is not None:
            self._file = _Growing(self.path, self._waits)
            try:
                self._container = av.open(self._file, options={"format_whitelist": CONTAINERS})
                stream = self._container.streams.video[0]
                self.size, self.fps = (stream.codec_context.width, stream.codec_context.height), float(stream.average_rate or 30)
                self.lost = False
                return self
            except (av.error.FFmpegError, IndexError, ValueError) as error:
                self._file.close()
                if not self._waits(self.path.stat().st_size):
                    raise NoCamera(
                        say("“{name}” is no film: {error}.", name=self.path.name, error=getattr(error, "strerror", None) or error)
                    ) from error
        raise NoCamera("Nothing came before it was closed.")

    def _waits(self, size: int) -> bool:
        """Wait until the file is longer than size; False when it has not grown for so long that it is whole."""
        assert self.path is not None
        since = self._clock()
        while not self._closed and self._clock() - since < self._over_s:
            if self.path.stat().st_size > size:
                return True
            time.sleep(LOOK_S)
        return False

    def shots(self) -> Iterator[Shot]:
        """Every frame as it comes. Raises NoCamera."""
        if self._container is None:
            self.open()
        first: float | None = None
        number = 0
        try:
            for frame in self._container.decode(video=0):
                if frame.time is None or self._closed:
                    continue
                first = frame.time if first is None else first
                self._last_s, self._ended = frame.time - first, self._clock()
                yield Shot(number, self._last_s, frame.to_ndarray(format="rgb24"))
                number += 1
        except av.error.FFmpegError:
            return  # torn at its end: what came is the film

    def now_s(self) -> float:
        """The film's time; it goes on while nothing comes."""
        return self._last_s + self._clock() - self._ended

    def close(self) -> None:
        """Stop waiting, and let go of the file."""
        self._closed = True
        if self._container is not None:
            self._container.close()
        if self._file is not None:
            self._file.close()


class _Growing:
    """A file that is read as it grows; its end is reached when it grows no more."""

    def __init__(self, path: Path, waits: Callable[[int], bool]) -> None:
        self._file, self._waits = path.open("rb"), waits

    def read(self, n: int) -> bytes:
        """Up to n bytes, waiting for them."""
        while True:
            data = self._file.read(n)
            if data or not self._waits(self._file.tell()):
                return data

    def close(self) -> None:
        """Close the file."""
        self._file.close()
