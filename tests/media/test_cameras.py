"""Cameras: one that is plugged in (played by a stand-in device), a film that is still being written, and the simulated one."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import cv2
import numpy as np
import pytest
from linuxpy.video.device import PixelFormat

from deepmirror.errors import NoCamera
from deepmirror.media import video_device
from deepmirror.media.camera import FilmCamera, Turned
from deepmirror.media.film import Film
from deepmirror.media.followed_film import FollowedFilm
from deepmirror.media.recorder import Recorder
from deepmirror.media.video_device import VideoDevice, decoded, mode_like, modes_of, plugged_cameras
from deepmirror.standins.simulated_camera import SimulatedCamera


def jpeg(shade: int) -> bytes:
    return cv2.imencode(".jpg", np.full((72, 128, 3), (10, 20, shade), np.uint8))[1].tobytes()


def mode(width: int, height: int, fps: float, pixels: PixelFormat) -> SimpleNamespace:
    return SimpleNamespace(width=width, height=height, max_fps=fps, pixel_format=pixels)


class PlayedDevice:
    """What the library gives of a camera, without one. `plugged`: pictures of each time it is opened; then it is unplugged."""

    modes = (mode(128, 72, 30, PixelFormat.MJPEG), mode(128, 72, 10, PixelFormat.YUYV), mode(640, 480, 30, PixelFormat.SRGGB8))

    def __init__(self, plugged: list[list[bytes]]) -> None:
        self.plugged, self.set = plugged, []
        self.info = SimpleNamespace(frame_types=list(self.modes), card="Played")

    def __enter__(self) -> PlayedDevice:
        return self

    def __exit__(self, *_: object) -> None:
        return None

    def set_format(self, *what: object) -> None:
        self.set.append(what)

    def set_fps(self, *_: object) -> None:
        raise OSError("this camera has one rate")


class PlayedCapture:
    """Its pictures, 1/30 s apart on the driver's clock; then it is gone."""

    def __init__(self, device: PlayedDevice) -> None:
        self._device = device

    def __enter__(self) -> PlayedCapture:
        return self

    def __exit__(self, *_: object) -> None:
        return None

    def __iter__(self) -> Iterator[Any]:
        if not self._device.plugged:
            raise OSError(19, "No such device")
        for data in self._device.plugged.pop(0):
            self._device.clock = getattr(self._device, "clock", 100.0) + 1 / 30
            yield SimpleNamespace(data=data, pixel_format=PixelFormat.MJPEG, timestamp=self._device.clock)
        raise OSError(19, "No such device")


def test_a_plugged_camera_gives_pictures_survives_unplugging_and_skips_torn_ones(monkeypatch: pytest.MonkeyPatch) -> None:
    device = PlayedDevice([[jpeg(40), b"torn", jpeg(80)], [], [jpeg(120)]])
    monkeypatch.setattr(video_device, "VideoCapture", PlayedCapture)
    monkeypatch.setattr(video_device, "TRY_AGAIN_S", 0.01)
    camera = VideoDevice(Path("/dev/video9"), open_device=lambda _: device)
    assert camera.size == (128, 72) and camera.fps == 30
    seen = []
    for shot in camera.shots():
        seen.append((shot.number, round(shot.time_s * 30), int(shot.picture[30, 60, 0]), camera.lost))
        if len(seen) == 3:
            camera.close()
    assert [s[:2] for s in seen] == [(0, 0), (1, 2), (2, 3)], "the torn one is passed over, the driver's clock goes on"
    assert [abs(s[2] - want) < 6 for s, want in zip(seen, (40, 80, 120), strict=True)] == [True] * 3
    assert device.set[0][1:3] == (128, 72) and camera.now_s() >= 0
    lost = VideoDevice(Path("/dev/video9"), open_device=lambda _: device)
    reader = threading.Thread(target=lambda: list(lost.shots()))
    reader.start()
    deadline = time.monotonic() + 5
    while not lost.lost and time.monotonic() < deadline:
        time.sleep(0.01)
    assert lost.lost
    lost.close()
    reader.join(5)


def test_the_ways_a_camera_runs_are_sorted_and_chosen() -> None:
    device = PlayedDevice([])
    assert [(m.fps, m.pixels) for m in modes_of(device)] == [(30.0, PixelFormat.MJPEG), (10.0, PixelFormat.YUYV)], "the quick one first"
    assert all(m.pixels is not PixelFormat.SRGGB8 for m in modes_of(device)), "raw sensors are not read"
    found = mode_like(Path("x"), 128, 72, 10.0, lambda _: device)
    assert found is not None and found.pixels is PixelFormat.YUYV
    assert mode_like(Path("x"), 7, 7, 7.0, lambda _: device) is None


