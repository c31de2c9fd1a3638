"""Reading films: times, any frame, turned pictures, every container, and files that are not films."""

from __future__ import annotations

import wave
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from deepmirror.errors import BadFilm
from deepmirror.media.film import Film
from deepmirror.media.writer import write_film

SIZE = (96, 64)


def numbered(i: int) -> np.ndarray:
    """A picture that carries its number as sixteen black or white blocks."""
    picture = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    for bit in range(8):
        picture[8:40, 8 + bit * 10 : 16 + bit * 10] = 255 if i >> bit & 1 else 0
    picture[48:, :48] = (200, 30, 30)
    return picture


def number_on(picture: np.ndarray) -> int:
    return sum(1 << bit for bit in range(8) if picture[16:32, 10 + bit * 10 : 14 + bit * 10].mean() > 127)


def make(path: Path, codec: str, stamps: list[int], rotation: int = 0) -> Path:
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=30)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        if codec in ("libx264", "libx265"):
            stream.options = {"g": "12", "bf": "2"} if codec == "libx264" else {"x265-params": "log-level=none"}
        for i, stamp in enumerate(stamps):
            frame = av.VideoFrame.from_ndarray(numbered(i), format="rgb24")
            frame.pts, frame.time_base = stamp, Fraction(1, 1000)
            if rotation:
                frame.rotation = rotation
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


STEADY = [round(i * 1000 / 30) for i in range(40)]
UNEVEN = list(np.cumsum([0] + [30, 40, 33, 90, 20] * 8).tolist())


@pytest.mark.parametrize(
    ("name", "codec", "stamps"),
    [
        ("a.mp4", "libx264", UNEVEN),
        ("a.mov", "libx264", UNEVEN),
        ("a.mkv", "libx264", UNEVEN),
        ("b.mp4", "libx265", UNEVEN),
        ("a.webm", "libvpx-vp9", UNEVEN),
        ("a.avi", "mpeg4", STEADY),
    ],
)
def test_times_and_any_frame_in_every_container(tmp_path: Path, name: str, codec: str, stamps: list[int]) -> None:
    with Film(make(tmp_path / name, codec, stamps)) as film:
        # AVI keeps no stamps, only a rate; the others keep them to the millisecond
        tolerance = 0.002 if not name.endswith("avi") else 0.04
        assert np.allclose(film.times, (np.array(stamps) - stamps[0]) / 1000, atol=tolerance)
        for n in (0, 31, 5, 6, 4, len(stamps) - 1, 12, 11, 10):
            assert number_on(film.picture(n)) == n
        assert [number_on(p) for p in film.stream()] == list(range(len(stamps)))
        assert film.frame_at(float(film.times[7]) + 0.001) == 7
        with pytest.raises(IndexError):
            film.picture(len(stamps))


def test_a_turned_phone_film_stands_upright(tmp_path: Path) -> None:
    path = tmp_path / "flat.mp4"
    make(path, "libx264", STEADY)
    turned = tmp_path / "turned.mp4"
    # the display matrix of a phone held upright: the same stream, told to be shown turned
    with av.open(str(path)) as source, av.open(str(turned), "w") as target:
        stream = target.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = stream
                target.mux(packet)
    data = turned.read_bytes()
    at = data.index(b"tkhd")
    box = bytearray(data)
    matrix = at + 4 + 4 + 36
    fixed = [0, 0x10000, 0, -0x10000, 0, 0, SIZE[1] << 16, 0, 0x40000000]  # 90° clockwise, ISO/IEC 14496-12 tkhd
    box[matrix : matrix + 36] = b"".join(v.to_bytes(4, "big", signed=True) for v in fixed)
    turned.write_bytes(bytes(box))
    with Film(turned) as film:
        assert (film.facts.width, film.facts.height) == (SIZE[1], SIZE[0])
        # the red corner lies bottom left in the stream; a quarter clockwise turn takes it to the top left
        picture = film.picture(3)
        assert picture.shape[:2] == (SIZE[0], SIZE[1])
        assert picture[5, 5, 0] > 120 and picture[5, 5, 1] < 90
        assert picture[-5, 5, 0] < 90


def sound(path: Path) -> Path:
    with wave.open(str(path), "wb") as out:
        out.setparams((1, 2, 8000, 0, "NONE", ""))
        out.writeframes(bytes(16000))
    return path


def broken(path: Path, keep: float, source: Path) -> Path:
    data = source.read_bytes()
    path.write_bytes(data[: int(len(data) * keep)])
    return path


def test_files_that_are_not_films_are_refused_in_one_sentence(tmp_path: Path) -> None:
    good = make(tmp_path / "good.mp4", "libx264", STEADY)
    (tmp_path / "empty.mp4").touch()
    (tmp_path / "text.mp4").write_text("this is not a film\n" * 50)
    (tmp_path / "folder.mp4").mkdir()
    av.VideoFrame.from_ndarray(numbered(1), format="rgb24").save(tmp_path / "photo.png")
    bad = [
        tmp_path / "missing.mp4",
        tmp_path / "empty.mp4",
        tmp_path / "text.mp4",
        tmp_path / "folder.mp4",
        tmp_path / "photo.png",
        sound(tmp_path / "sound.wav"),
        broken(tmp_path / "cut.mp4", 0.6, good),
    ]
    for path in bad:
        with pytest.raises(BadFilm) as told:
            Film(path)
        assert "\n" not in told.value.sentence and told.value.sentence.endswith("."), path


def test_a_film_with_a_torn_end_keeps_what_can_be_read(tmp_path: Path) -> None:
    whole = make(tmp_path / "whole.mkv", "libx264", STEADY)
    with Film(broken(tmp_path / "torn.mkv", 0.7, whole)) as film:
        assert 5 < film.facts.frames < 40
        assert number_on(film.picture(film.facts.frames - 2)) == film.facts.frames - 2


def test_written_films_play_anywhere(tmp_path: Path) -> None:
    path = tmp_path / "out.mp4"
    assert write_film(path, (np.full((721, 1283, 3), i * 5, np.uint8) for i in range(20)), 29.97) == 20
    with av.open(str(path)) as container:
        video, audio = container.streams.video[0], container.streams.audio[0]
        assert (video.codec_context.name, video.codec_context.pix_fmt, audio.codec_context.name) == ("h264", "yuv420p", "aac")
        assert video.codec_context.width % 2 == video.codec_context.height % 2 == 0
    assert path.read_bytes().index(b"moov") < path.read_bytes().index(b"mdat")
    assert list(tmp_path.iterdir()) == [path]
