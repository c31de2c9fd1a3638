"""A coach's spoken comment over the reply's film: recorded as she speaks, kept beside the reply, written into what the client gets.

A take is a folder beside the film's replies: `film.mp4`, the film she speaks over; `about.txt`, a mark of the reply it showed;
`voice.wav`; and `hand.jsonl`, what was on show and what she drew (see reply.spoken). The last two are written as it happens, so that a
take that was cut off holds what was said until then.
"""

from __future__ import annotations

import hashlib
import json
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import DeepMirrorError, NoSound, ReplyError
from deepmirror.files import private_folder
from deepmirror.media.film import Film
from deepmirror.media.sound import SILENT_DB, Microphone, Samples, SoundWriter, peak_db, read_sound
from deepmirror.media.writer import write_film
from deepmirror.reply.film import Caption
from deepmirror.reply.model import Reply
from deepmirror.reply.spoken import Event, OnShow, Shown, Touched, Wiped, event_line, events_of, on_show, spoken_captions, spoken_pictures
from deepmirror.services.common.jobs import Progress
from deepmirror.services.films.film_library import FilmLibrary
from deepmirror.words import say

FILM, VOICE, HAND, ABOUT = "film.mp4", "voice.wav", "hand.jsonl", "about.txt"
PREFIX = "spoken-"
QUIET_DB, CLIPPED_DB = -30.0, -0.5  # peaks: a voice that is hard to hear on a phone, and one that is cut off; our own choice
LOST = "What was spoken over the film can no longer be read: speak it anew, or leave it out."


def takes_of(library: FilmLibrary, film_id: int) -> Path:
    """Where the takes over a film's reply lie."""
    return library.store.reply_folder(film_id).parent


def new_take(library: FilmLibrary, film_id: int) -> Path:
    """The folder of a take to come. Raises LibraryError, OSError."""
    library.store.must_write()
    parent = private_folder(takes_of(library, film_id))
    numbers = [int(p.name.removeprefix(PREFIX)) for p in parent.glob(f"{PREFIX}*") if p.name.removeprefix(PREFIX).isdigit()]
    return private_folder(parent / f"{PREFIX}{max(numbers, default=0) + 1}")


def mark_of(reply: Reply) -> str:
    """A mark of what the film of a reply shows: another one where its words or pictures are others."""
    told = {k: v for k, v in reply.to_dict().items() if k not in ("spoken", "spoken_words", "greeting")}
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()


class TakeRecorder:
    """Records one take. `hear` may be called from any thread, the hand's methods from one."""

    def __init__(self, folder: Path, microphone: Microphone, clock: Callable[[], float] = time.monotonic) -> None:
        self.folder, self._microphone, self._clock = folder, microphone, clock
        self._lock = threading.Lock()
        self._sound: SoundWriter | None = None
        self._hand: TextIO | None = None
        self._begun = 0.0
        self._failed = ""
        self.peak_db = self.now_db = SILENT_DB

    def start(self, picture: int) -> None:
        """Hear from now on; picture: what is on show. Raises NoSound, ReplyError."""
        try:
            self._sound = SoundWriter(self.folder / VOICE, self._microphone.rate)
            self._hand = (self.folder / HAND).open("w", encoding="utf-8", buffering=1)
        except OSError as error:
            raise ReplyError(say("The comment cannot be kept: {error}.", error=error.strerror or error)) from error
        self._begun = self._clock()
        self.show(picture)
        self._microphone.start(self.hear)

    def hear(self, samples: Samples) -> None:
        """What the microphone heard. Before its first sound there is quiet, so that the voice stays with the picture."""
        with self._lock:
            if self._sound is None or self._failed:
                return
            try:
                if not self._sound.samples:
                    late = round((self._clock() - self._begun) * self._sound.rate) - len(samples)
                    self._sound.add(np.zeros(max(late, 0), np.int16))
                self._sound.add(samples)
            except OSError as error:  # a full disk: what was heard is kept
                self._failed = say("No more of the comment can be kept: {error}.", error=error.strerror or error)
            self.now_db = peak_db(samples)
            self.peak_db = max(self.peak_db, self.now_db)

    def show(self, picture: int) -> None:
        """Another picture is on show."""
        self._note(Shown(self._since(), picture))

    def touch(self, x: float, y: float, begins: bool) -> None:
        """The hand draws, px of the film."""
        self._note(Touched(self._since(), x, y, begins))

    def wipe(self) -> None:
        """What was drawn is wiped."""
        self._note(Wiped(self._since()))

    def _since(self) -> float:
        return self._clock() - self._begun

    def _note(self, event: Event) -> None:
        if self._hand is None:
            return
        try:
            self._hand.write(event_line(event) + "\n")
        except OSError as error:
            self._failed = say("No more of the comment can be kept: {error}.", error=error.strerror or error)

    @property
    def length_s(self) -> float:
        """How long it has been."""
        return self._since() if self._sound is not None else 0.0

    @property
    def failed(self) -> str:
        """Why no more can be kept; empty while all is well."""
        return self._failed

    def stop(self) -> None:
        """The take is whole."""
        self._microphone.stop()
        with self._lock:
            if self._sound is not None:
                self._sound.close()
            self._sound = None
        if self._hand is not None:
            self._hand.close()
            self._hand = None


@dataclass(frozen=True)
class SpokenTake:
    """A recorded take: its sound and its rate, what the hand did, and the film below."""

    folder: Path
    voice: Samples
    rate: int
    events: tuple[Event, ...]

    @property
    def length_s(self) -> float:
        """How long it lasts."""
        return len(self.voice) / self.rate

    @property
    def peak_db(self) -> float:
        """Its loudest sample, dB below full scale."""
        return peak_db(self.voice)

    def on_show(self, film: Film) -> Iterator[OnShow]:
        """What is on show in each of its pictures."""
        return on_show(self.events, self.length_s, film.facts.fps, len(film.times))

    def captions(self, words: str) -> list[Caption]:
        """What is said, as the coach wrote it down."""
        return spoken_captions(words, self.length_s)


def read_take(folder: Path) -> SpokenTake:
    """A take as it was recorded. Raises ReplyError."""
    try:
        voice, rate = read_sound(folder / VOICE)
        events = events_of((folder / HAND).read_text("utf-8"))
    except (NoSound, OSError, UnicodeDecodeError) as error:
        raise ReplyError(LOST) from error
    if not len(voice) or not (folder / FILM).exists():
        raise ReplyError(LOST)
    return SpokenTake(folder, voice, rate, tuple(events))


def write_spoken(folder: Path, path: Path, progress: Progress) -> SpokenTake:
    """Write a take as a film with her voice. Raises ReplyError, OSError, Cancelled."""
    take = read_take(folder)
    try:
        film = Film(folder / FILM)
    except DeepMirrorError as error:
        raise ReplyError(LOST) from error
    with film:
        shown = list(take.on_show(film))
        tick = progress.part(0.0, 1.0, "writing the film", len(shown))
        write_film(path, _ticked(spoken_pictures(iter(shown), film.picture), tick), film.facts.fps, (take.voice, take.rate))
    return take


def _ticked(pictures: Iterator[NDArray[np.uint8]], tick: Callable[[int], None]) -> Iterator[NDArray[np.uint8]]:
    for k, picture in enumerate(pictures):
        tick(k)
        yield picture
