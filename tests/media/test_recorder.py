"""Recording from a camera: nothing is lost, the seconds before are kept, and what is cut off anywhere still plays."""

from __future__ import annotations

import re
import shutil
import time
from collections import namedtuple
from pathlib import Path

import cv2
import numpy as np
import pytest

from deepmirror.errors import RecordingFailed
from deepmirror.media import recorder as module
from deepmirror.media.camera import Shot
from deepmirror.media.film import Film
from deepmirror.media.recorder import ENOUGH_BYTES, FRAGMENT_S, Recorder, packed, room_left, unpacked

SIZE = (320, 181)  # an odd height is cut by a line
RATE = 30.0


def shot(number: int) -> Shot:
    """A picture that shows its own number as a bar, with an uneven time."""
    picture = np.full((SIZE[1], SIZE[0], 3), 60, np.uint8)
    picture[:, : 3 * (number % 100)] = (200, 40, 90)
    return Shot(number, number / RATE + 0.004 * (number % 3), picture)


def bar_of(picture: np.ndarray) -> int:
    return round(float((picture[40, :, 0] > 130).sum()) / 3)


def test_the_seconds_before_and_all_that_follows_are_in_the_film_with_the_cameras_times(tmp_path: Path) -> None:
    recorder = Recorder(SIZE, RATE, pre_roll_s=1.0)
    for n in range(60):
        recorder.push(shot(n))
    kept = recorder.start(tmp_path / "set.mp4")
    assert 29 <= len(kept) <= 31 and kept[-1].number == 59
    for n in range(60, 100):
        recorder.push(shot(n))
    made = recorder.stop()
    with Film(made.path) as film:
        assert len(film.times) == len(made.times) == len(kept) + 40
        assert np.allclose(film.times, made.times - made.times[0], atol=0.002)
        assert [bar_of(film.picture(i)) for i in (0, len(kept), len(film.times) - 1)] == [kept[0].number, 60, 99]
        assert (film.facts.width, film.facts.height, film.facts.codec) == (320, 180, "h264")
    assert not recorder.running


def test_what_a_killed_program_leaves_plays_up_to_the_last_second(tmp_path: Path) -> None:
    recorder = Recorder(SIZE, RATE)
    recorder.start(tmp_path / "set.mp4")
    for n in range(150):
        recorder.push(shot(n))
    while recorder.behind():
        pass
    shutil.copyfile(tmp_path / "set.mp4", tmp_path / "cut.mp4")  # as the disk has it before anything is closed
    recorder.stop()
    with Film(tmp_path / "cut.mp4") as film:
        assert 150 - len(film.times) <= RATE and bar_of(film.picture(len(film.times) - 1)) == (len(film.times) - 1) % 100
    torn = (tmp_path / "set.mp4").read_bytes()
    heads = [m.start() - 4 for m in re.finditer(b"moof", torn)]
    key_frames = [m.end() + 60 for m in re.finditer(b"mdat", torn)]
    within_heads = [head + step for head in heads[2:6] for step in (4, 12, 40, 100, 160, 223)]
    for cut in (*(round(len(torn) * share) for share in (0.35, 0.6, 0.85)), *key_frames[3:8:2], *within_heads):  # and torn anywhere
        (tmp_path / "torn.mp4").write_bytes(torn[:cut])
        with Film(tmp_path / "torn.mp4") as film:
            count, whole = len(film.times), sum(head < cut for head in heads) - 1
            assert whole * RATE * FRAGMENT_S - 1 <= count < 150 and bar_of(film.picture(count - 1)) == (count - 1) % 100


def test_a_full_disk_is_told_before_and_after(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(module.shutil, "disk_usage", lambda _: usage(1, 1, ENOUGH_BYTES - 1))
    with pytest.raises(RecordingFailed, match="no room left"):
        Recorder(SIZE, RATE).start(tmp_path / "set.mp4")
    assert "0.1 GB" in room_left(tmp_path)
    monkeypatch.undo()
    recorder = Recorder(SIZE, RATE)
    recorder.start(tmp_path / "set.mp4")
    recorder.push(shot(0))
    monkeypatch.setattr(module._FragmentedFilm, "add", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    for n in range(1, 5):
        recorder.push(shot(n))
    deadline = time.monotonic() + 10
    while not recorder.failed() and time.monotonic() < deadline:
        time.sleep(0.01)
    waits = recorder.behind()
    recorder.push(shot(9))
    assert recorder.behind() == waits, "what nobody writes does not pile up"
    with pytest.raises(RecordingFailed, match="No space left"):
        recorder.stop()
    assert recorder.failed()


def test_pictures_that_wait_are_packed_and_come_back() -> None:
    picture = cv2.GaussianBlur(np.random.default_rng(3).integers(0, 255, (90, 160, 3), np.uint8), (0, 0), 4)
    assert np.abs(unpacked(packed(picture)).astype(int) - picture).mean() < 2
