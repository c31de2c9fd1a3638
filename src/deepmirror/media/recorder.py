"""Recording what a camera shows while it runs: the seconds before the set too, into a film that plays up to its last second
whatever ends the program.

The file is an MP4 in short fragments: each is whole once it is written, and none needs an index at the end.
"""

from __future__ import annotations

import queue
import shutil
import threading
from collections import deque
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import RecordingFailed
from deepmirror.media.camera import Shot
from deepmirror.media.writer import yuv
from deepmirror.words import say

TIME_BASE = Fraction(1, 90000)
FRAGMENT_S = 0.2  # what a killed program loses, and what waits to be written; our own choice
KEY_S = 3 * FRAGMENT_S  # from one picture that stands by itself to the next: a place to leap to; our own choice
PRE_ROLL_S = 12.0  # kept before a set begins, so that a first rep is never lost, also one that begins it; our own choice
JPEG_QUALITY = 95
WHOLE_AT_MOST = 90  # pictures that wait to be written as they are; where the writer falls further behind they wait packed; our own choice
ENOUGH_BYTES, SCARCE_BYTES = 150_000_000, 1_000_000_000  # of disk: below the first nothing is begun, below the second it is said
OPTIONS = {"preset": "ultrafast", "tune": "zerolatency", "crf": "23"}
FRAGMENTS = {"movflags": "frag_keyframe+empty_moov+default_base_moof", "frag_duration": str(round(1e6 * FRAGMENT_S)), "flush_packets": "1"}


@dataclass(frozen=True)
class Kept:
    """A picture that waits to be written: its number and time on the camera's clock, s, and its pixels as the film takes
    them (1.5 H, W; see `yuv`), or packed as JPEG."""

    number: int
    time_s: float
    pixels: NDArray[np.uint8]

    def yuv(self) -> NDArray[np.uint8]:
        """Its pixels as the film takes them (1.5 H, W)."""
        return self.pixels if self.pixels.ndim == 2 else yuv(unpacked(self.pixels))

    def picture(self) -> NDArray[np.uint8]:
        """Its pixels (H, W, 3) RGB."""
        return np.asarray(cv2.cvtColor(self.pixels, cv2.COLOR_YUV2RGB_I420), np.uint8) if self.pixels.ndim == 2 else unpacked(self.pixels)


@dataclass(frozen=True)
class Recording:
    """A film that was recorded: its file, and the camera's times (s) of its pictures, which are the film's frames in order."""

    path: Path
    times: NDArray[np.float64]


