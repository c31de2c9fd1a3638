"""Reading films: exact presentation times, any frame by number, pictures as displayed.

Frames are numbered in presentation order from 0. Pictures are RGB arrays (H, W, 3) uint8 with the film's rotation
applied.
"""

from __future__ import annotations

import stat
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import av.error
import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import BadFilm
from deepmirror.interpreter import give_way
from deepmirror.media.mp4_boxes import HeadOfFile, whole_boxes_end
from deepmirror.words import say

Picture = NDArray[np.uint8]

MAX_SIDE_PX, MIN_SIDE_PX = 8192, 64
MAX_DURATION_S = 1800.0
MIN_FPS = 5.0  # slower than that a repetition is a handful of pictures: nothing of it can be timed
SHORTEST_STEP_S = 1 / 4000  # no camera is quicker: stamps nearer to one another are damaged
CACHE_BYTES = 120_000_000
LAST_PARTS = 3  # how many parts between key frames are given up at a damaged end before the film is called damaged; our own choice
# Only what holds pictures itself: a playlist names other files, and a client's film must not make the program open them.
CONTAINERS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,avi,mpegts,mpeg"
STREAMS = ("mpegts", "mpeg")  # made to be received, not searched: they are read from the start to wherever is wanted
OPTIONS = {"format_whitelist": CONTAINERS, "protocol_whitelist": "file"}
UNREADABLE = (av.error.FFmpegError, ValueError, OverflowError)  # ValueError: a codec nobody knows, stamps that are none


@dataclass(frozen=True)
class FilmFacts:
    """What a film is: frame count, mean rate, duration s, size as displayed px, clockwise turn applied, codec."""

    frames: int
    fps: float
    duration_s: float
    width: int
    height: int
    rotation_deg: int
    codec: str


class Film:
    """An opened film. Safe to use from one thread at a time per instance; open one per reader."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._lock = threading.Lock()
        self._cache: OrderedDict[int, Picture] = OrderedDict()
        self._container: Any = None
        self._decoding: Iterator[Any] | None = None
        self._next = 0
        _check_file(path)
        try:
            now = path.stat()
            self._pts, self._keys, self.facts, self._time_base = _index(path, now.st_size, now.st_mtime_ns)
        except UNREADABLE as error:
            raise BadFilm(
                say("“{name}” cannot be read as a film: {error}.", name=path.name, error=getattr(error, "strerror", None) or error)
            ) from error
        except OSError as error:
            raise BadFilm(say("“{name}” cannot be read: {error}.", name=path.name, error=error.strerror or error)) from error
        self.times: NDArray[np.float64] = (self._pts - self._pts[0]) * self._time_base
        self._place = {int(p): i for i, p in enumerate(self._pts)}
        self._capacity = max(4, CACHE_BYTES // (self.facts.width * self.facts.height * 3))

    def __enter__(self) -> Film:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Let go of the file."""
        with self._lock:
            if self._container is not None:
                self._container.close()
            self._container, self._decoding = None, None

    def frame_at(self, time_s: float) -> int:
        """Number of the frame on the screen at a time."""
        return int(np.clip(np.searchsorted(self.times, time_s + 1e-6, side="right") - 1, 0, len(self.times) - 1))

    def picture(self, number: int) -> Picture:
        """One frame (H, W, 3) RGB. Raises BadFilm when the file breaks there, IndexError outside the film."""
        if not 0 <= number < len(self.times):
            raise IndexError(say("frame {number} of {times}", number=number, times=len(self.times)))
        with self._lock:
            if number in self._cache:
                self._cache.move_to_end(number)
                return self._cache[number]
            return self._fetch(number)

    def _fetch(self, number: int) -> Picture:
        ahead = number - self._next
        key = int(np.searchsorted(self._keys, number, side="right")) - 1
        if self._decoding is None or ahead < 0 or self._keys[key] > self._next:
            self._seek(int(self._keys[max(key, 0)]))
        assert self._decoding is not None
        try:
            for frame in self._decoding:
                place = self._place.get(frame.pts)
                if place is None:
                    continue
                self._next = place + 1
                if place >= number - 2:  # keep the way there too: stepping back is the commonest next wish
                    self._keep(place, self._whole(_upright(frame, self.facts.rotation_deg)))
                if place >= number:
                    break
        except av.error.FFmpegError as error:
            raise BadFilm(
                say("“{name}” is damaged at frame {number}: {error}.", name=self.path.name, number=number, error=error.strerror or error)
            ) from error
        if number not in self._cache:
            raise BadFilm(say("“{name}” is damaged: frame {number} cannot be read.", name=self.path.name, number=number))
        return self._cache[number]

    def _seek(self, key: int) -> None:
        """Go to a key frame; in a stream that cannot be searched the only one is its first frame."""
        if self._container is not None and self._container.format.name in STREAMS:
            self._container.close()
            self._container = None
        if self._container is None:
            self._container = _opened(self.path)
            self._container.streams.video[0].thread_type = "AUTO"
        stream = self._container.streams.video[0]
        if self._container.format.name not in STREAMS:
            self._container.seek(int(self._pts[key]), stream=stream, backward=True, any_frame=False)
        self._decoding = self._container.decode(stream)
        self._next = key

    def _whole(self, picture: Picture) -> Picture:
        """The picture, when it has the film's size. Raises BadFilm: everything measured is in pixels of that size."""
        if picture.shape[1::-1] != (self.facts.width, self.facts.height):
            was, now = (
                say("{width} × {height}", width=self.facts.width, height=self.facts.height),
                say("{width} × {height}", width=picture.shape[1], height=picture.shape[0]),
            )
            raise BadFilm(
                say(
                    "“{name}” changes its size in the middle, from {was} to {now}: send it again as one film.",
                    name=self.path.name,
                    was=was,
                    now=now,
                )
            )
        return picture

    def _keep(self, number: int, picture: Picture) -> None:
        self._cache[number] = picture
        self._cache.move_to_end(number)
        while len(self._cache) > self._capacity:
            self._cache.popitem(last=False)

    def stream(self, every: int = 1) -> Iterator[Picture]:
        """All frames in order (or each `every`-th from frame 0), through a reader of its own: does not disturb picture().

        A frame that cannot be decoded is stood in for by the one before it.
        """
        return self._read(lambda f: _upright(f, self.facts.rotation_deg), every)

    def stream_grey(self) -> Iterator[Picture]:
        """All frames in order as grey pictures (H, W)."""
        turn = self.facts.rotation_deg
        return self._read(lambda f: _turned(_grey(f), turn), 1)

    def _read(self, convert: Callable[[Any], Picture], every: int) -> Iterator[Picture]:
        last: Picture | None = None
        given = 0
        try:
            with _opened(self.path) as container:
                container.streams.video[0].thread_type = "AUTO"
                for frame in container.decode(video=0):
                    place = self._place.get(-1 if frame.pts is None else frame.pts)
                    if place is None or place < given:
                        continue
                    wanted = [n for n in range(given, place + 1) if n % every == 0]
                    if wanted:
                        picture = self._whole(convert(frame))
                        for n in wanted:
                            yield picture if n == place or last is None else last
                        last = picture
                    given = place + 1
        except av.error.FFmpegError as error:
            raise BadFilm(say("“{name}” is damaged: {error}.", name=self.path.name, error=error.strerror or error)) from error


