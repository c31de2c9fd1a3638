"""Speaking over the reply's film: play, pause and draw while the microphone hears; what is on show is what the client will see."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QKeySequence, QShortcut
from PyQt6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QPlainTextEdit, QPushButton, QSlider, QVBoxLayout, QWidget

from deepmirror.errors import DeepMirrorError
from deepmirror.services.replies.speaking import CLIPPED_DB, QUIET_DB, SILENT_DB, Microphone, Speaking, level_words
from deepmirror.ui.jobs import FrameReader
from deepmirror.ui.sound import MISSING, Loudspeaker, sound_library
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.freehand_view import FreehandView
from deepmirror.ui.widgets.level_bar import LevelBar
from deepmirror.ui.widgets.panel_helpers import PlainLabel

TICK_MS = 33
HOW = "Press Speak and talk: what you play, pause and draw here is what the client sees while she hears you."
OTHER_WORDS = "The reply was changed since: this is the film you spoke over. Speak anew to show it as it is now."


class SpeakDialog(QDialog):
    """Before, while and after a comment is spoken. `begun`: one is being recorded; `left_out`: the film goes without; `wanted_anew`:
    another take; `words_changed`: what she says, written down."""

    begun = pyqtSignal()
    nothing_heard = pyqtSignal()
    left_out = pyqtSignal()
    wanted_anew = pyqtSignal()
    words_changed = pyqtSignal(str)

    def __init__(
        self, speaking: Speaking, microphones: Sequence[Microphone], words: str, changed: bool, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Speak over the film"))
        self._speaking, self._microphones, self._changed = speaking, list(microphones), changed
        self._now, self._from, self._clock = 0, 0, QElapsedTimer()
        self._loudspeaker = Loudspeaker()
        self.reader = FrameReader(self)
        self.reader.arrived.connect(self._arrived)
        self._build(words)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._tick)
        self._timer.start(TICK_MS)
        self._say_state()
        self._show(0)
        self.record.setFocus()

    # What there is to see

    def _build(self, words: str) -> None:
        self.view = FreehandView()
        self.view.setMinimumSize(800, 450)
        self.view.touched.connect(self._touched)
        self.play, self.wipe = QPushButton(tr("Play")), QPushButton(tr("Wipe"))
        self.play.clicked.connect(self.toggle)
        self.wipe.clicked.connect(self.clear)
        self.at = QSlider(Qt.Orientation.Horizontal)
        self.at.setAccessibleName(tr("Place in the film"))
        self.at.valueChanged.connect(self._seek)
        self.record, self.length = QPushButton(), PlainLabel()
        self.record.setObjectName("accent")
        self.record.clicked.connect(self.press_record)
        self.level, self.loudest = LevelBar((QUIET_DB, CLIPPED_DB)), PlainLabel()
        self.level.setMaximumWidth(420)
        self.state = PlainLabel()
        self.state.setWordWrap(True)
        self.state.setObjectName("dim")
        film, voice = QHBoxLayout(), QHBoxLayout()
        for row, widgets in ((film, (self.play, self.at, self.wipe)), (voice, (self.record, self.length, self.level, self.loudest))):
            for widget in widgets:
                row.addWidget(widget, int(widget in (self.at, self.level)))
        voice.addStretch(1)
        left, layout = QVBoxLayout(), QHBoxLayout(self)
        left.addWidget(self.view, 1)
        for part in (film, voice):
            left.addLayout(part)
        left.addWidget(self.state)
        layout.addLayout(left, 1)
        layout.addLayout(self._build_right(words))
        for key, deed in (("Space", self.toggle), ("R", self.press_record), ("W", self.clear)):
            QShortcut(QKeySequence(key), self, deed)

    def _build_right(self, words: str) -> QVBoxLayout:
        self.microphone = QComboBox()
        self.microphone.setAccessibleName(tr("Microphone"))
        self.microphone.addItems([m.name for m in self._microphones])
        self.words = QPlainTextEdit(words)
        self.words.setAccessibleName(tr("What you say, written down"))
        self.words.setPlaceholderText(tr("Shown under the film as captions, and for who cannot hear it. Not needed."))
        self.words.setTabChangesFocus(True)
        self.words.textChanged.connect(lambda: self.words_changed.emit(self.words.toPlainText()))
        self.without, self.close_button = QPushButton(tr("Leave it out")), QPushButton(tr("Back to the reply"))
        self.without.clicked.connect(self._leave_out)
        self.close_button.clicked.connect(self.accept)
        right = QVBoxLayout()
        for words_, widget in ((tr("Microphone"), self.microphone), (tr("What you say, written down"), self.words)):
            label = PlainLabel(words_)
            label.setObjectName("dim")
            right.addWidget(label)
            right.addWidget(widget, int(widget is self.words))
        for button in (self.without, self.close_button):
            right.addWidget(button)
        for part in (self.microphone, self.words, self.without, self.close_button):
            part.setFixedWidth(290)
        return right

    # Recording

    def press_record(self) -> None:
        """Begin to speak, end it, or ask for another take."""
        if self._speaking.recorder is not None:
            self._end()
        elif self._speaking.take is not None:
            self.wanted_anew.emit()
        elif self._microphones:
            self._begin()

    def _begin(self) -> None:
        self.clear()
        try:
            self._speaking.begin(self._microphones[self.microphone.currentIndex()], self._now)
        except DeepMirrorError as error:
            self.state.setText(error.sentence)
            return
        self.begun.emit()
        self._say_state()

    def _end(self) -> None:
        self._pause()
        recorder = self._speaking.recorder
        failed = recorder.failed if recorder is not None else ""
        take = self._speaking.end()
        self.view.strokes = []
        if take is None or take.peak_db <= SILENT_DB:
            self.nothing_heard.emit()
        self._changed = False
        self._say_state()
        if failed:
            self.state.setText(failed)
        self._show(0)

    def _say_state(self) -> None:
        """What can be done now, and what is known of the take."""
        recorder, take = self._speaking.recorder, self._speaking.take
        self.record.setText(tr("Stop (R)") if recorder is not None else tr("Speak anew (R)") if take is not None else tr("Speak (R)"))
        self.record.setEnabled(recorder is not None or bool(self._microphones))
        self.microphone.setEnabled(recorder is None and take is None and bool(self._microphones))
        self.view.takes_drawing = take is None
        self.wipe.setEnabled(take is None)
        self.without.setEnabled(take is not None)
        self.at.blockSignals(True)
        self.at.setRange(0, self._speaking.pictures() - 1)
        self.at.blockSignals(False)
        if take is not None:
            self.length.setText(_clock_words(take.length_s))
            self._show_level(take.peak_db, take.peak_db)
            note = (" " + tr(OTHER_WORDS)) if self._changed else ""
            silent = "" if self._loudspeaker.there() else " " + tr("This computer has nothing to hear it on.")
            self.state.setText(tr("Spoken: {heard}.", heard=tr(level_words(take.peak_db))) + note + silent)
        elif not self._microphones:
            self.state.setText(tr(MISSING) if sound_library() is None else tr("No microphone is plugged in."))
        else:
            self.state.setText(tr(HOW))

    def _show_level(self, now_db: float, peak_db: float) -> None:
        self.level.show_level(now_db, peak_db)
        self.loudest.setText(tr("{peak_db:.0f} dB", peak_db=peak_db).replace("-", "−"))

    # The film and the hand

    def toggle(self) -> None:
        """Play, or pause."""
        if self.playing():
            self._pause()
            return
        self._from = self._now if self._now + 1 < self._speaking.pictures() else 0
        self._clock.start()
        self.play.setText(tr("Pause"))
        take = self._speaking.take
        if take is not None:
            self._loudspeaker.play(take.voice, take.rate, self._from / self._speaking.fps)

    def playing(self) -> bool:
        """Whether the film runs."""
        return self._clock.isValid()

    def _pause(self) -> None:
        self._clock.invalidate()
        self._loudspeaker.stop()
        self.play.setText(tr("Play"))

    def _tick(self) -> None:
        recorder = self._speaking.recorder
        if recorder is not None:
            self.length.setText(_clock_words(recorder.length_s))
            self._show_level(recorder.now_db, recorder.peak_db)
            self.state.setText(recorder.failed or tr("Listening: {heard}.", heard=tr(level_words(recorder.peak_db))))
        if self.playing():
            self._show(min(self._from + round(self._clock.elapsed() / 1000 * self._speaking.fps), self._speaking.pictures() - 1))
            if self._now + 1 >= self._speaking.pictures():
                self._pause()

    def _seek(self, number: int) -> None:
        """The slider was moved."""
        if self.playing():
            self._pause()
        self._show(number)

    def _show(self, number: int) -> None:
        """Another picture: what was drawn on the one before goes."""
        if number != self._now:
            self.clear()
            self._now = number
            if self._speaking.recorder is not None:
                self._speaking.recorder.show(number)
        self.at.blockSignals(True)
        self.at.setValue(number)
        self.at.blockSignals(False)
        self.reader.ask(self._speaking.picture, number)

    def _arrived(self, number: int, image: QImage) -> None:
        self.view.show_image(image)

    def clear(self) -> None:
        """Wipe what was drawn."""
        if self.view.strokes:
            self.view.clear()
            if self._speaking.recorder is not None:
                self._speaking.recorder.wipe()

    def _touched(self, x: float, y: float, begins: bool) -> None:
        if begins:
            self._pause()  # what is drawn belongs to one picture
        if self._speaking.recorder is not None:
            self._speaking.recorder.touch(x, y, begins)

    def _leave_out(self) -> None:
        self.left_out.emit()
        self.reject()

    def done(self, result: int) -> None:
        """What is being spoken ends and is kept."""
        self._timer.stop()
        if self._speaking.recorder is not None:
            self._end()
        self._pause()
        self.reader.close()
        super().done(result)


def _clock_words(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
