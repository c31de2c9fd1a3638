"""What a coach speaks over the reply's film: recorded, kept at every moment, and written as a film with her voice."""

from __future__ import annotations

import json
import shutil
import threading
import wave
from itertools import pairwise
from pathlib import Path

import av
import numpy as np
import pytest
import webvtt

from deepmirror.errors import NoSound, ReplyError
from deepmirror.media.film import Film
from deepmirror.media.sound import SoundWriter, peak_db, read_sound
from deepmirror.media.writer import write_film
from deepmirror.reply.film import web_vtt
from deepmirror.reply.spoken import OnShow, Shown, Touched, Wiped, event_line, events_of, on_show, spoken_captions
from deepmirror.services.common.jobs import Progress
from deepmirror.services.replies.speaking import Speaking
from deepmirror.services.replies.spoken_take import FILM, HAND, VOICE, TakeRecorder, read_take, write_spoken
from deepmirror.standins.simulated_microphone import RATE, SimulatedMicrophone, syllables

FPS, PICTURES = 30.0, 40


@pytest.fixture
def take(tmp_path: Path) -> Path:
    """A folder with a film to speak over: each picture a grey of its own."""
    folder = tmp_path / "spoken-1"
    folder.mkdir()
    write_film(folder / FILM, (np.full((180, 320, 3), 5 * k, np.uint8) for k in range(PICTURES)), FPS)
    return folder


