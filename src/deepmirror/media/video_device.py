"""Cameras that are plugged in (Video for Linux 2), through the linuxpy library: which there are, and their pictures.

Tried without a camera: that none is there, that a file is none, and with a device played by a stand-in everything that is done with
its pictures. Not tried, for want of one: a real driver's times, and how long it takes to come back after it was unplugged.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from linuxpy.video.device import BufferType, Device, PixelFormat, VideoCapture, iter_video_capture_devices
from numpy.typing import NDArray

from deepmirror.errors import NoCamera
from deepmirror.media.camera import Picture, Shot
from deepmirror.words import say

TRY_AGAIN_S = 1.0  # after it was unplugged; our own choice
WANTED = (1280, 720, 30.0)  # enough to measure by, and quick enough to be looked at; our own choice
PLANAR = {  # what is not JPEG, and how OpenCV reads it
    PixelFormat.YUYV: (2, cv2.COLOR_YUV2RGB_YUYV),
    PixelFormat.UYVY: (2, cv2.COLOR_YUV2RGB_UYVY),
    PixelFormat.RGB24: (3, None),
    PixelFormat.BGR24: (3, cv2.COLOR_BGR2RGB),
}
JPEGS = (PixelFormat.MJPEG, PixelFormat.JPEG)


@dataclass(frozen=True)
class Mode:
    """One way a camera can run: px and pictures a second, in a pixel format this program reads."""

    width: int
    height: int
    fps: float
    pixels: PixelFormat


@dataclass(frozen=True)
class Plugged:
    """A camera that is plugged in: its file, its maker's name for it, and its ways to run, the fittest first."""

    path: Path
    name: str
    modes: tuple[Mode, ...]


def plugged_cameras(folder: Path = Path("/dev")) -> list[Plugged]:
    """All cameras that give pictures this program can read."""
    found = []
    for device in iter_video_capture_devices(folder):
        with suppress(OSError), device:
            if modes := modes_of(device):
                found.append(Plugged(Path(device.filename), str(device.info.card), modes))
    return found


def modes_of(device: Any) -> tuple[Mode, ...]:
    """The ways a device can run, nearest to what is wanted first."""
    kinds = {f.pixel_format for f in device.info.frame_types} & {*JPEGS, *PLANAR}
    all_ = {
        Mode(f.width, f.height, float(f.max_fps), f.pixel_format)
        for f in device.info.frame_types
        if f.pixel_format in kinds and f.width > 0 and f.max_fps > 0
    }

    def misfit(m: Mode) -> tuple[float, bool]:
        width, height, fps = WANTED
        return abs(np.log(m.width * m.height / (width * height))) + 2 * max(np.log(fps / m.fps), 0.0), m.pixels not in JPEGS

    return tuple(sorted(all_, key=misfit))


def mode_like(path: Path, width: int, height: int, fps: float, open_device: Callable[[Path], Any] = Device) -> Mode | None:
    """The way to run that was asked for; None (the fittest) where nothing was, or where the camera no longer has it."""
    try:
        with open_device(path) as device:
            return next((m for m in modes_of(device) if (m.width, m.height, m.fps) == (width, height, fps)), None)
    except (OSError, ValueError):
        return None  # whoever opens it says what is wrong


class VideoDevice:
    """A plugged camera through the protocol. Unplugged, it says that it is lost and goes on when it is there again."""

    def __init__(self, path: Path, mode: Mode | None = None, open_device: Callable[[Path], Any] = Device) -> None:
        """Raises NoCamera."""
        self._path, self._open = path, open_device
        self.lost, self._closed, self._begun = False, False, time.monotonic()
        try:
            with open_device(path) as device:
                modes = modes_of(device)
        except (OSError, ValueError) as error:
            raise NoCamera(
                say("There is no camera at “{path}”: {error}.", path=path, error=getattr(error, "strerror", None) or error)
            ) from error
        if mode is None and not modes:
            raise NoCamera(say("The camera at “{path}” gives no pictures this program can read.", path=path))
        self.mode = mode or modes[0]
        self.size, self.fps = (self.mode.width, self.mode.height), self.mode.fps

    def shots(self) -> Iterator[Shot]:
        """Pictures with the driver's own times, from the first one on."""
        number, begun = 0, None
        while not self._closed:
            try:
                for frame in self._frames():
                    picture = decoded(bytes(frame.data), frame.pixel_format, self.size)
                    if picture is None:  # torn on its way: the next one comes
                        continue
                    begun = frame.timestamp if begun is None else begun
                    if number == 0:
                        self._begun = time.monotonic()
                    yield Shot(number, max(frame.timestamp - begun, 0.0), picture)
                    number += 1
                    if self._closed:
                        return
            except OSError:
                self.lost = True
                time.sleep(TRY_AGAIN_S)

    def _frames(self) -> Iterator[Any]:
        with self._open(self._path) as device:
            device.set_format(BufferType.VIDEO_CAPTURE, self.mode.width, self.mode.height, self.mode.pixels)
            with suppress(OSError):  # some run at one rate only
                device.set_fps(BufferType.VIDEO_CAPTURE, self.mode.fps)
            with VideoCapture(device) as stream:
                self.lost = False
                yield from stream

    def now_s(self) -> float:
        """Seconds since the first picture."""
        return time.monotonic() - self._begun

    def close(self) -> None:
        """Stop at the next picture."""
        self._closed = True


def decoded(data: bytes, pixels: PixelFormat, size: tuple[int, int]) -> Picture | None:
    """A camera's picture (H, W, 3) RGB; None when it is torn."""
    raw = np.frombuffer(data, np.uint8)
    if pixels in JPEGS:
        found = cv2.imdecode(raw, cv2.IMREAD_COLOR) if len(raw) else None
        return None if found is None else np.asarray(cv2.cvtColor(found, cv2.COLOR_BGR2RGB), np.uint8)
    width, height = size
    channels, conversion = PLANAR[pixels]
    if len(raw) < width * height * channels:
        return None
    picture: NDArray[np.uint8] = raw[: width * height * channels].reshape(height, width, channels)
    return picture if conversion is None else np.asarray(cv2.cvtColor(picture, conversion), np.uint8)