def _opened(path: Path) -> Any:
    """The file's container; words in it that are not UTF-8 are left aside. Raises FFmpegError."""
    try:
        return av.open(str(path), options=OPTIONS, metadata_errors="ignore")
    except av.error.FFmpegError:
        end = whole_boxes_end(path)
        if not 0 < end < path.stat().st_size:
            raise
        # cut off within the head of a fragment, it would not open at all: what is whole before it is read
        return av.open(HeadOfFile(path, end), options=OPTIONS, metadata_errors="ignore")


def _check_file(path: Path) -> None:
    try:
        facts = path.stat()
    except FileNotFoundError:
        raise BadFilm(say("There is no file “{path}”.", path=path)) from None
    except (OSError, ValueError) as error:
        raise BadFilm(say("“{name}” cannot be read: {error}.", name=path.name, error=getattr(error, "strerror", None) or error)) from error
    if stat.S_ISDIR(facts.st_mode):
        raise BadFilm(say("“{name}” is a folder, not a film.", name=path.name))
    if not stat.S_ISREG(facts.st_mode):
        raise BadFilm(say("“{name}” is not a file that can be read as a film.", name=path.name))
    if facts.st_size == 0:
        raise BadFilm(say("“{name}” is empty: the copy or the download did not finish.", name=path.name))


