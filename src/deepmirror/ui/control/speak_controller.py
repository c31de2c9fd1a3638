"""The coach's spoken comment: the film to speak over is written, the take recorded, and the reply goes with it or without."""

from __future__ import annotations

from collections.abc import Callable
from copy import deepcopy
from pathlib import Path

from PyQt6.QtCore import QObject

from deepmirror.errors import DeepMirrorError
from deepmirror.services.common.jobs import JobRunner
from deepmirror.services.replies.rendering import Reply, film_to_speak_over
from deepmirror.services.replies.speaking import Microphone, Speaking
from deepmirror.services.replies.spoken_take import takes_of
from deepmirror.ui.context import WindowContext
from deepmirror.ui.jobs import Job
from deepmirror.ui.rooms.reply.speak_dialog import SpeakDialog
from deepmirror.ui.translation import tr

Microphones = Callable[[], list[Microphone]]


class SpeakController(QObject):
    """Opens the dialog on the take the reply has, or on a film to speak over. microphones: what there is to speak into."""

    def __init__(self, window: WindowContext, microphones: Microphones) -> None:
        super().__init__(window)
        self._window, self._library, self.room, self._microphones = window, window.library, window.reply_room, microphones
        self._writer = JobRunner()
        self.room.wants_speech.connect(self.speak)

    def close(self) -> None:
        """Write no more."""
        self._writer.close()

    def speak(self) -> None:
        """Hear what was spoken, or speak."""
        review, reply = self._window.review, self.room.reply
        if review is None or reply is None:
            return
        if reply.spoken:
            folder = takes_of(self._library, review.film_id) / reply.spoken
            try:
                self._open(reply, folder)
                return
            except DeepMirrorError:  # its files are gone: what remains is to speak anew
                self._say(reply, "")
        self._prepare()

    def _prepare(self) -> None:
        """Write the film to speak over, then open it."""
        review, reply = self._window.review, self.room.reply
        if review is None or review.analysis is None or reply is None:
            return
        library, film_id, path, analysis, told = self._library, review.film_id, review.film.path, review.analysis, deepcopy(reply)
        work = lambda progress: film_to_speak_over(library, film_id, path, analysis, told, progress)
        job = Job(tr("Writing the film to speak over"), work, self)
        job.done.connect(lambda folder: self._open(reply, folder) if reply is self.room.reply else None)
        self._window.run_job(job, self._writer, on_show=True)

    def _open(self, reply: Reply, folder: Path) -> None:
        speaking = Speaking(folder)
        changed = speaking.take is not None and not speaking.shows(reply)
        dialog = SpeakDialog(speaking, self._microphones(), reply.spoken_words, changed, self._window)
        dialog.begun.connect(lambda: self._say(reply, folder.name))
        dialog.nothing_heard.connect(lambda: self._say(reply, ""))
        dialog.left_out.connect(lambda: self._say(reply, ""))
        dialog.words_changed.connect(lambda words: self._write_down(reply, words))
        dialog.wanted_anew.connect(dialog.accept)
        dialog.wanted_anew.connect(self._prepare)
        dialog.finished.connect(speaking.close)
        dialog.finished.connect(self._show)
        self._window.open_dialog(dialog)

    def _say(self, reply: Reply, take: str) -> None:
        """The reply goes with this take, or without one; kept at once."""
        if reply.spoken != take:
            reply.spoken = take
            self.room.changed.emit()

    def _write_down(self, reply: Reply, words: str) -> None:
        reply.spoken_words = words
        self.room.typed.emit()

    def _show(self) -> None:
        self.room.show_spoken()
