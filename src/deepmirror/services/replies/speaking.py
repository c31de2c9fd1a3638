"""Speaking over a reply's film, as the window does it: the film below, the take that is being recorded, the take there is."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from deepmirror.errors import ReplyError
from deepmirror.media.film import Film
from deepmirror.media.sound import SILENT_DB as SILENT_DB
from deepmirror.media.sound import Microphone as Microphone
from deepmirror.media.sound import Samples as Samples
from deepmirror.reply.model import Reply
from deepmirror.reply.spoken import OnShow, drawn_on
from deepmirror.services.replies.spoken_take import ABOUT, FILM, SpokenTake, TakeRecorder, mark_of, read_take
from deepmirror.services.replies.spoken_take import CLIPPED_DB as CLIPPED_DB
from deepmirror.services.replies.spoken_take import QUIET_DB as QUIET_DB


class Speaking:
    """One folder of a take: before, while and after it is spoken. Pictures may be fetched from another thread."""

    def __init__(self, folder: Path) -> None:
        """Raises BadFilm."""
        self.folder, self._film = folder, Film(folder / FILM)
        self.recorder: TakeRecorder | None = None
        self.take: SpokenTake | None = None
        self._on_show: list[OnShow] = []
        self._read()

    def _read(self) -> None:
        try:
            self.take = read_take(self.folder)
        except ReplyError:
            self.take = None
        self._on_show = list(self.take.on_show(self._film)) if self.take is not None else []

    @property
    def fps(self) -> float:
        """Pictures a second."""
        return float(self._film.facts.fps)

    def pictures(self) -> int:
        """How many pictures there are to see: of the spoken film, or of the one to speak over."""
        return len(self._on_show) or len(self._film.times)

    def picture(self, number: int) -> NDArray[np.uint8]:
        """One of them (H, W, 3); one that was wished for before a shorter take was there is its last."""
        shown = self._on_show
        if not shown:
            return self._film.picture(number)
        now = shown[min(number, len(shown) - 1)]
        return drawn_on(self._film.picture(now.picture), now.lines)

    def shows(self, reply: Reply) -> bool:
        """Whether the film to speak over is the one this reply has now."""
        try:
            return (self.folder / ABOUT).read_text("utf-8") == mark_of(reply)
        except OSError:
            return False

    def begin(self, microphone: Microphone, picture: int) -> TakeRecorder:
        """Record from now on. Raises NoSound, ReplyError; nothing is recorded then."""
        recorder = TakeRecorder(self.folder, microphone)
        try:
            recorder.start(picture)
        except BaseException:
            recorder.stop()
            raise
        self.recorder = recorder
        return recorder

    def end(self) -> SpokenTake | None:
        """The take is spoken; None where nothing was heard."""
        if self.recorder is not None:
            self.recorder.stop()
            self.recorder = None
            self._read()
        return self.take

    def close(self) -> None:
        """Let go of the film; what is being spoken ends."""
        self.end()
        self._film.close()


def level_words(peak_db: float) -> str:
    """What a coach is told of a voice's loudest moment."""
    if peak_db <= SILENT_DB:
        return "nothing was heard: is the microphone on?"
    if peak_db < QUIET_DB:
        return "quiet: come nearer to the microphone"
    return "too loud: go further from the microphone" if peak_db > CLIPPED_DB else "well heard"
