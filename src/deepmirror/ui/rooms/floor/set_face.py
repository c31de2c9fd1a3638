"""During a set: the count and the tempo, large, and nothing else but a rep that was short."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QTimer
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from deepmirror.core.motion.reps import Rep
from deepmirror.core.motion.tempo import PHASES, WORDS
from deepmirror.core.uncertain_value import Verdict
from deepmirror.ui.rooms.floor.figures import BigText, TempoBar
from deepmirror.ui.theme import tokens as t
from deepmirror.ui.translation import tr
from deepmirror.ui.widgets.film_view import FilmView
from deepmirror.ui.widgets.verdict_mark import paint_mark
from deepmirror.words import joined

SHORT_MS = 2500  # how long a short rep is shown; our own choice


class ShortMark(QWidget):
    """The mark of a rep that was short, large."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        side = min(self.width(), self.height()) - 8
        paint_mark(painter, QRectF((self.width() - side) / 2, (self.height() - side) / 2, side, side), Verdict.OFF)


class SetFace(QWidget):
    """What is read from three metres away while she lifts."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 10, 24, 12)
        self.what = BigText(44)
        self.what.setFixedHeight(48)
        column.addWidget(self.what)
        row = QHBoxLayout()
        self.count, self.tempo, self.short_word = BigText(560), BigText(110), BigText(70)
        self.bar, self.short_mark = TempoBar(), ShortMark()
        self.bar.setFixedWidth(150)
        row.addWidget(self.bar)
        row.addWidget(self.count, 3)
        beside = QVBoxLayout()
        self.view = FilmView()
        self.view.setMinimumSize(230, 130)
        self.view.setMaximumSize(420, 300)
        beside.addWidget(self.view, 3)
        for sign, high in ((self.short_mark, 90), (self.short_word, 84)):
            sign.setMinimumHeight(round(0.7 * high))  # on a small screen they give way, not the count
            sign.setMaximumHeight(high)
            beside.addWidget(sign, 1)
        beside.addStretch(1)
        row.addLayout(beside, 2)
        column.addLayout(row, 5)
        self.tempo.setMinimumHeight(80)
        self.tempo.setMaximumHeight(112)
        column.addWidget(self.tempo, 1)
        names = BigText(20)
        names.setFixedHeight(28)
        names.say(joined(" – ", [tr(WORDS[p]) for p in PHASES]) + ", s")
        column.addWidget(names)
        self.go = QPushButton(tr("End the set (Space)"))
        self.go.setObjectName("large")
        self.go.setMinimumHeight(72)
        column.addWidget(self.go)
        self._short_timer = QTimer(self)
        self._short_timer.setSingleShot(True)
        self._short_timer.timeout.connect(lambda: self._show_short(False))

    def begin(self, what: str) -> None:
        """A set of this begins."""
        self.what.say(what)
        self.count.say("0")
        self.tempo.say("")
        self._show_short(False)

    def show_rep(self, rep: Rep, short: bool) -> None:
        """A rep has ended."""
        self.count.say(str(rep.number))
        self.tempo.say(tempo_words(rep))
        self._show_short(short)
        if short:
            self._short_timer.start(SHORT_MS)

    def _show_short(self, on: bool) -> None:
        self.short_mark.setVisible(on)
        self.short_word.say(tr("short") if on else "", t.COPPER_LIGHT)

    def is_short(self) -> bool:
        """True while a short rep is shown."""
        return bool(self.short_word.words())


def tempo_words(rep: Rep) -> str:
    """Seconds of a rep's phases as they are asked for: lowering - bottom - lifting - top."""
    return " – ".join("·" if (s := rep.phases_s.get(p)) is None else f"{s:.1f}" for p in PHASES)