class Recorder:
    """Keeps the last seconds, and from `start` to `stop` everything. Pictures are pushed from the camera's thread; writing has its own."""

    def __init__(self, size: tuple[int, int], fps: float, pre_roll_s: float = PRE_ROLL_S) -> None:
        self._size, self._fps, self._pre_roll_s = size, fps, pre_roll_s
        self._before: deque[Kept] = deque()
        self._waiting: queue.Queue[Kept | None] | None = None
        self._writer: threading.Thread | None = None
        self._times: list[float] = []
        self._path = Path()
        self._failed: Exception | None = None
        self._lock = threading.Lock()

    @property
    def running(self) -> bool:
        """True between start and stop."""
        return self._waiting is not None

    def push(self, shot: Shot) -> Kept:
        """Take a picture; it is written, or kept for a while in case a set begins. Given back as it is kept: smaller than it came."""
        with self._lock:
            if self._waiting is not None:
                behind = self._waiting.qsize() > WHOLE_AT_MOST
                kept = Kept(shot.number, shot.time_s, packed(shot.picture) if behind else yuv(shot.picture))
                if self._failed is None:  # else nobody takes them any more, and they would fill the memory
                    self._waiting.put(kept)
                    self._times.append(shot.time_s)
                return kept
            kept = Kept(shot.number, shot.time_s, packed(shot.picture))
            self._before.append(kept)
            while self._before[-1].time_s - self._before[0].time_s > self._pre_roll_s:
                self._before.popleft()
            return kept

    def start(self, path: Path) -> list[Kept]:
        """Begin a film with what was kept, which is given back. Raises RecordingFailed without room for it."""
        if shutil.disk_usage(path.parent).free < ENOUGH_BYTES:
            raise RecordingFailed("There is no room left on the disk for a film: free some before you record.")
        with self._lock:
            self._waiting, self._path, self._failed = queue.Queue(), path, None
            kept = list(self._before)
            for picture in kept:
                self._waiting.put(picture)
            self._times = [k.time_s for k in kept]
            self._before.clear()
            self._writer = threading.Thread(target=self._write, args=(path, self._waiting), name="deepmirror-recorder")
            self._writer.start()
            return kept

    def stop(self) -> Recording:
        """End the film once everything pushed is written. Raises RecordingFailed when the disk did not take it."""
        with self._lock:
            waiting, self._waiting = self._waiting, None
        assert waiting is not None and self._writer is not None
        waiting.put(None)
        self._writer.join()
        if self._failed is not None:
            raise RecordingFailed(
                say("The film could not be written: {error}.", error=getattr(self._failed, "strerror", None) or self._failed)
            )
        return Recording(self._path, np.array(self._times))

    def failed(self) -> bool:
        """True as soon as the disk does not take the film any longer."""
        return self._failed is not None

    def behind(self) -> int:
        """How many pictures wait to be written."""
        return self._waiting.qsize() if self._waiting is not None else 0

    def _write(self, path: Path, waiting: queue.Queue[Kept | None]) -> None:
        try:
            with ExitStack() as files:
                film = files.enter_context(_FragmentedFilm(path, self._size, self._fps))
                while (kept := waiting.get()) is not None:
                    film.add(kept)
        except Exception as error:  # noqa: BLE001 - a full disk ends the film, never the set: it is told at its end
            self._failed = error


class _FragmentedFilm:
    """An H.264 film in fragments, written picture by picture."""

    def __init__(self, path: Path, size: tuple[int, int], fps: float) -> None:
        self._container: Any = av.open(str(path), "w", format="mp4", options=FRAGMENTS)
        rate = Fraction(fps).limit_denominator(1001)
        stream: Any = self._container.add_stream("libx264", rate=rate)
        stream.width, stream.height = (n - n % 2 for n in size)
        stream.pix_fmt, stream.time_base = "yuv420p", TIME_BASE
        stream.codec_context.time_base = TIME_BASE
        stream.options = OPTIONS | {"g": str(max(1, round(fps * KEY_S))), "x264-params": "scenecut=0"}
        self._stream, self._last = stream, -1
        self._begun: float | None = None

    def __enter__(self) -> _FragmentedFilm:
        return self

    def add(self, kept: Kept) -> None:
        """One picture more."""
        if self._begun is None:
            self._begun = kept.time_s
        frame = av.VideoFrame.from_ndarray(kept.yuv(), format="yuv420p")
        self._last = max(self._last + 1, round((kept.time_s - self._begun) / TIME_BASE))
        frame.pts, frame.time_base = self._last, TIME_BASE
        self._container.mux(self._stream.encode(frame))

    def __exit__(self, *_: object) -> None:
        if self._begun is not None:
            self._container.mux(self._stream.encode())
        self._container.close()


def packed(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A picture (H, W, 3) RGB as a JPEG of this program's own: red and blue change places, which spares turning them twice."""
    done, data = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, JPEG_QUALITY])
    if not done:
        raise RecordingFailed("A picture of the camera could not be kept.")
    return np.asarray(data, np.uint8)


def unpacked(jpeg: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """What `packed` packed (H, W, 3) RGB."""
    return np.asarray(cv2.imdecode(jpeg, cv2.IMREAD_COLOR), np.uint8)


def room_left(folder: Path) -> str:
    """A sentence when the disk is nearly full, else nothing."""
    free = shutil.disk_usage(folder).free
    return say("Only {free:.1f} GB are left on the disk.", free=free / 1e9) if free < SCARCE_BYTES else ""