class Clock:
    """Time that goes when it is told to."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


class Hears(SimulatedMicrophone):
    """A microphone that hears what it is told to, in this thread."""

    def __init__(self) -> None:
        super().__init__()
        self.hear = lambda samples: None

    def start(self, take) -> None:  # type: ignore[no-untyped-def]
        self.hear = take

    def stop(self) -> None:
        pass


def record(folder: Path, late_s: float = 0.2) -> None:
    """Two seconds: picture 10 for a second, then 20 with a line drawn on it, wiped half a second later. The sound begins late_s late."""
    clock, microphone = Clock(), Hears()
    recorder = TakeRecorder(folder, microphone, clock)
    recorder.start(10)
    for step in range(1, 21):
        clock.now = 100.0 + step / 10
        if step == 10:
            recorder.show(20)
            for k in range(6):
                recorder.touch(60.0 + 30 * k, 90.0, k == 0)
        if step == 15:
            recorder.wipe()
        if step / 10 > late_s + 0.05:
            microphone.hear(np.full(RATE // 10, 1000 * step, np.int16))
    recorder.stop()


def test_a_take_holds_voice_and_hand_and_keeps_them_together(take: Path) -> None:
    record(take)
    found = read_take(take)
    assert found.length_s == pytest.approx(2.0, abs=0.01) and found.rate == RATE
    assert not found.voice[: round(0.19 * RATE)].any() and found.voice[round(0.21 * RATE)] == 3000, "quiet until the sound came"
    assert found.peak_db == pytest.approx(20 * np.log10(20000 / 32768), abs=0.01)
    with Film(take / FILM) as film:
        shown = list(found.on_show(film))
    assert len(shown) == 60 and shown[29] == OnShow(10, ()) and shown[30].picture == 20
    assert len(shown[35].lines) == 1 and len(shown[35].lines[0]) == 6 and shown[46].lines == ()


def test_the_spoken_film_shows_what_was_shown_and_sounds_as_she_spoke(take: Path, tmp_path: Path) -> None:
    record(take)
    path = tmp_path / "spoken.mp4"
    write_spoken(take, path, Progress())
    with av.open(str(path)) as film:
        pictures = [f.to_ndarray(format="rgb24") for f in film.decode(video=0)]
    assert len(pictures) == 60
    assert abs(int(pictures[15][20, 20, 0]) - 50) < 6 and abs(int(pictures[50][20, 20, 0]) - 100) < 6, "picture 10, then 20"
    drawn = pictures[40][86:95, 100:180].reshape(-1, 3).astype(int)
    assert (drawn[:, 0] - drawn[:, 2] > 60).any() and not (np.ptp(pictures[50][86:95, 100:180].astype(int), axis=2) > 40).any()
    with av.open(str(path)) as film:
        sound = film.streams.audio[0]
        assert sound.codec_context.name == "aac" and sound.rate == RATE
        heard = np.concatenate([f.to_ndarray()[0] for f in film.decode(audio=0)])
    assert len(heard) / RATE == pytest.approx(2.0, abs=0.06)
    loud = [float(np.abs(heard[round(a * RATE) : round((a + 0.1) * RATE)]).max()) for a in (0.05, 0.95, 1.85)]
    assert loud[0] < 0.02 and loud[0] < loud[1] < loud[2], "quiet first, then as loud as it was spoken"


def test_a_take_that_was_cut_off_holds_what_was_said_until_then(take: Path) -> None:
    """As a kill leaves it: nothing is closed, and the hand's last line is torn."""
    clock, microphone = Clock(), Hears()
    recorder = TakeRecorder(take, microphone, clock)
    recorder.start(3)
    for step in range(1, 11):
        clock.now = 100.0 + step / 10
        microphone.hear(np.full(RATE // 10, 500, np.int16))
    recorder.show(7)
    shutil.copytree(take, take.with_name("killed"))
    killed = take.with_name("killed")
    with (killed / HAND).open("a") as hand:
        hand.write('{"t": 1.0, "at": [12')
    found = read_take(killed)
    assert found.length_s == pytest.approx(1.0, abs=0.01) and found.events == (Shown(0.0, 3), Shown(1.0, 7))
    recorder.stop()


@pytest.mark.parametrize("harm", [VOICE, HAND, FILM, "sound", "silence"])
def test_a_take_that_cannot_be_read_says_so(take: Path, tmp_path: Path, harm: str) -> None:
    record(take)
    if harm == "sound":
        (take / VOICE).write_bytes(b"RIFF")
    elif harm == "silence":
        SoundWriter(take / VOICE, RATE).close()
    else:
        (take / harm).unlink()
    with pytest.raises(ReplyError, match="speak it anew"):
        write_spoken(take, tmp_path / "spoken.mp4", Progress())


def test_a_picture_wished_for_before_a_shorter_take_is_its_last(take: Path) -> None:
    """The film below has 40 pictures; a quick take has a few, while the reader still fetches one of the others."""
    speaking = Speaking(take)
    assert speaking.pictures() == PICTURES
    microphone = Hears()
    speaking.begin(microphone, 30)
    microphone.hear(np.full(RATE // 5, 900, np.int16))
    assert speaking.end() is not None and speaking.pictures() < 10
    assert abs(int(speaking.picture(39)[20, 20, 0]) - 150) < 6, "picture 30 of the film below"
    speaking.close()


def test_the_simulated_microphone_speaks_in_real_time(take: Path) -> None:
    microphone, heard, enough = SimulatedMicrophone(speed=4.0), list[np.ndarray](), threading.Event()

    def hear(samples: np.ndarray) -> None:
        heard.append(samples)
        if len(heard) >= 12:
            enough.set()

    microphone.start(hear)
    assert enough.wait(10)
    microphone.stop()
    count = len(heard)
    whole = np.concatenate(heard)
    assert -20 < peak_db(whole) < -3 and np.array_equal(whole, syllables(np.arange(len(whole)) / RATE)), "the same every time"
    assert len(heard) == count, "stopped is stopped"
    dead = SimulatedMicrophone(dead=True)
    dead.start(lambda samples: pytest.fail("a muted one hears nothing"))
    dead.stop()


def test_a_growing_wav_is_whole_for_other_readers(tmp_path: Path) -> None:
    """Read with Python's own reader of WAV while it grows."""
    writer = SoundWriter(tmp_path / "voice.wav", 8000)
    for count in range(1, 4):
        writer.add(np.full(800, count, np.int16))
        with wave.open(str(tmp_path / "voice.wav")) as file:
            assert (file.getnframes(), file.getframerate(), file.getnchannels()) == (800 * count, 8000, 1)
    assert read_sound(tmp_path / "voice.wav")[0][-1] == 3
    writer.close()
    (tmp_path / "text.wav").write_text("no sound")
    with pytest.raises(NoSound):
        read_sound(tmp_path / "text.wav")


def test_levels_are_decibels_below_full_scale() -> None:
    assert peak_db(np.array([32767, -3], np.int16)) == pytest.approx(0, abs=0.001)
    assert peak_db(np.array([16384], np.int16)) == pytest.approx(-6.02, abs=0.01), "half as large: 20 log10 of a half"
    assert peak_db(np.zeros(4, np.int16)) == peak_db(np.empty(0, np.int16)) == -90


def test_events_come_back_as_they_were_and_rubbish_is_left_out() -> None:
    events = [Shown(0.0, 4), Touched(0.5, 10.5, 20.0, True), Touched(0.6, 11.0, 20.0, False), Wiped(1.25)]
    lines = [event_line(e) for e in events]
    assert all(json.loads(line) for line in lines)
    assert events_of("\n".join([*lines, "", "[]", '{"t": "x"}', '{"t": 1, "at": [1]}', '{"t": 2}'])) == events
    late = list(on_show([Shown(0.0, 99), Touched(0.1, 1, 1, False)], 0.2, 10, 12))
    assert late == [OnShow(11, ()), OnShow(11, (((1.0, 1.0),),))], "beyond the film is its last picture; a line needs no beginning"


def test_captions_follow_the_words_and_other_readers_take_them(tmp_path: Path) -> None:
    words = "Look at your back here. It rounds at the bottom!\n" + "slowly " * 30
    captions = spoken_captions(words, 20.0)
    (tmp_path / "spoken.vtt").write_text(web_vtt(captions))
    read = webvtt.read(str(tmp_path / "spoken.vtt"))
    assert [c.text for c in read][:2] == ["Look at your back here.", "It rounds at the bottom!"]
    assert captions[0].start_s == 0 and captions[-1].end_s == pytest.approx(20) and max(len(c.text) for c in captions) <= 84
    assert all(a.end_s == pytest.approx(b.start_s) for a, b in pairwise(captions))
    assert spoken_captions("  \n", 5.0) == []