def test_pixels_come_as_rgb() -> None:
    grey = np.full((4, 6, 2), 128, np.uint8)
    grey[..., 0] = 200
    picture = decoded(grey.tobytes(), PixelFormat.YUYV, (6, 4))
    assert picture is not None and picture.shape == (4, 6, 3) and np.ptp(picture) < 3 and picture.mean() > 190
    assert decoded(b"123", PixelFormat.YUYV, (6, 4)) is None and decoded(b"", PixelFormat.MJPEG, (6, 4)) is None
    bgr = np.zeros((2, 2, 3), np.uint8)
    bgr[..., 0] = 250
    assert decoded(bgr.tobytes(), PixelFormat.BGR24, (2, 2))[0, 0].tolist() == [0, 0, 250]  # type: ignore[index]


def test_where_there_is_no_camera_a_sentence_says_so(tmp_path: Path) -> None:
    """With the real library: no device file, and a file that is no device."""
    assert plugged_cameras(tmp_path) == []
    with pytest.raises(NoCamera, match="no camera at"):
        VideoDevice(tmp_path / "video0")
    (tmp_path / "video0").write_bytes(b"no camera")
    with pytest.raises(NoCamera, match="no camera at"):
        VideoDevice(tmp_path / "video0")


def recorded(path: Path, count: int = 90) -> Path:
    recorder = Recorder((160, 90), 30)
    recorder.start(path)
    for n in range(count):
        from deepmirror.media.camera import Shot

        recorder.push(Shot(n, n / 30, np.full((90, 160, 3), 2 * n, np.uint8)))
    recorder.stop()
    return path


def grow(source: Path, target: Path) -> threading.Thread:
    """Write a film in pieces, as a phone that syncs does."""
    data = source.read_bytes()

    def write() -> None:
        with target.open("wb") as file:
            for start in range(0, len(data), max(len(data) // 8, 1)):
                file.write(data[start : start + max(len(data) // 8, 1)])
                file.flush()
                time.sleep(0.05)

    thread = threading.Thread(target=write)
    thread.start()
    return thread


def test_a_film_is_followed_as_it_grows_and_the_next_one_in_a_folder_is_waited_for(tmp_path: Path) -> None:
    source = recorded(tmp_path / "source.mp4")
    folder = tmp_path / "sync"
    folder.mkdir()
    (folder / "old.mp4").write_bytes(source.read_bytes())
    camera = FollowedFilm(folder, over_s=0.5)
    writer = grow(source, folder / "new.mp4")
    shots = list(camera.open().shots())
    writer.join()
    assert camera.path == folder / "new.mp4" and camera.size == (160, 90)
    assert len(shots) == 90 and [s.number for s in shots] == list(range(90)) and abs(shots[-1].time_s - 89 / 30) < 0.01
    assert camera.now_s() >= shots[-1].time_s
    camera.close()


def test_what_is_no_film_is_not_followed(tmp_path: Path) -> None:
    with pytest.raises(NoCamera, match="neither a folder nor a film"):
        FollowedFilm(tmp_path / "nothing")
    (tmp_path / "words.mp4").write_text("words")
    with pytest.raises(NoCamera, match="is no film"):
        FollowedFilm(tmp_path / "words.mp4", over_s=0.2).open()
    (tmp_path / "empty").mkdir()
    waiting = FollowedFilm(tmp_path / "empty", over_s=0.2)
    threading.Timer(0.3, waiting.close).start()
    with pytest.raises(NoCamera, match="before it was closed"):
        waiting.open()


def frames(camera: SimulatedCamera, count: int) -> list[tuple[int, float, int]]:
    out = []
    for shot in camera.shots():
        out.append((shot.number, round(shot.time_s, 3), int(shot.picture.astype(int).sum())))
        if len(out) == count:
            camera.close()
    return out


def test_the_simulated_camera_plays_rests_and_films_the_same_each_time(tmp_path: Path) -> None:
    film = recorded(tmp_path / "set.mp4", 30)
    fast = {"rest_s": 1.0, "before_s": 0.5, "speed": 200.0, "dropped": 0.3, "late_s": 0.05, "seed": 4}
    once, again = (frames(SimulatedCamera([film, film], **fast), 80) for _ in range(2))
    assert once == again and len({s for *_, s in once}) > 20
    times = [t for _, t, _ in once]
    assert times == sorted(times) and np.diff(times).max() > 1.5 / 30, "pictures are lost, times are right"
    whole = frames(SimulatedCamera([film], rest_s=1, before_s=0.5, speed=200.0), 60)
    assert len({s for _, t, s in whole if t < 0.45}) == 1 and len({s for _, t, s in whole if t > 1.6}) == 1, "still before and after"
    gone = frames(SimulatedCamera([film], rest_s=1, before_s=0.5, speed=200.0, unplugged=(0.6, 1.0)), 40)
    assert not [t for _, t, _ in gone if 0.6 <= t < 1.0]


def test_a_camera_on_its_side_is_turned(short_film: Path) -> None:
    turned = Turned(FilmCamera(short_film, speed=0), 90)
    first = next(iter(turned.shots()))
    with Film(short_film) as film:
        assert turned.size == (film.facts.height, film.facts.width) and first.picture.shape[:2] == turned.size[::-1]
        assert np.array_equal(first.picture, np.rot90(film.picture(0), -1))
    assert not turned.lost and turned.now_s() >= 0
    turned.close()