@lru_cache(maxsize=64)
def _index(path: Path, size: int, changed_ns: int) -> tuple[NDArray[np.int64], NDArray[np.int64], FilmFacts, float]:
    """Presentation stamps of all frames, frame numbers of the key frames, the facts, seconds per stamp.

    Remembered as long as the file's size and time of change stay as they are.
    """
    with _opened(path) as container:
        if not container.streams.video:
            kind = "sound only" if container.streams.audio else "no pictures"
            raise BadFilm(say("“{name}” holds {kind}; Deep Mirror needs a film.", name=path.name, kind=kind))
        stream = container.streams.video[0]
        context = stream.codec_context
        if context is None:
            raise BadFilm(say("“{name}” is made in a way this program cannot read: send it again as MP4 (H.264).", name=path.name))
        _check_stream(path, context.name, context.width, context.height)
        stamps, keys = [], []
        for packet in container.demux(stream):
            if packet.pts is None or packet.size == 0:
                continue
            stamps.append(packet.pts)
            if packet.is_keyframe and container.format.name not in STREAMS:
                keys.append(packet.pts)
        time_base = float(stream.time_base or 1)
        pts = np.unique(np.array(stamps, np.int64))
        if len(pts) < 2:
            raise BadFilm(
                say(
                    "“{name}” holds {pts} picture{which}; a film needs more.",
                    name=path.name,
                    pts=len(pts),
                    which="s" if len(pts) != 1 else "",
                )
            )
        rotation = _rotation(path)
        pts = _decodable(path, pts, keys)
    if len(pts) < 2:
        raise BadFilm(say("“{name}” is damaged: almost nothing of it can be read.", name=path.name))
    duration = float(pts[-1] - pts[0]) * time_base
    if duration <= 0 or duration > MAX_DURATION_S:
        raise BadFilm(
            say(
                "“{name}” runs {minutes:.0f} minutes; cut it to the set (at most {most:.0f}).",
                name=path.name,
                minutes=duration / 60,
                most=MAX_DURATION_S / 60,
            )
        )
    step, usual = duration / (len(pts) - 1), float(np.median(np.diff(pts))) * time_base
    if max(step, usual) > 1 / MIN_FPS:
        raise BadFilm(
            say(
                "“{name}” shows {rate:.2g} pictures a second; at least {min_fps:.0f} are needed.",
                name=path.name,
                rate=1 / max(step, usual),
                min_fps=MIN_FPS,
            )
        )
    if usual < SHORTEST_STEP_S:
        raise BadFilm(say("“{name}” is damaged: its time stamps cannot be right.", name=path.name))
    width, height = (context.height, context.width) if rotation in (90, 270) else (context.width, context.height)
    facts = FilmFacts(len(pts), 1 / step, duration + step, width, height, rotation, context.name)
    places = np.searchsorted(pts, np.array([k for k in keys if k >= pts[0]] or [pts[0]]))
    return pts, np.unique(np.concatenate([[0], places])), facts, time_base


def _check_stream(path: Path, codec: str, width: int, height: int) -> None:
    if codec in ("png", "bmp", "gif", "webp", "tiff") or codec.endswith("_pipe"):
        raise BadFilm(say("“{name}” is a picture, not a film.", name=path.name))
    if not width or not height:
        raise BadFilm(say("“{name}” has no readable pictures.", name=path.name))
    if max(width, height) > MAX_SIDE_PX:
        raise BadFilm(
            say(
                "“{name}” is {width} × {height} pixels; the largest side may be {max_side_px}.",
                name=path.name,
                width=width,
                height=height,
                max_side_px=MAX_SIDE_PX,
            )
        )
    if min(width, height) < MIN_SIDE_PX:
        raise BadFilm(say("“{name}” is {width} × {height} pixels: too small to show a body.", name=path.name, width=width, height=height))


def _rotation(path: Path) -> int:
    """Clockwise quarter turns (degrees) the container asks for, from the first frame's display matrix."""
    with _opened(path) as container:
        for frame in container.decode(video=0):
            return round(-getattr(frame, "rotation", 0) / 90) * 90 % 360
    raise BadFilm(say("“{name}” has no readable pictures.", name=path.name))


def _decodable(path: Path, pts: NDArray[np.int64], keys: list[int]) -> NDArray[np.int64]:
    """Drop stamps at the end that do not decode (a film cut off while it was written or copied, also inside a key frame)."""
    starts = [int(pts[-1]), *sorted(k for k in keys if k < pts[-1])[: -LAST_PARTS - 1 : -1]]
    for start in starts:
        seen = _decoded_from(path, start)
        if seen:
            return np.asarray(pts[pts <= max(seen)])
    raise BadFilm(say("“{name}” is damaged: its last part cannot be read.", name=path.name))


def _decoded_from(path: Path, start: int) -> list[int]:
    """The stamps that decode from the key frame at or before `start` on, up to the first that does not."""
    seen: list[int] = []
    with _opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        try:
            if container.format.name not in STREAMS:
                container.seek(start, stream=stream, backward=True)
            for frame in container.decode(stream):
                give_way()
                if frame.pts is not None:
                    seen.append(frame.pts)
        except av.error.FFmpegError:
            pass  # what came before the damage stays
    return seen


def _upright(frame: Any, rotation: int) -> Picture:
    return _turned(frame.to_ndarray(format="rgb24"), rotation)


def _grey(frame: Any) -> Picture:
    """The brightness plane as it lies in the usual phone formats; converted otherwise."""
    if frame.format.name not in ("yuv420p", "yuvj420p", "nv12"):
        return np.asarray(frame.to_ndarray(format="gray"), np.uint8)
    plane = frame.planes[0]
    rows = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
    return np.ascontiguousarray(rows[:, : plane.width])


def _turned(picture: Picture, rotation: int) -> Picture:
    return np.ascontiguousarray(np.rot90(picture, -rotation // 90)) if rotation else picture
